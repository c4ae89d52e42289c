"""A letter as plain text, from the same blocks."""

from __future__ import annotations

import re
from html import unescape

from inscriptis import get_text

from patient_courier.core.engine.block_texts import shown_name
from patient_courier.core.letters.cleaning import clean
from patient_courier.core.letters.merge import Field
from patient_courier.core.school.blocks import (
    AnswersBlock,
    AnyBlock,
    ButtonBlock,
    CertificateBlock,
    ColumnsBlock,
    CourseCardBlock,
    DividerBlock,
    EventBlock,
    NextLessonBlock,
    NoteBlock,
    PictureBlock,
    SignatureBlock,
    SpaceBlock,
    TextBlock,
)
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.text import clean_line, clean_text
from patient_courier.core.school.values import THIS
from patient_courier.post.frame import STOP, WHY
from patient_courier.post.look import Look
from patient_courier.post.marks import ANSWER, CLAIM, CLAIM_LABEL, EVENT, NAME, Marks, Part

_LINK = re.compile(r'<a href="([^"]*)"[^>]*>(.*?)</a>', re.DOTALL)
_BLANK_LINES = re.compile(r"\n{3,}")


def text_parts(letter: Letter, look: Look) -> tuple[Part, ...]:
    """The whole letter as text, links written out, with the footer that the law asks for, cut at its merge fields."""
    marks = Marks()
    parts = [_shown(f"blocks/{number}", block, look, marks) for number, block in enumerate(letter.blocks)]
    footer = [
        clean_text(look.layout.footer),
        *(f"{clean_line(one.label)}: {one.url}" for one in look.layout.links),
        clean_text(look.postal_address),
        WHY[letter.purpose],
        f"{STOP[letter.purpose]}: {marks.mark(Field('links.stop'))}",
        f"Choose your post: {marks.mark(Field('links.preferences'))}",
    ]
    text = "".join(parts) + "-- \n" + "\n".join(line for line in footer if line) + "\n"
    return marks.cut(text)


def _shown(place: str, block: AnyBlock, look: Look, marks: Marks) -> str:
    """A block with the blank line behind it, behind its condition."""
    text = _block(place, block, look, marks)
    if not text:
        return ""
    text = f"{text}\n\n"
    return text if block.only_if is None else marks.section(shown_name(place), text)


def _block(place: str, block: AnyBlock, look: Look, marks: Marks) -> str:
    def plain(text: str) -> str:
        return marks.text(text, plain=True)

    def part(name: str, before: str = "\n") -> str:
        return marks.section(f"{place}.{name}", before + marks.value(f"{place}.{name}"))

    match block:
        case TextBlock():
            return _from_html(clean(marks.text(block.html, html=True)))
        case ButtonBlock():
            return f"{plain(block.label)}: {plain(block.url)}"
        case PictureBlock():
            return f"[{plain(block.alt)}]" if block.alt else ""
        case DividerBlock():
            return "* * *"
        case CourseCardBlock():
            own = block.course == THIS and block.offer is None
            title = marks.value("course.title" if own else f"{place}.title")
            return title + part("summary") + part("price") + part("url", f"\n{plain(block.label)}: ")
        case NextLessonBlock():
            minutes = marks.section(f"{place}.minutes", f" ({marks.value(f'{place}.minutes')} minutes)")
            title, url = marks.value("next_lesson.title"), marks.value("next_lesson.url")
            return f"Your next lesson: {title}{minutes}\n{plain(block.label)}: {url}"
        case EventBlock():
            lines = [marks.value(f"{place}.when"), plain(block.title), plain(block.place), plain(block.url)]
            return "\n".join([*(x for x in lines if x), f"For your calendar: {marks.value(EVENT + place)}"])
        case CertificateBlock():
            address = marks.value(f"{place}.link" if block.claim else "certificate.url")
            there = f"Your certificate: {address}/yours\nShould your name be printed differently? {marks.value(NAME)}"
            if not block.claim:
                return there
            claim = f"{CLAIM_LABEL}: {marks.value(CLAIM)}"
            return marks.section(f"{place}.picture", there) + marks.section(f"{place}.claim", claim)
        case SignatureBlock() if look.signature is not None:
            found = look.signature
            links = [f"{clean_line(one.label)}: {one.url}" for one in found.links]
            return "\n".join(
                line for line in (clean_line(found.name), clean_text(found.text), *links) if line
            )
        case AnswersBlock():
            lines = [
                f"{plain(choice.label)}: {marks.mark(Field(ANSWER + choice.key))}" for choice in block.answers
            ]
            return "\n".join([*([plain(block.question)] if block.question else []), *lines])
        case ColumnsBlock():
            inner = [
                _shown(f"{place}/{side}/{at}", one, look, marks)
                for side in ("left", "right")
                for at, one in enumerate(getattr(block, side))
            ]
            return "".join(inner).removesuffix("\n\n")
        case SpaceBlock() | SignatureBlock() | NoteBlock():
            return ""


def _from_html(html: str) -> str:
    def link(match: re.Match[str]) -> str:
        address, label = match[1], match[2]
        return label if unescape(address) == unescape(label) else f"{label} ({address})"

    text = get_text(_LINK.sub(link, html))
    lines = (line.rstrip() for line in text.strip("\n").splitlines())
    return _BLANK_LINES.sub("\n\n", "\n".join(lines)).strip("\n")
