"""The live loop: wakes what is due, empties the outbox, makes calls; each in a thread of its own, so none waits for another.

Longer than three hundred lines, since everything that runs beside the web server is begun, nudged and ended in one place.
"""

from __future__ import annotations

from email.parser import BytesParser
from email.policy import default as mail_policy
from email.utils import parsedate_to_datetime
from pathlib import Path

import structlog
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier import logs
from patient_courier.core.school.events import Bounced
from patient_courier.core.school.text import clean_line
from patient_courier.core.upkeep.check_up import Finding
from patient_courier.dispatch import check_up
from patient_courier.dispatch.arriving import Arrivals
from patient_courier.dispatch.broadcasts import seconds_to_wait, settle
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.copies import Copies
from patient_courier.dispatch.credentials import ensure_key
from patient_courier.dispatch.far_side import FarSide
from patient_courier.dispatch.incoming import LOOK_SECONDS, Mailbox
from patient_courier.dispatch.looking_again import LookingAgain
from patient_courier.dispatch.mail_servers import MailServers
from patient_courier.dispatch.mailboxes import read_mailboxes
from patient_courier.dispatch.mark import Mark, look_at_mark
from patient_courier.dispatch.notices import Notices
from patient_courier.dispatch.only_one import OnlyOne
from patient_courier.dispatch.outbox import Outbox
from patient_courier.dispatch.outgoing import Outgoing
from patient_courier.dispatch.overseeing import IDLE_SECONDS, Overseer
from patient_courier.dispatch.returns import Taken, put_aside, take_report, waiting_in
from patient_courier.dispatch.taking import next_due, take_events, wake_due
from patient_courier.dispatch.visits import seconds_until_settled, settle_visits
from patient_courier.dispatch.whole import worth_doing
from patient_courier.dispatch.worker import LONGEST_SLEEP_SECONDS, Worker
from patient_courier.intake.apart import Apart, Occupied
from patient_courier.intake.mail_reports import MOST_BYTES
from patient_courier.post.links import LinkSigner
from patient_courier.post.mailroom import Mailroom
from patient_courier.post.message import Mail
from patient_courier.settings import Settings
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.broadcasts.broadcasts import in_status
from patient_courier.store.completion.issuing import fill
from patient_courier.store.outbox.mailroom import keep_message
from patient_courier.store.school.secrets import read_older_keys, read_secrets
from patient_courier.store.students import moves
from patient_courier.store.upkeep import progress

log = structlog.get_logger()


