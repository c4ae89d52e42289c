"""Before a sequence runs: to whom its start has happened already, and what they would be sent if they were taken in."""

from __future__ import annotations

from collections.abc import Mapping

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from patient_courier.core.calendar import calendar
from patient_courier.core.courses.course_line import stops
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.rehearsing.outset import First, stop_of
from patient_courier.core.telling import words
from patient_courier.core.telling.condition_words import condition_words
from patient_courier.core.writing.editing import starts_words
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.outset import CHUNK, Found, Who, choices, found_for, look
from patient_courier.store.students import people
from patient_courier.web.context import (
    Reading,
    RowId,
    Session,
    SignedIn,
    TheBoard,
    ThePost,
    definitions_in,
    now_in,
)
from patient_courier.web.jobs import Job, JobState, Kind

router = APIRouter(prefix="/api/sequences", tags=["sequences"])
PATIENCE_SECONDS = 2.0
MOST_NAMES = 30


class EarlierChoice(BaseModel):
    """Some to whom the start has happened, in words as a choice."""

    who: Who
    words: str
    number: int


class OutsetOut(BaseModel):
    """Who comes in from the moment it runs, and who could be taken in besides."""

    starts: str
    only_if: str | None
    choices: list[EarlierChoice]


class WhoIn(BaseModel):
    who: Who


class EarlierPerson(BaseModel):
    key: str
    name: str


class EarlierGroup(BaseModel):
    """So many students to whom the same happens; ``posts``: they are sent something."""

    sentence: str
    number: int
    posts: bool
    names: list[EarlierPerson]


class LookResult(BaseModel):
    groups: list[EarlierGroup]
    left_out: list[str]


class LookOut(BaseModel):
    """How far those who would be taken in have been played, and what came of it."""

    id: int
    state: JobState
    done: int
    total: int
    result: LookResult | None


_LOOKS: Kind[None, LookResult] = Kind("outset", "This look ahead is no longer known. Ask for it again.")
_SAID: Mapping[Who, str] = {
    "missed": "who would have come in while it was paused",
    "silent": "who stand at “{stop}” now and have done nothing for a week",
    "standing": "who stand at “{stop}” now, silent or not",
    "week": "to whom that has happened in the last week",
    "month": "to whom that has happened in the last 30 days",
    "quarter": "to whom that has happened in the last 90 days",
    "ever": "to whom that has ever happened",
}
_LEFT_OUT = {
    "again": "{n} more have been in it before.",
    "only_if": "{n} more don’t fit: it is only for who {only_if}.",
    "moved_on": "{n} more have gone on since, so it is not for them.",
}


def _definitions(post: Post, session: Session, key: str) -> Definitions:
    definitions = definitions_in(post, session)
    if key not in definitions.sequences:
        raise HTTPException(404, "There is no such sequence. It may have been renamed.")
    return definitions


@router.get("/{key}/outset")
def before_it_runs(key: str, user: SignedIn, post: ThePost, session: Reading) -> OutsetOut:
    definitions = _definitions(post, session, key)
    sequence = definitions.sequences[key].sequence
    at = stop_of(definitions, key)
    stop = next((x.title for x in stops(definitions.courses[at[0]]) if x.id == at[1]), "") if at else ""
    return OutsetOut(
        starts=starts_words(definitions, sequence),
        only_if=condition_words(definitions, sequence.only_if) if sequence.only_if else None,
        choices=[
            EarlierChoice(who=who, words=_SAID[who].format(stop=stop), number=number)
            for who, number in choices(session, definitions, key, now_in(session)).items()
        ],
    )


@router.post("/{key}/outset")
def look_at(
    key: str, body: WhoIn, user: SignedIn, post: ThePost, session: Reading, board: TheBoard
) -> LookOut:
    """What these would be sent if they were taken in now; what is not done at once is asked for by its id."""
    definitions, now = _definitions(post, session, key), now_in(session)
    found = found_for(session, definitions, key, body.who, now)

    def work(job: Job[None, LookResult]) -> LookResult:
        fates: dict[str, First] = {}
        for begin in range(0, len(found.starts), CHUNK):
            with post.database.reading() as reading:
                some = found.starts[begin : begin + CHUNK]
                fates |= look(reading, definitions, key, some, now)
            job.step(len(some))
        with post.database.reading() as reading:
            return _result(reading, definitions, key, found, fates)

    return _out(board.of(_LOOKS).begin(len(found.starts), None, work, PATIENCE_SECONDS))


@router.get("/outsets/{id}")
def get_look(id: RowId, user: SignedIn, board: TheBoard) -> LookOut:
    return _out(board.of(_LOOKS).known(id))


def _out(job: Job[None, LookResult]) -> LookOut:
    return LookOut(id=job.id, state=job.state, done=job.done, total=job.total, result=job.result)


def _result(
    session: Session, definitions: Definitions, key: str, found: Found, fates: Mapping[str, First]
) -> LookResult:
    zone = definitions.school.timezone
    by_sentence: dict[tuple[int, str], list[str]] = {}
    for student, first in sorted(fates.items(), key=lambda one: (one[1].at is None, one[1].at, one[0])):
        by_sentence.setdefault(_sentence(definitions, first, zone), []).append(student)
    named = {key for many in by_sentence.values() for key in many[:MOST_NAMES]}
    names = people.by_keys(session, named)
    sequence = definitions.sequences[key].sequence
    only_if = condition_words(definitions, sequence.only_if) if sequence.only_if else ""
    return LookResult(
        groups=[
            EarlierGroup(
                sentence=sentence,
                number=len(many),
                posts=rank == 0,
                names=[
                    EarlierPerson(key=one, name=names[one].name) for one in many[:MOST_NAMES] if one in names
                ],
            )
            for (rank, sentence), many in sorted(
                by_sentence.items(), key=lambda one: (one[0][0], -len(one[1]))
            )
        ],
        left_out=[
            _LEFT_OUT[why].format(n=number, only_if=only_if)
            for why, number in found.left_out.items()
            if number
        ],
    )


def _sentence(definitions: Definitions, first: First, zone: str) -> tuple[int, str]:
    """What happens to a student, and how it ranks: those who are sent something come first."""
    if first.status == "held_back":
        return 2, "are sent nothing: the lot of its trial holds them back."
    if first.status == "nothing" or first.at is None:
        return 2, "are sent nothing as things stand."
    letter = definitions.letters[first.letter].letter.called
    if first.status == "sent":
        return 0, f"get “{letter}” first, on {words.day(calendar.local_date(first.at, zone))}."
    if first.status == "stuck":
        return 1, f"wait for you at “{letter}”: {words.reason(first.reason)}"
    return 1, f"don’t get “{letter}”: {words.reason(first.reason)}"
