"""A connection file tried on kept messages: what stands where, what each would become, and a choice put into its maps."""

from __future__ import annotations

import copy
from collections import Counter
from collections.abc import Iterable, Sequence
from typing import Any

from patient_courier.core.school.text import without_halves
from patient_courier.core.translating.message import Message, Refused, data_of
from patient_courier.core.translating.places import at_place, in_item, is_place, text_of
from patient_courier.core.translating.translate import items_of, ways_to

# So many different texts are told of one place.
MOST_TEXTS = 50


def seen(messages: Iterable[Message], each: str | None, places: Sequence[str]) -> dict[str, list[str]]:
    """The texts that stand at each of the places in these messages, the most frequent first.

    Of a list, each of its texts. Messages that can't be read, and places that are none, have none.
    """
    counts: dict[str, Counter[str]] = {place: Counter() for place in places if is_place(place)}
    for message in messages:
        try:
            data = data_of(message)
            items = items_of(each, message, data)
        except Refused:
            continue
        for place, count in counts.items():
            # What stands in the message is there once, and also where it has no items.
            for item in items if in_item(place) else [None]:
                node = at_place(data, item, place)
                texts = {text_of(one) for one in (node if isinstance(node, list) else [node])}
                count.update(without_halves(text) for text in texts if text is not None)
    return {place: [text for text, _ in count.most_common(MOST_TEXTS)] for place, count in counts.items()}


def lines(message: Message, each: str | None) -> list[str]:
    """Where the items of a message stand, as JSON Pointers; none where the message is the one item, or can't be read."""
    if each is None:
        return []
    try:
        return [
            without_halves("".join(f"/{_escaped(part)}" for part in way)) for way in ways_to(each, message)
        ]
    except Refused:
        return []


def _escaped(part: Any) -> str:
    return str(part).replace("~", "~0").replace("/", "~1")


def with_choice(file: dict[str, Any], field: str, place: str | None, found: str, key: str) -> dict[str, Any]:
    """The file with ``found`` standing for ``key`` wherever this field is read from this place through a map.

    A purchase and its refund name their offer in the same words, so one choice is for all of its rules.
    """
    changed = copy.deepcopy(file)
    for rule in changed.get("rules", []):
        value = rule.get("event", {}).get(field)
        if isinstance(value, dict) and value.get("place") == place and isinstance(value.get("map"), dict):
            value["map"][found] = key
    return changed
