"""A letter as plain text, from the same blocks."""

from __future__ import annotations

import re
from collections.abc import Mapping
from html import unescape

from inscriptis import get_text

from patient_courier.core.merge import Template, Value
from patient_courier.core.school.courses import School
from patient_courier.core.school.letters import (
    AnswersBlock,
    Block,
    ButtonBlock,
    DividerBlock,
    Letter,
    PictureBlock,
    TextBlock,
)
from patient_courier.post.page import ANSWER, STOP, WHY, clean

_LINK = re.compile(r'<a href="([^"]*)"[^>]*>(.*?)</a>', re.DOTALL)
_BLANK_LINES = re.compile(r"\n{3,}")


def plain_text(letter: Letter, school: School, values: Mapping[str, Value], zone: str) -> str:
    """The whole letter as text, links written out, with the footer that the law asks for."""
    parts = [text for block in letter.blocks if (text := _block(block, values, zone))]
    footer = [
        school.postal_address,
        WHY[letter.purpose],
        f"{STOP[letter.purpose]}: {values['links.stop']}",
        f"All your post: {values['links.preferences']}",
    ]
    return "\n\n".join([*parts, "-- \n" + "\n".join(line for line in footer if line)]) + "\n"


def _block(block: Block, values: Mapping[str, Value], zone: str) -> str:
    def fill(text: str) -> str:
        return Template.parse(text).render(values, zone, html=False)

    match block:
        case TextBlock():
            html = clean(Template.parse(block.html).render(values, zone, html=True))
            return _from_html(html)
        case ButtonBlock():
            return f"{fill(block.label)}: {fill(block.url)}"
        case PictureBlock():
            return f"[{fill(block.alt)}]" if block.alt else ""
        case DividerBlock():
            return "* * *"
        case AnswersBlock():
            lines = [f"{fill(choice.label)}: {values[ANSWER + choice.key]}" for choice in block.answers]
            return "\n".join([*([fill(block.question)] if block.question else []), *lines])
    return ""


def _from_html(html: str) -> str:
    def link(match: re.Match[str]) -> str:
        address, label = match[1], match[2]
        return label if unescape(address) == unescape(label) else f"{label} ({address})"

    text = get_text(_LINK.sub(link, html))
    lines = (line.rstrip() for line in text.strip("\n").splitlines())
    return _BLANK_LINES.sub("\n\n", "\n".join(lines)).strip("\n")
