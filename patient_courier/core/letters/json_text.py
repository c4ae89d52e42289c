"""JSON as others may read it too: no NaN, no numbers past all bounds, no key twice, not nested without end."""

from __future__ import annotations

import json
import math
from typing import Any

from patient_courier.core.school.text import without_halves


class NotJson(ValueError):
    """Text that is not JSON, or JSON that not every reader reads alike; the message says what is wrong."""


def read_json(text: str | bytes, *, deepest: int | None = None) -> Any:
    """The data of a JSON text (RFC 8259). Raises NotJson with a sentence.

    ``deepest``: how many arrays and objects may lie inside one another.
    """
    try:
        data = json.loads(
            text, parse_constant=_no_constant, parse_float=_float, object_pairs_hook=_no_doubles
        )
    except (ValueError, RecursionError) as error:
        raise NotJson(without_halves(str(error))) from error
    if deepest is not None and _depth_over(data, deepest):
        raise NotJson(f"this is nested more than {deepest} levels deep")
    return data


def _no_constant(name: str) -> None:
    raise ValueError(f"{name} is not a number JSON knows")


def _float(text: str) -> float:
    value = float(text)
    if math.isinf(value):
        raise ValueError(f"{text[:20]} is larger than any number can be")
    return value


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        names = [name for name, _ in pairs]
        doubled = next(name for name in names if names.count(name) > 1)
        raise ValueError(f"“{doubled}” stands twice in the same object")
    return found


def _depth_over(data: Any, most: int) -> bool:
    level = [data]
    for _ in range(most):
        level = [
            part
            for node in level
            if isinstance(node, dict | list)
            for part in (node.values() if isinstance(node, dict) else node)
        ]
        if not level:
            return False
    return True


def keepable(data: Any) -> Any:
    """The same data with no half characters in its texts, so that it can be kept and shown."""
    if isinstance(data, str):
        return without_halves(data)
    if isinstance(data, list):
        return [keepable(item) for item in data]
    if isinstance(data, dict):
        return {without_halves(name): keepable(value) for name, value in data.items()}
    return data
