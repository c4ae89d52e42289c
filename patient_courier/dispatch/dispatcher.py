"""The live loop: wakes what is due, empties the outbox, sleeps until there is more to do."""

from __future__ import annotations

import threading
from email import message_from_bytes
from email.policy import default as mail_policy
from email.utils import parsedate_to_datetime

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.events import Bounced
from patient_courier.dispatch.calls import Caller
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.outbox import Outbox
from patient_courier.dispatch.taking import next_due, take_events, wake_due
from patient_courier.post.carriers import SmtpCarrier, SmtpSettings
from patient_courier.post.links import LinkSigner
from patient_courier.post.mailroom import Mailroom
from patient_courier.settings import Settings
from patient_courier.store.database import Database
from patient_courier.store.definitions import Library
from patient_courier.store.mail import keep_message
from patient_courier.store.tables import SecretRow

log = structlog.get_logger()
LONGEST_SLEEP_SECONDS = 30.0
AFTER_ERROR_SECONDS = 5.0


class Post:
    """Everything that runs beside the web server, over one database: mailroom, outbox, dispatcher."""

    def __init__(self, database: Database, settings: Settings) -> None:
        self.database = database
        self.settings = settings
        self.library = Library(settings.address)
        with database.reading() as session:
            self.secrets = {row.name: row.value for row in session.scalars(select(SecretRow))}
        self.signer = LinkSigner(self.secrets["links"], settings.address)
        self.mailroom = Mailroom(self._keep) if not settings.smtp_host else None
        self._wanted = threading.Event()
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="dispatcher", daemon=True)

    def start(self) -> None:
        """Open the mailroom, settle what a crash has left, start the loop."""
        s = self.settings
        if self.mailroom is not None:
            carrier = SmtpCarrier(SmtpSettings("127.0.0.1", self.mailroom.start()))
        else:
            carrier = SmtpCarrier(
                SmtpSettings(s.smtp_host, s.smtp_port, s.smtp_user, s.smtp_password, s.smtp_security)
            )
        self.outbox = Outbox(
            self.database,
            self.library.load,
            carrier,
            self.signer,
            asks_mailroom=self.mailroom is not None,
            on_bounce=self._bounced,
        )
        self.caller = Caller(self.database, self.secrets["intake"])
        self.outbox.recover()
        self._thread.start()

    def stop(self) -> None:
        self._stopping.set()
        self._wanted.set()
        self._thread.join(timeout=30)
        if self.mailroom is not None:
            self.mailroom.stop()

    def nudge(self) -> None:
        """Say that there may be something to do."""
        self._wanted.set()

    def _work(self) -> None:
        """Do everything that can be done now: wake what is due, post what is queued."""
        busy = True
        while busy and not self._stopping.is_set():
            with self.database.writing() as session:
                busy = wake_due(session, self.library.load(session))
            self.outbox.empty()
            self.caller.empty()

    def _run(self) -> None:
        while not self._stopping.is_set():
            self._wanted.clear()
            try:
                if self._has_work():
                    self._work()
                pause = self._pause()
            except Exception:
                log.exception("dispatcher failed, will try again")
                pause = AFTER_ERROR_SECONDS
            self._wanted.wait(pause)

    def _has_work(self) -> bool:
        """A look that takes no lock and does not grow with the number of those who wait."""
        with self.database.reading() as session:
            clock = read_clock(session)
            due = next_due(session)
        if clock.moving_to is not None or (due is not None and due <= clock.now):
            return True
        return self.outbox.waiting() or self.caller.waiting()

    def _pause(self) -> float:
        with self.database.reading() as session:
            clock = read_clock(session)
            moments = [self.outbox.next_retry(session), None if clock.practice else next_due(session)]
        ahead = [(moment - real_now()).total("seconds") for moment in moments if moment is not None]
        return max(0.0, min([LONGEST_SLEEP_SECONDS, *ahead]))

    def _bounced(self, session: Session, student: str, at: Instant) -> None:
        event = Bounced.model_validate({"type": "bounced", "student": student, "at": at, "hard": True})
        take_events(session, self.library.load(session), [event], at)

    def _keep(self, raw: bytes, recipients: list[str]) -> None:
        """The mailroom's keeper: the message is in the database when this returns."""
        mail = message_from_bytes(raw, policy=mail_policy)
        date = mail["Date"]
        sent = Instant(parsedate_to_datetime(str(date))) if date else real_now()
        name = str(mail["Message-ID"] or "").strip("<> ") or f"unnamed-{sent.timestamp(unit='nanosecond')}"
        with self.database.writing() as session:
            for number, recipient in enumerate(recipients):
                keep_message(
                    session,
                    # The same message to several people is kept once for each.
                    message_id=name if number == 0 else f"{name}#{number}",
                    recipient=recipient,
                    sent=sent,
                    subject=str(mail["Subject"] or ""),
                    raw=raw,
                )
