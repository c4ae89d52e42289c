"""Keys for what is drafted."""

from __future__ import annotations

import re
from collections.abc import Container


def free_key(wish: str, taken: Container[str]) -> str:
    """A key like the wish, in plain letters, that is not taken."""
    plain = re.sub(r"[^a-z0-9]+", "-", wish.lower()).strip("-")[:60] or "new"
    return next(key for n in range(1, 100_000) if (key := plain if n == 1 else f"{plain}-{n}") not in taken)


def short_title(title: str) -> str:
    """A course's title up to its colon."""
    return title.partition(":")[0]
