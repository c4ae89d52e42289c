"""Roles and what they may do: one table, which routes and screens both read."""

from __future__ import annotations

from typing import Final, Literal, get_args

Role = Literal["owner", "writer", "support", "reader"]
# What there is to be allowed, from looking at what is planned to letting others in.
Right = Literal[
    "look",  # courses, sequences, letters, broadcasts and figures, without anybody's address
    "write",  # letters, sequences and broadcasts as drafts; tests to oneself
    "students",  # who the students are, what they got and why, what waits in Needs you
    "care",  # change what is known of a student, post again, settle what waits, certificates
    "run",  # what sets letters going or changes what goes out: courses, sequences, broadcasts, audiences, tags
    "settings",  # the school, its mail, connections, destinations, sign-up pages, imports
    "keep",  # keys, exports, erasing, copies, helpers
]
RIGHTS: Final[tuple[Right, ...]] = get_args(Right)
ROLES: Final[tuple[Role, ...]] = get_args(Role)

_ROLES: Final[dict[Role, frozenset[Right]]] = {
    "owner": frozenset(RIGHTS),
    "writer": frozenset({"look", "write"}),
    "support": frozenset({"look", "students", "care"}),
    "reader": frozenset({"look", "students"}),
}


def role_of(name: str) -> Role | None:
    """The role of this name; None for one that this program does not know, which may do nothing."""
    return next((role for role in ROLES if role == name), None)


def rights_of(name: str) -> frozenset[Right]:
    """What somebody in this role may do."""
    role = role_of(name)
    return _ROLES[role] if role is not None else frozenset()


def may(name: str, right: Right) -> bool:
    return right in rights_of(name)


def nameless(name: str) -> str:
    """A name for those who may see no addresses: students without one are called by theirs otherwise."""
    return "a student" if "@" in name else name
