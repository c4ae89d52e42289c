"""Places in a message: JSON Pointers (RFC 6901) into the message, or behind ``item`` into the item, and what stands there."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from typing import Annotated, Any

from jsonpointer import JsonPointer, JsonPointerException
from pydantic import AfterValidator

ITEM = "item"
# Of RFC 6901, section 4: no sign, no leading noughts.
_INDEX = re.compile(r"0|[1-9][0-9]*")
# Nothing stands there, not even null.
NOTHING = object()


@lru_cache(maxsize=1024)
def _parts(place: str) -> tuple[bool, tuple[str, ...]]:
    """Whether a place leads into the item, and the names and numbers on the way. Raises ValueError.

    Worked out once: a file's places are asked for with every item.
    """
    inside = place == ITEM or place.startswith(f"{ITEM}/")
    pointer = place.removeprefix(ITEM) if inside else place
    try:
        return inside, tuple(JsonPointer(pointer).parts)
    except JsonPointerException as error:
        raise ValueError(
            f"“{place}” is not a place; write /order/no for one in the message, item/sku for one in the item"
        ) from error


def _checked(place: str) -> str:
    _parts(place)
    return place


def is_place(text: str) -> bool:
    """Whether a text is one."""
    try:
        _parts(text)
    except ValueError:
        return False
    return True


Place = Annotated[str, AfterValidator(_checked)]


def in_item(place: str) -> bool:
    """Whether a place leads into the item."""
    return _parts(place)[0]


def parts_of(place: str) -> tuple[str, ...]:
    """The names and numbers on the way that a place leads, in the message or in the item."""
    return _parts(place)[1]


def at_place(message: Any, item: Any, place: str) -> Any:
    """What stands at a place; NOTHING where there is none."""
    inside, parts = _parts(place)
    return walk(item if inside else message, parts)


def walk(node: Any, parts: Sequence[Any]) -> Any:
    """What a way of names and numbers leads to; NOTHING where it ends before."""
    for part in parts:
        if isinstance(node, dict) and part in node:
            node = node[part]
        elif (
            isinstance(node, list)
            and len(str(part)) < 10
            and _INDEX.fullmatch(str(part))
            and int(part) < len(node)
        ):
            node = node[int(part)]
        else:
            return NOTHING
    return node


def text_of(node: Any) -> str | None:
    """What stands somewhere as a text, trimmed; None for null, an empty text, a list, an object, and nothing at all.

    Numbers are texts in a message already, true and false count as their JSON text.
    """
    if isinstance(node, bool):
        return "true" if node else "false"
    return (node.strip() or None) if isinstance(node, str) else None


def is_there(node: Any) -> bool:
    """Whether there is a value: a text that is not empty, or a list or object, also an empty one."""
    return isinstance(node, list | dict) or text_of(node) is not None
