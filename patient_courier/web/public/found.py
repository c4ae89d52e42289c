"""Who a link in a letter is for, and what the letter was about."""

from __future__ import annotations

from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.letters import Letter
from patient_courier.dispatch.dispatcher import Post
from patient_courier.post.look import Look, look_of
from patient_courier.store.outbox import log
from patient_courier.store.outbox.log import Logged
from patient_courier.store.students.people import Person
from patient_courier.web.context import Session, definitions_in, now_in
from patient_courier.web.public.pages import NoLink


@dataclass(frozen=True, slots=True)
class Found:
    """A delivery that a link belongs to; ``course`` is what its letter was about."""

    row: Logged
    student: Person
    letter: Letter
    course: str | None
    definitions: Definitions
    look: Look
    now: Instant

    @property
    def zone(self) -> str:
        return self.definitions.school.zone_of(self.student.timezone)

    @property
    def course_title(self) -> str | None:
        found = self.definitions.courses.get(self.course or "")
        return found.title if found else None


def find(post: Post, session: Session, place: str, token: str) -> Found:
    """What a token for this purpose names. Raises NoLink."""
    id = post.signer.delivery(place, token)
    if id is None:
        raise NoLink(old=post.signer.is_lost(place, token))
    found = log.find(session, id)
    if found is None:
        raise NoLink(old=True)
    row, student = found
    definitions = definitions_in(post, session)
    letter, course = log.letter_of(session, row), log.course_of(session, row)
    look = look_of(definitions, letter, course)
    return Found(row, student, letter, course, definitions, look, now_in(session))


def plain_look(post: Post, session: Session) -> Look:
    """The school's look, for pages that belong to no letter."""
    definitions = definitions_in(post, session)
    letter = Letter(key="page", purpose="service", subject="")
    return look_of(definitions, letter, None)
