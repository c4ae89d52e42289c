"""Files of students that have been read and wait to be taken in."""

from __future__ import annotations

from collections import OrderedDict
from itertools import count

from fastapi import HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.school.text import Line
from patient_courier.dispatch.importing import Tried
from patient_courier.intake.people_file import People

# Files that have been read and not yet taken in; older ones are forgotten.
MOST_FILES = 4


class PlanIn(BaseModel):
    """What each column is; ``consent`` where the students' consent to news comes from, if no column says it.

    ``course``: what all come into of whom no column says another.
    """

    targets: list[str] = Field(max_length=200)
    consent: Line = Field("", max_length=500)
    course: str | None = Field(None, max_length=200)
    starts: bool = False


class AtHand:
    """Files that have been read and not yet taken in, and what was tried with each; older ones are forgotten."""

    def __init__(self) -> None:
        self._files: OrderedDict[int, tuple[str, People]] = OrderedDict()
        self._tried: dict[int, tuple[PlanIn, Tried]] = {}
        self._numbers = count(1)

    def put(self, name: str, found: People) -> int:
        """Keep a file; returns its number."""
        id = next(self._numbers)
        self._files[id] = (name, found)
        while len(self._files) > MOST_FILES:
            old, _ = self._files.popitem(last=False)
            self._tried.pop(old, None)
        return id

    def file(self, id: int) -> tuple[str, People]:
        """A file by its number. 404 when it is no longer at hand."""
        if id not in self._files:
            raise HTTPException(404, "This file is no longer at hand. Choose it again.")
        return self._files[id]

    def keep_tried(self, id: int, plan: PlanIn, tried: Tried) -> None:
        self._tried[id] = (plan, tried)

    def take_tried(self, id: int, plan: PlanIn) -> Tried:
        """What was tried with this very plan, once. 409 when it was not."""
        tried = self._tried.get(id)
        if tried is None or plan.model_dump(exclude={"starts"}) != tried[0].model_dump(exclude={"starts"}):
            raise HTTPException(409, "Try it first, and look at what it would do.")
        del self._tried[id]
        return tried[1]