class Post:
    """Everything that runs beside the web server, over one database: mailroom, outbox, dispatcher, calls."""

    def __init__(self, database: Database, settings: Settings) -> None:
        logs.set_up()
        self.database = database
        # Copies lie beside the file that is served, and no other is meant by these settings.
        self.settings = settings.model_copy(update={"database": database.path})
        self.library = Library(settings.address)
        self.secrets = read_secrets(database)
        self.older_keys = read_older_keys(database)
        self.signer = self._signer()
        self.far_side = FarSide(database)
        # What the owner brings waits for no stranger's mail.
        self.files, self.mails = Apart(), Apart()
        self.mailroom = (
            Mailroom(self._keep, answer=self.far_side.answer, pause=self.far_side.pause)
            if not settings.smtp_host
            else None
        )
        self.outgoing = Outgoing(database, self.secrets["calls"], inside=settings.calls_inside)
        self.arrivals = Arrivals(database, self.library.load, self._nudge_soon)
        self._looking = LookingAgain(database, self.library.load)
        self._hand: OnlyOne | None = None
        self._waker = Worker("waker", self._wake)
        self._poster = Worker("poster", self._post)
        self._calling = Worker("outgoing", self._call)
        self.outgoing.on_idle = self._calling.nudge
        self._reading = Worker("reports", self._read_reports)
        self._upkeep = Worker("upkeep", self._keep_up)
        self.notices = Notices(database, self.library.load, self.post_now, worth_doing, settings.address)
        self.overseer = Overseer(database, self.library.load, self._how_it_runs, inside=settings.calls_inside)
        self._overseeing = Worker("overseeing", self.overseer.look, longest=IDLE_SECONDS)
        self._telling = Worker("notices", self._tell)
        mailbox = Mailbox(database, self.take_report, settings.smtp_ca_file)
        self._mailbox = Worker("mailbox", mailbox.look, longest=LOOK_SECONDS)
        self._workers = (
            self._waker,
            self._poster,
            self._calling,
            self._reading,
            self._upkeep,
            self._mailbox,
            self._telling,
            self._overseeing,
        )

    def start(self) -> None:
        """Open the mailroom, settle what a crash has left, start the workers. Raises InHand."""
        self.take_in_hand()
        self.mark = Mark(self.database.path)
        with self.database.writing() as session:
            if look_at_mark(session, self.mark.read(), real_now()):
                log.warning(
                    "this file is older than the school was: nothing is posted until its owner has looked"
                )
        self.signer = self._signer()
        self.mark.note_use(self.database)
        self.copies = Copies(self.database, self.library, self.settings.copies_folder)
        self.servers = MailServers(
            self.database, self.settings, self.mailroom.start if self.mailroom else None
        )
        self.outbox = Outbox(
            self.database,
            self.library.load,
            self.servers,
            self.signer,
            asks_mailroom=self.servers.mailroom_only,
            pace=lambda: self.servers.pace,
            mark=self.mark,
            on_bounce=self._bounced,
        )
        self.outbox.recover()
        self.far_side.read()
        with self.database.writing() as session:
            fill(session, self.library.load(session))
            ensure_key(session, real_now())
            self.notices.begin(session, read_clock(session).now)
        self.notices.recover()
        for worker in (*self._workers, self.arrivals):
            worker.start()

    def _signer(self) -> LinkSigner:
        with self.database.reading() as session:
            return LinkSigner(self.secrets["links"], self.settings.address, progress.read_eras(session))

    def take_in_hand(self) -> None:
        """Be the one dispatcher of this school. Raises InHand while another process is."""
        if self._hand is None:
            self._hand = OnlyOne(self.database.path)

    def post_now(self, mail: Mail) -> None:
        """Hand over a message that is no delivery, over a connection of its own. Raises NotTaken, Unsure."""
        self.servers.once(mail)

    def use_servers(self) -> None:
        """The owner has given other mail servers: they hold from the next letter on, and what waits is tried at once."""
        self.servers.read()
        self.outbox.try_now()
        self._poster.nudge()
        self._mailbox.nudge()

    def stop(self) -> None:
        """Let every worker finish what it has in hand; a mail server that hangs is not waited for."""
        self.arrivals.stop()
        self.outbox.stopping.set()
        for worker in self._workers:
            worker.stop(patience=5 if worker is not self._waker else 30)
        self.outgoing.stop()
        if self.mailroom is not None:
            self.mailroom.stop()
        if self._hand is not None:
            self._hand.release()
            self._hand = None
        self.files.close()
        self.mails.close()

    def intake_keys(self, real: Instant) -> list[str]:
        """The keys with which events may be signed now: the one in use first, then replaced ones for a day."""
        return [self.secrets["intake"], *(key for key, ends in self.older_keys if ends > real)]

    def nudge(self) -> None:
        """Say that there may be something to do."""
        for worker in (self._waker, self._poster, self._calling):
            worker.nudge()

    def _nudge_soon(self) -> None:
        """Something has come in that nobody waits for."""
        for worker in (self._waker, self._poster, self._calling):
            worker.nudge_soon()

    def _wake(self) -> float:
        """Let everything happen that is due; returns for how long nothing is.

        The look whether something is takes no lock and does not grow with the number of those who wait.
        """
        if self.database.trouble is not None:
            self.database.probe()
        if self._looking.look():
            self._poster.nudge()
        while not self._waker.stopping:
            real = real_now()
            with self.database.reading() as session:
                unsettled = seconds_until_settled(session, real)
            if unsettled is not None and unsettled <= 0:
                self._settle_visits(real)
                continue
            with self.database.reading() as session:
                clock, due = read_clock(session), next_due(session, real)
                wait = seconds_to_wait(session, real)
                moving = bool(moves.ripe(session, clock.now))
            if moving:
                self._move_students()
            if clock.moving_to is None and (due is None or due > clock.now):
                pauses = (_seconds_until(due if not clock.practice else None), wait, unsettled)
                return min(pause for pause in pauses if pause is not None)
            with self.database.writing() as session:
                self._wake_once(session)
            self._poster.nudge()
            self._calling.nudge()
        return 0.0

    def _wake_once(self, session: Session) -> None:
        """A practice clock on its way stops where a notice is due, so that it says what was so then."""
        clock = read_clock(session)
        stop = self.notices.next_morning(session, clock.now) if clock.moving_to is not None else None
        wake_due(session, self.library.load(session), stop)
        if stop is not None and read_clock(session).now == stop:
            self.notices.write(session, stop)
            self._telling.nudge()

    def _move_students(self) -> None:
        """New addresses that nobody has objected to for a week hold from now on."""
        with self.database.writing() as session:
            for move in moves.ripe(session, read_clock(session).now):
                moves.carry_out(session, move)

    def _settle_visits(self, real: Instant) -> None:
        with self.database.writing() as session:
            settle_visits(session, self.library.load(session), read_clock(session).now, real)
        self._poster.nudge()

    def holds_back(self) -> bool:
        """Whether nothing may be posted, since the school has come back from a copy and its owner has not looked yet."""
        with self.database.reading() as session:
            return progress.is_coming_back(session)

    def _keep_up(self) -> float:
        """What keeps the school for years: it is noted that it is in use, and copied every night."""
        self.mark.note_use(self.database)
        with self.database.reading() as session:
            practice = read_clock(session).practice
        return LONGEST_SLEEP_SECONDS if practice else self.copies.look()

    def look_over(self) -> None:
        """Have the whole school looked over now, beside everything else."""
        self.overseer.ask()
        self._overseeing.nudge()

    def _how_it_runs(self) -> list[Finding]:
        """What is seen of the machine and the mail; no name server is asked, nor by a practice school its own address."""
        with self.database.reading() as session:
            if read_clock(session).practice:
                return []
        return check_up.look(self.database, self.settings, self.library.load, lambda session: [], None)

    def _tell(self) -> float:
        """Notices and the weekly letter."""
        return LONGEST_SLEEP_SECONDS if self.holds_back() else self.notices.look(self.signer)

    def _post(self) -> float:
        if self.holds_back():
            return LONGEST_SLEEP_SECONDS
        if self.outbox.empty():
            self._settle_broadcasts()
        paused, retry = self.outbox.paused_for(), _seconds_until(self.outbox.next_retry())
        return paused or min(self.outbox.seconds_of_pace() or retry, retry)

    def _settle_broadcasts(self) -> None:
        """What has left the outbox may be the last of a broadcast, or make room for the next of its letters."""
        with self.database.reading() as session:
            going = bool(in_status(session, "going"))
        if going:
            with self.database.writing() as session:
                settle(session, read_clock(session).now)
            self._waker.nudge()

    def _call(self) -> float:
        if self.holds_back():
            return LONGEST_SLEEP_SECONDS
        pause = self.outgoing.look()
        return LONGEST_SLEEP_SECONDS if pause is None else pause

    def take_report(self, raw: bytes) -> Taken:
        """Take in what a mail server says of a letter: read first, within bounds, then written down. Raises Occupied, Busy."""
        report = self.mails.report(raw[:MOST_BYTES])
        with self.database.writing() as session:
            taken = take_report(
                session, self.library.load(session), self.signer, report, read_clock(session).now
            )
        self._waker.nudge()
        return taken

    def _read_reports(self) -> float:
        """Take in what the mailroom sends back, and what lies in the folder of reports."""
        for raw in self.far_side.reports():
            self.take_report(raw)
        folder = self.settings.reports_folder
        if folder is not None and folder.is_dir():
            for path in waiting_in(folder):
                self._read_file(folder, path)
        if self.settings.mails_folder is not None:
            read_mailboxes(self.database, self.settings.mails_folder, self.mails, self.arrivals)
        pause = self.far_side.seconds_until_next()
        return LONGEST_SLEEP_SECONDS if pause is None else pause

    def _read_file(self, folder: Path, path: Path) -> None:
        """One message that can't be taken in is put aside, and the next is read."""
        try:
            became: str = self.take_report(path.read_bytes()).became
        except (OSError, Busy, Occupied):
            return  # tried again with the next look
        except Exception:
            log.exception("a report can't be read", file=path.name)
            became = "failed"
        try:
            put_aside(folder, path, became)
        except OSError:
            log.exception("a report can't be put aside", file=path.name)

    def _bounced(self, session: Session, student: str, at: Instant) -> None:
        event = Bounced.model_validate({"type": "bounced", "student": student, "at": at, "hard": True})
        take_events(session, self.library.load(session), [event], at)

    def _keep(self, raw: bytes, recipients: list[str]) -> None:
        """The mailroom's keeper: the message is in the database when this returns."""
        # By its headers alone: what it says is read when somebody opens it.
        mail = _HEADERS.parsebytes(raw, headersonly=True)
        date = mail["Date"]
        sent = Instant(parsedate_to_datetime(str(date))) if date else real_now()
        name = str(mail["Message-ID"] or "").strip("<> ") or f"unnamed-{sent.timestamp(unit='nanosecond')}"
        # Noted in the order of things: a power cut can't lose it and keep that it was sent.
        with self.database.noting() as connection:
            for number, recipient in enumerate(recipients):
                keep_message(
                    connection,
                    # The same message to several people is kept once for each.
                    message_id=name if number == 0 else f"{name}#{number}",
                    recipient=recipient,
                    sent=sent,
                    subject=clean_line(str(mail["Subject"] or "")),
                    raw=raw,
                )
        self.far_side.took(raw, recipients)
        if self.far_side.seconds_until_next() is not None:
            self._reading.nudge()


_HEADERS = BytesParser(policy=mail_policy)


def _seconds_until(moment: Instant | None) -> float:
    return (moment - real_now()).total("seconds") if moment is not None else LONGEST_SLEEP_SECONDS
