"""How many: letters by step and by letter, runs by outcome, events of a week."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import func, select, tuple_
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.courses.course_line import hung
from patient_courier.core.engine.definitions import Definitions
from patient_courier.store.base.tables import POSTED, DeliveryRow, ErasedRow, EventRow, ReadingRow, RunRow


@dataclass(slots=True)
class StepFigures:
    """Letters of one step: sent, skipped and stuck ever.

    ``opened`` is how many students opened the letter since, as far as openings are
    reported; ``waiting`` is how many stand there now.
    """

    sent: int = 0
    opened: int = 0
    skipped: int = 0
    stuck: int = 0
    waiting: int = 0


def runs_by_outcome(session: Session) -> dict[tuple[str, str | None], int]:
    """Runs by sequence and outcome; None are those inside now."""
    rows = session.execute(
        select(RunRow.sequence, RunRow.outcome, func.count()).group_by(RunRow.sequence, RunRow.outcome)
    )
    return {(sequence, outcome): number for sequence, outcome, number in rows}


def letters_sent(session: Session) -> dict[str, int]:
    rows = session.execute(
        select(DeliveryRow.letter, func.count())
        .where(DeliveryRow.status == "sent")
        .group_by(DeliveryRow.letter)
    )
    return dict(rows.all())


def sent_by_step(session: Session) -> dict[tuple[str, str], int]:
    d = DeliveryRow
    rows = session.execute(
        select(d.sequence, d.step, func.count()).where(d.status == "sent").group_by(d.sequence, d.step)
    )
    return {(sequence, step): number for sequence, step, number in rows}


def told_by_step(session: Session, definitions: Definitions, course: str) -> dict[tuple[str, str], set[int]]:
    """For each step that posts along a course: who got its letter (row ids), and who is inside and has yet to come to it."""
    hanging = {(one.sequence, one.step) for one in hung(definitions, course)}
    sequences = {sequence for sequence, _ in hanging}
    found: dict[tuple[str, str], set[int]] = {one: set() for one in hanging}
    d, r = DeliveryRow, RunRow
    # By their steps, so that the many letters of steps that hang nowhere are not fetched.
    got = (
        select(d.sequence, d.step, d.student_id)
        .where(tuple_(d.sequence, d.step).in_(hanging), d.status.in_(POSTED), d.recipients.is_(None))
        .distinct()
    )
    for sequence, step, student in session.execute(got):
        found[(sequence, step)].add(student)
    inside = select(r.sequence, r.version, r.step, r.student_id).where(
        r.sequence.in_(sequences), r.outcome.is_(None)
    )
    for sequence, version, here, student in session.execute(inside):
        plan = definitions.plans[(sequence, version)]
        if plan.sequence.status == "running":
            for step in plan.ahead_of(here):
                if (sequence, step) in found:
                    found[(sequence, step)].add(student)
    return found


def waiting_by_step(session: Session) -> dict[tuple[str, str], int]:
    """How many stand at each step now."""
    r = RunRow
    rows = session.execute(
        select(r.sequence, r.step, func.count())
        .where(r.outcome.is_(None), r.step.is_not(None))
        .group_by(r.sequence, r.step)
    )
    return {(sequence, step or ""): number for sequence, step, number in rows}


def step_figures(session: Session, sequence: str) -> dict[str, StepFigures]:
    """What became of the letters of each step of a sequence, and who stands there."""
    found: dict[str, StepFigures] = {}
    d, r, reading = DeliveryRow, RunRow, ReadingRow
    for step, status, number in session.execute(
        select(d.step, d.status, func.count()).where(d.sequence == sequence).group_by(d.step, d.status)
    ):
        figures = found.setdefault(step, StepFigures())
        if status in ("sent", "queued", "posting"):
            figures.sent += number
        elif status in ("skipped", "stuck"):
            setattr(figures, status, number)
    gone = select(ErasedRow.step, ErasedRow.outcome, ErasedRow.number).where(ErasedRow.of == sequence)
    for step, status, number in session.execute(gone):
        if status in ("sent", "skipped", "stuck"):
            figures = found.setdefault(step, StepFigures())
            setattr(figures, status, getattr(figures, status) + number)
    opened = (
        select(d.step, func.count(d.student_id.distinct()))
        .join(reading, (reading.student_id == d.student_id) & (reading.letter == d.letter))
        .where(d.sequence == sequence, d.status == "sent", d.recipients.is_(None), reading.opened >= d.at)
        .group_by(d.step)
    )
    for step, number in session.execute(opened):
        found[step].opened = number
    waiting = select(r.step, func.count()).where(r.sequence == sequence, r.outcome.is_(None)).group_by(r.step)
    for at, number in session.execute(waiting):
        found.setdefault(at or "", StepFigures()).waiting = number
    return found


def left_by_step(session: Session, sequence: str) -> dict[tuple[str, str], int]:
    """How many runs ended at each step without being finished: left, stopped or stuck there, by outcome and step."""
    r = RunRow
    asked = (
        select(r.outcome, r.step, func.count())
        .where(r.sequence == sequence, r.outcome.in_(("left", "stopped", "stuck")))
        .group_by(r.outcome, r.step)
    )
    return {(outcome or "", step or ""): number for outcome, step, number in session.execute(asked)}


def events_since(session: Session, since: Instant, types: Collection[str]) -> dict[str, int]:
    """How often events of these types have happened since."""
    rows = session.execute(
        select(EventRow.type, func.count())
        .where(EventRow.at > since, EventRow.type.in_(types))
        .group_by(EventRow.type)
    )
    return dict(rows.all())
