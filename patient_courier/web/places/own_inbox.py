"""Test letters: the owner sees a letter in their own inbox, as one student would. They count nowhere."""

from __future__ import annotations

import secrets
from dataclasses import replace

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.broadcasting import subject_of
from patient_courier.dispatch.clock import read_clock
from patient_courier.post.carriers import NotTaken, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.post.message import message, message_id
from patient_courier.store import broadcasts
from patient_courier.store.mail import find_by_message_id
from patient_courier.web.context import SignedIn, ThePost, definitions_in
from patient_courier.web.places.broadcasts import found_broadcast
from patient_courier.web.places.students import find_student
from patient_courier.web.preview import PREVIEW_LINKS, rendered_about

router = APIRouter(prefix="/api/broadcasts", tags=["broadcasts"])


class TestIn(BaseModel):
    """Whose eyes to see it with."""

    student: str = Field(max_length=200)


class TestOut(BaseModel):
    """Where it went; ``mail`` opens it, where the mailroom has it."""

    to: str
    subject: str
    mail: int | None


@router.post("/{key}/test")
def send_test(key: str, body: TestIn, user: SignedIn, post: ThePost) -> TestOut:
    """Post the letter to whoever is signed in, with “Test” before its subject and links that do nothing."""
    with post.database.reading() as session:
        kept = found_broadcast(session, key)
        definitions = definitions_in(post, session)
        ready = definitions.letters[kept.broadcast.letter]
        person = find_student(session, body.student)
        now = read_clock(session).now
        subject = subject_of(kept.broadcast)
        try:
            rendered, blank = rendered_about(session, definitions, ready.letter, person.id, subject)
        except ValueError as error:
            raise HTTPException(422, f"This letter can't be drawn: {error}") from error
    if blank:
        raise HTTPException(409, f"{blank} Give it a fallback, or see it as another student.")
    school = definitions.school
    test = replace(rendered, subject=f"Test: {rendered.subject}")
    id = message_id(0, school.sender.email).replace("delivery-0", f"test-{secrets.token_hex(8)}")
    try:
        to = [(user.name, user.email)]
        post.post_now(message(test, school, PREVIEW_LINKS, message_id=id, to=to, date=now))
    except (NotTaken, Unsure, Unfit) as error:
        raise HTTPException(409, f"The test could not be posted: {error}") from error
    with post.database.writing() as session:
        broadcasts.note(session, key, tested=ready.version, tested_at=now)
        return TestOut(to=user.email, subject=test.subject, mail=find_by_message_id(session, id))
