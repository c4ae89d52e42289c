"""Findings in one letter by itself: subject, text, links, purpose. Where rules of thumb are used: common practice, no source."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html.parser import HTMLParser

from patient_courier.core.checks.finding import Finding, Level, Mend
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.letters.merge import MERGE, Field, Template, TemplateError
from patient_courier.core.school.blocks import (
    AnswersBlock,
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

_LEFT_OVER = re.compile(
    r"\[\s*(?:…|\.\.\.)\s*\]|\bTODO\b|\bXXX+\b|\binsert\b[^.\n]{0,40}\bhere\b", re.IGNORECASE
)
_BRACKETS = re.compile(r"\[[^\[\]\n]{1,60}\]")
_PASSWORD = re.compile(r"\bpassword\b\s*(?:is\b|:|=)\s*\S+", re.IGNORECASE)
_SELLING = re.compile(
    r"(?:€|£|\$|\bEUR|\bUSD|\bGBP)\s?\d|\d\s?(?:€|£|\bEUR\b|\bUSD\b|\bGBP\b)|\b\d{1,2}\s?% off\b|\bdiscount\b|\bspecial offer\b|\bcoupon\b",
    re.IGNORECASE,
)


class _Reader(HTMLParser):
    """The visible text of simple HTML, and where its links and pictures lead."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.text: list[str] = []
        self.links: list[str | None] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = dict(attrs)
        if tag == "a":
            self.links.append(found.get("href"))
        if tag in ("p", "br", "li", "h1", "h2", "h3", "div"):
            self.text.append("\n")

    def handle_data(self, data: str) -> None:
        self.text.append(data)


def _read(html: str) -> tuple[str, list[str | None]]:
    reader = _Reader()
    reader.feed(html)
    return "".join(reader.text), reader.links


def letter_findings(definitions: Definitions, letter: Letter) -> Iterator[Finding]:
    """Findings that hold wherever the letter is used; pointers lead into the letter."""

    def found(level: Level, code: str, pointer: str, sentence: str, mend: Mend | None = None) -> Finding:
        return Finding(level, code, sentence, letter=letter.key, pointer=pointer, mend=mend)

    for place, text in letter.texts():
        try:
            Template.parse(text)
        except TemplateError as error:
            yield found("fault", "unreadable_field", f"/{place}", f"{_place(place)}, {error}.")
    if not letter.subject.strip():
        yield found(
            "fault",
            "empty_subject",
            "/subject",
            "The subject is empty; write what the student will see first.",
        )
    if not letter.blocks:
        yield found("warning", "empty_letter", "/blocks", "The letter has no text yet.")
    for place, visible in visible_texts(letter):
        left = _LEFT_OVER.search(visible)
        if left:
            yield found(
                "fault",
                "left_over",
                f"/{place}",
                f"“{left[0].strip()}” looks like text you meant to replace.",
            )
        elif bracket := _BRACKETS.search(visible):
            yield found(
                "warning", "left_over", f"/{place}", f"“{bracket[0]}” looks like text you meant to replace."
            )
        if _PASSWORD.search(visible):
            sentence = "There is a password in this letter. Mail is read on the way and kept for years; link to the sign-in page instead."
            yield found("fault", "password", f"/{place}", sentence)
    for place, block in letter.every_block():
        if isinstance(block, NoteBlock):
            sentence = "A note to yourself stands here. It is never posted; take it out when it is done."
            yield found("fault", "note", f"/{place}", sentence)
    for place, url in links(letter):
        pictured = place.endswith("/url") and _block_at(letter, place) == "picture"
        if pictured and not url.strip():
            yield found(
                "fault",
                "no_picture",
                f"/{place}",
                "There is no picture here yet. Choose one, or take the block out.",
            )
            continue
        wrong = _wrong_link(url)
        if wrong:
            yield found("fault", "bad_link", f"/{place}", wrong)
    for place, choice in letter.answers():
        both = [tag for tag in choice.add_tags if tag in choice.remove_tags]
        if both:
            sentence = f"The answer “{choice.label}” puts the tag “{both[0]}” on and takes it off. Keep one of the two."
            yield found("fault", "tag_both_ways", f"/{place}", sentence)
    if letter.purpose == "service" and _sells(letter):
        mend = Mend(
            "Make it a news letter",
            "letter",
            letter.key,
            ({"op": "replace", "path": "/purpose", "value": "news"},),
        )
        sentence = "This service letter names a price or an offer. Service letters reach people who have stopped news; selling belongs into a news letter."
        yield found("warning", "purpose", "/purpose", sentence, mend)


def _block_at(letter: Letter, place: str) -> str:
    """The kind of the block at a place below the letter."""
    return next((block.kind for at, block in letter.every_block() if place.startswith(f"{at}/")), "")


def _place(place: str) -> str:
    return {"subject": "Subject", "preheader": "Preheader"}.get(place, "Text")


def visible_texts(letter: Letter) -> Iterator[tuple[str, str]]:
    """What a student reads, as (place below the letter, text), without merge fields and markup."""
    for place, text in letter.texts():
        if place.endswith(("/url", "/link")):
            continue
        yield place, MERGE.sub("", _read(text)[0] if place.endswith("/html") else text)


def links(letter: Letter) -> Iterator[tuple[str, str]]:
    """Every address the letter leads to, as (place below the letter, address as written)."""
    for place, block in letter.every_block():
        match block:
            case ButtonBlock():
                yield f"{place}/url", block.url
            case PictureBlock():
                if not block.url.startswith("/pictures/"):
                    yield f"{place}/url", block.url
                if block.link is not None:
                    yield f"{place}/link", block.link
            case EventBlock():
                if block.url:
                    yield f"{place}/url", block.url
            case TextBlock():
                for url in _read(block.html)[1]:
                    yield f"{place}/html", url or ""
            case (
                CourseCardBlock()
                | CertificateBlock()
                | NextLessonBlock()
                | DividerBlock()
                | SpaceBlock()
                | SignatureBlock()
                | NoteBlock()
                | AnswersBlock()
                | ColumnsBlock()
            ):
                pass


_STUDENTS_OWN = re.compile(r"(https?://[^/?#{]*)?\{\{\s*student\.", re.IGNORECASE)


def _wrong_link(url: str) -> str | None:
    plain = url.strip()
    if not plain or plain in ("#", "http://", "https://", "mailto:"):
        return "A link here leads nowhere; give it an address."
    if _STUDENTS_OWN.match(plain):
        return "This link leads where a student's own data says. Link to a page of yours; the field can stand behind its host."
    if plain.startswith("{{"):
        return None  # what the field holds is asked where the letter is used
    if re.match(r"mailto:[^@\s]+@[^@\s]+$", plain, re.IGNORECASE):
        return None
    if re.match(r"https?://[^\s/]+", plain, re.IGNORECASE):
        return None
    return f"“{plain}” is no address a student can open; links begin with https://, http:// or mailto:."


def _sells(letter: Letter) -> bool:
    fields = [field.name for _, text in letter.texts() for field in _fields(text)]
    if any(isinstance(block, CourseCardBlock) and block.offer for _, block in letter.every_block()):
        return True
    return "offer.price" in fields or any(_SELLING.search(text) for _, text in visible_texts(letter))


def _fields(text: str) -> tuple[Field, ...]:
    try:
        return Template.parse(text).fields
    except TemplateError:
        return ()
