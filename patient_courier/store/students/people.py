"""Students as the screens ask for them: found by name, address or key, counted, and what happened to one of them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, TypeVarTuple

from sqlalchemy import ColumnElement, Select, delete, func, literal_column, or_, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.checks import Lacking
from patient_courier.core.engine.happening import Happening
from patient_courier.core.school import keys
from patient_courier.core.school.keys import name_of_address
from patient_courier.core.school.text import clean_line
from patient_courier.store.base.tables import (
    EnrolmentRow,
    EventRow,
    HelpStopRow,
    ReturnRow,
    RunRow,
    StudentRow,
)

PAGE = 50
# Of what is searched for, so many words are looked at.
MOST_WORDS = 10
# From so many students' records, examples of forms and fields are taken.
SAMPLE = 5000
# The columns that a question asks for.
Asked = TypeVarTuple("Asked")


@dataclass(frozen=True, slots=True)
class Person:
    """A student's record."""

    id: int
    key: str
    email: str
    first_name: str | None
    last_name: str | None
    timezone: str | None
    news: bool
    bounced: bool
    fields: dict[str, Any]

    @property
    def name(self) -> str:
        """First and last name, or the address."""
        return self.full_name or self.email

    @property
    def full_name(self) -> str:
        """First and last name, empty when neither is known: for what others may see."""
        return " ".join(x for x in (self.first_name, self.last_name) if x)


def person_of(row: StudentRow) -> Person:
    """A row as a record."""
    return Person(
        row.id,
        row.key,
        row.email,
        row.first_name,
        row.last_name,
        row.timezone,
        row.news,
        row.bounced,
        row.fields,
    )


def find(session: Session, key: str) -> Person | None:
    row = session.scalar(select(StudentRow).where(StudentRow.key == key))
    return person_of(row) if row else None


def by_address(session: Session, email: str) -> Person | None:
    """The first student with this address, however it is written."""
    row = session.scalars(select(StudentRow).where(func.lower(StudentRow.email) == email.lower())).first()
    return person_of(row) if row else None


def by_id(session: Session, id: int) -> Person | None:
    row = session.get(StudentRow, id)
    return person_of(row) if row else None


def free_key(session: Session, email: str) -> str:
    """A key for a new student with this address, which no student has."""
    wish = name_of_address(email)
    like = keys.free_key(wish, ())
    taken = session.scalars(select(StudentRow.key).where(StudentRow.key.startswith(like, autoescape=True)))
    return keys.free_key(wish, set(taken))


def is_tracked(session: Session, id: int) -> bool:
    """Whether what this student opens may be noted."""
    return bool(session.scalar(select(StudentRow.tracked).where(StudentRow.id == id)))


def by_ids(session: Session, ids: Iterable[int]) -> dict[int, Person]:
    rows = session.scalars(select(StudentRow).where(StudentRow.id.in_(list(ids))))
    return {row.id: person_of(row) for row in rows}


def by_keys(session: Session, keys: Iterable[str]) -> dict[str, Person]:
    rows = session.scalars(select(StudentRow).where(StudentRow.key.in_(list(keys))))
    return {row.key: person_of(row) for row in rows}


def by_addresses(session: Session, emails: Iterable[str]) -> dict[str, Person]:
    """Students by their address in small letters."""
    wanted = [email.lower() for email in emails]
    rows = session.scalars(select(StudentRow).where(func.lower(StudentRow.email).in_(wanted)))
    return {row.email.lower(): person_of(row) for row in rows}


def number(session: Session) -> int:
    return session.scalar(select(func.count(StudentRow.id))) or 0


def every_id(session: Session) -> list[int]:
    return list(session.scalars(select(StudentRow.id).order_by(StudentRow.id)))


def with_words(query: Select[*Asked], words: str, *columns: Any) -> Select[*Asked]:
    """Keep the rows that hold every word in the student's name or address, or in one of the columns."""
    name = func.coalesce(StudentRow.first_name, "") + " " + func.coalesce(StudentRow.last_name, "")
    for word in clean_line(words).split()[:MOST_WORDS]:
        places = (name, StudentRow.email, *columns)
        query = query.where(or_(*(place.icontains(word, autoescape=True) for place in places)))
    return query


def search(session: Session, words: str, course: str, page: int) -> tuple[int, list[Person]]:
    """Students by name, a page of them, and how many there are: those who match the words and are in the course."""
    query = with_words(select(StudentRow), words)
    if course:
        query = query.where(
            StudentRow.id.in_(select(EnrolmentRow.student_id).where(EnrolmentRow.course == course))
        )
    total = session.scalar(
        select(func.count()).select_from(query.with_only_columns(StudentRow.id).subquery())
    )
    rows = session.scalars(query.order_by(_NAME, StudentRow.id).limit(PAGE).offset((page - 1) * PAGE))
    return total or 0, [person_of(row) for row in rows]


# Written as the index of it is, with the empty text in place: only then SQLite uses it.
_NAME = func.lower(func.coalesce(func.nullif(StudentRow.first_name, literal_column("''")), StudentRow.email))
_ORDERS: dict[str, Any] = {
    "name": _NAME,
    "address": func.lower(StudentRow.email),
    "joined": StudentRow.first_event,
    "last_seen": StudentRow.last_seen,
}


def listed(
    session: Session, test: ColumnElement[bool], words: str, sort: str, page: int, *, down: bool
) -> tuple[int, list[Person]]:
    """A page of those of whom the test is true, in an order, and how many there are."""
    query = with_words(select(StudentRow).where(test), words)
    total = session.scalar(
        select(func.count()).select_from(query.with_only_columns(StudentRow.id).subquery())
    )
    order = _ORDERS[sort]
    by = (order.desc(), StudentRow.id.desc()) if down else (order, StudentRow.id)
    rows = session.scalars(query.order_by(*by).limit(PAGE).offset((page - 1) * PAGE))
    return total or 0, [person_of(row) for row in rows]


