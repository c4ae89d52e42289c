"""What was changed, by whom: written down, looked through, forgotten after a year."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, delete, func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.helpers.changes import Change, Line
from patient_courier.store.base.tables import ChangeRow
from patient_courier.store.upkeep import kept

_CHANGES = "changes"
USUAL_DAYS = 365
# Saved as one types: what follows within this is told as one change.
_TYPED, TYPING_MINUTES = ("broadcast",), 15


@dataclass(frozen=True, slots=True)
class Written:
    id: int
    at: Instant
    who: str
    change: Change


def write(session: Session, who: str, changes: Sequence[Change], now: Instant) -> None:
    """Write down what somebody has changed, and forget what is older than it is kept."""
    if changes:
        forget_old(session, now)
    for one in changes:
        whole = _typed_on(session, who, one, now) if one.kind in _TYPED else one
        lines = [[line.what, line.before, line.after] for line in whole.lines]
        words = "\n".join([who, whole.title, *(part for line in lines for part in line)])
        session.add(
            ChangeRow(
                at=now,
                who=who,
                kind=whole.kind,
                key=whole.key,
                title=whole.title,
                lines=lines,
                words=words.lower(),
                student_id=whole.student,
                before=whole.before,
                after=whole.after,
            )
        )
    session.flush()


def _typed_on(session: Session, who: str, change: Change, now: Instant) -> Change:
    """The change together with the one just before it, which it goes on with."""
    query = select(ChangeRow).order_by(ChangeRow.id.desc()).limit(1)
    last = session.scalar(query.where(ChangeRow.at > now.subtract(minutes=TYPING_MINUTES)))
    # Without lines it was made or removed: that stays what it is.
    same = last is not None and (last.who, last.kind, last.key) == (who, change.kind, change.key)
    if last is None or not same or not last.lines or not change.lines:
        return change
    lines = {what: Line(what, before, after) for what, before, after in last.lines}
    for line in change.lines:
        first = lines.get(line.what)
        lines[line.what] = line if first is None else Line(line.what, first.before, line.after)
    left = tuple(line for line in lines.values() if line.before != line.after)
    session.delete(last)
    session.flush()
    return Change(change.kind, change.key, change.title, left)


def _chosen(q: str, who: str) -> list[ColumnElement[bool]]:
    chosen = [ChangeRow.words.contains(word, autoescape=True) for word in q.lower().split()]
    return [*chosen, ChangeRow.who == who] if who else chosen


def page(session: Session, q: str, who: str, number: int, size: int) -> tuple[int, list[Written]]:
    """How many there are in which all these words stand, of one person or all; and a page of them, the newest first."""
    chosen = _chosen(q, who)
    total = session.scalar(select(func.count()).select_from(ChangeRow).where(*chosen)) or 0
    query = select(ChangeRow).where(*chosen).order_by(ChangeRow.id.desc())
    rows = session.scalars(query.limit(size).offset((number - 1) * size))
    return total, [_written(row) for row in rows]


def every(session: Session, q: str, who: str) -> Iterator[Written]:
    """All of them, the newest first."""
    query = select(ChangeRow).where(*_chosen(q, who)).order_by(ChangeRow.id.desc())
    for row in session.scalars(query.execution_options(yield_per=1000)):
        yield _written(row)


def by_id(session: Session, id: int) -> Written | None:
    row = session.get(ChangeRow, id)
    return _written(row) if row is not None else None


def everybody(session: Session) -> list[str]:
    """Who has changed something."""
    return list(session.scalars(select(ChangeRow.who).distinct().order_by(ChangeRow.who)))


def kept_days(session: Session) -> int:
    """For how many days it is kept."""
    return int((kept.read(session, _CHANGES) or {}).get("days", USUAL_DAYS))


def keep_days(session: Session, days: int) -> None:
    kept.keep(session, _CHANGES, {"days": days})


def forget_old(session: Session, now: Instant) -> None:
    session.execute(delete(ChangeRow).where(ChangeRow.at < now.subtract(hours=24 * kept_days(session))))


def _written(row: ChangeRow) -> Written:
    lines = tuple(Line(what, before, after) for what, before, after in row.lines)
    change = Change(row.kind, row.key, row.title, lines, row.student_id, row.before, row.after)
    return Written(row.id, row.at, row.who, change)
