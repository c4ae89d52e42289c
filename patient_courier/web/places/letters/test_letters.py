"""Send me a test: of a broadcast, of a letter while it is written, of every letter of a sequence in one go."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException

from patient_courier.core.engine.broadcasting import subject_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Subject
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Send
from patient_courier.core.writing.example import example_subject
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students.people import Person
from patient_courier.web.context import SignedIn, ThePost, definitions_in
from patient_courier.web.places.broadcasts.broadcasts import edition_of_text, found_broadcast, letters_of
from patient_courier.web.places.letters.letters import read_letter
from patient_courier.web.places.sequences.sequences import found_plan
from patient_courier.web.places.students.page import find_student
from patient_courier.web.test_letters import TestIn, TestOut, post_test

router = APIRouter(prefix="/api", tags=["letters"])


class LetterTestIn(TestIn):
    """A letter as it stands in the editor; ``course`` is what it is about."""

    letter: dict[str, Any]
    course: str | None = None


@router.post("/broadcasts/{key}/test")
def test_broadcast(key: str, body: TestIn, user: SignedIn, post: ThePost) -> TestOut:
    """The letter of a broadcast, or each of its versions, about what the broadcast is about."""
    with post.database.reading() as session:
        kept = found_broadcast(session, key)
        definitions, person = definitions_in(post, session), find_student(session, body.student)
        now = read_clock(session).now
    letters, subject = letters_of(definitions, kept.broadcast), subject_of(kept.broadcast)
    tests = [
        post_test(
            post,
            definitions,
            user,
            body,
            person,
            ready.letter,
            subject,
            f"Test {number} of {len(letters)}" if len(letters) > 1 else "Test",
        )
        for number, ready in enumerate(letters, start=1)
    ]
    with post.database.writing() as session:
        broadcasts.note(session, key, tested=edition_of_text(letters), tested_at=now)
    return tests[0]


@router.post("/letters/{key}/test")
def test_letter(key: str, body: LetterTestIn, user: SignedIn, post: ThePost) -> TestOut:
    """A letter as it is written, saved or not."""
    definitions, person = _about(post, body.student)
    letter = read_letter({**body.letter, "key": key}, definitions)
    subject = _example(post, definitions, letter, person, body.course)
    return post_test(post, definitions, user, body, person, letter, subject)


@router.post("/sequences/{key}/test")
def test_sequence(key: str, body: TestIn, user: SignedIn, post: ThePost) -> list[TestOut]:
    """Every letter that a sequence posts to its students, in its order, each numbered."""
    definitions, person = _about(post, body.student)
    plan = found_plan(definitions, key)
    keys = [
        key for place in plan.places.values() if isinstance(place.step, Send) for key in place.step.letters
    ]
    letters = [definitions.letters[one].letter for one in keys if one in definitions.letters]
    if not letters:
        raise HTTPException(409, "This sequence posts no letter yet.")
    return [
        post_test(
            post,
            definitions,
            user,
            body,
            person,
            letter,
            _example(post, definitions, letter, person, None),
            f"Test {number} of {len(letters)}",
        )
        for number, letter in enumerate(letters, 1)
    ]


def _about(post: Post, student: str) -> tuple[Definitions, Person]:
    with post.database.reading() as session:
        return definitions_in(post, session), find_student(session, student)


def _example(
    post: Post, definitions: Definitions, letter: Letter, person: Person, course: str | None
) -> Subject | None:
    """What a letter is about that no run posts: a course of the student's, with examples of its parts."""
    with post.database.reading() as session:
        state = load_states(session, [person.id], definitions)[person.id]
    return example_subject(definitions, letter.key, list(state.facts.enrolments), course)
