"""A connection to a mail server of which somebody is told every word, the password left out."""

from __future__ import annotations

import smtplib
from collections.abc import Callable
from typing import Any

from patient_courier.core.school.text import shortened, without_halves

_REFUSED_TEXT = 200
# Told what is said on a connection: by whom, “we” or “server”, and the words.
Heard = Callable[[str, str], None]


class Overheard(smtplib.SMTP):
    """A connection of which somebody is told every word but those that sign in."""

    heard: Heard
    _signing_in = False

    def putcmd(self, cmd: str, args: str = "") -> None:
        self.heard("we", "AUTH …" if self._signing_in or cmd.upper() == "AUTH" else f"{cmd} {args}".strip())
        super().putcmd(cmd, args)

    def getreply(self) -> tuple[int, bytes]:
        code, answer = super().getreply()
        self.heard("server", f"{code} {said(answer)}")
        return code, answer

    def login(self, *args: Any, **kinds: Any) -> tuple[int, bytes]:
        self._signing_in = True
        try:
            return super().login(*args, **kinds)
        finally:
            self._signing_in = False


class OverheardFromTheStart(Overheard, smtplib.SMTP_SSL):
    pass


def said(answer: bytes | str) -> str:
    """What a server answered, in one line that is not too long."""
    text = answer.decode("utf-8", "replace") if isinstance(answer, bytes) else without_halves(answer)
    return shortened(" ".join(text.split()), _REFUSED_TEXT)
