"""The starters: worked examples that ship with the application, read once."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from patient_courier.core.reading import read_school
from patient_courier.core.school.file import SchoolFile

EXAMPLES = Path(__file__).parents[2] / "examples"


@cache
def starters() -> dict[str, SchoolFile]:
    """Every starter by its key."""
    found = {}
    for path in sorted(EXAMPLES.glob("*.json")):
        if not path.name.endswith(".expected.json"):
            found[path.stem] = read_school(path.read_bytes())
    return found
