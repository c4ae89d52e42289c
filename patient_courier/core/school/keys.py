"""Keys and short titles made from names."""

from __future__ import annotations

import re
from collections.abc import Container
from unicodedata import category, normalize


def free_key(wish: str, taken: Container[str]) -> str:
    """A key like the wish, in plain letters without their accents, that is not taken and has no meaning of its own."""
    letters = "".join(sign for sign in normalize("NFKD", wish) if category(sign)[0] != "M")
    plain = re.sub(r"[^a-z0-9]+", "-", letters.lower()).strip("-")[:60] or "new"
    keys = (plain if n == 1 else f"{plain}-{n}" for n in range(1, 100_000))
    return next(key for key in keys if key not in taken and key not in ("this", "any"))


def short_title(title: str) -> str:
    """A course's title up to its colon."""
    return title.partition(":")[0]


def name_of_address(email: str) -> str:
    """What stands before the @ of a mail address: what a student is called by who gave no key."""
    return email.partition("@")[0]
