"""What has changed between two versions of a letter, in words, and where texts differ word by word."""

from __future__ import annotations

import re
from dataclasses import dataclass
from difflib import SequenceMatcher
from html import unescape
from typing import Literal

from patient_courier.core.letters.merge import MERGE
from patient_courier.core.school.blocks import AnyBlock, Choice, ColumnsBlock, TextBlock, block_texts
from patient_courier.core.school.letters import Letter

How = Literal["same", "added", "gone"]
NAMES = {
    "text": "Text",
    "button": "Button",
    "picture": "Picture",
    "course_card": "Course card",
    "certificate": "Certificate",
    "next_lesson": "Next lesson",
    "divider": "Line",
    "space": "Space",
    "signature": "Signature",
    "event": "Date",
    "note": "Note to self",
    "answers": "Answer links",
    "columns": "Two columns",
}
PURPOSES = {"service": "Service", "course_help": "Course help", "news": "News"}


@dataclass(frozen=True, slots=True)
class Piece:
    text: str
    how: How


@dataclass(frozen=True, slots=True)
class Change:
    """One change: what it is about, what was done, and the words with those that came and went."""

    what: str
    did: Literal["changed", "added", "removed", "moved"]
    pieces: tuple[Piece, ...] = ()


def changes(before: Letter, after: Letter) -> list[Change]:
    """What makes ``after`` another letter than ``before``, in reading order."""
    found = []
    for name in ("name", "subject", "preheader"):
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            found.append(Change(name.capitalize(), "changed", words(old, new)))
    if before.purpose != after.purpose:
        pieces = words(PURPOSES[before.purpose], PURPOSES[after.purpose])
        found.append(Change("Purpose", "changed", pieces))
    for name, label in (
        ("layout", "Layout"),
        ("reply_to", "Reply-to"),
        ("min_gap", "Time between two of it"),
    ):
        old, new = str(getattr(before, name) or ""), str(getattr(after, name) or "")
        if old != new:
            found.append(Change(label, "changed", words(old, new)))
    return found + _blocks(before.blocks, after.blocks)


def _blocks(before: list[AnyBlock], after: list[AnyBlock]) -> list[Change]:
    old, new = ([block.model_dump_json(by_alias=True) for block in blocks] for blocks in (before, after))
    found: list[Change] = []
    for tag, a, b, c, d in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if tag == "equal":
            continue
        gone, came = list(range(a, b)), list(range(c, d))
        # Blocks of the same kind in the same place are one that was changed.
        while gone and came and before[gone[0]].kind == after[came[0]].kind:
            was, now = before[gone.pop(0)], after[came.pop(0)]
            found.append(Change(NAMES[now.kind], "changed", words(said(was), said(now))))
        found += [
            Change(
                NAMES[before[at].kind], "moved" if old[at] in new else "removed", words(said(before[at]), "")
            )
            for at in gone
        ]
        found += [
            Change(NAMES[after[at].kind], "added", words("", said(after[at])))
            for at in came
            if new[at] not in old
        ]
    return found


def said(block: AnyBlock) -> str:
    """What a block says, as one line of text."""
    if isinstance(block, ColumnsBlock):
        return " · ".join(said(one) for one in (*block.left, *block.right))
    if isinstance(block, TextBlock):
        return _plain(block.html)
    texts = [text for _, text in block_texts(block) if text]
    if block.kind == "note":
        texts.append(block.text)
    if block.kind == "answers":
        texts += [f"({choice.label}: {_does(choice)})" for choice in block.answers if _does(choice)]
    if block.kind == "course_card":
        texts.append(block.offer or block.course or "")
    if block.kind == "event":
        texts += [block.at.format_iso(), f"{block.minutes} minutes"]
    if block.kind == "space":
        texts.append(block.size)
    if block.only_if is not None:
        texts.append("(shown to some only)")
    return " · ".join(texts)


def _does(choice: Choice) -> str:
    return ", ".join(
        str(getattr(choice, name))
        for name in ("add_tags", "remove_tags", "page", "url")
        if getattr(choice, name)
    )


def _plain(html: str) -> str:
    spaced = re.sub(r"</(?:p|li|h2|h3|blockquote)>|<br ?/?>", " ", html)
    links = re.sub(r"""<a\s[^>]*?href=(["'])(.*?)\1[^>]*>(.*?)</a>""", r"\3 (\2)", spaced)
    return " ".join(unescape(re.sub(r"<[^>]+>", "", links)).split())


def words(before: str, after: str) -> tuple[Piece, ...]:
    """Two texts as one, word by word: what stayed, what came, what went."""
    old, new = (re.findall(rf"{MERGE.pattern}\S*\s*|\S+\s*|\s+", text) for text in (before, after))
    same = SequenceMatcher(None, [w.strip() for w in old], [w.strip() for w in new], autojunk=False)
    found: list[Piece] = []
    for tag, a, b, c, d in same.get_opcodes():
        if tag == "equal":
            found.append(Piece("".join(new[c:d]), "same"))
            continue
        if b > a:
            found.append(Piece("".join(old[a:b]), "gone"))
        if d > c:
            found.append(Piece("".join(new[c:d]), "added"))
    return tuple(found)
