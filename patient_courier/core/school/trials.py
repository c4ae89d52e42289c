"""Trials: a share of a sequence's students held back, and letters in two to four versions."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from pydantic import AfterValidator, Field

from patient_courier.core.school.events import Matcher
from patient_courier.core.school.text import KeyText
from patient_courier.core.school.values import Key, Model, SpanField


class Trial(Model):
    """``hold_back``: percent of the students, drawn by lot, who are not written to. ``goal``: the event that is hoped for
    ``within`` that time from a run's start."""

    key: Key
    hold_back: Annotated[int, Field(ge=1, le=90, strict=True)]
    goal: Matcher
    within: SpanField


class Version(Model):
    """One of the letters of which each student gets one; ``share``: percent of the students, drawn by lot."""

    letter: KeyText
    share: Annotated[int, Field(ge=1, le=100, strict=True)]


def _versions(found: list[Version]) -> list[Version]:
    shares = sum(version.share for version in found)
    if shares != 100:
        raise ValueError(f"the shares add up to {shares}; together they are 100")
    if len({version.letter for version in found}) < len(found):
        raise ValueError("each version is another letter; one stands here twice")
    return found


Versions = Annotated[list[Version], Field(min_length=2, max_length=4), AfterValidator(_versions)]


class Posts(Model):
    """Something that posts one letter, or to each student one of its versions."""

    letter: KeyText | None = None
    versions: Versions | None = None

    def model_post_init(self, context: object) -> None:
        if self.letter is not None and self.versions is not None:
            raise ValueError(
                "it posts either one “letter” or one of its “versions”, not both; take one of them out"
            )
        if self.letter is None and self.versions is None:
            raise ValueError("“letter” is missing: say which letter it posts")

    @property
    def letters(self) -> Sequence[str]:
        """Every letter that it may post, by key."""
        return [version.letter for version in self.versions] if self.versions else [self.letter or ""]
