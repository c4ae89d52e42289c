"""What programs read: students page by page, one student, the figures of each course."""

from __future__ import annotations

from collections import Counter
from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Query
from pydantic import BaseModel, ConfigDict

from patient_courier.core.courses.standing import is_silent
from patient_courier.core.engine.conditions import progress
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.fields import certificate_address, certificate_code
from patient_courier.core.engine.state import StudentState
from patient_courier.core.school.values import moment_text
from patient_courier.store.destinations.api_keys import ApiKey
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import paging, people
from patient_courier.store.students.standing import standings
from patient_courier.web.context import Reading, ThePost, definitions_in, now_in
from patient_courier.web.programs.keyed import may
from patient_courier.web.programs.problems import PLACE, PROBLEMS

router = APIRouter(prefix=PLACE, tags=["programs"], responses=PROBLEMS)
Reader = Annotated[ApiKey, Depends(may("read"))]
MOST = 100
# As in Today: who has done nothing in a course for so many days has gone silent there.
SILENT_DAYS = 14


class CourseOfStudent(BaseModel):
    """Where a student stands in a course: the status, how many percent are done, when it began and was finished (UTC).

    ``certificate`` is the page of the one that was issued."""

    course: str
    status: str
    progress: int
    began: str
    completed: str | None
    certificate: str | None


class ProgramStudent(BaseModel):
    """A student; ``news`` whether they get news, ``last_seen`` when they last did something in any course (UTC)."""

    model_config = ConfigDict(
        json_schema_extra={
            "examples": [
                {
                    "key": "ana.reis",
                    "email": "ana.reis@example.org",
                    "first_name": "Ana",
                    "last_name": "Reis",
                    "timezone": "Europe/Lisbon",
                    "news": True,
                    "tags": ["circle member"],
                    "fields": {},
                    "last_seen": "2026-03-02T18:20:00Z",
                    "courses": [
                        {
                            "course": "first-hive",
                            "status": "active",
                            "progress": 40,
                            "began": "2026-02-01T09:00:00Z",
                            "completed": None,
                            "certificate": None,
                        }
                    ],
                }
            ]
        }
    )
    key: str
    email: str
    first_name: str
    last_name: str
    timezone: str | None
    news: bool
    tags: list[str]
    fields: dict[str, str | int | float | bool | None]
    last_seen: str | None
    courses: list[CourseOfStudent]


class StudentsPage(BaseModel):
    """Some students in the order in which they came; ``next`` is what to send as ``after``, None at the end."""

    items: list[ProgramStudent]
    next: str | None


class CourseFigures(BaseModel):
    """How many are in a course now: ``active``, ``finished``, and ``silent`` of the active, who did nothing for 14 days."""

    course: str
    title: str
    active: int
    finished: int
    silent: int
    stands: dict[str, int]


@router.get("/students", operation_id="list_students")
def list_students(
    program: Reader,
    post: ThePost,
    session: Reading,
    after: Annotated[str | None, Query(max_length=20, pattern=r"^[0-9]{1,18}$")] = None,
    limit: Annotated[int, Query(ge=1, le=MOST)] = 50,
    email: Annotated[str | None, Query(max_length=320)] = None,
) -> StudentsPage:
    """Students, page by page. Nobody is passed over or told twice, however many come or go meanwhile.

    ``email``: only the one with this address.
    """
    definitions = definitions_in(post, session)
    ids = paging.ids_after(session, int(after or 0), limit + 1, email)
    states = load_states(session, ids[:limit], definitions)
    items = [program_student(definitions, states[id]) for id in ids[:limit]]
    return StudentsPage(items=items, next=str(ids[limit - 1]) if len(ids) > limit else None)


@router.get("/students/{key}", operation_id="get_student")
def get_student(key: str, program: Reader, post: ThePost, session: Reading) -> ProgramStudent:
    """One student, by their key."""
    person = people.find(session, key)
    if person is None:
        raise HTTPException(404, "There is no student with this key.")
    definitions = definitions_in(post, session)
    return program_student(definitions, load_states(session, [person.id], definitions)[person.id])


@router.get("/courses", operation_id="list_courses")
def list_courses(program: Reader, post: ThePost, session: Reading) -> list[CourseFigures]:
    """Every course with its figures; ``stands`` counts where the active ones stand, by the course's own keys."""
    definitions, now = definitions_in(post, session), now_in(session)
    found = []
    for course in definitions.courses.values():
        everyone = standings(session, definitions, course.key)
        active = [one for one in everyone if not one.finished]
        found.append(
            CourseFigures(
                course=course.key,
                title=course.title,
                active=len(active),
                finished=len(everyone) - len(active),
                silent=sum(is_silent(one, now, SILENT_DAYS) for one in active),
                stands=dict(Counter(one.stop for one in active)),
            )
        )
    return found


def program_student(definitions: Definitions, state: StudentState) -> ProgramStudent:
    """A student as programs read them."""
    student, facts = state.student, state.facts
    courses = []
    for key, enrolment in facts.enrolments.items():
        done, certificate = facts.courses.get(key), facts.certificates.get(key)
        code = certificate_code(definitions.seal, student.key, key)
        courses.append(
            CourseOfStudent(
                course=key,
                status=facts.status(key) or "",
                progress=progress(definitions, state, key) if key in definitions.courses else 0,
                began=moment_text(enrolment.began),
                completed=moment_text(done) if done else None,
                certificate=certificate_address(definitions.site, code)
                if certificate and certificate.issued
                else None,
            )
        )
    return ProgramStudent.model_validate(
        {
            "key": student.key,
            "email": student.email,
            "first_name": student.first_name or "",
            "last_name": student.last_name or "",
            "timezone": student.timezone,
            "news": facts.news,
            "tags": list(facts.tags),
            "fields": dict(student.fields),
            "last_seen": moment_text(facts.seen) if facts.seen else None,
            "courses": courses,
        }
    )
