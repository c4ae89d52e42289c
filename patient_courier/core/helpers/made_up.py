"""Names of students who do not exist, for a practice copy that shows nobody: always the same for the same number."""

from __future__ import annotations

from typing import Final, NamedTuple

_FIRST: Final = (
    "Alma", "Bento", "Celia", "Dario", "Edda", "Fabio", "Greta", "Hugo", "Iria", "Jonas", "Kaia", "Livio", "Mira",
    "Nilo", "Oda", "Paulo", "Quirina", "Remo", "Selma", "Tito", "Uma", "Vito", "Wanda", "Xavi", "Yara", "Zeno", "Åsa",
)  # fmt: skip
_LAST: Final = (
    "Amberly", "Birkenfeld", "Clovermoor", "Dunwick", "Eschenau", "Fernhill", "Gorsewood", "Heathway", "Ivybrook",
    "Juniperus", "Kestrelby", "Lindenau", "Mossgrove", "Nettleton", "Osierley", "Pinewater", "Quillmere", "Rushford",
    "Sorrelby", "Thistledown", "Umbermoor", "Vetchley", "Willowfen", "Yarrowby",
)  # fmt: skip


class MadeUp(NamedTuple):
    """Somebody invented; the address reaches nobody (RFC 2606)."""

    key: str
    first_name: str
    last_name: str
    email: str


def made_up(number: int) -> MadeUp:
    """The invented student of this number (from 1). No two have the same address."""
    first, last = _FIRST[number % len(_FIRST)], _LAST[number // len(_FIRST) % len(_LAST)]
    plain = first.replace("Å", "A").lower()
    return MadeUp(f"student-{number}", first, last, f"{plain}.{last.lower()}.{number}@example.org")
