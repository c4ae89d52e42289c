"""One thing that waits for the owner, as it is shown."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel


class NeedsYou(BaseModel):
    """Something that waits for the owner: letters with one trouble (``delivery``, the newest's ``id``, all their
    ``ids``), an event that could not be read, a student in circles, the mail server (``carrier``), the school's own file (``disk``), a low answer to a
    question for feedback with its ``words``, a ``destination`` that stands still, or copies and a
    mailbox that fail (``upkeep``, ``body`` says where to look).
    """

    kind: Literal["delivery", "event", "circles", "carrier", "disk", "words", "destination", "upkeep"]
    id: int
    ids: list[int]
    title: str
    sentence: str
    reason_code: str | None
    at: str
    student: str | None
    students: list[str]
    letter: str | None
    body: dict[str, Any] | None
    can_post: bool
