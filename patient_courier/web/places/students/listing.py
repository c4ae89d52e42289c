"""Lists of students: picked by name and address, found by conditions, sorted, with what each column shows; and as CSV."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.calendar.calendar import town
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState
from patient_courier.core.helpers.rights import nameless
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import people
from patient_courier.store.students.audiences import picks
from patient_courier.store.students.people import Person
from patient_courier.web.context import PageNumber, Reading, Search, SignedIn, ThePost, definitions_in, now_in
from patient_courier.web.drafts_only import hides_addresses
from patient_courier.web.places.students.audiences import read_condition
from patient_courier.web.places.students.bulk import Chosen, chosen_ids
from patient_courier.web.places.students.page import CourseStanding, standings_of
from patient_courier.web.refusals import csv_file

router = APIRouter(prefix="/api", tags=["students"])
Sort = Literal["name", "address", "joined", "last_seen"]
CHUNK = 500


class StudentSummary(BaseModel):
    key: str
    name: str
    email: str
    zone: str
    local_time: str
    courses: list[CourseStanding]
    last_seen: str | None
    letters: int


class StudentPage(BaseModel):
    total: int
    items: list[StudentSummary]


class ListIn(BaseModel):
    """Whom to list: conditions, words in name or address, in which order."""

    condition: dict[str, Any] | None = None
    q: str = Field("", max_length=200)
    sort: Sort = "name"
    down: bool = False
    page: PageNumber = 1


class ListedOut(BaseModel):
    """One line; the fields are those of the school."""

    key: str
    name: str
    email: str
    place: str
    local_time: str
    joined: str
    last_seen: str
    courses: list[CourseStanding]
    tags: list[str]
    letters: int
    news: bool
    address_works: bool
    fields: dict[str, str | int | float | bool | None]


class ListOut(BaseModel):
    total: int
    items: list[ListedOut]


@router.get("/students")
def list_students(
    user: SignedIn,
    post: ThePost,
    session: Reading,
    q: Search = "",
    course: str = "",
    page: PageNumber = 1,
) -> StudentPage:
    """Students by name; ``q`` looks in names and addresses, ``course`` keeps those enrolled in it.

    Those who may see no addresses get names alone, to look at letters as.
    """
    hidden = hides_addresses(user)
    # Looking for parts of addresses would tell them one by one.
    total, found = people.search(session, "" if hidden else q, course, page)
    definitions = definitions_in(post, session)
    states = load_states(session, [person.id for person in found], definitions)
    now = now_in(session)
    items = [_summary(definitions, person, states[person.id], now) for person in found]
    if hidden:
        # Who has no name is called by their address elsewhere.
        items = [one.model_copy(update={"email": "", "name": nameless(one.name)}) for one in items]
    return StudentPage(total=total, items=items)


def _summary(definitions: Definitions, person: Person, state: StudentState, now: Instant) -> StudentSummary:
    seen = state.facts.seen
    return StudentSummary(
        key=person.key,
        name=person.name,
        email=person.email,
        zone=state.zone,
        local_time=words.moment(now, state.zone),
        courses=standings_of(definitions, state),
        last_seen=words.day(calendar.local_date(seen, state.zone)) if seen else None,
        letters=len(state.facts.sent),
    )


@router.post("/student-list")
def listed_students(body: ListIn, user: SignedIn, post: ThePost, session: Reading) -> ListOut:
    """A page of fifty."""
    definitions, now = definitions_in(post, session), now_in(session)
    condition = read_condition(definitions, body.condition) if body.condition else None
    test = picks(definitions, condition, None, now)
    total, found = people.listed(session, test, body.q, body.sort, body.page, down=body.down)
    states = load_states(session, [one.id for one in found], definitions)
    return ListOut(total=total, items=[_listed(definitions, one, states[one.id], now) for one in found])


def _listed(definitions: Definitions, one: Person, state: StudentState, now: Instant) -> ListedOut:
    facts = state.facts
    return ListedOut(
        key=one.key,
        name=one.name,
        email=one.email,
        place=town(state.zone),
        local_time=words.moment(now, state.zone),
        joined=_day(facts.first_event, state),
        last_seen=_day(facts.seen, state),
        courses=standings_of(definitions, state),
        tags=list(facts.tags),
        letters=len(facts.sent),
        news=facts.news,
        address_works=not facts.bounced,
        fields=one.fields,
    )


def _day(at: Any, state: StudentState) -> str:
    if at is None:
        return ""
    date = calendar.local_date(at, state.zone)
    return f"{words.day(date)} {date.year}"


@router.post("/student-list/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def export_csv(body: Chosen, user: SignedIn, post: ThePost, session: Reading) -> Response:
    """The chosen students as CSV (RFC 4180), safe to open in a spreadsheet."""
    definitions = definitions_in(post, session)
    ids = chosen_ids(session, definitions, body, read_clock(session).now)
    own = sorted(people.fields_seen(session))
    head = ["key", "email", "first_name", "last_name", "timezone", "news", "tags", "courses", "joined"]

    def lines() -> Iterator[list[str]]:
        for begin in range(0, len(ids), CHUNK):
            some = people.by_ids(session, ids[begin : begin + CHUNK])
            states = load_states(session, list(some), definitions)
            for id in sorted(some):
                yield [str(cell) for cell in _row(definitions, some[id], states[id], own)]

    return csv_file("students.csv", [*head, "last_seen", "letters", *own], lines())


def _row(definitions: Definitions, one: Person, state: StudentState, own: list[str]) -> list[object]:
    standings = standings_of(definitions, state)
    courses = "; ".join(f"{x.course} {x.status} {x.progress}%" for x in standings)
    first, seen = state.facts.first_event, state.facts.seen
    values = [one.fields.get(name) for name in own]
    return [
        one.key,
        one.email,
        one.first_name or "",
        one.last_name or "",
        one.timezone or "",
        "yes" if one.news else "no",
        ", ".join(state.facts.tags),
        courses,
        calendar.local_date(first, state.zone).format_iso() if first else "",
        calendar.local_date(seen, state.zone).format_iso() if seen else "",
        len(state.facts.sent),
        *("" if value is None else value for value in values),
    ]
