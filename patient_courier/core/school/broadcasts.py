"""Broadcasts: one letter to an audience, each student once."""

from __future__ import annotations

from typing import Literal

from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.text import KeyText, Line
from patient_courier.core.school.trials import Posts
from patient_courier.core.school.values import Key, LocalMoment, PostingHours, SpanField, Whose


class Broadcast(Posts):
    """What is posted to whom, and when.

    ``to`` None is every student; ``without`` are those taken out by hand. ``at`` is local time, of the school or of
    each student (``zone``); ``late`` says what becomes of a student whose moment was past when it started. ``inside``
    is for news while a student is in a sequence that holds broadcasts: passed by, or kept back for at most ``within``.
    """

    key: Key
    name: Line = ""
    status: Literal["draft", "scheduled"] = "draft"
    course: KeyText | None = None
    to: Condition | None = None
    without: list[KeyText] = []
    at: LocalMoment
    zone: Whose = "school"
    late: Literal["at_once", "skip"] = "at_once"
    posting_hours: Literal["school"] | PostingHours | None = "school"
    inside: Literal["pass_by", "wait"] = "pass_by"
    within: SpanField | None = None

    @property
    def called(self) -> str:
        """Its name, or its key while it has none."""
        return self.name or self.key
