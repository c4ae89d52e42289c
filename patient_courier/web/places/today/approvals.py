"""Certificates to approve: each with what speaks for it on one card; approved one or many, or put aside."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.calendar import calendar
from patient_courier.core.completion.evidence import evidence
from patient_courier.core.drafting.broadcast import new_broadcast
from patient_courier.core.drafting.declining import declined_letter
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.rehearsing.approving import follows
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.events import CourseEvent
from patient_courier.core.school.keys import free_key
from patient_courier.core.telling import words
from patient_courier.dispatch.taking import take_events
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.completion import approvals
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import people
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.places.broadcasts.drafts import BroadcastKey
from patient_courier.web.places.students.page import find_student
from patient_courier.web.saved_letters import keep_letter

router = APIRouter(prefix="/api/approvals", tags=["certificates"])
# So many are shown; the rest come forward as these are settled.
MOST = 100


class EvidenceQuiz(BaseModel):
    title: str
    attempts: int
    score: float | None
    passed: bool


class ApprovalOut(BaseModel):
    """A certificate that was asked for; moments in the school's time. ``open`` is what is not done yet.

    ``follows``: what approving it will post to the student, in sentences; empty when nothing is.
    """

    student: str
    name: str
    course: str
    course_title: str
    requested: str
    progress: int
    lessons_done: int
    lessons: int
    quizzes: list[EvidenceQuiz]
    began: str | None
    ended: str | None
    hurried: str | None
    open: list[str]
    follows: list[str]


class Which(BaseModel):
    student: str = Field(max_length=200)
    course: str = Field(max_length=200)


class Approve(BaseModel):
    items: list[Which] = Field(min_length=1, max_length=MOST)


class Approved(BaseModel):
    """How many were issued, the others need it no longer; and to how many of them a letter about it goes."""

    issued: int
    told: int


@router.get("")
def to_approve(user: SignedIn, post: ThePost, session: Reading) -> list[ApprovalOut]:
    """Whose certificate waits, the longest first."""
    definitions = definitions_in(post, session)
    zone, now = definitions.school.timezone, now_in(session)
    waiting = [one for one in approvals.waiting(session, MOST) if one[1] in definitions.courses]
    states = load_states(session, [id for id, _, _ in waiting], definitions)
    persons = people.by_ids(session, states)
    found = []
    for id, course, requested in waiting:
        seen = evidence(definitions, states[id], course)
        found.append(
            ApprovalOut(
                student=persons[id].key,
                name=persons[id].name,
                course=course,
                course_title=definitions.courses[course].title,
                requested=words.moment(requested, zone),
                progress=seen.progress,
                lessons_done=seen.lessons_done,
                lessons=seen.lessons,
                quizzes=[
                    EvidenceQuiz(title=x.title, attempts=x.attempts, score=x.score, passed=x.passed)
                    for x in seen.quizzes
                ],
                began=words.moment(seen.began, zone) if seen.began else None,
                ended=words.moment(seen.ended, zone) if seen.ended else None,
                hurried=seen.hurried,
                open=list(seen.open_),
                follows=[
                    _follows(definitions, one, zone) for one in follows(definitions, states[id], course, now)
                ],
            )
        )
    return found


def _follows(definitions: Definitions, one: LetterDecided, zone: str) -> str:
    letter = definitions.letters[one.letter].letter.called
    when = words.moment(one.at, zone)
    if one.status == "sent":
        return f"“{letter}” goes out {when}."
    return f"“{letter}” {'waits for you' if one.status == 'stuck' else 'does not go out'}: {words.reason(one.reason)}"


@router.post("/approve")
def approve(body: Approve, user: SignedIn, post: ThePost, session: Writing) -> Approved:
    """Issue these certificates, as sequences expect it. What is no longer asked for is passed over."""
    definitions, now = definitions_in(post, session), now_in(session)
    waiting = {(id, course) for id, course, _ in approvals.waiting(session, MOST)}
    events, told = [], 0
    for one in body.items:
        person = find_student(session, one.student)
        if (person.id, one.course) in waiting:
            waiting.discard((person.id, one.course))  # named twice, it is still one certificate
            state = load_states(session, [person.id], definitions)[person.id]
            letters = follows(definitions, state, one.course, now)
            told += any(letter.status == "sent" for letter in letters)
            event = {"type": "certificate_approved", "student": person.key, "at": now, "course": one.course}
            events.append(CourseEvent.model_validate(event))
    if not events:
        raise HTTPException(409, "None of these waits any more. Reload the page to see where they stand.")
    take_events(session, definitions, events, now)
    return Approved(issued=len(events), told=told)


@router.post("/write", status_code=201)
def decline_and_write(body: Which, user: SignedIn, post: ThePost, session: Writing) -> BroadcastKey:
    """Put a request aside and begin a letter to the student that says what is missing; nothing goes out yet."""
    decline(body, user, post, session)
    definitions, now = definitions_in(post, session), now_in(session)
    person = find_student(session, body.student)
    seen = evidence(definitions, load_states(session, [person.id], definitions)[person.id], body.course)
    name = f"To {person.name}: what is still open"
    letter = declined_letter(definitions, name, body.course, seen)
    keep_letter(session, definitions, letter, now)
    key = free_key(name, {kept.key for kept in broadcasts.every(session)})
    today = calendar.local_date(now, definitions.school.timezone)
    draft = new_broadcast(key, name, letter.key, {"is": "student", "keys": [person.key]}, today)
    broadcasts.save(session, Broadcast.model_validate({**draft, "course": body.course}), now)
    return BroadcastKey(key=key)


@router.post("/decline", status_code=204)
def decline(body: Which, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Put a request aside; when the student asks again, it comes forward again."""
    person = find_student(session, body.student)
    if (person.id, body.course) not in {(id, course) for id, course, _ in approvals.waiting(session, MOST)}:
        raise HTTPException(409, "This request does not wait any more.")
    approvals.decline(session, person.id, body.course, now_in(session))
