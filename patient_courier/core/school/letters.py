"""Letters: subject, preheader and blocks."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field, field_validator

from patient_courier.core.school.blocks import AnswersBlock, AnyBlock, Block, Choice, block_texts, walk
from patient_courier.core.school.courses import Email, check_email
from patient_courier.core.school.text import KeyText, Line
from patient_courier.core.school.values import Key, Model, SpanField

Purpose = Literal["service", "course_help", "news"]


class Letter(Model):
    """``layout``: the key of the frame it always stands in; without one its course's, or the school's.

    ``reply_to``: where answers to it go, before what its sequence or the school says.
    """

    key: Key
    name: Line = ""
    purpose: Purpose
    subject: Annotated[Line, Field(max_length=2000)]
    preheader: Annotated[Line, Field(max_length=2000)] = ""
    blocks: list[Block] = []
    min_gap: SpanField | None = None
    layout: KeyText | None = None
    reply_to: Email | None = None

    @property
    def called(self) -> str:
        """Its name, or its key while it has none."""
        return self.name or self.key

    @field_validator("reply_to")
    @classmethod
    def _reply_to(cls, value: str | None) -> str | None:
        return value if value is None else check_email(value)

    def every_block(self) -> Iterator[tuple[str, AnyBlock]]:
        """Every block with its place below the letter, those inside columns too, in reading order."""
        return walk(self.blocks)

    def answers(self) -> list[tuple[str, Choice]]:
        """Every answer the letter has, as (place below the letter, answer), in reading order."""
        return [
            (f"{place}/answers/{at}", choice)
            for place, block in self.every_block()
            if isinstance(block, AnswersBlock)
            for at, choice in enumerate(block.answers)
        ]

    def texts(self) -> list[tuple[str, str]]:
        """Every text that may hold merge fields, as (place below the letter, text), in reading order."""
        found = [("subject", self.subject), ("preheader", self.preheader)]
        for place, block in self.every_block():
            found += [(f"{place}/{inner}", text) for inner, text in block_texts(block)]
        return found
