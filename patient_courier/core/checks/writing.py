"""Findings while a letter is written, beside those that hold wherever it is used: what readers and mail programs stumble over.

Rules of thumb, where no source is named: common practice, no source.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from difflib import SequenceMatcher

from patient_courier.core.checks.finding import Finding, Mend
from patient_courier.core.checks.letters import letter_findings, links
from patient_courier.core.checks.looks import layout_findings
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.letters.merge import MERGE
from patient_courier.core.school.blocks import PictureBlock, TextBlock
from patient_courier.core.school.letters import Letter

# Where one large mail program cuts a letter off, in bytes of HTML.
CUT_BYTES = 100_000
# From which likeness on two names are hard to tell apart.
NEARLY = 0.9
# What only answers and letters passed on begin with, and what filters take for shouting.
_PRETENDS = re.compile(r"\s*(?:re|fwd?|aw)\s*:", re.IGNORECASE)
_EXCITED = re.compile(r"[!?]{2,}|!.*!|[$€£]{2,}")
# A very short host before a few letters and digits: what shortened addresses look like.
_SHORTENED = re.compile(r"https?://[a-z0-9-]{1,4}\.[a-z]{2,3}/[\w-]{3,12}", re.IGNORECASE)
_SAYS_NOTHING = re.compile(
    r"(?:letter|mail|e-?mail|news(?:letter)?|test|draft|new|untitled|copy)[\s#.-]*\d*", re.IGNORECASE
)
_PICTURE_WITHOUT_WORDS = re.compile(r"<img\b(?![^>]*\balt=\"[^\"]*\S)[^>]*>", re.IGNORECASE)


def writing_findings(definitions: Definitions, letter: Letter, html_bytes: int) -> list[Finding]:
    """Everything to say about a letter in the editor, faults first. ``html_bytes`` is how long its HTML is for a student."""
    found = [*letter_findings(definitions, letter), *_writing(definitions, letter, html_bytes)]
    return sorted(found, key=lambda finding: finding.level != "fault")


def _writing(definitions: Definitions, letter: Letter, html_bytes: int) -> Iterator[Finding]:
    def warn(code: str, pointer: str, sentence: str, mend: Mend | None = None) -> Finding:
        return Finding("warning", code, sentence, letter=letter.key, pointer=pointer, mend=mend)

    subject = MERGE.sub("", letter.subject)
    if (
        len(re.findall(r"[^\W\d_]", subject)) > 3
        and subject.upper() == subject
        and subject.lower() != subject
    ):
        patch = ({"op": "replace", "path": "/subject", "value": _sentence_case(letter.subject)},)
        mend = Mend("Write it in small letters", "letter", letter.key, patch)
        yield warn("loud_subject", "/subject", "The subject shouts: it is all in capitals.", mend)
    if _PRETENDS.match(letter.subject):
        yield warn(
            "pretended_answer",
            "/subject",
            "The subject passes for an answer. Filters and readers take that amiss.",
        )
    if excited := _EXCITED.search(subject):
        yield warn(
            "excited_subject", "/subject", f"“{excited[0]}” in the subject is what unwanted mail looks like."
        )
    if not letter.preheader.strip():
        yield warn(
            "empty_preheader",
            "/preheader",
            "The preheader is empty, so inboxes show whatever the letter begins with.",
        )
    if _SAYS_NOTHING.fullmatch(letter.name.strip()):
        yield warn("empty_name", "/name", f"“{letter.name.strip()}” says nothing; call it what it is about.")
    for place, block in letter.every_block():
        if isinstance(block, PictureBlock) and not block.alt.strip():
            sentence = (
                "This picture has no words. Say what it shows, for those who can't see it (WCAG 2.2, 1.1.1)."
            )
            yield warn("no_alt", f"/{place}/alt", sentence)
        if isinstance(block, TextBlock) and _PICTURE_WITHOUT_WORDS.search(block.html):
            sentence = "A picture in this text has no words. Put it in again and say what it shows (WCAG 2.2, 1.1.1)."
            yield warn("no_alt", f"/{place}/html", sentence)
    for place, url in links(letter):
        if url.strip().lower().startswith("http://"):
            patch = ({"op": "replace", "path": f"/{place}", "value": f"https{url.strip()[4:]}"},)
            # In running text the address stands between others, so it is mended by hand there.
            by_hand = place.endswith("/html")
            secure = None if by_hand else Mend("Use https", "letter", letter.key, patch)
            yield warn("plain_http", f"/{place}", f"“{url.strip()}” is not encrypted; use https.", secure)
        if _SHORTENED.fullmatch(url.strip()):
            yield warn(
                "short_link",
                f"/{place}",
                f"“{url.strip()}” hides where it leads, and mail programs distrust that. Use the whole address.",
            )
    if html_bytes > CUT_BYTES:
        kilobytes = html_bytes // 1000
        yield warn(
            "too_long",
            "/blocks",
            f"The letter is {kilobytes} kB long; some mail programs cut off what is behind 100.",
        )
    layout = definitions.layout_of(letter, None)
    for finding in layout_findings(layout):
        if finding.code == "contrast":
            yield warn("contrast", "/layout", f"In the layout “{layout.name}”: {finding.sentence}")
    yield from _alike(definitions, letter)


def _alike(definitions: Definitions, letter: Letter) -> Iterator[Finding]:
    """Another letter that is called nearly the same, or has nearly the same subject."""
    for what in ("name", "subject"):
        own = _plain(getattr(letter, what))
        for ready in definitions.letters.values():
            other = ready.letter
            if other.key != letter.key and own and _near(_plain(getattr(other, what)), own):
                word = "is called" if what == "name" else "has the subject"
                sentence = (
                    f"Another letter {word} “{getattr(other, what)}”, so the two are hard to tell apart."
                )
                yield Finding("warning", f"same_{what}", sentence, letter=letter.key, pointer=f"/{what}")
                break


def _near(one: str, other: str) -> bool:
    """Whether two texts differ by a letter or two at most; “Module 1” and “Module 2” are told apart by their numbers."""
    if one == other:
        return True
    if re.findall(r"\d+", one) != re.findall(r"\d+", other):
        return False
    found = SequenceMatcher(None, one, other)
    return found.quick_ratio() >= NEARLY and found.ratio() >= NEARLY


def _plain(text: str) -> str:
    return re.sub(r"\W+", " ", MERGE.sub(" ", text)).strip().lower()


def _sentence_case(text: str) -> str:
    """Small letters with a capital at the beginning; merge fields stay as they are."""
    parts = re.split(f"({MERGE.pattern})", text)
    small = "".join(part if part.startswith("{{") else part.lower() for part in parts)
    return small[:1].upper() + small[1:]
