"""Test letters: posted to whoever is signed in and to those who read proofs, marked as tests; they count nowhere."""

from __future__ import annotations

import secrets
from dataclasses import replace

from fastapi import HTTPException
from pydantic import BaseModel, Field, field_validator

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Subject
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.letters import Letter
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.post.carriers import NotTaken, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.post.message import message, message_id
from patient_courier.store.outbox.mailroom import find_by_message_id
from patient_courier.store.school.users import User
from patient_courier.store.students.people import Person
from patient_courier.web.drafts_only import check_test, hides_addresses
from patient_courier.web.preview import rendered_about

MOST_PROOFREADERS = 10


class TestIn(BaseModel):
    """Whose eyes to see it with, and who reads it beside oneself."""

    student: str = Field(max_length=200)
    readers: list[str] = Field([], max_length=MOST_PROOFREADERS)

    @field_validator("readers")
    @classmethod
    def _readers(cls, value: list[str]) -> list[str]:
        return [check_email(address.strip()) for address in value if address.strip()]


class TestOut(BaseModel):
    """Where it went; ``mail`` opens it, where the mailroom has it."""

    to: list[str]
    subject: str
    mail: int | None


def post_test(
    post: Post,
    definitions: Definitions,
    user: User,
    body: TestIn,
    person: Person,
    letter: Letter,
    subject: Subject | None,
    mark: str = "Test",
) -> TestOut:
    """Post one letter as this student would see it, with a mark before its subject and links that do nothing.

    409 with a sentence when it can't go out.
    """
    check_test(user, body.readers)
    links = post.signer.nowhere()
    with post.database.reading() as session:
        now = read_clock(session).now
        try:
            seen = rendered_about(
                session, definitions, letter, person.id, subject, links, hidden=hides_addresses(user)
            )
        except ValueError as error:
            raise HTTPException(422, f"This letter can't be drawn: {error}") from error
    if seen.blank:
        raise HTTPException(409, f"{seen.blank} Give it a fallback, or see it as another student.")
    test = replace(seen.rendered, subject=f"{mark}: {seen.rendered.subject}")
    id = message_id(0, seen.sender.email).replace("delivery-0", f"test-{secrets.token_hex(8)}")
    to = list(dict.fromkeys([user.email, *body.readers]))
    try:
        post.post_now(
            message(
                test,
                seen.sender,
                links,
                message_id=id,
                to=[(user.name if address == user.email else "", address) for address in to],
                date=now,
                comments=f"A test, as {person.name} would get it.",
                calendar=seen.files,
            )
        )
    except (NotTaken, Unsure, Unfit) as error:
        raise HTTPException(409, f"The test could not be posted: {error}") from error
    with post.database.reading() as session:
        return TestOut(to=to, subject=test.subject, mail=find_by_message_id(session, id))
