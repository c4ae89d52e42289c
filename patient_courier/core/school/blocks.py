"""The blocks a letter is made of."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.text import KeyText, Line, Text
from patient_courier.core.school.values import THIS, Key, LocalMoment, Model, TagName, Zone

_Words = Annotated[Text, Field(max_length=20_000)]


class BlockBase(Model):
    """``only_if``: the block is shown to students of whom this is true when the letter is decided."""

    only_if: Condition | None = None


class TextBlock(BlockBase):
    """Running text: simple HTML with merge fields."""

    kind: Literal["text"]
    html: Annotated[Text, Field(max_length=500_000)]


class ButtonBlock(BlockBase):
    kind: Literal["button"]
    label: Line
    url: Line


class PictureBlock(BlockBase):
    """``url``: a web address, or the path of a picture that was uploaded here."""

    kind: Literal["picture"]
    url: Line
    alt: Line = ""
    link: Line | None = None


class CourseCardBlock(BlockBase):
    """A course or an offer as it is now: picture, title, sentence, price, button.

    ``course`` is a key, or ``this`` for the course the letter is about. With an ``offer`` the card shows the offer and
    its price; what the offer doesn't say of itself is taken from the course.
    """

    kind: Literal["course_card"]
    course: KeyText | None = None
    offer: KeyText | None = None
    label: Line = "Have a look"


class CertificateBlock(BlockBase):
    """The picture of the student's own certificate, leading to it.

    With ``claim`` the letter also goes to those who have none: in its place they have a button to ask for it. Without,
    the letter waits for one.
    """

    kind: Literal["certificate"]
    claim: bool = False


class NextLessonBlock(BlockBase):
    """The first lesson of the course that the student has not finished: title, minutes, button."""

    kind: Literal["next_lesson"]
    label: Line = "Go on learning"


class DividerBlock(BlockBase):
    kind: Literal["divider"]


class SpaceBlock(BlockBase):
    kind: Literal["space"]
    size: Literal["small", "medium", "large"] = "medium"


class SignatureBlock(BlockBase):
    """The school's signature, kept there once."""

    kind: Literal["signature"]


class EventBlock(BlockBase):
    """Something at a fixed time, such as a live session; comes with a calendar file. ``at`` is local, in ``zone`` or the school's."""

    kind: Literal["event"]
    title: Annotated[Line, Field(max_length=300)]
    at: LocalMoment
    minutes: Annotated[int, Field(ge=1, le=10_080)] = 60
    place: Annotated[Line, Field(max_length=300)] = ""
    url: Annotated[Line, Field(max_length=2000)] = ""
    zone: Zone | None = None


class NoteBlock(BlockBase):
    """A note to oneself: never posted."""

    kind: Literal["note"]
    text: _Words = ""


class Choice(Model):
    """One answer a student can give by clicking: its key, its label and what it does.

    ``stops_help`` stops help with the course the letter is about, ``leaves`` takes the student out of the run that
    sent it. ``page`` is what they see afterwards, ``url`` a web address to go on to, which may have merge fields;
    it is left out where one has no value.

    ``value``: what the answer counts on a scale from 1 to 5, for figures of feedback. ``ask``: what is asked for in words
    on the page afterwards.
    """

    key: Key
    label: Line
    add_tags: list[TagName] = []
    remove_tags: list[TagName] = []
    stops_help: bool = False
    leaves: bool = False
    page: _Words | None = None
    url: Annotated[Line, Field(max_length=2000)] | None = None
    value: Annotated[int, Field(ge=1, le=5)] | None = None
    ask: Annotated[Line, Field(max_length=300)] = ""


class AnswersBlock(BlockBase):
    """Answer links: each records the student's choice as an ``answered`` event. ``beside`` each other where there is room."""

    kind: Literal["answers"]
    question: _Words = ""
    answers: Annotated[list[Choice], Field(min_length=1)]
    beside: bool = False


_Simple = (
    TextBlock
    | ButtonBlock
    | PictureBlock
    | CourseCardBlock
    | CertificateBlock
    | NextLessonBlock
    | DividerBlock
    | SpaceBlock
    | SignatureBlock
    | EventBlock
    | NoteBlock
    | AnswersBlock
)


class ColumnsBlock(BlockBase):
    """Two columns, which stand below each other on a phone."""

    kind: Literal["columns"]
    left: list[Annotated[_Simple, Field(discriminator="kind")]] = []
    right: list[Annotated[_Simple, Field(discriminator="kind")]] = []


Block = Annotated[_Simple | ColumnsBlock, Field(discriminator="kind")]
AnyBlock = _Simple | ColumnsBlock


def walk(blocks: list[Block]) -> Iterator[tuple[str, AnyBlock]]:
    """Every block with its place below the letter, those inside columns behind them, in reading order."""
    for number, block in enumerate(blocks):
        yield f"blocks/{number}", block
        if isinstance(block, ColumnsBlock):
            for side in ("left", "right"):
                for at, inner in enumerate(getattr(block, side)):
                    yield f"blocks/{number}/{side}/{at}", inner


def block_texts(block: AnyBlock) -> list[tuple[str, str]]:
    """The texts of one block that may hold merge fields, as (place below the block, text), in reading order.

    What a block prints of its own accord stands here as the merge field it is.
    """
    match block:
        case TextBlock():
            return [("html", block.html)]
        case ButtonBlock():
            return [("label", block.label), ("url", block.url)]
        case PictureBlock():
            return [("url", block.url), ("alt", block.alt)] + ([("link", block.link)] if block.link else [])
        case CourseCardBlock():
            own = [("title", "{{ course.title }}")] if block.course == THIS and block.offer is None else []
            return [*own, ("label", block.label)]
        case CertificateBlock():
            return [] if block.claim else [("link", "{{ certificate.url }}")]
        case NextLessonBlock():
            fields = [("title", "{{ next_lesson.title }}"), ("link", "{{ next_lesson.url }}")]
            return [*fields, ("label", block.label)]
        case EventBlock():
            return [("title", block.title), ("place", block.place), ("url", block.url)]
        case AnswersBlock():
            return [("question", block.question)] + [
                (f"answers/{number}/label", choice.label) for number, choice in enumerate(block.answers)
            ]
        case DividerBlock() | SpaceBlock() | SignatureBlock() | NoteBlock() | ColumnsBlock():
            return []
