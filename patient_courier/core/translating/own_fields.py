"""The event's own fields and the student's other values, each read from where the file points."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Context, Decimal
from typing import Any

from patient_courier.core.school.text import clean_line, clean_text, shortened
from patient_courier.core.school.values import check_zone
from patient_courier.core.translating.connection import FIELDS, NUMBERS, At, Rule, Same
from patient_courier.core.translating.item import Item, Waiting, cut, decimal, value_of

# Words of consent, to the letter.
AGREED = ("true", "yes", "1", "on")
VIAS = ("manual", "import", "preview")
# Objects of the school that a field names.
NAMED = ("offer", "course", "lesson", "quiz")
EXACT = Context(prec=50, traps=[])


def own_field(item: Item, rule: Rule, name: str) -> Any:
    """One of the event's own fields; None where it may be left out."""
    value = rule.event.value(name)
    text = value_of(item, value, called(name), name) if value is not None else None
    if text is None:
        if FIELDS[rule.event.type][name]:
            place, found = cut(item, value)
            raise Waiting(f"There is no {name} here.", place, found)
        return "manual" if name == "via" else None
    place, found = cut(item, value)
    if name in NUMBERS:
        return _number(item, value, text, place, found)
    if name == "via" and text not in VIAS:
        raise Waiting(f"“{shortened(text)}” is none of {', '.join(VIAS)}.", place, found)
    if name in NAMED and item.definitions.unknown({name: text}):
        sentence = f"There is no {name} “{shortened(text)}” in this school."
        raise Waiting(sentence, place, found, why="unknown", field=name)
    return text


def _number(item: Item, value: At | Same | None, text: str, place: str | None, found: str | None) -> float:
    number = decimal(text)
    if number is None:
        raise Waiting(f"“{shortened(text)}” is not a number.", place, found)
    if isinstance(value, At) and value.of is not None:
        whole = item.text(value.of)
        of = decimal(whole) if whole is not None else None
        if of is None or not of > 0:
            said = f"“{shortened(whole)}”" if whole is not None else "Nothing"
            raise Waiting(f"{said} is not a number above 0 to measure by.", value.of, whole)
        number = EXACT.divide(EXACT.multiply(number, Decimal(100)), of)
    if number.is_nan() or not 0 <= number <= 100:
        raise Waiting("This does not lie between 0 and 100.", place, found)
    return int(number) if number == number.to_integral_value() else float(number)


def student_of(item: Item, email: str) -> dict[str, Any]:
    """The student as the message describes them; what has no value is left out."""
    who = item.connection.student
    found: dict[str, Any] = {"email": email}
    reads: list[tuple[str, At | Same | None, Callable[[str], Any]]] = [
        ("first_name", who.first_name, clean_line),
        ("last_name", who.last_name, clean_line),
        ("timezone", who.timezone, _zone),
        ("news", who.news, lambda text: True if text in AGREED else None),
    ]
    for name, value, read in reads:
        text = value_of(item, value, called(name)) if value is not None else None
        said = read(text) if text is not None else None
        if said:
            found[name] = said
    texts = {name: value_of(item, value, f"“{name}”") for name, value in who.fields.items()}
    fields = {
        name: cleaned for name, text in texts.items() if text is not None and (cleaned := clean_text(text))
    }
    return found | ({"fields": fields} if fields else {})


def _zone(text: str) -> str | None:
    try:
        return check_zone(text)
    except ValueError:
        return None


def called(name: str) -> str:
    return {"first_name": "the first name", "last_name": "the last name", "timezone": "the time zone"}.get(
        name, f"the {name}"
    )
