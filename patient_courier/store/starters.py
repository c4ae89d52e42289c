"""The starters: worked examples that ship with the application, read once."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

from patient_courier.core.reading import read_school
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
