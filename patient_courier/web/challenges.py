"""What somebody has been asked and not answered yet, in memory: a few minutes long, and few at a time."""

from __future__ import annotations

import secrets
import time
from dataclasses import dataclass, field
from threading import Lock
from typing import Literal

SECONDS, MOST = 600.0, 2000
Purpose = Literal["sign in", "prove", "app", "passkey"]


@dataclass(slots=True)
class Challenge:
    """Asked of ``user`` (None: whoever it turns out to be); ``known`` is what an answer is held against."""

    purpose: Purpose
    user: int | None
    known: bytes = b""
    ends: float = field(default_factory=lambda: time.monotonic() + SECONDS)


class Challenges:
    def __init__(self) -> None:
        self._asked: dict[str, Challenge] = {}
        self._mutex = Lock()

    def ask(self, purpose: Purpose, user: int | None, known: bytes = b"") -> str:
        """Remember it; returns the ticket by which it is answered."""
        ticket = secrets.token_urlsafe(24)
        with self._mutex:
            self._asked[ticket] = Challenge(purpose, user, known)
            while len(self._asked) > MOST:
                del self._asked[next(iter(self._asked))]
        return ticket

    def look(self, ticket: str, purpose: Purpose) -> Challenge | None:
        """What a ticket stands for, while it holds and is for this."""
        with self._mutex:
            found = self._asked.get(ticket)
        if found is None or found.purpose != purpose or found.ends < time.monotonic():
            return None
        return found

    def take(self, ticket: str, purpose: Purpose) -> Challenge | None:
        """The same, and nobody can answer it a second time."""
        found = self.look(ticket, purpose)
        with self._mutex:
            return self._asked.pop(ticket, None) if found else None
