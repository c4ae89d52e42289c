"""Letters: subject, preheader and blocks."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from patient_courier.core.school.text import Line, Text
from patient_courier.core.school.values import Key, Model, SpanField, TagName

Purpose = Literal["service", "course_help", "news"]


class TextBlock(Model):
    """Running text: simple HTML with merge fields."""

    kind: Literal["text"]
    html: Annotated[Text, Field(max_length=500_000)]


class ButtonBlock(Model):
    kind: Literal["button"]
    label: Line
    url: Line


class PictureBlock(Model):
    kind: Literal["picture"]
    url: Line
    alt: Line = ""
    link: Line | None = None


class DividerBlock(Model):
    kind: Literal["divider"]


class Choice(Model):
    """One answer a student can give by clicking: its key, its label and what it does.

    ``stops_help`` stops help with the course the letter is about, ``leaves`` takes the student out of the run that
    sent it. ``page`` is what they see afterwards, ``url`` a web address to go on to.
    """

    key: Key
    label: Line
    add_tags: list[TagName] = []
    remove_tags: list[TagName] = []
    stops_help: bool = False
    leaves: bool = False
    page: Annotated[Text, Field(max_length=20_000)] | None = None
    url: Annotated[Line, Field(max_length=2000)] | None = None


class AnswersBlock(Model):
    """Answer links: each records the student's choice as an ``answered`` event."""

    kind: Literal["answers"]
    question: Annotated[Text, Field(max_length=20_000)] = ""
    answers: Annotated[list[Choice], Field(min_length=1)]


Block = Annotated[
    TextBlock | ButtonBlock | PictureBlock | DividerBlock | AnswersBlock, Field(discriminator="kind")
]


class Letter(Model):
    key: Key
    name: Line = ""
    purpose: Purpose
    subject: Annotated[Line, Field(max_length=2000)]
    preheader: Annotated[Line, Field(max_length=2000)] = ""
    blocks: list[Block] = []
    min_gap: SpanField | None = None

    def answers(self) -> list[tuple[str, Choice]]:
        """Every answer the letter has, as (place below the letter, answer), in reading order."""
        return [
            (f"blocks/{number}/answers/{at}", choice)
            for number, block in enumerate(self.blocks)
            if isinstance(block, AnswersBlock)
            for at, choice in enumerate(block.answers)
        ]

    def texts(self) -> list[tuple[str, str]]:
        """Every text that may hold merge fields, as (place below the letter, text), in reading order."""
        found = [("subject", self.subject), ("preheader", self.preheader)]
        for number, block in enumerate(self.blocks):
            found += [(f"blocks/{number}/{place}", text) for place, text in block_texts(block)]
        return found


def block_texts(block: Block) -> list[tuple[str, str]]:
    """The texts of one block that may hold merge fields, as (place below the block, text)."""
    match block:
        case TextBlock():
            return [("html", block.html)]
        case ButtonBlock():
            return [("label", block.label), ("url", block.url)]
        case PictureBlock():
            return [("url", block.url), ("alt", block.alt)] + ([("link", block.link)] if block.link else [])
        case AnswersBlock():
            return [("question", block.question)] + [
                (f"answers/{number}/label", choice.label) for number, choice in enumerate(block.answers)
            ]
    return []
