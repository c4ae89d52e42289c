"""The consent log: what a student agreed to or stopped, when, how, from where, by whom."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.destinations.told import News
from patient_courier.core.engine.effects import Effect, Noted
from patient_courier.store.base.tables import ConsentRow
from patient_courier.store.destinations.hearing import hearing, tell

_WHAT = {"news_stopped": "news_off", "complained": "news_off", "course_help_stopped": "help_off"}


@dataclass(frozen=True, slots=True)
class Source:
    """Where a consent comes from: ``how`` in words, ``by`` whom, with a ``note``; ``past`` news are told to nobody outside."""

    how: str
    by: str = "the student"
    note: str = ""
    past: bool = False


REPORTED = Source("reported by the course site")
AT_FIRST = Source("as the student was taken in")


@dataclass(frozen=True, slots=True)
class Consent:
    """One line of the log."""

    at: Instant
    what: str
    course: str | None
    how: str
    by: str
    note: str


def note(
    session: Session, ids: Iterable[int], what: str, at: Instant, source: Source, course: str | None = None
) -> None:
    """Put a line in the log of some students (row ids)."""
    told = list(ids)
    if not told:
        return
    line = {
        "at": at,
        "what": what,
        "course": course,
        "how": source.how,
        "by": source.by,
        "note": source.note,
    }
    session.connection().execute(insert(ConsentRow), [{"student_id": id, **line} for id in told])
    # That news stop is told as the event which says so.
    if what == "news_on" and not source.past and (who := hearing(session)):
        tell(session, who, [(id, News("news_on", at, frozenset(), {})) for id in told])


def note_effects(session: Session, effects: Iterable[Effect], ids: dict[str, int], source: Source) -> None:
    """Put down what events have stopped; ``ids`` are the row ids by key."""
    for effect in effects:
        if isinstance(effect, Noted) and effect.what.type in _WHAT:
            what = effect.what
            told = Source("a letter reported as unwanted") if what.type == "complained" else source
            note(session, [ids[effect.student]], _WHAT[what.type], what.at, told, what.names.get("course"))


def of_student(session: Session, id: int) -> list[Consent]:
    """The log of one student, the newest first."""
    query = select(ConsentRow).where(ConsentRow.student_id == id)
    rows = session.scalars(query.order_by(ConsentRow.at.desc(), ConsentRow.id.desc()))
    return [Consent(x.at, x.what, x.course, x.how, x.by, x.note) for x in rows]
