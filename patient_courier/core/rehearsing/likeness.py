"""Who fares alike in a broadcast: the guards ask a student to whom nothing happens until then only a few things."""

from __future__ import annotations

from patient_courier.core.engine.definitions import ReadyLetter
from patient_courier.core.letters.merge_fields import known_field
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.conditions import All, Any_, Condition, IsLetter, Leaf, Not


def fields_asked(letter: ReadyLetter) -> frozenset[str] | None:
    """The merge fields of a student's own record without which the letter is blank.

    None when it takes more than the record to say whether a field is blank: how the student stands, or a block that
    only some students see.
    """
    for_some = tuple(f"{place}/" for place, block in letter.blocks if block.only_if is not None)
    found: set[str] = set()
    for place, template in letter.needing:
        if place.startswith(for_some):
            return None
        for field in template.without_default:
            known = known_field(field.name)
            if known is None or known.empty in ("certificate", "standing"):
                return None
            if known.empty == "student":
                found.add(field.name)
    return frozenset(found)


def goes_by_letters(broadcast: Broadcast) -> bool:
    """Whether who gets a broadcast depends on letters that they had, so that another one may change it."""
    return broadcast.to is not None and _asks_for_letters(broadcast.to)


def _asks_for_letters(condition: Condition) -> bool:
    match condition:
        case All():
            return any(map(_asks_for_letters, condition.all))
        case Any_():
            return any(map(_asks_for_letters, condition.any))
        case Not():
            return _asks_for_letters(condition.not_)
        case IsLetter():
            return True
        case Leaf():
            return False
