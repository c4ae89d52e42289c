"""Findings as the screen shows them, and the school's students as the checks need them."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel
from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from patient_courier.core.checks import Finding, Lacking
from patient_courier.store.tables import StudentRow


class MendOut(BaseModel):
    """A change that puts a finding right: a JSON Patch (RFC 6902) on a sequence or a letter."""

    label: str
    target: Literal["sequence", "letter"]
    key: str
    patch: list[dict[str, Any]]


class FindingOut(BaseModel):
    level: Literal["fault", "warning"]
    code: str
    sentence: str
    sequence: str | None
    letter: str | None
    step: str | None
    pointer: str
    mend: MendOut | None


def finding_out(found: Finding) -> FindingOut:
    mend = found.mend
    return FindingOut(
        level=found.level,
        code=found.code,
        sentence=found.sentence,
        sequence=found.sequence,
        letter=found.letter,
        step=found.step,
        pointer=found.pointer,
        mend=MendOut(label=mend.label, target=mend.target, key=mend.key, patch=list(mend.patch))
        if mend
        else None,
    )


def lacking(session: Session) -> Lacking:
    """How many students have no value for the merge fields about them."""
    first, last = (or_(x.is_(None), x == "") for x in (StudentRow.first_name, StudentRow.last_name))
    total, no_first, no_last, no_name = session.execute(
        select(
            func.count(),
            func.count().filter(first),
            func.count().filter(last),
            func.count().filter(first & last),
        ).select_from(StudentRow)
    ).one()
    fields = {"student.first_name": no_first, "student.last_name": no_last, "student.full_name": no_name}
    have: dict[str, int] = {}
    for found in session.scalars(select(StudentRow.fields).where(StudentRow.fields != {})):
        for name, value in found.items():
            if value not in (None, ""):
                have[name] = have.get(name, 0) + 1
    fields |= {f"student.fields.{name}": total - number for name, number in have.items()}
    return Lacking(total, fields)
