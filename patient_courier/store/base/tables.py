"""The tables. Facts are rows of their own, so that audiences can be picked in SQL."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, LargeBinary, MetaData, Text, UniqueConstraint, text, true
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.columns import InstantColumn, Packed

# Deliveries that something is still to be done about. A question about them must say these very words beside its own:
# only then SQLite sees that the small index of them serves it (SQLite's documentation, “Partial Indexes”, section 3).
WAITING_WORDS = "status IN ('queued', 'posting', 'stuck', 'unsure', 'held')"
# A letter in one of these states counts as sent: it has been decided on and is on its way or there.
POSTED = ("queued", "posting", "sent", "bounced", "unsure")


class Table(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {Instant: InstantColumn, dict[str, Any]: Packed, list[Any]: Packed, str: Text}


def _student() -> Mapped[int]:
    return mapped_column(ForeignKey("students.id", ondelete="CASCADE"), primary_key=True)


# What the school has decided.


class SchoolRow(Table):
    """One row: the school itself, and the stamp that changes with every change of definitions."""

    __tablename__ = "school"
    id: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]
    practice: Mapped[bool]
    stamp: Mapped[int]


class ClockRow(Table):
    """One row in a practice school: where its clock stands, and where it is moving to."""

    __tablename__ = "clock"
    id: Mapped[int] = mapped_column(primary_key=True)
    now: Mapped[Instant]
    moving_to: Mapped[Instant | None]


class SecretRow(Table):
    __tablename__ = "secrets"
    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str]


class UserRow(Table):
    __tablename__ = "users"
    id: Mapped[int] = mapped_column(primary_key=True)
    email: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    role: Mapped[str]
    password: Mapped[str]


class SessionRow(Table):
    """Somebody who is signed in: only a hash of the token in their cookie is kept."""

    __tablename__ = "sessions"
    token: Mapped[str] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id", ondelete="CASCADE"), index=True)
    began: Mapped[Instant]


class CourseRow(Table):
    __tablename__ = "courses"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    body: Mapped[dict[str, Any]]


class OfferRow(Table):
    __tablename__ = "offers"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    body: Mapped[dict[str, Any]]


class LetterRow(Table):
    __tablename__ = "letters"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    version: Mapped[int]


class LetterVersionRow(Table):
    __tablename__ = "letter_versions"
    key: Mapped[str] = mapped_column(ForeignKey("letters.key"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    saved: Mapped[Instant]
    body: Mapped[dict[str, Any]]


class SequenceRow(Table):
    __tablename__ = "sequences"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    status: Mapped[str]
    version: Mapped[int]
    paused_after: Mapped[int | None]  # the last event before it was paused, while it is
    unfinished: Mapped[str | None]  # of a draft: JSON text of a form that can't be read yet, kept as it is


class SequenceVersionRow(Table):
    __tablename__ = "sequence_versions"
    key: Mapped[str] = mapped_column(ForeignKey("sequences.key"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    saved: Mapped[Instant]
    body: Mapped[dict[str, Any]]


class BroadcastRow(Table):
    """A broadcast; ``body`` is its form in the school file.

    Status: draft, scheduled (starts at ``due``, not before ``not_before`` of the real time), going, paused, stopped,
    done. ``pace`` is letters a minute, ``next_slot`` (real time) when the next may go. ``tested`` is the version of the
    letter that the owner has seen in their own inbox; ``again_of`` the broadcast whose silent readers this one is for.
    """

    __tablename__ = "broadcasts"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    status: Mapped[str]
    body: Mapped[dict[str, Any]]
    saved: Mapped[Instant]
    due: Mapped[Instant | None]
    not_before: Mapped[Instant | None]
    planned: Mapped[dict[str, Any] | None]  # day and zone of the draft, while it goes out at once instead
    started: Mapped[Instant | None]
    ended: Mapped[Instant | None]
    recipients: Mapped[int | None]
    pace: Mapped[int | None]
    next_slot: Mapped[Instant | None]
    tested: Mapped[int | None]
    tested_at: Mapped[Instant | None]
    again_of: Mapped[str | None]
    audience: Mapped[str | None]  # the audience its conditions were copied from, as it was saved then
    audience_saved: Mapped[Instant | None]


class PostingRow(Table):
    """One student on the list of a broadcast that has started, by their number on it; ``done``: decided for good."""

    __tablename__ = "postings"
    broadcast: Mapped[str] = mapped_column(ForeignKey("broadcasts.key", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    moment: Mapped[Instant]
    due: Mapped[Instant | None]
    too_late: Mapped[bool]
    inside_since: Mapped[Instant | None]
    held: Mapped[list[Any]]
    done: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (Index("ix_postings_due", "broadcast", "due", "number", sqlite_where=text("NOT done")),)


class AudienceRow(Table):
    """A condition saved under a name."""

    __tablename__ = "audiences"
    key: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    saved: Mapped[Instant]
    condition: Mapped[dict[str, Any]]


class LayoutRow(Table):
    """A frame round letters."""

    __tablename__ = "layouts"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    body: Mapped[dict[str, Any]]


class PictureRow(Table):
    """An uploaded picture, made anew from what was sent; the key is a digest of it with its ending."""

    __tablename__ = "pictures"
    key: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    uploaded: Mapped[Instant]
    body: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class ProofRow(Table):
    """Who is shown the next real deliveries of a letter, and how many are ``left``."""

    __tablename__ = "proofs"
    letter: Mapped[str] = mapped_column(primary_key=True)
    readers: Mapped[list[Any]]
    left: Mapped[int]


# Students and what is known about them.


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
    )


class EnrolmentRow(Table):
    __tablename__ = "enrolments"
    student_id: Mapped[int] = _student()
    course: Mapped[str] = mapped_column(primary_key=True)
    via: Mapped[str]
    began: Mapped[Instant]
    offer: Mapped[str | None]
    refunded: Mapped[Instant | None]
    expired: Mapped[Instant | None]
    __table_args__ = (Index("ix_enrolments_course", "course"),)


class PurchaseRow(Table):
    __tablename__ = "purchases"
    student_id: Mapped[int] = _student()
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
    student_id: Mapped[int] = _student()
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
    student_id: Mapped[int] = _student()
    course: Mapped[str] = mapped_column(primary_key=True)
    percent: Mapped[int]
    __table_args__ = (Index("ix_progress_course_percent", "course", "percent"),)


class CertificateRow(Table):
    __tablename__ = "certificates"
    student_id: Mapped[int] = _student()
    course: Mapped[str] = mapped_column(primary_key=True)
    requested: Mapped[Instant | None]
    issued: Mapped[Instant | None]
    declined: Mapped[Instant | None]  # when the owner put the request aside


class PrintRow(Table):
    """A certificate as it is printed, by its number; ``name`` None: as in the student's record.

    ``design`` is a key of designs, ``place`` the certificate's in the list that says which were taken back,
    ``changed`` when its credential last became another one.
    """

    __tablename__ = "prints"
    code: Mapped[str] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    course: Mapped[str]
    name: Mapped[str | None]
    issued: Mapped[Instant]
    revoked: Mapped[bool] = mapped_column(default=False)
    design: Mapped[str | None]
    place: Mapped[int | None]
    changed: Mapped[Instant | None]
    __table_args__ = (
        Index("ix_prints_issued", "issued"),
        Index("ix_prints_place", "place", unique=True),
    )


class DesignRow(Table):
    """What stands on certificates, kept under its digest: what was issued keeps its design."""

    __tablename__ = "designs"
    key: Mapped[str] = mapped_column(primary_key=True)
    body: Mapped[str]


class VoidPlaceRow(Table):
    """The place of a certificate that was taken back and whose student was erased: its credential stays void."""

    __tablename__ = "void_places"
    place: Mapped[int] = mapped_column(primary_key=True)


class SigningKeyRow(Table):
    """A key that credentials are signed with. ``private`` None: brought from elsewhere without it, for checking alone."""

    __tablename__ = "signing_keys"
    number: Mapped[int] = mapped_column(primary_key=True)
    made: Mapped[Instant]
    private: Mapped[str | None]
    public: Mapped[str]
    distrusted: Mapped[Instant | None]


class WordsRow(Table):
    """What a student wrote after an answer: ``value`` is what the answer counts, ``done`` when it needs the owner no more."""

    __tablename__ = "words"
    id: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"))
    letter: Mapped[str]
    course: Mapped[str]  # empty without one
    answer: Mapped[str]
    value: Mapped[int | None]
    words: Mapped[str]
    at: Mapped[Instant]
    done: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (
        UniqueConstraint("student_id", "letter", "course"),
        Index("ix_words_open", "at", sqlite_where=text("NOT done")),
    )


class TagRow(Table):
    __tablename__ = "tags"
    student_id: Mapped[int] = _student()
    tag: Mapped[str] = mapped_column(primary_key=True)
    __table_args__ = (Index("ix_tags_tag", "tag"),)


class HelpStopRow(Table):
    __tablename__ = "help_stops"
    student_id: Mapped[int] = _student()
    course: Mapped[str] = mapped_column(primary_key=True)


class ActivityRow(Table):
    __tablename__ = "activity"
    student_id: Mapped[int] = _student()
    course: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[Instant]


class ReadingRow(Table):
    __tablename__ = "readings"
    student_id: Mapped[int] = _student()
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


# What happened, and what the post does about it.


class EventRow(Table):
    """Every event, reported or derived, by its number; ``cause`` is the event it follows from.

    ``reported``: it came from outside, with ``reported_id`` if the site gave it one.
    """

    __tablename__ = "events"
    number: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"))
    type: Mapped[str]
    at: Mapped[Instant]
    cause: Mapped[int | None]
    names: Mapped[dict[str, Any]]
    reported: Mapped[bool] = mapped_column(default=False)
    reported_id: Mapped[str | None]
    __table_args__ = (
        Index("ix_events_student_id_number", "student_id", "number"),
        Index("ix_events_type_at", "type", "at"),
    )


class EventIdRow(Table):
    """The ids of events that reporting sites have sent; a repeated one changes nothing."""

    __tablename__ = "event_ids"
    id: Mapped[str] = mapped_column(primary_key=True)


class RunRow(Table):
    __tablename__ = "runs"
    number: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    sequence: Mapped[str]
    version: Mapped[int]
    subject: Mapped[dict[str, Any] | None]
    started: Mapped[Instant]
    event_at: Mapped[Instant]
    event_number: Mapped[int]
    cause: Mapped[int]
    outcome: Mapped[str | None]
    ended: Mapped[Instant | None]
    step: Mapped[str | None]
    due: Mapped[Instant | None]
    arrived: Mapped[Instant | None]
    walked: Mapped[bool]
    arriving: Mapped[bool] = mapped_column(default=False)
    steps_at: Mapped[Instant | None]
    steps: Mapped[int]
    holds: Mapped[list[Any]]
    rounds: Mapped[dict[str, Any]]
    passed: Mapped[dict[str, Any]]
    trail: Mapped[list[Any]]
    __table_args__ = (
        Index("ix_runs_due", "due", "number", sqlite_where=text("due IS NOT NULL AND outcome IS NULL")),
        Index("ix_runs_sequence", "sequence", "version", "outcome"),
    )


class DeliveryRow(Table):
    """One letter for one student, with what became of it; also the outbox (status ``queued``).

    A broadcast's has run 0, the broadcast's key as ``step`` and the student's id as ``round``: so there is one of each.

    Status: held, queued, posting (handed to the carrier, no answer yet), sent,
    skipped, stuck, dropped, bounced, unsure (the carrier can't say).
    """

    __tablename__ = "deliveries"
    id: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"))
    run: Mapped[int]
    step: Mapped[str]
    round: Mapped[str]
    sequence: Mapped[str]
    letter: Mapped[str]
    letter_version: Mapped[int]
    purpose: Mapped[str]
    status: Mapped[str]
    reason: Mapped[str | None]
    subject: Mapped[str]
    at: Mapped[Instant]
    posted: Mapped[Instant | None]
    handed: Mapped[Instant | None]  # in real time: when the carrier had it
    recipients: Mapped[list[Any] | None]
    holds: Mapped[list[Any]]
    values: Mapped[dict[str, Any]]
    story: Mapped[int]
    tries: Mapped[int] = mapped_column(default=0)
    retry: Mapped[Instant | None]
    broadcast: Mapped[str | None]
    course: Mapped[str | None]  # what its broadcast is about
    claimed: Mapped[str | None]  # while it is being posted: the start of the computer in which it was claimed
    begun: Mapped[bool] = mapped_column(default=False)  # handing it over may have begun
    seen: Mapped[bool] = mapped_column(default=False)
    again_of: Mapped[int | None]  # sent again by hand: the delivery it repeats
    sent_by: Mapped[str | None]  # and who did it
    __table_args__ = (
        UniqueConstraint("run", "step", "round"),
        Index("ix_deliveries_student_id_at", "student_id", "at"),
        Index("ix_deliveries_at", "at"),
        Index("ix_deliveries_broadcast", "broadcast", "status", sqlite_where=text("broadcast IS NOT NULL")),
        Index("ix_deliveries_letter_student_id_at", "letter", "student_id", "at"),
        Index(
            "ix_deliveries_waiting",
            "status",
            "id",
            sqlite_where=text(WAITING_WORDS),
        ),
    )


class VisitRow(Table):
    """A link of a letter that was followed, or its picture that was loaded (``link`` None).

    ``real`` is real time; ``machine`` says why it is put down to a machine; ``settled``: it has been decided which.
    """

    __tablename__ = "visits"
    id: Mapped[int] = mapped_column(primary_key=True)
    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id", ondelete="CASCADE"), index=True)
    at: Mapped[Instant]
    real: Mapped[Instant]
    link: Mapped[str | None]
    machine: Mapped[str | None]
    settled: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (Index("ix_visits_unsettled", "real", sqlite_where=text("NOT settled")),)


class ReturnRow(Table):
    """What the mail world has reported of a delivery: ``hard``, ``soft`` or ``complaint``; ``code`` as RFC 3463 has it."""

    __tablename__ = "returns"
    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(unique=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id", ondelete="CASCADE"), index=True)
    at: Mapped[Instant]
    kind: Mapped[str]
    code: Mapped[str]
    said: Mapped[str]


class MoveRow(Table):
    """A student's new address, confirmed there; it holds from ``due`` (school time) unless the old one says no before."""

    __tablename__ = "moves"
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), primary_key=True)
    before: Mapped[str]
    after: Mapped[str]
    due: Mapped[Instant] = mapped_column(index=True)


