"""What a notice or a weekly letter says, in sections: shown as a page, and posted as a letter."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from typing import Any

from patient_courier.core.school.letters import Letter
from patient_courier.core.school.values import Model


class Section(Model):
    """A heading with lines below it, and where it leads: a path of the owner's side."""

    title: str
    lines: list[str] = []
    to: str = ""
    link: str = ""


def letter_of(subject: str, sections: Sequence[Section], address: str) -> Letter:
    """The letter to read on a phone: names and words of students are text in it, whatever they hold."""
    blocks: list[dict[str, Any]] = []
    for section in sections:
        title = f"<p><strong>{_text(section.title)}</strong></p>" if section.title else ""
        lines = "".join(f"<p>{_text(line)}</p>" for line in section.lines)
        link = ""
        if section.to:
            link = (
                f'<p><a href="{escape(address + section.to)}">{_text(section.link or "Look at it")}</a></p>'
            )
        blocks.append({"kind": "text", "html": title + lines + link})
    body = {"key": "notice", "purpose": "service", "subject": plain(subject), "blocks": blocks}
    return Letter.model_validate(body)


def _text(text: str) -> str:
    """Text as HTML in which nothing is a merge field."""
    return escape(text).replace("{", "&#123;")


def plain(text: str) -> str:
    """A subject in which nothing is a merge field."""
    return text.replace("{{", "{ {").replace("{%", "{ %")
