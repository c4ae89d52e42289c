"""What hangs on something that is to be thrown away: everything else of the school that names it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import (
    broadcast_faults,
    condition_faults,
    letter_faults,
    sequence_faults,
)
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.conditions import Condition

Kind = Literal["course", "offer", "sequence"]


def hangs_on(
    definitions: Definitions,
    kind: Kind,
    key: str,
    broadcasts: Iterable[Broadcast],
    audiences: Iterable[tuple[str, Condition]],
) -> list[str]:
    """What names it, in words: “the sequence “First Hive · welcome week””. ``audiences`` by their names."""
    courses = [one for one in definitions.courses.values() if (kind, one.key) != ("course", key)]

    def others(which: Kind, keys: Iterable[str]) -> list[str]:
        return [one for one in keys if (which, one) != (kind, key)]

    known = Known(
        courses,
        others("offer", definitions.offers),
        definitions.letters,
        others("sequence", definitions.sequences),
        layouts=definitions.layouts,
    )
    found = [
        f"the sequence “{plan.sequence.called}”"
        for plan in definitions.sequences.values()
        if (kind, plan.key) != ("sequence", key) and any(sequence_faults("", plan.sequence, known))
    ]
    found += [
        f"the letter “{ready.letter.called}”"
        for name, ready in definitions.letters.items()
        if any(letter_faults("", ready.letter, known))
    ]
    found += [f"the broadcast “{one.called}”" for one in broadcasts if any(broadcast_faults("", one, known))]
    found += [f"the audience “{name}”" for name, one in audiences if any(condition_faults("", one, known))]
    if kind == "course":
        found += [f"the offer “{one.title}”" for one in definitions.offers.values() if key in one.courses]
    return found
