"""One file, one dispatcher: two would take each other's letters for left over by a crash."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path

from patient_courier.dispatch.clock import real_now


class InHand(RuntimeError):
    """Another process works on this school; the message says which and what to do."""


class OnlyOne:
    """A lock beside the school's file, held as long as the process lives, whatever ends it (flock(2))."""

    def __init__(self, database: Path) -> None:
        """Take it. Raises InHand."""
        path = database.with_name(f"{database.name}.in-hand")
        self._file = os.open(path, os.O_CREAT | os.O_RDWR | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            who = os.read(self._file, 200).decode("utf-8", "replace").strip() or "another process"
            os.close(self._file)
            raise InHand(
                f"The school at {database} is served already, by {who}. Use that one, or stop it first."
            ) from error
        os.ftruncate(self._file, 0)
        os.write(self._file, f"process {os.getpid()}, since {real_now().format_iso(unit='second')}".encode())

    def release(self) -> None:
        os.close(self._file)
