"""One student: who they are, where they stand, and the timeline of what they did, what we sent, and what not."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from patient_courier.core.engine.conditions import progress
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState
from patient_courier.core.engine.trials import HELD_BACK
from patient_courier.core.school.values import moment_text
from patient_courier.core.telling import words
from patient_courier.core.telling.story import to_whom
from patient_courier.core.telling.timeline import UNSAID, Decided, TimelineItem, timeline
from patient_courier.core.telling.trial_words import held_back_words
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.completion import certificates as prints
from patient_courier.store.completion import feedback
from patient_courier.store.engine.loading import load_states
from patient_courier.store.outbox import log, replies, returns
from patient_courier.store.sequences import trials
from patient_courier.store.students import people
from patient_courier.store.students.people import Person
from patient_courier.web.context import (
    Reading,
    Session,
    SignedIn,
    ThePost,
    definitions_in,
    now_in,
)

router = APIRouter(prefix="/api/students", tags=["students"])
MOST_REPLIES = 20


class CourseStanding(BaseModel):
    course: str
    title: str
    short: str
    status: str
    progress: int


class StudentRun(BaseModel):
    """Where the student stands in a sequence; ``started`` and ``until`` in the student's time, ``_at`` as RFC 3339.

    ``words``: what there is to say of its outcome beyond its name.
    """

    sequence: str
    name: str
    subject: str | None
    started: str
    started_at: str
    outcome: str
    words: str | None
    step: str | None
    until: str | None
    until_at: str | None


class ReturnOut(BaseModel):
    """A letter that came back, or a complaint: when, in words, and which delivery it was."""

    at: str
    kind: str
    words: str
    delivery: int


class CertificateShort(BaseModel):
    """A certificate of the student: its number, of which course, and whether it stands."""

    code: str
    course: str
    name: str
    revoked: bool


class WordsOut(BaseModel):
    """What the student answered to a question for feedback, and wrote beside it; ``value`` from 1 to 5."""

    letter: str
    letter_name: str
    course: str | None
    value: int | None
    words: str
    at: str


class ReplyOut(BaseModel):
    """An answer that the student wrote; it lies in the mailbox. ``delivery``: the letter it answers, where it says so."""

    at: str
    subject: str
    delivery: int | None
    letter_name: str | None


class StudentOut(BaseModel):
    key: str
    name: str
    first_name: str | None
    last_name: str | None
    email: str
    zone: str
    own_zone: bool
    local_time: str
    news: bool
    help_stopped: list[str]
    address_works: bool
    complained: bool
    returns: list[ReturnOut]
    certificates: list[CertificateShort]
    words: list[WordsOut]
    replies: list[ReplyOut]
    tracked: bool
    tags: list[str]
    fields: dict[str, str | int | float | bool | None]
    courses: list[CourseStanding]
    runs: list[StudentRun]
    timeline: list[TimelineItem]


def standings_of(definitions: Definitions, state: StudentState) -> list[CourseStanding]:
    """Where a student stands in each of their courses."""
    return [
        CourseStanding(
            course=key,
            title=definitions.courses[key].title,
            short=definitions.short_titles[key],
            status=state.facts.status(key) or "",
            progress=progress(definitions, state, key),
        )
        for key in state.facts.enrolments
        if key in definitions.courses
    ]


def find_student(session: Session, key: str) -> Person:
    """The student with this key. 404 when there is none."""
    person = people.find(session, key)
    if person is None:
        raise HTTPException(404, "There is no such student.")
    return person


@router.get("/{key}")
def get_student(key: str, user: SignedIn, post: ThePost, session: Reading) -> StudentOut:
    return student_out(session, post, key)


def student_out(session: Session, post: Post, key: str) -> StudentOut:
    """A student with everything about them. 404 when there is none."""
    definitions = definitions_in(post, session)
    person = find_student(session, key)
    state = load_states(session, [person.id], definitions)[person.id]
    events = people.happened_to(session, person.id, without=UNSAID)
    names = broadcasts.names(session)
    letters = [
        Decided(
            x.id,
            x.at,
            x.status,
            x.reason,
            x.subject,
            x.sequence,
            names.get(x.broadcast or "", ""),
            to_whom(x.recipients),
            x.sent_by,
        )
        for x in log.of_student(session, person.id)
    ]
    return StudentOut(
        key=person.key,
        name=person.name,
        first_name=person.first_name,
        last_name=person.last_name,
        email=person.email,
        zone=state.zone,
        own_zone=person.timezone is not None,
        local_time=words.moment(now_in(session), state.zone),
        news=person.news,
        help_stopped=sorted(state.facts.help_stopped),
        address_works=not person.bounced,
        complained=state.facts.complained,
        returns=[
            ReturnOut(
                at=words.moment(one.at, definitions.school.timezone),
                kind=one.kind,
                words=f"{_RETURNED[one.kind]}{f': {one.said}' if one.said else ''}",
                delivery=one.delivery,
            )
            for one in returns.of_student(session, person.id)
        ],
        certificates=[
            CertificateShort(
                code=one.code,
                course=words.title(definitions, "course", one.course),
                name=one.name,
                revoked=one.revoked,
            )
            for one in prints.of_student(session, person.id)
        ],
        words=[
            WordsOut(
                letter=one.letter,
                letter_name=_letter_name(definitions, one.letter),
                course=words.title(definitions, "course", one.course) if one.course else None,
                value=one.value,
                words=one.words,
                at=words.moment(one.at, state.zone),
            )
            for one in feedback.of_student(session, person.id)
        ],
        replies=[
            ReplyOut(
                at=words.moment(one.at, state.zone),
                subject=one.subject,
                delivery=one.delivery,
                letter_name=_letter_name(definitions, one.letter) if one.letter else None,
            )
            for one in replies.of_student(session, person.id, MOST_REPLIES)
        ],
        tracked=people.is_tracked(session, person.id),
        tags=list(state.facts.tags),
        fields=person.fields,
        courses=standings_of(definitions, state),
        runs=_runs(session, definitions, state),
        timeline=timeline(definitions, events, letters, state.zone),
    )


_RETURNED = {
    "hard": "Came back for good",
    "soft": "Came back for now",
    "complaint": "Reported as unwanted",
}


def _letter_name(definitions: Definitions, key: str) -> str:
    found = definitions.letters.get(key)
    return (found.letter.name if found else "") or key


def _runs(session: Session, definitions: Definitions, state: StudentState) -> list[StudentRun]:
    found = []
    drawn = {run.sequence for run in state.runs if run.outcome == HELD_BACK}
    shares = {
        (key, trial.key): trial.hold_back for key in drawn for trial, _ in trials.begun_trials(session, key)
    }
    for run in reversed(state.runs):
        plan = definitions.sequences[run.sequence]
        kind, key = (run.subject.kind, run.subject.key) if run.subject else (None, None)
        about = words.title(definitions, kind, key) if kind and kind != "tag" else key
        found.append(
            StudentRun(
                sequence=run.sequence,
                name=plan.sequence.called,
                subject=about,
                started=words.moment(run.started, state.zone),
                started_at=moment_text(run.started),
                outcome=run.outcome or "open",
                words=held_back_words(shares[run.sequence, run.trial])
                if run.outcome == HELD_BACK and run.trial
                else None,
                step=run.step,
                until=words.moment(run.due, state.zone) if run.due else None,
                until_at=moment_text(run.due) if run.due else None,
            )
        )
    return found
