"""Students and what is known about them."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, text, true
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table, student_key


class AudienceRow(Table):
    """A condition saved under a name."""

    __tablename__ = "audiences"
    key: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    saved: Mapped[Instant]
    condition: Mapped[dict[str, Any]]


class StudentRow(Table):
    __tablename__ = "students"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    email: Mapped[str] = mapped_column(index=True)
    first_name: Mapped[str | None]
    last_name: Mapped[str | None]
    timezone: Mapped[str | None]
    fields: Mapped[dict[str, Any]]
    news: Mapped[bool]
    news_at_first: Mapped[bool]  # as the student's record had it, before any event
    bounced: Mapped[bool]
    complained: Mapped[bool]
    first_event: Mapped[Instant | None]
    last_seen: Mapped[Instant | None]  # the last activity in any course, kept with the facts
    clock_done: Mapped[Instant | None]
    clock_due: Mapped[Instant | None]
    begun_at: Mapped[Instant | None]
    begun: Mapped[int] = mapped_column(default=0)
    tracked: Mapped[bool] = mapped_column(
        default=True, server_default=true()
    )  # clicks and openings may be noted
    __table_args__ = (
        Index("ix_students_clock_due", "clock_due", sqlite_where=text("clock_due IS NOT NULL")),
        # Addresses are looked for however they are written.
        Index("ix_students_email_lower", text("lower(email)")),
        # The order of the list of students.
        Index("ix_students_shown_name", text("lower(coalesce(nullif(first_name, ''), email))"), "id"),
        Index("ix_students_first_event", "first_event"),
        Index("ix_students_last_seen", "last_seen", "id"),
    )


class EnrolmentRow(Table):
    __tablename__ = "enrolments"
    student_id: Mapped[int] = student_key()
    course: Mapped[str] = mapped_column(primary_key=True)
    via: Mapped[str]
    began: Mapped[Instant]
    offer: Mapped[str | None]
    refunded: Mapped[Instant | None]
    expired: Mapped[Instant | None]
    __table_args__ = (Index("ix_enrolments_course", "course"),)


class PurchaseRow(Table):
    __tablename__ = "purchases"
    student_id: Mapped[int] = student_key()
    ordinal: Mapped[int] = mapped_column(primary_key=True)
    offer: Mapped[str]
    at: Mapped[Instant]
    refunded: Mapped[Instant | None]
    order: Mapped[str | None]


class LearntRow(Table):
    """A lesson, quiz, module or course in which a student has done something.

    ``at`` is when it was completed or passed; ``percent`` the most watched.
    """

    __tablename__ = "learnt"
    student_id: Mapped[int] = student_key()
    kind: Mapped[str] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[Instant | None]
    percent: Mapped[float | None]
    attempts: Mapped[int | None]
    score: Mapped[float | None]
    last: Mapped[Instant | None]
    __table_args__ = (
        Index("ix_learnt_kind_key", "kind", "key"),
        Index("ix_learnt_done", "student_id", "kind", "key", sqlite_where=text("at IS NOT NULL")),
    )


class ProgressRow(Table):
    """Lessons completed and quizzes passed of a course's outline as it is now, in whole percent, rounded down."""

    __tablename__ = "progress"
    student_id: Mapped[int] = student_key()
    course: Mapped[str] = mapped_column(primary_key=True)
    percent: Mapped[int]
    __table_args__ = (Index("ix_progress_course_percent", "course", "percent"),)


class TagRow(Table):
    __tablename__ = "tags"
    student_id: Mapped[int] = student_key()
    tag: Mapped[str] = mapped_column(primary_key=True)
    __table_args__ = (Index("ix_tags_tag", "tag"),)


class HelpStopRow(Table):
    __tablename__ = "help_stops"
    student_id: Mapped[int] = student_key()
    course: Mapped[str] = mapped_column(primary_key=True)


class ActivityRow(Table):
    __tablename__ = "activity"
    student_id: Mapped[int] = student_key()
    course: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[Instant]


class ReadingRow(Table):
    __tablename__ = "readings"
    student_id: Mapped[int] = student_key()
    letter: Mapped[str] = mapped_column(primary_key=True)
    opened: Mapped[Instant | None]
    clicked: Mapped[Instant | None]


class ConsentRow(Table):
    """What a student has agreed to or stopped: ``news_on``, ``news_off``, ``help_on`` or ``help_off`` with a course."""

    __tablename__ = "consents"
    id: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    at: Mapped[Instant]
    what: Mapped[str]
    course: Mapped[str | None]
    how: Mapped[str]
    by: Mapped[str]
    note: Mapped[str]


class ImportRow(Table):
    """A file of students that was taken in."""

    __tablename__ = "imports"
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[Instant]
    file: Mapped[str]
    new: Mapped[int]
    changed: Mapped[int]
    refused: Mapped[int]
    undone: Mapped[Instant | None]


class ImportedRow(Table):
    """What an import has changed of one student: ``fresh``, or what was there ``before``."""

    __tablename__ = "imported"
    import_id: Mapped[int] = mapped_column(ForeignKey("imports.id", ondelete="CASCADE"), primary_key=True)
    student_id: Mapped[int] = mapped_column(
        ForeignKey("students.id", ondelete="CASCADE"), primary_key=True, index=True
    )
    fresh: Mapped[bool]
    before: Mapped[dict[str, Any]]


class ErasedRow(Table):
    """Letters to students who have been erased, as numbers without a person; ``of`` a broadcast or a sequence."""

    __tablename__ = "erased"
    of: Mapped[str] = mapped_column(primary_key=True)
    step: Mapped[str] = mapped_column(primary_key=True)
    outcome: Mapped[str] = mapped_column(primary_key=True)
    number: Mapped[int]


class SignUpFormRow(Table):
    """A sign-up form; each save is another version, since people agree to the words of one."""

    __tablename__ = "sign_up_forms"
    key: Mapped[str] = mapped_column(primary_key=True)
    version: Mapped[int]
    body: Mapped[dict[str, Any]]


class SignUpRow(Table):
    """Somebody who has signed up and not confirmed yet; forgotten a week after ``at``. ``origin`` is their internet address."""

    __tablename__ = "sign_ups"
    id: Mapped[int] = mapped_column(primary_key=True)
    form: Mapped[str] = mapped_column(ForeignKey("sign_up_forms.key", ondelete="CASCADE"))
    version: Mapped[int]
    email: Mapped[str]
    body: Mapped[dict[str, Any]]
    consent: Mapped[str]
    origin: Mapped[str]
    at: Mapped[Instant] = mapped_column(index=True)


class MoveRow(Table):
    """A student's new address, confirmed there; it holds from ``due`` (school time) unless the old one says no before."""

    __tablename__ = "moves"
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), primary_key=True)
    before: Mapped[str]
    after: Mapped[str]
    due: Mapped[Instant] = mapped_column(index=True)
