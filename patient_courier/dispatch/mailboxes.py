"""Mails of connections that lie in folders: what shops write, put there by the owner's own mail program."""

from __future__ import annotations

from pathlib import Path

import structlog

from patient_courier.dispatch.arriving import Arrivals, Delivered
from patient_courier.dispatch.returns import put_aside, waiting_in
from patient_courier.intake.apart import Apart, Occupied
from patient_courier.intake.mail_message import MOST_BYTES, NoMail
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.connections import connections

log = structlog.get_logger()
WAITED_SECONDS = 30.0


def read_mailboxes(database: Database, folder: Path, mails: Apart, arrivals: Arrivals) -> None:
    """Take in what lies in the folder of each connection that listens or is on and whose mailbox is its owner's alone.

    A mail that can't be read, or that nothing can be made of, is put aside, and the next is read.
    """
    with database.reading() as session:
        found = [one for one in connections.every(session) if one.state != "off" and one.own_mailbox]
    for one in found:
        place = folder / one.key
        for path in waiting_in(place):
            try:
                _take(one.id, place, path, mails, arrivals)
            except (OSError, Busy, Occupied):
                return  # tried again with the next look
            except Exception:
                log.exception("a mail can't be taken in", file=path.name)
                put_aside(place, path, "failed")


def _take(connection: int, place: Path, path: Path, mails: Apart, arrivals: Arrivals) -> None:
    raw = path.read_bytes()
    became = "failed"
    if len(raw) <= MOST_BYTES:
        try:
            body = mails.mail(raw).body()
            outcome = arrivals.submit(Delivered(connection, "application/json", body)).result(WAITED_SECONDS)
            if outcome.full or outcome.gone:
                return  # it stays there for later
            became = "failed" if outcome.refused is not None else "taken"
        except NoMail as error:
            log.warning("a mail can't be read", file=path.name, why=str(error))
    put_aside(place, path, became)
