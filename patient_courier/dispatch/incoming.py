"""What comes back to a mailbox: reports are taken in and marked as read; what students write stays as it is, and is counted."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import structlog

from patient_courier.core.upkeep.mail_server import Incoming
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.returns import Taken
from patient_courier.intake.apart import Occupied
from patient_courier.intake.mailbox import NoMailbox, Opened, Written, opened
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.outbox import replies
from patient_courier.store.upkeep import incoming as stored
from patient_courier.store.upkeep.failing import failing, note_failing
from patient_courier.store.upkeep.incoming import Read

log = structlog.get_logger()
LOOK_SECONDS = 120.0


class Mailbox:
    """Looks into the mailbox of the settings, if there is one, from time to time."""

    def __init__(
        self, database: Database, take_report: Callable[[bytes], Taken], authority: Path | None
    ) -> None:
        self._database, self._take_report, self._authority = database, take_report, authority

    def look(self) -> float:
        """Take in what has come since. Returns in how many seconds to look again."""
        with self._database.reading() as session:
            incoming, before = stored.read_incoming(session), stored.how_far(session)
            failed = failing(session, "mailbox") is not None
        if incoming is None:
            return LOOK_SECONDS
        why = None
        try:
            self._read(incoming, before)
        except NoMailbox as error:
            log.warning("the mailbox can't be read", why=str(error))
            why = str(error)
        except Exception as error:
            # Whatever it is, the owner hears that the mailbox is not read.
            log.exception("the mailbox can't be read")
            why = f"Something in it can't be read ({type(error).__name__}). It is tried again."
        if failed or why is not None:
            with self._database.writing() as session:
                note_failing(session, "mailbox", why, real_now())
        return LOOK_SECONDS

    def _read(self, incoming: Incoming, before: Read | None) -> None:
        with opened(incoming, self._authority) as box:
            if before is None:
                # What lies there from before is the owner's; only what comes from now on is looked at.
                self._note(Read(box.validity, box.newest()))
                return
            # Another validity: its numbers mean nothing any more, and what was taken in twice is known as such.
            above = before.number if before.validity == box.validity else 0
            while numbers := box.numbers_above(above):
                for number in numbers:
                    self._take(box, number)
                    above = number
                    self._note(Read(box.validity, above))

    def _take(self, box: Opened, number: int) -> None:
        """One message that can't be taken in stays where it is, and the next is read."""
        raw = box.raw(number)
        try:
            if self._take_report(raw).became != "no_report":
                box.done(number)
            else:
                self._written(raw)
        except (Busy, Occupied):
            raise NoMailbox("too much is being read at the moment; it is looked at again") from None
        except (NoMailbox, OSError):
            raise
        except Exception:
            log.exception("a message can't be taken in", number=number)

    def _written(self, raw: bytes) -> None:
        found = Written(raw)
        if found.email and not found.by_machine:
            with self._database.writing() as session:
                replies.note(session, found.digest, found.email, found.delivery, real_now(), found.subject)

    def _note(self, found: Read) -> None:
        with self._database.writing() as session:
            stored.note_read(session, found)
