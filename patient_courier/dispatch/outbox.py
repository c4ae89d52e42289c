"""Emptying the outbox: queued deliveries go to the carrier in lots, each exactly once.

Whatever goes wrong with one delivery settles that delivery, and the next goes
out; what goes wrong with the mail server pauses the carrier, and the owner is
told. A delivery found half handed over after a crash is asked for in the
mailroom; real SMTP can't say, so the owner decides.

Longer than three hundred lines, since the order of its notes is one argument: claimed, begun, handed over, settled.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import structlog
from sqlalchemy import Connection
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.upkeep.pace import Pace
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.drawing import Drawing
from patient_courier.dispatch.mark import Mark
from patient_courier.post.carriers import Carrier, NotTaken, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.post.links import LinkSigner
from patient_courier.post.message import Mail, id_begins
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.letters import proofs
from patient_courier.store.outbox import doubtful
from patient_courier.store.outbox import outbox as stored
from patient_courier.store.outbox.mailroom import has_message
from patient_courier.store.outbox.outbox import Claimed
from patient_courier.store.outbox.renewing import renew
from patient_courier.store.upkeep.progress import note_progress

log = structlog.get_logger()
LOT = 100
FIRST_RETRY_SECONDS, LONGEST_RETRY_SECONDS = 60, 3600
# RFC 5321 section 4.5.4.1: give up after four or five days of trying.
GIVE_UP_SECONDS = 4 * 86_400
FIRST_PAUSE_SECONDS, LONGEST_PAUSE_SECONDS = 5.0, 300.0
# When a server that says nothing is worth a word to the owner.
SILENT_SECONDS = 10.0


def start_of_computer() -> str | None:
    """What names this start of the computer, on systems that say so; without a name any start may be another one."""
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text().strip()
    except OSError:
        return None


@dataclass(frozen=True, slots=True)
class Trouble:
    """Why the carrier pauses; ``since`` in real time."""

    sentence: str
    since: Instant


@dataclass(frozen=True, slots=True)
class Became:
    """What became of a delivery that was handed over."""

    status: str
    reason: str | None = None
    retry: Instant | None = None


class Outbox:
    """Posts what is queued, through one carrier."""

    def __init__(
        self,
        database: Database,
        definitions: Callable[[Session], Definitions],
        carrier: Carrier,
        signer: LinkSigner,
        *,
        asks_mailroom: bool,
        on_bounce: Callable[[Session, str, Instant], None],
        pace: Callable[[], Pace] = lambda: Pace(None, None),
        mark: Mark | None = None,
    ) -> None:
        """``mark`` remembers outside the database how many lots were claimed, before the first letter of one goes."""
        self._database = database
        self._load = definitions
        self._carrier, self._pace_now, self._mark = carrier, pace, mark
        self._asks_mailroom = asks_mailroom
        self._drawing = Drawing(database, signer)
        self._on_bounce = on_bounce
        self._shown: frozenset[str] = frozenset()  # letters of which copies are shown
        self._trouble: Trouble | None = None
        self._pause = FIRST_PAUSE_SECONDS
        self._not_before = 0.0
        self._handing_since: float | None = None
        # What has happened and is not noted yet; and those of the lot in hand whose turn has not come.
        self._owed: list[tuple[Claimed, Became]] = []
        self._unreached: set[int] = set()
        self.stopping = threading.Event()

    def recover(self) -> None:
        """Settle what was being posted when the application last stopped.

        What was claimed and not begun goes back to the queue, if the computer has run on since: after a power cut
        the note that it had begun may be lost.
        """
        start = start_of_computer()
        with self._database.writing() as session:
            connection = session.connection()
            for id, claimed, begun in stored.left_over(session):
                if claimed is not None and claimed == start and not begun:
                    stored.put_back(connection, [id])
                elif has_message(session, id_begins(id)):
                    stored.settle(connection, id, "sent", posted=read_clock(session).now)
                elif self._asks_mailroom:
                    stored.settle(connection, id, "queued")
                else:
                    stored.settle(connection, id, "unsure", "interrupted")

    @property
    def trouble(self) -> Trouble | None:
        """What keeps the carrier from posting now, or a silence of the mail server while one waits for its answer."""
        waited = time.monotonic() - self._handing_since if self._handing_since is not None else 0.0
        if waited > SILENT_SECONDS and self._trouble is None:
            return Trouble(
                f"The mail server has not answered for {waited:.0f} seconds. Nothing is lost; letters wait.",
                real_now().subtract(seconds=int(waited)),
            )
        return self._trouble

    def try_now(self) -> None:
        """The owner has mended something: do not wait for the end of the pause."""
        self._not_before, self._pause = 0.0, FIRST_PAUSE_SECONDS

    def paused_for(self) -> float:
        """Seconds until the carrier is tried again; 0 when it is not paused."""
        return max(0.0, self._not_before - time.monotonic())

    def seconds_of_pace(self) -> float | None:
        """Seconds until the pace allows another letter; None when it allows one now, so that nothing waits for it."""
        now = real_now()
        return (self._pace_now().free_at(now) - now).total("seconds") or None

    def waiting(self) -> bool:
        """Whether something is on its way, or would be if the carrier did not pause."""
        with self._database.reading() as session:
            return not self.paused_for() and stored.is_waiting(session, real_now())

    def next_retry(self) -> Instant | None:
        """When the next failed delivery is to be tried again (real time)."""
        with self._database.reading() as session:
            return stored.next_retry(session)

    def empty(self) -> int:
        """Post everything that is queued and not waiting for another try; returns how many were posted."""
        posted = 0
        self._settle_owed()
        while not self.stopping.is_set() and not self.paused_for() and (lot := self._claim()) is not None:
            posted += self._post_lot(lot)
        return posted

    def _settle_owed(self) -> None:
        """Note what could not be noted when it happened: what became of a letter, and that others were not reached."""
        if self._owed or self._unreached:
            with self._database.noting() as connection:
                self._pay(connection)
                stored.put_back(connection, self._unreached)
            self._owed, self._unreached = [], set()

    def _pay(self, connection: Connection) -> None:
        for one, what in self._owed:
            self._settle(connection, one, what)

    def _claim(self) -> list[Claimed] | None:
        """The next lot, without what turns out not to be ready; None when nothing is queued."""
        with self._database.reading() as session:
            if not stored.is_waiting(session, real_now()):
                return None
        with self._database.writing() as session:
            allowed = self._pace_now().left(real_now(), LOT)
            lot = stored.claim(session, real_now(), start_of_computer(), allowed) if allowed else []
            if not lot:
                return None
            self._shown = proofs.asked_for(session)
            definitions = self._load(session)
            lot = self._unproved(session, self._newest(session, definitions, lot))
            self._drawing.use(definitions)
            come = note_progress(session, real_now(), lots=1)
        if self._mark is not None:
            self._mark.write(come)
        return lot

    def _unproved(self, session: Session, lot: list[Claimed]) -> list[Claimed]:
        """A lot without what is proved to have gone out in a time that is lost."""
        prints = {one.id: self._drawing.print_of(one) for one in lot}
        proved = doubtful.proved_of(session, list(prints.values()))
        if not proved:
            return lot
        doubtful.take_as_posted(session, [id for id, one in prints.items() if one in proved], doubtful.PROVED)
        return [one for one in lot if prints[one.id] not in proved]

    @staticmethod
    def _newest(session: Session, definitions: Definitions, lot: list[Claimed]) -> list[Claimed]:
        """A lot with every letter in its newest text; what can't go out in that waits for the owner instead."""
        letters = definitions.letters
        behind = [
            one.id
            for one in lot
            if one.letter in letters
            and (letters[one.letter].version != one.letter_version or letters[one.letter].has_note)
        ]
        if not behind:
            return lot
        against = renew(session, definitions, behind)
        session.flush()
        for id, reason in against.items():
            if reason is not None:
                stored.settle(session.connection(), id, "stuck", reason)
        return stored.read(session, [one.id for one in lot if against.get(one.id) is None])

    def _post_lot(self, lot: list[Claimed]) -> int:
        """Hand over one after the other; what is not reached goes back to the queue.

        The next letter is drawn before the one in hand goes out, so that what became of this one and that the next
        begins are noted together, right after it.
        """
        posted = 0
        self._unreached = {one.id for one in lot}
        drawn = self._draw(lot)
        try:
            ahead = self._begin(next(drawn, None), drawn)
            while ahead is not None:
                one, mail = ahead
                try:
                    ahead = next(drawn, None)
                except BaseException:
                    self._owed.append(
                        (one, Became("queued"))
                    )  # it has begun by the notes, and is not handed over
                    raise
                what = self._hand_over(one, mail)
                posted += what.status == "sent"
                self._owed.append((one, what))
                ahead = self._begin(ahead, drawn)
                if what.status == "sent" and one.letter in self._shown and one.recipients is None:
                    self._show_copy(one)
        finally:
            self._settle_owed()
        return posted

    def _draw(self, lot: list[Claimed]) -> Iterator[tuple[Claimed, Mail]]:
        """The mails of a lot; a letter that can't be drawn waits for the owner instead."""
        for one in lot:
            try:
                mail = self._drawing.mail(one)
            except Busy:
                raise  # the school's file can't be read: nothing is wrong with the letter
            except Unfit as error:
                self._set_aside(one, f"bad_address: {error}")
            except Exception as error:
                log.exception("a letter can't be drawn", delivery=one.id)
                self._set_aside(one, f"not_drawn: {type(error).__name__}")
            else:
                yield one, mail

    def _set_aside(self, one: Claimed, reason: str) -> None:
        with self._database.noting() as connection:
            stored.settle(connection, one.id, "stuck", reason)
        self._unreached.discard(one.id)

    def _begin(
        self, ahead: tuple[Claimed, Mail] | None, drawn: Iterator[tuple[Claimed, Mail]]
    ) -> tuple[Claimed, Mail] | None:
        """Note what became of the delivery before and that the one ahead begins, or the first behind it that may."""
        while True:
            with self._database.noting() as connection:
                self._pay(connection)
                going = ahead is not None and not self.stopping.is_set() and not self.paused_for()
                begun = ahead is not None and going and self._may_begin(connection, ahead[0])
            # Only now is it noted.
            self._owed = []
            if ahead is None or not going:
                return None
            self._unreached.discard(ahead[0].id)
            if begun:
                return ahead
            ahead = next(drawn, None)

    @staticmethod
    def _may_begin(connection: Connection, one: Claimed) -> bool:
        since = stored.since_claimed(connection, one)
        if since.stopped:
            stored.settle(connection, one.id, "skipped", since.stopped)
        elif not since.newest:
            stored.put_back(connection, [one.id])  # claimed again, and drawn anew
        else:
            return stored.note_begun(connection, one.id)
        return False

    @staticmethod
    def _settle(connection: Connection, one: Claimed, what: Became) -> None:
        sent = what.status == "sent"
        stored.settle(
            connection,
            one.id,
            what.status,
            what.reason,
            posted=read_clock(connection).now if sent else None,
            handed=real_now() if sent else None,
            retry=what.retry,
        )

    def _hand_over(self, one: Claimed, mail: Mail) -> Became:
        """Whatever happens, the delivery ends in a state."""
        try:
            self._handing_since = time.monotonic()
            self._carrier.post(mail)
        except NotTaken as error:
            return self._not_taken(one, error)
        except Unsure as error:
            return Became("unsure", str(error))
        except Exception as error:
            # Nobody knows how far it came, so the owner decides; the connection is not used again.
            log.exception("handing over failed", delivery=one.id)
            self._carrier.close()
            return Became("unsure", type(error).__name__)
        finally:
            self._handing_since = None
        self._trouble, self._pause = None, FIRST_PAUSE_SECONDS
        return Became("sent")

    def _show_copy(self, one: Claimed) -> None:
        """Show a delivery that has gone out to those who asked for copies; nothing of that concerns any student's letter."""
        with self._database.noting() as connection:
            readers = proofs.take(connection, one.letter)
        for mail in self._drawing.copies(one, readers):
            try:
                self._carrier.post(mail)
            except (NotTaken, Unsure, Unfit) as error:
                log.warning("a copy was not taken", delivery=one.id, reason=str(error))
            except Exception:
                log.exception("a copy failed", delivery=one.id)
                self._carrier.close()

    def _not_taken(self, one: Claimed, error: NotTaken) -> Became:
        log.warning("letter not taken", delivery=one.id, reason=str(error), about=error.about)
        match error.about:
            case "address" if one.recipients is None:
                try:
                    with self._database.writing() as session:
                        stored.settle(session.connection(), one.id, "bounced", str(error))
                        self._on_bounce(session, one.student, read_clock(session).now)
                except Busy as busy:
                    # Nothing went out, so the server can be asked once more, and the address marked then.
                    return Became("queued", str(busy), real_now().add(seconds=FIRST_RETRY_SECONDS))
                return Became("bounced", str(error))
            case "address" | "letter":
                return Became("stuck", f"refused: {error}")
            case "server":
                self._trouble = Trouble(str(error), self._trouble.since if self._trouble else real_now())
                self._not_before = time.monotonic() + self._pause
                self._pause = min(2 * self._pause, LONGEST_PAUSE_SECONDS)
                return Became("queued", str(error))
            case "now":
                pass
        self._trouble = None
        pauses = [min(FIRST_RETRY_SECONDS * 2 ** min(n, 10), LONGEST_RETRY_SECONDS) for n in range(one.tries)]
        if sum(pauses[:-1]) > GIVE_UP_SECONDS:
            return Became("stuck", f"refused: {error}")
        return Became("queued", str(error), real_now().add(seconds=pauses[-1]))
