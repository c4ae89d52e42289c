"""Data in which something wrong stands somewhere."""

from __future__ import annotations

import copy
import random
from collections.abc import Iterator
from typing import Any

JUNK: list[Any] = [
    None, 7, 1.5, True, "x", "", [], {}, "P1D", "this", "any", "bees/l1", "P99999999D", "{{ a.b }}", {"a": 1},
]  # fmt: skip


def spoilt(lot: random.Random, body: Any) -> Any:
    """A copy with one value, anywhere in it, replaced by another that hardly belongs there."""
    body = copy.deepcopy(body)
    *path, last = lot.choice([path for path in _places(body) if path])
    here = body
    for part in path:
        here = here[part]
    here[last] = copy.deepcopy(lot.choice(JUNK))
    return body


def _places(node: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    yield path
    parts = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, part in parts:
        yield from _places(part, (*path, key))
