"""Looking ahead to a broadcast: what will become of each letter, and the slip that is confirmed."""

from __future__ import annotations

from collections import Counter
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel
from whenever import Instant

from patient_courier.core.engine.broadcasting import start_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.rehearsing.outlook import Crowd, Fate, Outlook
from patient_courier.core.rehearsing.slip import slip, why
from patient_courier.core.rehearsing.wave import Wave, wave
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.telling import words
from patient_courier.dispatch import outlook as ahead
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.broadcasts import postings
from patient_courier.store.broadcasts.broadcasts import Kept
from patient_courier.store.students import audiences, people
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
from patient_courier.web.places.broadcasts.broadcasts import found_broadcast

router = APIRouter(prefix="/api/broadcasts", tags=["broadcasts"])


# A school of some hundreds is played within this; beyond, the page asks again and shows how far it is.
PATIENCE_SECONDS = 1.8


MOST_NAMES = 200


class WontGetPerson(BaseModel):
    key: str
    name: str
    detail: str


class FateGroup(BaseModel):
    """Students of whom the same will become: ``not``, ``later``, ``mend`` or ``waits``; names are cut at two hundred."""

    kind: Literal["not", "later", "mend", "waits"]
    reason: str
    sentence: str
    number: int
    students: list[WontGetPerson]


class SlipOut(BaseModel):
    post: str
    when: str
    without: list[str]
    later: list[str]


class Crowded(BaseModel):
    """Letters in the seven days around it: the usual number, the most, and the worst day with who it is."""

    usual: int
    most: int
    worst_day: str | None
    on_worst_day: int
    student: WontGetPerson | None


class OutlookResult(BaseModel):
    """``matching`` fit at its moment; ``gone`` of those who fit now will not by then, ``to_come`` the other way round."""

    will: int
    matching: int
    gone: int
    to_come: int
    groups: list[FateGroup]
    slip: SlipOut
    slip_now: SlipOut
    crowded: Crowded
    cut_short: bool


class OutlookOut(BaseModel):
    """The look ahead: how many students have been played, and what came of it when all have."""

    id: int
    state: JobState
    done: int
    total: int
    result: OutlookResult | None


# About the key of the broadcast that is looked ahead to.
LOOKS: Kind[str, tuple[Outlook, OutlookResult]] = Kind(
    "outlook", "This look ahead is no longer known. Ask for it again."
)


@router.post("/{key}/outlook")
def look_ahead(key: str, user: SignedIn, post: ThePost, session: Reading, board: TheBoard) -> OutlookOut:
    """Play everyone to the broadcast's moment; what is not done at once is asked for by its id."""
    kept = found_broadcast(session, key)
    definitions, now = definitions_in(post, session), now_in(session)
    whom = ahead.candidates(session, definitions, kept.broadcast, now)
    job = board.of(LOOKS).begin(
        whom.number, key, lambda job: _look(post, definitions, kept, whom, now, job), PATIENCE_SECONDS
    )
    return _out(job)


@router.get("/outlooks/{id}")
def get_outlook(id: RowId, user: SignedIn, board: TheBoard) -> OutlookOut:
    return _out(board.of(LOOKS).known(id))


def _out(job: Job[str, tuple[Outlook, OutlookResult]]) -> OutlookOut:
    result = job.result[1] if job.result else None
    return OutlookOut(id=job.id, state=job.state, done=job.done, total=job.total, result=result)


def _look(
    post: Post,
    definitions: Definitions,
    kept: Kept,
    whom: ahead.Candidates,
    now: Instant,
    job: Job[str, tuple[Outlook, OutlookResult]],
) -> tuple[Outlook, OutlookResult]:
    broadcast, zone = kept.broadcast, definitions.school.timezone
    with post.database.reading() as session:
        found = ahead.look(session, definitions, broadcast, whom, now, job.step)
        groups = _groups(session, definitions, found, zone)
        start = max(start_of(broadcast, zone), now)
        zones = audiences.zones(session, definitions, broadcast.to, broadcast.course, start)
        surge = wave(broadcast, zones, zone, now, kept.pace)
        now_fit = {key for _, key, _ in postings.on_the_list(session, definitions, broadcast, now)}
        result = OutlookResult(
            gone=len(now_fit - found.fates.keys()),
            to_come=len(found.fates.keys() - now_fit),
            will=sum(fate.status == "sent" for fate in found.fates.values()),
            matching=len(found.fates) + len(broadcast.without),
            groups=groups,
            slip=_slip(broadcast, found, surge, zone, kept.pace, at_once=False),
            slip_now=_slip(broadcast, found, surge, zone, kept.pace, at_once=True),
            crowded=_crowded(session, found),
            cut_short=found.cut_short,
        )
    return found, result


def _slip(
    broadcast: Broadcast, found: Outlook, surge: Wave, zone: str, pace: int | None, *, at_once: bool
) -> SlipOut:
    said = slip(broadcast, found, surge, zone, at_once=at_once, pace=pace)
    return SlipOut(post=said.post, when=said.when, without=said.without, later=said.later)


def _groups(session: Session, definitions: Definitions, found: Outlook, zone: str) -> list[FateGroup]:
    """Those who will not get it, or later, by reason, the most first."""
    sorted_out: dict[tuple[str, str], list[tuple[str, Fate]]] = {}
    for one in found.fates.items():
        fate = one[1]
        match fate.status:
            case "skipped":
                sorted_out.setdefault(("not", fate.reason or ""), []).append(one)
            case "stuck":
                sorted_out.setdefault(("mend", fate.reason or ""), []).append(one)
            case "held":
                sorted_out.setdefault(("waits", fate.reason or ""), []).append(one)
            case "sent" if fate.holds:
                sorted_out.setdefault(("later", fate.holds[-1]), []).append(one)
            case _:
                pass  # they get it, and in time
    names = people.by_keys(session, {key for fates in sorted_out.values() for key, _ in fates[:MOST_NAMES]})
    groups = [
        FateGroup(
            kind=kind,
            reason=reason,
            sentence=why(reason, len(fates)),
            number=len(fates),
            students=[
                WontGetPerson(key=key, name=names[key].name, detail=detail_of(fate, zone))
                for key, fate in fates[:MOST_NAMES]
            ],
        )
        for (kind, reason), fates in sorted_out.items()
    ]
    return sorted(groups, key=lambda group: (group.kind == "later", -group.number))


def detail_of(fate: Fate, zone: str) -> str:
    if fate.inside:
        return f"inside {', '.join(fate.inside)}"
    if fate.status == "sent":
        return f"gets it {words.moment(fate.at, zone)}"
    return ""


def _crowded(session: Session, found: Outlook) -> Crowded:
    counts = Counter(crowd.letters for crowd in found.crowds.values())
    if not counts:
        return Crowded(usual=0, most=0, worst_day=None, on_worst_day=0, student=None)
    middle = sorted(counts.elements())[counts.total() // 2]
    key, worst = max(found.crowds.items(), key=lambda item: (item[1].on_that_day, item[1].letters))
    most = max(counts)
    person = people.find(session, key)
    return Crowded(
        usual=middle,
        most=most,
        worst_day=words.day(worst.day) if worst.day else None,
        on_worst_day=worst.on_that_day,
        student=WontGetPerson(key=key, name=person.name, detail=_had(worst)) if person else None,
    )


def _had(crowd: Crowd) -> str:
    return f"{crowd.letters} letters in the week"
