"""Messages to destinations: to a bare receiver, and the same with a dead destination beside it."""

from __future__ import annotations

import json
import time
from pathlib import Path

from sqlalchemy import insert, select

from benchmarks.receiver import receiver
from benchmarks.report import Report, per_second
from benchmarks.scenes import START, opened
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.outgoing import Outgoing, signed
from patient_courier.post.outward import Outward
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import DestinationRow, OutgoingRow, StudentRow
from patient_courier.store.base.tables.destinations import message_key
from patient_courier.store.destinations import destinations
from patient_courier.store.school.secrets import signing_key

NUMBER, STUDENTS = 2_000, 200


def _queue(database: Database, key: str) -> None:
    """Messages of so many students to a destination, as what happens to them would write them down."""
    body = json.dumps({"type": "purchased", "timestamp": START.format_iso(), "data": {"student": {"email": "s@example.org"}}})  # fmt: skip
    with database.writing() as session:
        id = session.scalars(select(DestinationRow.id).where(DestinationRow.key == key)).one()
        ids = session.scalars(select(StudentRow.id).limit(STUDENTS)).all()
        row = {"lane": f"destination {id}", "destination_id": id, "type": "purchased", "at": START, "body": body, "status": "queued", "tries": 0}  # fmt: skip
        rows = [{**row, "key": message_key(), "student_id": ids[n % len(ids)]} for n in range(NUMBER)]
        session.execute(insert(OutgoingRow), rows)


def outgoing(report: Report, folder: Path) -> None:
    with receiver("bare") as bare, receiver("dead") as dead:
        database = opened(folder / "outgoing.db", STUDENTS)
        with database.writing() as session:
            for name, url in (("bare", bare), ("dead", dead)):
                destinations.add(session, name, url, ["purchased"], [], signing_key())

        def floor() -> None:
            outward, secret = Outward(inside=True), (signing_key(),)
            body = "x" * 160
            for number in range(NUMBER):
                outward.post(bare, body.encode(), signed(secret, f"msg_{number}", real_now(), body))
            outward.close()

        lone = per_second(NUMBER, floor)
        _queue(database, "bare")
        sender = Outgoing(database, signing_key(), inside=True)
        report.add(
            "messages to a bare destination (beside posting alone)", per_second(NUMBER, sender.empty), lone
        )
        _queue(database, "bare")
        _queue(database, "dead")
        sender = Outgoing(database, signing_key(), inside=True, total=5)

        def beside() -> None:
            sender.look()
            while _left(database):
                time.sleep(0.01)

        report.add(
            "the same with a destination beside it that never answers", per_second(NUMBER, beside), lone
        )
        sender.stop()
        database.close()


def _left(database: Database) -> bool:
    query = (
        select(OutgoingRow.id).where(OutgoingRow.destination_id == 1, OutgoingRow.status == "queued").limit(1)
    )
    with database.reading() as session:
        return session.scalar(query) is not None
