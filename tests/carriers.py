"""Carriers for tests. They have the type of the real one, which mypy checks: one that could not be called would pass for a
server that never takes anything."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

from patient_courier.post.carriers import Carrier, NotTaken
from patient_courier.post.message import Mail


class Server:
    """Takes everything but what ``answer`` objects to; keeps the letters it has taken."""

    def __init__(self, answer: Callable[[Mail], Exception | None] = lambda mail: None) -> None:
        self.answer = answer
        self.mails: list[Mail] = []
        self.closed = False

    def post(self, mail: Mail) -> None:
        error = self.answer(mail)
        if error is not None:
            raise error
        self.mails.append(mail)

    def close(self) -> None:
        self.closed = True

    @property
    def taken(self) -> list[tuple[str, ...]]:
        """Whom the letters went to."""
        return [mail.recipients for mail in self.mails]


class Crash(BaseException):
    """The machine stops here."""


class Stopping:
    """Keeps what it is given, and stops right ``before`` or ``after`` that when told to; or puts off what comes."""

    def __init__(self, keep: Callable[[str, Mail], None], name_of: Callable[[Mail], str]) -> None:
        self._keep, self._name_of = keep, name_of
        self.crash, self.puts_off = "", False
        self.handed, self.seen = Counter[str](), Counter[str]()

    def post(self, mail: Mail) -> None:
        crash, self.crash = self.crash, ""
        if self.puts_off:
            self.seen["put off"] += 1
            raise NotTaken("later", "now")
        if crash == "before":
            self.seen["crash before"] += 1
            raise Crash
        name = self._name_of(mail)
        self.handed[name] += 1
        self._keep(name, mail)
        if crash == "after":
            self.seen["crash after"] += 1
            raise Crash

    def close(self) -> None: ...


def _are_carriers() -> list[Carrier]:
    return [Server(), Stopping(lambda name, mail: None, lambda mail: "")]