def happened_to(session: Session, id: int, without: Iterable[str]) -> list[tuple[int, Happening]]:
    """What happened to a student, by the number of the event; some types are left out."""
    query = (
        select(EventRow)
        .where(EventRow.student_id == id, EventRow.type.not_in(list(without)))
        .order_by(EventRow.number)
    )
    return [(row.number, Happening(row.type, row.at, row.names)) for row in session.scalars(query)]


def waiting_for_time(session: Session, until: Instant) -> list[int]:
    """The students to whom the clock brings something by a moment."""
    return list(session.scalars(select(StudentRow.id).where(StudentRow.clock_due <= until)))


def lift_bounce(session: Session, id: int) -> None:
    """The owner knows that the address works: post goes there again, and what was reported of it no longer counts."""
    session.execute(update(StudentRow).where(StudentRow.id == id).values(bounced=False))
    session.execute(
        update(EventRow).where(EventRow.student_id == id, EventRow.type == "bounced").values(reported=False)
    )
    session.execute(delete(ReturnRow).where(ReturnRow.student_id == id, ReturnRow.kind == "soft"))


def reopen_runs(session: Session, ended: Iterable[tuple[int, dict[str, Any]]]) -> None:
    """Let runs that were stopped by mistake stand where they stood; what fell due meanwhile comes now."""
    for number, values in ended:
        session.execute(
            update(RunRow)
            .where(RunRow.number == number, RunRow.outcome == "stopped")
            .values(outcome=None, ended=None, **values)
        )


def change(session: Session, id: int, **values: Any) -> None:
    """Change a student's record."""
    session.execute(update(StudentRow).where(StudentRow.id == id).values(values))


def resume_news(session: Session, id: int) -> None:
    """The student wants news again: what stopped it before no longer counts, in an export neither."""
    change(session, id, news=True, news_at_first=True)
    stops = EventRow.type == "news_stopped"
    session.execute(update(EventRow).where(EventRow.student_id == id, stops).values(reported=False))


def resume_help(session: Session, id: int, course: str) -> None:
    """The student wants help letters for a course again."""
    session.execute(delete(HelpStopRow).where(HelpStopRow.student_id == id, HelpStopRow.course == course))
    mine = (EventRow.student_id == id, EventRow.type == "course_help_stopped")
    for row in session.scalars(select(EventRow).where(*mine)):
        if row.names.get("course") == course:
            row.reported = False


def end_enrolment(session: Session, id: int, course: str, now: Instant) -> None:
    """Access to a course ends by hand."""
    mine = (EnrolmentRow.student_id == id, EnrolmentRow.course == course)
    session.execute(update(EnrolmentRow).where(*mine).values(expired=now))


def forms_seen(session: Session) -> set[str]:
    """The forms that students have signed up with."""
    found = session.scalars(select(EventRow.names).where(EventRow.type == "signed_up").limit(SAMPLE))
    return {names["form"] for names in found}


def fields_seen(session: Session) -> set[str]:
    """The names of the school's own fields."""
    found = session.scalars(select(StudentRow.fields).where(StudentRow.fields != {}).limit(SAMPLE))
    return {name for fields in found for name in fields}


def names_beyond(session: Session) -> list[str]:
    """Names of students to try a design with: the longest, and such that have signs beyond plain Latin."""
    whole = func.trim(
        func.coalesce(StudentRow.first_name, "") + " " + func.coalesce(StudentRow.last_name, "")
    )
    longest = select(whole).order_by(func.length(whole).desc(), StudentRow.id).limit(1)
    beyond = select(whole).where(whole.op("GLOB")("*[^ -~]*")).order_by(StudentRow.id).limit(SAMPLE)
    return [name for name in (*session.scalars(longest), *session.scalars(beyond)) if name]


def unusual(session: Session) -> tuple[str | None, str | None]:
    """The student with the longest name, and one without a first name (keys)."""
    length = func.length(func.coalesce(StudentRow.first_name, "")) + func.length(
        func.coalesce(StudentRow.last_name, "")
    )
    longest = session.scalar(select(StudentRow.key).order_by(length.desc(), StudentRow.id).limit(1))
    without = or_(StudentRow.first_name.is_(None), StudentRow.first_name == "")
    nameless = session.scalar(select(StudentRow.key).where(without).order_by(StudentRow.id).limit(1))
    return longest, nameless


def one_of(session: Session, ids: Select[int]) -> str | None:
    """The key of the first of these students."""
    return session.scalar(
        select(StudentRow.key).where(StudentRow.id.in_(ids)).order_by(StudentRow.id).limit(1)
    )


def lacking(session: Session) -> Lacking:
    """How many students have no value for the merge fields about them."""
    first, last = (or_(x.is_(None), x == "") for x in (StudentRow.first_name, StudentRow.last_name))
    total, no_first, no_last, no_name = session.execute(
        select(
            func.count(),
            func.count().filter(first),
            func.count().filter(last),
            func.count().filter(first & last),
        ).select_from(StudentRow)
    ).one()
    fields = {"student.first_name": no_first, "student.last_name": no_last, "student.full_name": no_name}
    have: dict[str, int] = {}
    for found in session.scalars(select(StudentRow.fields).where(StudentRow.fields != {})):
        for name, value in found.items():
            if value not in (None, ""):
                have[name] = have.get(name, 0) + 1
    fields |= {f"student.fields.{name}": total - count for name, count in have.items()}
    return Lacking(total, fields)
