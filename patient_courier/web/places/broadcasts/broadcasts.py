"""Broadcasts: written as drafts, scheduled, paused, stopped; and what became of them."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Response
from pydantic import BaseModel, Field, ValidationError

from patient_courier.core.checks import with_letter
from patient_courier.core.engine.definitions import Definitions, ReadyLetter
from patient_courier.core.reading.school_file import as_data, validation_faults
from patient_courier.core.rehearsing.slip import why
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.telling import words
from patient_courier.dispatch.broadcasts import first_letters, stands
from patient_courier.dispatch.clock import real_now
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.broadcasts.broadcasts import Kept
from patient_courier.store.letters import outcomes
from patient_courier.store.students import audiences
from patient_courier.store.students.audiences import Audience
from patient_courier.web import editions
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.editions import say
from patient_courier.web.figures import Figure, figures_of
from patient_courier.web.findings import FindingOut, finding_out

router = APIRouter(prefix="/api/broadcasts", tags=["broadcasts"])
BroadcastBody = Annotated[dict[str, Any], Body()]
Pace = Annotated[int | None, Field(ge=1, le=100_000)]
STATUS_WORDS = {
    "draft": "Draft",
    "scheduled": "Planned",
    "going": "Going out",
    "paused": "Paused",
    "stopped": "Stopped",
    "done": "Posted",
}


class BroadcastSummary(BaseModel):
    key: str
    name: str
    status: str
    status_words: str
    when: str
    course: str | None
    letter: str
    subject: str
    recipients: int | None
    figures: list[Figure]


class ReasonOut(BaseModel):
    """Why letters were not posted, or wait, and how many."""

    outcome: str
    reason: str
    sentence: str
    number: int


class CopiedOut(BaseModel):
    """The audience that the conditions were copied from; ``changed``: it asks something else since."""

    key: str
    name: str
    changed: bool


class BroadcastOut(BaseModel):
    """A broadcast with where it stands. ``take_back_seconds``: so long it can still be taken back after “post now”.

    ``first``: when its first letter is due, while it is planned, in the school's time.
    ``tested``: when the owner sent themselves the letter as it is now. ``undecided``: letters whose turn has not come.
    """

    body: dict[str, Any]
    edition: str
    status: str
    status_words: str
    when: str
    first: str | None
    started: str | None
    ended: str | None
    take_back_seconds: int | None
    recipients: int | None
    pace: int | None
    tested: str | None
    again_of: str | None
    audience: CopiedOut | None
    written_again: str | None
    findings: list[FindingOut]
    figures: list[Figure]
    counts: dict[str, int]
    undecided: int
    reasons: list[ReasonOut]


@router.get("")
def list_broadcasts(user: SignedIn, post: ThePost, session: Reading) -> list[BroadcastSummary]:
    """All broadcasts, the newest first."""
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    found = []
    for kept in reversed(broadcasts.every(session)):
        ready = definitions.letters.get(kept.broadcast.letters[0])
        status = stands(session, kept)
        found.append(
            BroadcastSummary(
                key=kept.key,
                name=kept.broadcast.called,
                status=status,
                status_words=STATUS_WORDS[status],
                when=_when(kept, zone),
                course=kept.broadcast.course,
                letter=kept.broadcast.letters[0],
                subject=ready.letter.subject if ready else "",
                recipients=kept.recipients,
                figures=figures_of(outcomes.of_everyone(session, kept.key))
                if kept.started and status != "scheduled"
                else [],
            )
        )
    return found


def _when(kept: Kept, zone: str) -> str:
    broadcast = kept.broadcast
    if kept.started is not None and broadcast.zone == "school":
        return words.moment(kept.started, zone)
    if kept.not_before is not None and kept.not_before > real_now():
        return "within a minute"
    clock = f"{words.day(broadcast.at.date())}, {broadcast.at.hour:02d}:{broadcast.at.minute:02d}"
    return clock if broadcast.zone == "school" else f"{clock} where they live"


def copied_audience(session: Session, key: str | None) -> Audience | None:
    return audiences.find(session, key) if key else None


def origin_of(copied: Audience | None) -> dict[str, Any]:
    return {"audience": copied.key, "audience_saved": copied.saved} if copied else {}


def read_broadcast(body: dict[str, Any]) -> Broadcast:
    """A broadcast as it came in. 422 with the first thing that is wrong."""
    try:
        return Broadcast.model_validate(body)
    except ValidationError as error:
        fault = validation_faults(error, body)[0]
        raise HTTPException(422, f"{fault.pointer}: {fault.sentence}") from error


def found_broadcast(session: Session, key: str) -> Kept:
    """The broadcast with this key. 404 when there is none."""
    kept = broadcasts.find(session, key)
    if kept is None:
        raise HTTPException(404, "There is no such broadcast.")
    return kept


@router.get("/{key}")
def get_broadcast(
    key: str, user: SignedIn, post: ThePost, session: Reading, response: Response
) -> BroadcastOut:
    out = broadcast_out(session, definitions_in(post, session), found_broadcast(session, key))
    say(response, out.edition)
    return out


def edition_of(kept: Kept) -> str:
    """Of what is edited: planning and calling off are no other edition."""
    return editions.edition_of(as_data(kept.broadcast.model_copy(update={"status": "draft"})), kept.pace)


def letters_of(definitions: Definitions, broadcast: Broadcast) -> list[ReadyLetter]:
    """Its letter, or its versions, as they are now."""
    return [definitions.letters[key] for key in broadcast.letters if key in definitions.letters]


def edition_of_text(letters: list[ReadyLetter]) -> int:
    """A number that is another one as soon as one of the letters is edited."""
    return sum(ready.version for ready in letters)


def broadcast_out(session: Session, definitions: Definitions, kept: Kept) -> BroadcastOut:
    zone = definitions.school.timezone
    letters = letters_of(definitions, kept.broadcast)
    tested = kept.tested_at is not None and bool(letters) and kept.tested == edition_of_text(letters)
    counts = outcomes.of_everyone(session, kept.key) if kept.started else {}
    again = next((x.key for x in broadcasts.every(session) if x.again_of == kept.key), None)
    left = (kept.not_before - real_now()).total("seconds") if kept.not_before else None
    status = stands(session, kept)
    first = first_letters(session, definitions, kept)[0] if status == "scheduled" else None
    return BroadcastOut(
        body=as_data(kept.broadcast),
        edition=edition_of(kept),
        status=status,
        status_words=STATUS_WORDS[status],
        when=_when(kept, zone),
        first=words.moment(first, zone) if first else None,
        started=words.moment(kept.started, zone) if kept.started else None,
        ended=words.moment(kept.ended, zone) if kept.ended else None,
        take_back_seconds=max(0, round(left)) if left is not None and kept.status == "scheduled" else None,
        recipients=kept.recipients,
        pace=kept.pace,
        tested=words.moment(kept.tested_at, zone) if tested and kept.tested_at else None,
        again_of=kept.again_of,
        audience=_copied_out(session, kept),
        written_again=again,
        findings=[finding_out(x) for x in with_letter(definitions, kept.broadcast)],
        figures=figures_of(counts) if counts else [],
        counts=counts,
        undecided=outcomes.undecided(session, kept.key) if kept.started else 0,
        reasons=_reasons(session, kept) if kept.started else [],
    )


def _copied_out(session: Session, kept: Kept) -> CopiedOut | None:
    found = copied_audience(session, kept.audience)
    if found is None or kept.audience_saved is None:
        return None
    return CopiedOut(key=found.key, name=found.name, changed=found.saved > kept.audience_saved)


def _reasons(session: Session, kept: Kept) -> list[ReasonOut]:
    names = {
        "skipped": "not_posted",
        "held": "kept_back",
        "stuck": "waits_for_you",
        "unsure": "waits_for_you",
    }
    return [
        ReasonOut(
            outcome=names[status], reason=reason or "", sentence=why(reason or "", number), number=number
        )
        for status, reason, number in outcomes.reasons(session, outcomes.of_broadcast(kept.key), names)
    ]
