"""Ratings that students gave, and the words they left beside them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from sqlalchemy import Select, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.completion.feedback import LOW, Rating
from patient_courier.core.school.file import Words
from patient_courier.store.base.tables import DeliveryRow, EventRow, RunRow, StudentRow, WordsRow
from patient_courier.store.students.people import PAGE, Person, person_of


@dataclass(frozen=True, slots=True)
class Said:
    """What a student wrote or answered: ``value`` is their rating, ``done`` when the owner is through with it."""

    id: int
    student: Person
    letter: str
    course: str | None
    answer: str
    value: int | None
    words: str
    at: Instant
    done: bool


def note(
    session: Session,
    student: int,
    letter: str,
    course: str | None,
    answer: str,
    value: int | None,
    at: Instant,
    words: str | None = None,
) -> None:
    """Keep a student's rating, or the words beside it; what is low waits for the owner. ``words`` None: left as they are."""
    low = value is not None and value <= LOW
    put = insert(WordsRow).values(
        student_id=student, letter=letter, course=course or "", answer=answer, value=value, words=words or "", at=at, done=not low
    )  # fmt: skip
    again = {"answer": answer, "value": value, "at": at, "done": not low}
    if words is not None:
        again["words"] = words
    session.execute(put.on_conflict_do_update(index_elements=["student_id", "letter", "course"], set_=again))


def ratings(session: Session, scales: Mapping[str, Mapping[str, int]]) -> list[Rating]:
    """The newest rating of each student to each letter and course. ``scales``: what the answers of each letter count."""
    if not scales:
        return []
    sent = _sent(session, list(scales))
    words = {(row.student_id, row.letter, row.course): row.words for row in session.scalars(select(WordsRow))}
    found: dict[tuple[int, str, str | None], Rating] = {}
    answered = select(EventRow.student_id, EventRow.at, EventRow.names).where(EventRow.type == "answered")
    for student, at, names in session.execute(answered.order_by(EventRow.number)):
        letter = names["letter"]
        value = scales.get(letter, {}).get(names["answer"])
        if value is not None:
            times = sent.get((student, letter), [])
            course = next((course for then, course in reversed(times) if then <= at), None)
            said = words.get((student, letter, course or ""), "")
            found[student, letter, course] = Rating(student, letter, course, value, at, said)
    return list(found.values())


def _sent(session: Session, letters: list[str]) -> dict[tuple[int, str], list[tuple[Instant, str | None]]]:
    """When these letters went out to each student, and which course each was about, the oldest first."""
    rows = session.execute(
        select(DeliveryRow.student_id, DeliveryRow.letter, DeliveryRow.at, DeliveryRow.course, RunRow.subject)
        .outerjoin(RunRow, RunRow.number == DeliveryRow.run)
        .where(
            DeliveryRow.letter.in_(letters), DeliveryRow.status == "sent", DeliveryRow.recipients.is_(None)
        )
        .order_by(DeliveryRow.at, DeliveryRow.id)
    )
    found: dict[tuple[int, str], list[tuple[Instant, str | None]]] = {}
    for student, letter, at, course, subject in rows:
        if course is None and subject:
            course = next((key for kind, key in subject["objects"] if kind == "course"), None)
        found.setdefault((student, letter), []).append((at, course))
    return found


def asked(session: Session, letters: list[str], course: str) -> int:
    """How many students were asked about a course by any of these letters."""
    sent = _sent(session, letters) if letters else {}
    return len(
        {student for (student, _), times in sent.items() if any(about == course for _, about in times)}
    )


def waiting(session: Session) -> list[Said]:
    """Low answers the owner has not seen to, the newest first."""
    query = _all().where(WordsRow.done.is_(False)).order_by(WordsRow.at.desc()).limit(PAGE)
    return [_said(*row) for row in session.execute(query)]


def between(session: Session, since: Instant, until: Instant, most: int) -> list[Said]:
    """What was said in a stretch of time, those with words first, then the lowest; at most so many."""
    query = _all().where(WordsRow.at >= since, WordsRow.at < until)
    query = query.order_by(WordsRow.words == "", WordsRow.value, WordsRow.at.desc()).limit(most)
    return [_said(*row) for row in session.execute(query)]


def of_student(session: Session, student: int) -> list[Said]:
    """What a student has answered and written, the newest first."""
    query = _all().where(WordsRow.student_id == student).order_by(WordsRow.at.desc())
    return [_said(*row) for row in session.execute(query)]


def put_aside(session: Session, id: int) -> None:
    """The owner has seen to it."""
    session.execute(update(WordsRow).where(WordsRow.id == id).values(done=True))


def exported(session: Session) -> list[Words]:
    """All of it as the school file has it."""
    return [
        Words(
            student=one.student.key,
            letter=one.letter,
            course=one.course,
            answer=one.answer,
            value=one.value,
            words=one.words,
            at=one.at,
            done=one.done,
        )
        for one in (_said(*row) for row in session.execute(_all().order_by(WordsRow.id)))
    ]


def put_in(session: Session, words: Iterable[Words], ids: Mapping[str, int]) -> None:
    """Keep what a school file has; ``ids`` are the rows of its students by their keys."""
    for one in words:
        if one.student in ids:
            note(session, ids[one.student], one.letter, one.course, one.answer, one.value, one.at, one.words)
            if one.done:
                same = (WordsRow.student_id == ids[one.student], WordsRow.letter == one.letter)
                about = WordsRow.course == (one.course or "")
                session.execute(update(WordsRow).where(*same, about).values(done=True))


def _all() -> Select[WordsRow, StudentRow]:
    return select(WordsRow, StudentRow).join(StudentRow, StudentRow.id == WordsRow.student_id)


def _said(row: WordsRow, student: StudentRow) -> Said:
    person, course = person_of(student), row.course or None
    return Said(row.id, person, row.letter, course, row.answer, row.value, row.words, row.at, row.done)
