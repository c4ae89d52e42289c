"""Dispatch log: every delivery, searchable; opened, the letter as sent and the reasons."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.values import moment_text
from patient_courier.core.telling import words
from patient_courier.core.telling.story import broadcast_story, story, to_whom
from patient_courier.core.telling.timeline import STATUS_WORDS
from patient_courier.dispatch import again
from patient_courier.post.look import look_of
from patient_courier.post.message import render
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.outbox import log
from patient_courier.store.outbox.log import Logged
from patient_courier.store.students.people import Person
from patient_courier.web.context import (
    PageNumber,
    Reading,
    RowId,
    Search,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)

router = APIRouter(prefix="/api/deliveries", tags=["deliveries"])


class DeliveryOut(BaseModel):
    """One line of the log. ``local`` is the student's time, ``school_time`` the school's; ``reason_code`` is stable.

    A letter of a broadcast has its key and no sequence; ``sequence_name`` is what the broadcast is called.
    """

    id: int
    at: str
    local: str
    school_time: str
    student: str
    student_name: str
    email: str
    letter: str
    letter_name: str
    subject: str
    purpose: str
    sequence: str
    sequence_name: str
    broadcast: str | None
    step: str
    status: str
    status_words: str
    reason: str
    reason_code: str | None
    to: list[str] | None
    sent_by: str | None


class AgainSlip(BaseModel):
    """What sending a letter again would mean: to whom, the subject as they read it, what stands against it."""

    to: str
    subject: str
    against: str | None
    remarks: list[str]


class SentAgain(BaseModel):
    """The new delivery."""

    id: int


class DeliveryPage(BaseModel):
    total: int
    items: list[DeliveryOut]


class DeliveryDetail(BaseModel):
    """A delivery with its story, and the letter as it was sent (or would have been)."""

    delivery: DeliveryOut
    story: list[str]
    html: str
    text: str


def delivery_out(
    definitions: Definitions, one: Logged, person: Person, names: Mapping[str, str]
) -> DeliveryOut:
    """One line of the log; ``names`` are what broadcasts are called."""
    zone = definitions.school.timezone
    letter = definitions.letters.get(one.letter)
    plan = definitions.sequences.get(one.sequence)
    return DeliveryOut(
        id=one.id,
        at=moment_text(one.at),
        local=words.moment(one.at, definitions.school.zone_of(person.timezone)),
        school_time=words.moment(one.at, zone),
        student=person.key,
        student_name=person.name,
        email=person.email,
        letter=one.letter,
        letter_name=(letter.letter.name if letter else "") or one.letter,
        subject=one.subject,
        purpose=one.purpose,
        sequence=one.sequence,
        sequence_name=(plan.sequence.name if plan else names.get(one.broadcast or "", "")) or one.sequence,
        broadcast=one.broadcast,
        step=one.step,
        status=one.status,
        status_words=STATUS_WORDS[one.status],
        reason=words.reason(one.reason),
        reason_code=one.reason,
        to=one.recipients,
        sent_by=one.sent_by,
    )


@router.get("")
def list_deliveries(
    user: SignedIn,
    post: ThePost,
    session: Reading,
    q: Search = "",
    status: Literal["", "sent", "going", "skipped", "held", "waiting"] = "",
    sequence: str = "",
    broadcast: str = "",
    student: str = "",
    page: PageNumber = 1,
) -> DeliveryPage:
    """The log, newest first. ``q`` looks in names, addresses and subjects."""
    total, found = log.search(
        session, words=q, status=status, sequence=sequence, broadcast=broadcast, student=student, page=page
    )
    definitions, names = definitions_in(post, session), broadcasts.names(session)
    return DeliveryPage(total=total, items=[delivery_out(definitions, one, who, names) for one, who in found])


@router.get("/{id}")
def get_delivery(id: RowId, user: SignedIn, post: ThePost, session: Reading) -> DeliveryDetail:
    found = log.find(session, id)
    if found is None:
        raise HTTPException(404, "There is no such delivery.")
    one, person = found
    definitions = definitions_in(post, session)
    zone = definitions.school.zone_of(person.timezone)
    html, text = "", ""
    try:
        letter = log.letter_of(session, one)
        rendered = render(
            letter,
            look_of(definitions, letter, log.course_of(session, one)),
            one.values,
            zone,
            post.signer.links(one.id),
        )
        html, text = rendered.html, rendered.text
    except ValueError:
        text = "This letter can't be drawn."
    return DeliveryDetail(
        delivery=delivery_out(definitions, one, person, broadcasts.names(session)),
        story=_story(session, definitions, one, zone),
        html=html,
        text=text,
    )


@router.get("/{id}/again")
def before_sending_again(id: RowId, user: SignedIn, post: ThePost, session: Reading) -> AgainSlip:
    """What sending it again would mean now. Posts nothing."""
    definitions = definitions_in(post, session)
    slip, found = again.look(session, definitions, id, now_in(session)), log.find(session, id)
    if slip is None or found is None:
        raise HTTPException(404, "There is no such delivery.")
    one, person = found
    to = to_whom(one.recipients) or f"{person.name} ({person.email})"
    return AgainSlip(to=to, subject=slip.subject, against=slip.against, remarks=slip.remarks)


@router.post("/{id}/again", status_code=201)
def send_again(id: RowId, user: SignedIn, post: ThePost, session: Writing) -> SentAgain:
    """Send a letter again, or after all, by hand and at once, in its newest text. 409 when something stands against it."""
    try:
        return SentAgain(
            id=again.send(session, definitions_in(post, session), id, now_in(session), user.name)
        )
    except again.CantSend as error:
        raise HTTPException(409, str(error)) from error


def _story(session: Session, definitions: Definitions, one: Logged, zone: str) -> list[str]:
    if one.again_of is not None:
        return _story_of_again(session, one, zone)
    if one.broadcast is not None:
        return _story_of_broadcast(session, definitions, one, one.broadcast, zone)
    told = log.told(session, one)
    return story(
        definitions,
        told.plan,
        told.events.get(told.cause),
        told.trail,
        told.events,
        started=told.started,
        zone=zone,
        purpose=one.purpose,
        status=one.status,
        reason=one.reason,
        at=one.at,
        holds=one.holds,
        to=one.recipients,
    )


def _story_of_again(session: Session, one: Logged, zone: str) -> list[str]:
    found = log.find(session, one.again_of or 0)
    before = (
        f", after the one of {words.moment(found[0].at, zone)} ({STATUS_WORDS[found[0].status]})"
        if found
        else ""
    )
    told = [f"{one.sent_by or 'The owner'} sent it again by hand ({words.moment(one.at, zone)}){before}."]
    if one.status in ("skipped", "stuck", "bounced", "unsure"):
        told.append(words.reason(one.reason))
    return told


def _story_of_broadcast(
    session: Session, definitions: Definitions, one: Logged, key: str, zone: str
) -> list[str]:
    kept = broadcasts.find(session, key)
    return broadcast_story(
        (kept.broadcast.name if kept else "") or key,
        zone,
        started=kept.started if kept else None,
        purpose=one.purpose,
        status=one.status,
        reason=one.reason,
        at=one.at,
        holds=one.holds,
        inside=log.inside_at(session, definitions, one),
        until=broadcasts.again_at(session, key, one.student_id),
    )
