"""Findings as the screen shows them."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel

from patient_courier.core.checks import Finding


class MendOut(BaseModel):
    """A change that puts a finding right: a JSON Patch (RFC 6902) on a sequence or a letter."""

    label: str
    target: Literal["sequence", "letter", "layout"]
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
