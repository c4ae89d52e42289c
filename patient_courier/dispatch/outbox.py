"""Emptying the outbox: queued deliveries go to the carrier, each exactly once.

A delivery is marked as being posted before the carrier gets it and as sent
after the carrier has it. Found between the two after a crash, the mailroom is
asked whether it has the message; real SMTP can't say, so the owner decides.
"""

from __future__ import annotations

from collections.abc import Callable

import structlog
from sqlalchemy import select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.definitions import Definitions
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.post.carriers import NotTaken, SmtpCarrier, Unsure
from patient_courier.post.links import LinkSigner
from patient_courier.post.message import Rendered, message, render
from patient_courier.store.database import Database
from patient_courier.store.definitions import letter_version
from patient_courier.store.mail import has_message
from patient_courier.store.tables import DeliveryRow, HelpStopRow, RunRow, StudentRow

log = structlog.get_logger()
BATCH = 50
FIRST_RETRY_SECONDS, LONGEST_RETRY_SECONDS = 60, 3600


def message_id(delivery: int, sender: str) -> str:
    """The Message-ID of a delivery: always the same, so that a second copy would be known as one."""
    return f"delivery-{delivery}@{sender.rpartition('@')[2]}"


def render_delivery(
    session: Session, definitions: Definitions, row: DeliveryRow, signer: LinkSigner
) -> Rendered:
    """The letter of a delivery as the student sees it, now and ever: its version, its values."""
    letter = letter_version(session, row.letter, row.letter_version)
    student = session.get_one(StudentRow, row.student_id)
    zone = student.timezone or definitions.school.timezone
    return render(letter, definitions.school, row.values, zone, signer.links(row.id))


def stopped_since(session: Session, row: DeliveryRow, student: StudentRow) -> str | None:
    """Why a queued letter must not go out any more: the student has stopped it since it was decided.

    Between the two lie moments, or hours while a mail server takes nothing.
    """
    if row.recipients is not None:
        return None
    if student.bounced:
        return "address_bounced"
    if student.complained:
        return "complained"
    if row.purpose == "news" and not student.news:
        return "news_off"
    if row.purpose == "course_help":
        subject = session.scalar(select(RunRow.subject).where(RunRow.number == row.run)) or {"objects": []}
        course = dict(subject["objects"]).get("course")
        if course and session.get(HelpStopRow, (row.student_id, course)):
            return "course_help_off"
    return None


class Outbox:
    """Posts what is queued, through one carrier."""

    def __init__(
        self,
        database: Database,
        definitions: Callable[[Session], Definitions],
        carrier: SmtpCarrier,
        signer: LinkSigner,
        *,
        asks_mailroom: bool,
        on_bounce: Callable[[Session, str, Instant], None],
    ) -> None:
        self._database = database
        self._definitions = definitions
        self._carrier = carrier
        self._signer = signer
        self._asks_mailroom = asks_mailroom
        self._on_bounce = on_bounce

    def recover(self) -> None:
        """Settle what was being posted when the application last stopped."""
        with self._database.writing() as session:
            sender = self._definitions(session).school.sender.email
            for row in session.scalars(select(DeliveryRow).where(DeliveryRow.status == "posting")):
                if not self._asks_mailroom:
                    row.status, row.reason = "unsure", "interrupted"
                elif has_message(session, message_id(row.id, sender)):
                    row.status, row.posted = "sent", row.at
                else:
                    row.status = "queued"

    def empty(self) -> int:
        """Post everything that is queued and not waiting for another try; returns how many were posted."""
        posted = 0
        while ids := self._next():
            for id in ids:
                posted += self._post(id)
        return posted

    def next_retry(self, session: Session) -> Instant | None:
        """When the next failed delivery is to be tried again (real time)."""
        return session.scalar(
            select(DeliveryRow.retry)
            .where(DeliveryRow.status == "queued", DeliveryRow.retry.is_not(None))
            .order_by(DeliveryRow.retry)
            .limit(1)
        )

    def waiting(self) -> bool:
        """Whether something is queued that can be posted now."""
        return bool(self._next())

    def _next(self) -> list[int]:
        with self._database.reading() as session:
            ready = (DeliveryRow.retry.is_(None)) | (DeliveryRow.retry <= real_now())
            query = (
                select(DeliveryRow.id).where(DeliveryRow.status == "queued", ready).order_by(DeliveryRow.id)
            )
            return list(session.scalars(query.limit(BATCH)))

    def _post(self, id: int) -> int:
        with self._database.writing() as session:
            row = session.get_one(DeliveryRow, id)
            if row.status != "queued":
                return 0
            student = session.get_one(StudentRow, row.student_id)
            stopped = stopped_since(session, row, student)
            if stopped:
                row.status, row.reason, row.retry = "skipped", stopped, None
                return 0
            row.status, row.tries = "posting", row.tries + 1
            definitions = self._definitions(session)
            to = self._recipients(row, student, definitions)
            rendered = render_delivery(session, definitions, row, self._signer)
        school = definitions.school
        try:
            mail = message(
                rendered,
                school,
                self._signer.links(id),
                message_id=message_id(id, school.sender.email),
                to=to,
                date=row.at,
            )
            self._carrier.post(mail, school.sender.email, [address for _, address in to])
        except NotTaken as error:
            self._not_taken(id, row.tries, error)
            return 0
        except Unsure as error:
            self._settle(id, "unsure", str(error))
            return 0
        except ValueError as error:  # an address that can't stand in a header
            self._settle(id, "stuck", f"bad_address: {error}")
            return 0
        self._settle(id, "sent", None)
        return 1

    @staticmethod
    def _recipients(row: DeliveryRow, student: StudentRow, definitions: Definitions) -> list[tuple[str, str]]:
        if row.recipients is None:
            return [(" ".join(x for x in (student.first_name, student.last_name) if x), student.email)]
        owner = definitions.school.sender
        return [(owner.name, owner.email) if to == "owner" else ("", to) for to in row.recipients]

    def _settle(self, id: int, status: str, reason: str | None) -> None:
        with self._database.writing() as session:
            posted = read_clock(session).now if status == "sent" else None
            values = {"status": status, "reason": reason, "posted": posted, "retry": None}
            session.execute(update(DeliveryRow).where(DeliveryRow.id == id).values(**values))

    def _not_taken(self, id: int, tries: int, error: NotTaken) -> None:
        log.warning("letter not taken", delivery=id, reason=str(error), lasting=error.lasting)
        with self._database.writing() as session:
            row = session.get_one(DeliveryRow, id)
            row.reason = str(error)
            if error.lasting:
                row.status = "bounced"
                student = session.get_one(StudentRow, row.student_id)
                if row.recipients is None:
                    self._on_bounce(session, student.key, read_clock(session).now)
                return
            row.status = "queued"
            pause = min(FIRST_RETRY_SECONDS * 2 ** (tries - 1), LONGEST_RETRY_SECONDS)
            row.retry = real_now().add(seconds=pause)
