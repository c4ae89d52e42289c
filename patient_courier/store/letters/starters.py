"""The starters: worked examples that ship with the application, read once."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

from whenever import Date

from patient_courier.core.drafting.fitting import Pattern
from patient_courier.core.drafting.neutral import neutral
from patient_courier.core.reading.school_file import read_school
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.letters import Letter

EXAMPLES = Path(__file__).parents[2] / "examples"


LETTERS = EXAMPLES / "letters" / "starters.json"


@cache
def letter_starters() -> tuple[Letter, ...]:
    """Every letter to begin from, in the order in which a student would get them."""
    found = json.loads(LETTERS.read_text("utf-8"))
    return tuple(Letter.model_validate(one) for one in found["letters"])


@cache
def starters() -> dict[str, SchoolFile]:
    """Every starter by its key."""
    found = {}
    for path in sorted(EXAMPLES.glob("*.json")):
        if not path.name.endswith(".expected.json"):
            found[path.stem] = read_school(path.read_bytes())
    return found


NEUTRAL = EXAMPLES / "letters" / "neutral.json"


@cache
def _neutral() -> dict[str, Any]:
    found: dict[str, Any] = json.loads(NEUTRAL.read_text("utf-8"))
    return found


def abouts() -> dict[str, str]:
    """What is said of a starter, where that differs from its example."""
    return dict(_neutral()["abouts"])


def starter_pattern(key: str, today: Date) -> Pattern:
    """A starter in neutral words, with dates that lie ahead of ``today``."""
    words, ahead = _neutral(), _neutral()["dates"].get(key)
    return neutral(
        starters()[key],
        words["letters"].get(key, {}),
        words["sequences"].get(key, {}),
        words["words"].get(key, {}),
        today.add(days=ahead) if ahead else None,
    )
