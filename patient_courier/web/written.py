"""What somebody changes by hand or with a key is written down with it, in the same transaction."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager

from pydantic import BaseModel
from sqlalchemy.orm import Session

from patient_courier.core.helpers.changes import Change, Line, told
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.base.watching import seen
from patient_courier.store.upkeep.changes import write

# Who it was, for what is done without signing in.
AT_THE_SHELL = "At the command line"


class ToldLine(BaseModel):
    """One thing before and after, in words; empty: nothing was or is there."""

    what: str
    before: str
    after: str


def told_lines(lines: Iterable[Line]) -> list[ToldLine]:
    return [ToldLine(what=line.what, before=line.before, after=line.after) for line in lines]


@contextmanager
def changing(post: Post, who: str) -> Iterator[Session]:
    """A write transaction of somebody's, with what it changes written down at its end."""
    with post.database.watching() as session:
        yield session
        write_down(session, who)


def write_down(session: Session, who: str) -> None:
    """Write down what a watched session has changed so far."""
    write(session, who, told(seen(session)), real_now())


def note(post: Post, who: str, title: str, *lines: Line) -> None:
    """Write down what is done in parts, by its name: which students it was is told where it was done."""
    with post.database.writing() as session:
        write(session, who, [Change("students", "", title, lines)], real_now())