class TroubleRow(Table):
    """What the mailroom plays for an address, and how often it still does (-1: always)."""

    __tablename__ = "troubles"
    recipient: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    times: Mapped[int]


class CallRow(Table):
    """A signed HTTP POST that a step asks for: queued, sent, failed, or kept (practice schools call nobody)."""

    __tablename__ = "calls"
    id: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    run: Mapped[int]
    step: Mapped[str]
    round: Mapped[str]
    url: Mapped[str]
    at: Mapped[Instant]
    status: Mapped[str]
    reason: Mapped[str | None]
    tries: Mapped[int] = mapped_column(default=0)
    retry: Mapped[Instant | None]
    __table_args__ = (
        UniqueConstraint("run", "step", "round"),
        Index("ix_calls_queued", "id", sqlite_where=text("status = 'queued'")),
    )


class KeptRehearsalRow(Table):
    """A rehearsal kept as a check of its sequence: the student, the moves, and what came of them."""

    __tablename__ = "kept_rehearsals"
    id: Mapped[int] = mapped_column(primary_key=True)
    sequence: Mapped[str] = mapped_column(ForeignKey("sequences.key", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    saved: Mapped[Instant]
    body: Mapped[dict[str, Any]]
    outcome: Mapped[list[Any]]
    seen: Mapped[list[Any]]  # what came of them when last played; differs from outcome until the owner agrees


class MailRow(Table):
    """A message the mailroom has taken in, whole."""

    __tablename__ = "mail"
    id: Mapped[int] = mapped_column(primary_key=True)
    message_id: Mapped[str] = mapped_column(unique=True)
    recipient: Mapped[str] = mapped_column(index=True)
    sent: Mapped[Instant]
    subject: Mapped[str]
    raw: Mapped[bytes] = mapped_column(LargeBinary)
    opened: Mapped[bool] = mapped_column(default=False)


class ProblemRow(Table):
    """Something that waits for the owner in Needs you: an event that could not be read, a run in circles."""

    __tablename__ = "problems"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    at: Mapped[Instant]
    reason: Mapped[str]
    body: Mapped[dict[str, Any]]
    digest: Mapped[str | None] = mapped_column(unique=True)
    done: Mapped[bool] = mapped_column(default=False)
