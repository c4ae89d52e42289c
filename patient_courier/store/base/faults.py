"""What keeps a database from being used, told apart from what is wrong with what was to be written."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Final

from sqlalchemy.exc import DBAPIError

# Result codes of SQLite (sqlite.org/rescode.html), the primary ones: the lowest byte.
_SAID: Final = {
    sqlite3.SQLITE_FULL: "the disk is full. Make room on it",
    sqlite3.SQLITE_READONLY: "the school's file may only be read. Let this user write it",
    sqlite3.SQLITE_PERM: "the school's file may not be used. Let this user read and write it",
    sqlite3.SQLITE_IOERR: "the disk does not do what it is asked for. Look at the disk, and at the free room on it",
    sqlite3.SQLITE_CANTOPEN: "the school's file can't be opened. Put it back where it was",
    sqlite3.SQLITE_CORRUPT: "the school's file is damaged. Put back your last copy",
    sqlite3.SQLITE_NOTADB: "the school's file is no database any more. Put back your last copy",
    sqlite3.SQLITE_NOMEM: "there is no memory left. Stop other programs on this machine",
}
_WAITED: Final = (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED)


class Busy(Exception):
    """Too many are writing at the moment; nothing was done, and the same may be tried again."""


class Unusable(Busy):
    """The school's file can't be used, whatever is to be written; the message says why and what to do."""


def sentence(why: str) -> str:
    return (
        f"Nothing can be saved at the moment: {why}. Nothing is lost; what comes in is asked to come again."
    )


@contextmanager
def told() -> Iterator[None]:
    """Raises Busy or Unusable in the place of the driver's error where it is not about what was asked."""
    try:
        yield
    except (DBAPIError, sqlite3.Error) as error:
        cause = error.orig if isinstance(error, DBAPIError) else error
        code = getattr(cause, "sqlite_errorcode", None)
        if code is None:
            raise
        if code & 0xFF in _WAITED:
            raise Busy("Something else is writing to the school's file at the moment.") from error
        if code & 0xFF in _SAID:
            raise Unusable(sentence(_SAID[code & 0xFF])) from error
        raise
