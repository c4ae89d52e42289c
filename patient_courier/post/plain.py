"""A letter as plain text, from the same blocks."""

from __future__ import annotations

import re
from html import unescape

from inscriptis import get_text

from patient_courier.core.merge import Field
from patient_courier.core.school.letters import (
    AnswersBlock,
    Block,
    ButtonBlock,
    DividerBlock,
    Letter,
    PictureBlock,
    TextBlock,
)
from patient_courier.post.marks import ANSWER, Marks
from patient_courier.post.page import STOP, WHY, clean

_LINK = re.compile(r'<a href="([^"]*)"[^>]*>(.*?)</a>', re.DOTALL)
_BLANK_LINES = re.compile(r"\n{3,}")


def text_parts(letter: Letter, postal_address: str) -> tuple[str | Field, ...]:
    """The whole letter as text, links written out, with the footer that the law asks for, cut at its merge fields."""
    marks = Marks()
    parts = [text for block in letter.blocks if (text := _block(block, marks))]
    footer = [
        postal_address,
        WHY[letter.purpose],
        f"{STOP[letter.purpose]}: {marks.mark(Field('links.stop'))}",
        f"All your post: {marks.mark(Field('links.preferences'))}",
    ]
    text = "\n\n".join([*parts, "-- \n" + "\n".join(line for line in footer if line)]) + "\n"
    return marks.cut(text)


def _block(block: Block, marks: Marks) -> str:
    def plain(text: str) -> str:
        return marks.text(text, plain=True)

    match block:
        case TextBlock():
            return _from_html(clean(marks.text(block.html, html=True)))
        case ButtonBlock():
            return f"{plain(block.label)}: {plain(block.url)}"
        case PictureBlock():
            return f"[{plain(block.alt)}]" if block.alt else ""
        case DividerBlock():
            return "* * *"
        case AnswersBlock():
            lines = [
                f"{plain(choice.label)}: {marks.mark(Field(ANSWER + choice.key))}" for choice in block.answers
            ]
            return "\n".join([*([plain(block.question)] if block.question else []), *lines])
    return ""


def _from_html(html: str) -> str:
    def link(match: re.Match[str]) -> str:
        address, label = match[1], match[2]
        return label if unescape(address) == unescape(label) else f"{label} ({address})"

    text = get_text(_LINK.sub(link, html))
    lines = (line.rstrip() for line in text.strip("\n").splitlines())
    return _BLANK_LINES.sub("\n\n", "\n".join(lines)).strip("\n")
