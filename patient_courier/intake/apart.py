"""Files from outside are read by other people's parsers in a process of their own, within bounds of memory and time.

Whatever a file does to its reader, it does it there: the process ends, the file is refused with a sentence, and the
next one gets a new process. One file at a time; memory that a large one took is given back with the process.
"""

from __future__ import annotations

import base64
import json
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import IO, Any

from patient_courier.core.school.file import Picture
from patient_courier.intake.letter_files import NoLetter, Read
from patient_courier.intake.mail_message import MailText, NoMail
from patient_courier.intake.mail_reports import Report
from patient_courier.intake.people_file import People, UnreadableFile
from patient_courier.intake.pictures import Made, NoPicture

# A reader that waits for the processor as well is given so many times its own limit (apart_child.LIMITS).
PATIENCE = 4
SECONDS = {"people": 60, "letter": 10, "picture": 20, "kept_picture": 20, "report": 5, "mail": 5}
# Those that may wait for their turn, and for how long (seconds); more are told to come again.
MOST_WAITING, LONGEST_WAIT = 8, 30.0
_TOO_MUCH = "This file can't be read: it takes too much memory or time, or it is broken."


class Occupied(Exception):
    """Too many files are waiting to be read; the same may be tried again."""


class _Broken(Exception):
    """The process ended before it had answered."""


class Apart:
    """One reading process, started when the first file comes and again whenever it has ended."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        self._waiting = threading.Semaphore(MOST_WAITING)
        self._process: subprocess.Popen[bytes] | None = None

    def people(self, raw: bytes) -> People:
        """A table of people, from CSV or a spreadsheet. Raises UnreadableFile, Occupied."""
        advice = "Delete what stands far below or beside the table, save it as CSV, then try again."
        head, rows = self._asked("people", "", raw, UnreadableFile, advice)
        return People(head["columns"], rows, head["how"])

    def letter(self, name: str, raw: bytes) -> Read:
        """A letter from a file. Raises NoLetter, Occupied."""
        head, _ = self._asked("letter", name, raw, NoLetter, "Copy its text into a letter instead.")
        return Read(head["subject"], head["blocks"])

    def picture(self, raw: bytes) -> Made:
        """A picture made anew. Raises NoPicture, Occupied."""
        return self._picture("picture", "", raw)

    def kept_picture(self, picture: Picture) -> Made:
        """A picture out of a school file, kept as it is. Raises NoPicture, Occupied."""
        return self._picture("kept_picture", picture.key, picture.data.encode())

    def _picture(self, kind: str, name: str, raw: bytes) -> Made:
        head, _ = self._asked(kind, name, raw, NoPicture, "Save it again, smaller, or choose another one.")
        return Made(head["key"], head["width"], head["height"], base64.b64decode(head["body"]))

    def report(self, raw: bytes) -> Report:
        """What a message of the mail world reports; ``nothing`` also when nobody can read it. Raises Occupied."""
        try:
            head, _ = self._asked("report", "", raw, ValueError, "")
        except ValueError:
            return Report("nothing", None, None, "", "")
        return Report(**head)

    def mail(self, raw: bytes) -> MailText:
        """A mail as a message of a connection. Raises NoMail, Occupied."""
        head, _ = self._asked("mail", "", raw, NoMail, "")
        return MailText(**head)

    def close(self) -> None:
        """End the process, if there is one."""
        with self._turn:
            self._end()

    def _asked(
        self, kind: str, name: str, raw: bytes, refused: type[ValueError], advice: str
    ) -> tuple[Any, list[Any]]:
        """The answer's head and its rows; ``advice`` is what to do about a file that is too much."""
        with self._my_turn():
            for again in (self._process is not None, False):
                try:
                    said, rows = self._exchange(kind, name, raw)
                    break
                except _Broken:
                    self._end()
                    # It may have ended by itself while nobody asked: a new one is tried before the file is blamed.
                    if not again:
                        raise refused(f"{_TOO_MUCH} {advice}".strip()) from None
        if "refused" in said:
            raise refused(said["refused"])
        return said["head"], rows

    @contextmanager
    def _my_turn(self) -> Iterator[None]:
        if not self._waiting.acquire(blocking=False):
            raise Occupied("Many files are being read at the moment.")
        try:
            if not self._turn.acquire(timeout=LONGEST_WAIT):
                raise Occupied("Another file is being read at the moment.")
            try:
                yield
            finally:
                self._turn.release()
        finally:
            self._waiting.release()

    def _exchange(self, kind: str, name: str, raw: bytes) -> tuple[dict[str, Any], list[Any]]:
        process = self._started()
        assert process.stdin is not None and process.stdout is not None
        watch = threading.Timer(PATIENCE * SECONDS[kind], process.kill)
        watch.start()
        try:
            asked = {"kind": kind, "name": name, "bytes": len(raw), "seconds": SECONDS[kind]}
            process.stdin.write(json.dumps(asked).encode() + b"\n")
            process.stdin.write(raw)
            process.stdin.flush()
            said = _frame(process.stdout)
            rows: list[Any] = []
            while lot := _frame(process.stdout):
                rows += lot
        except (OSError, ValueError) as error:
            raise _Broken from error
        finally:
            watch.cancel()
        return said, rows

    def _started(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._process.poll() is not None:
            self._end()
            command = [sys.executable, "-P", "-m", "patient_courier.intake.apart_child"]
            self._process = subprocess.Popen(
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
            )
        return self._process

    def _end(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        process.kill()
        process.wait()
        for pipe in (process.stdin, process.stdout):
            with suppress(OSError):  # what was not written any more
                if pipe is not None:
                    pipe.close()


def _frame(stream: IO[bytes]) -> Any:
    """The next piece of an answer: its length in four bytes, then JSON."""
    size = stream.read(4)
    if len(size) < 4:
        raise _Broken
    body = stream.read(int.from_bytes(size, "big"))
    return json.loads(body)
