"""What a check finds: a level, a place, a sentence, and a mend where there is one."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

Level = Literal["fault", "warning"]


@dataclass(frozen=True, slots=True)
class Mend:
    """A change that puts a finding right, as a JSON Patch (RFC 6902) on the sequence or the letter."""

    label: str
    target: Literal["sequence", "letter", "layout"]
    key: str
    patch: tuple[dict[str, Any], ...]


@dataclass(frozen=True, slots=True)
class Finding:
    """One finding. A fault keeps a sequence from being switched on, a warning does not.

    ``pointer`` is a JSON pointer (RFC 6901) into the sequence, or into the
    letter when there is no sequence; ``step`` the id of the step it concerns.
    """

    level: Level
    code: str
    sentence: str
    sequence: str | None = None
    letter: str | None = None
    step: str | None = None
    pointer: str = ""
    mend: Mend | None = None


@dataclass(frozen=True, slots=True)
class Lacking:
    """How many of a school's students have no value for a merge field: ``student.first_name`` → 12."""

    students: int = 0
    fields: dict[str, int] = field(default_factory=dict)

    def number(self, name: str) -> int:
        """Students without a value; a free field that nobody has is lacking for all."""
        if name.startswith("student.fields."):
            return self.fields.get(name, self.students)
        return self.fields.get(name, 0)
