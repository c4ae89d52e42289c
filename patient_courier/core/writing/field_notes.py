"""Which merge fields a letter can fill where it is used, and why others can't be filled."""

from __future__ import annotations

from collections.abc import Iterable

from patient_courier.core.checks.fields import field_trouble
from patient_courier.core.checks.finding import Lacking
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.letters.merge_fields import known_field
from patient_courier.core.school.letters import Letter


def plans_using(definitions: Definitions, letter: str) -> list[Plan]:
    """The sequences that post a letter."""
    return [plan for plan in definitions.sequences.values() if letter in plan.letters]


def why_not(
    definitions: Definitions, letter: Letter, names: Iterable[str], about: Iterable[str | None]
) -> dict[str, str]:
    """For each field that can't be filled somewhere, a sentence that says where and why.

    ``about`` are the courses of the broadcasts that post the letter, None for one about no course.
    """
    found: dict[str, str] = {}
    plans = plans_using(definitions, letter.key)
    for name in names:
        for plan in plans:
            trouble = field_trouble(definitions, plan, letter, name, Lacking())
            if trouble:
                found[name] = f"In “{plan.sequence.called}”: {trouble.sentence}"
                break
        known = known_field(name)
        kind = known.about if known else None
        if name not in found and kind == "course" and None in about:
            found[name] = "A broadcast posts this letter about no course, so there is nothing to fill in."
        if name not in found and kind not in (None, "course") and list(about):
            found[name] = f"A broadcast posts this letter, and broadcasts are about no {kind}."
    return found
