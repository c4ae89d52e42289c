"""The application is killed with SIGKILL again and again while it works; nothing is lost and nothing posted twice."""

from __future__ import annotations

import random
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from sqlalchemy import delete, func, select

from patient_courier.core.school.values import parse_moment
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import BroadcastRow, ClockRow, DeliveryRow, EventRow, MailRow, RunRow
from patient_courier.store.school.opening import open_school
from tests.schools import letter, read, school, send, sequence, wait
from tests.waiting import until

STUDENTS = 60
START = parse_moment("2026-03-02T12:00:00Z")
END = parse_moment("2026-03-20T12:00:00Z")

# Takes in the events that are not in yet, moves the clock, posts; ends when all is done.
WORKER = """
import sys
import time
from pathlib import Path
from sqlalchemy import func, select, update
from patient_courier.core.school.events import Purchased
from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import take_events
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import BroadcastRow, ClockRow, DeliveryRow
from tests.waiting import until

database = Database(Path(sys.argv[1]))
post = Post(database, Settings(smtp_host=""))
post.start()
print("at work", flush=True)
for number in range(int(sys.argv[2])):
    with database.writing() as session:
        event = Purchased.model_validate(
            {"type": "purchased", "at": "2026-03-02T12:00:00Z", "student": f"s{number}", "offer": "bees-once", "id": f"order-{number}"}
        )
        take_events(session, post.library.load(session), [event], event.at)
    post.nudge()
with database.writing() as session:
    session.execute(update(ClockRow).values(moving_to=parse_moment(sys.argv[3])))
post.nudge()
while True:
    with database.reading() as session:
        moving = session.scalar(select(ClockRow.moving_to))
        waiting = session.scalar(select(func.count()).where(DeliveryRow.status.in_(("queued", "posting"))))
        going = session.scalar(select(func.count()).where(BroadcastRow.status == "going"))
    if moving is None and not waiting and not going:
        break
    time.sleep(0.02)
post.stop()
print("done")
"""


@pytest.mark.long
def test_kill_nine_between_any_two_steps(tmp_path: Path):
    steps = [send("access"), wait("w", "P1D", at="10:00"), send("year"), wait("v", "P5D"), send("week")]
    # A broadcast in the middle of it, in waves round the world.
    zones = ("Europe/Lisbon", "Asia/Tokyo", "Pacific/Auckland", "America/New_York")
    people = [
        {
            "key": f"s{n}",
            "email": f"s{n}@example.org",
            "first_name": f"S{n}",
            "news": True,
            "timezone": zones[n % 4],
        }
        for n in range(STUDENTS)
    ]
    cast = {
        "key": "spring",
        "letter": "spring",
        "status": "scheduled",
        "at": "2026-03-05T09:00:00",
        "zone": "student",
    }
    letters = [letter("access", "service"), letter("spring", "news")]
    file = read(school([sequence("welcome", steps)], [], *letters, students=people, broadcasts=[cast]))
    path = tmp_path / "school.db"
    database = Database(path)
    database.migrate()
    with database.writing() as session:
        open_school(session, file, START, practice=True)

    lot, kills, finished = random.Random(8), 0, False
    command = [sys.executable, "-W", "ignore", "-c", WORKER, str(path), str(STUDENTS), END.format_iso()]
    for _ in range(60):
        worker = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        assert worker.stdout and worker.stdout.readline().strip() == "at work"
        patience = lot.uniform(0.01, 0.35) if kills < 12 else 120
        try:
            _, error = worker.communicate(timeout=patience)
            assert worker.returncode == 0, error
            finished = True
            break
        except subprocess.TimeoutExpired:
            worker.send_signal(signal.SIGKILL)
            worker.communicate()
            kills += 1
    assert finished and kills >= 5, f"killed {kills} times"

    with database.reading() as session:
        assert session.scalar(select(ClockRow.now)) == END
        assert session.scalar(select(func.count()).where(EventRow.type == "purchased")) == STUDENTS
        assert session.scalar(select(func.count()).where(RunRow.outcome == "finished")) == STUDENTS
        statuses = session.execute(
            select(DeliveryRow.status, func.count()).group_by(DeliveryRow.status)
        ).all()
        assert [tuple(row) for row in statuses] == [("sent", 4 * STUDENTS)]
        assert session.scalar(select(BroadcastRow.status)) == "done"
        # The mailroom has each letter once, to the right person, and none besides.
        mail = session.execute(select(MailRow.recipient, MailRow.subject)).all()
        assert len(mail) == len(set(mail)) == 4 * STUDENTS
    database.close()


def test_a_delivery_in_the_middle_of_being_posted_is_settled_by_asking_the_mailroom(tmp_path: Path):
    """Both halves of the gap: the mailroom has it, and the mailroom does not."""
    from patient_courier.dispatch.dispatcher import Post
    from patient_courier.post.message import message_id
    from patient_courier.settings import Settings
    from patient_courier.store.outbox.mailroom import keep_message
    from tests.live import LiveSchool
    from tests.schools import bought

    both = [bought(student="ana"), bought(student="kai")]
    people = [{"key": key, "email": f"{key}@example.org"} for key in ("ana", "kai")]
    file = read(
        school([sequence("welcome", [send("access")])], both, letter("access", "service"), students=people)
    )
    live = LiveSchool(tmp_path / "school.db", file, START)
    live.live_through(file, START)
    with live.database.writing() as session:
        first, second = session.scalars(select(DeliveryRow).order_by(DeliveryRow.id))
        first.status = second.status = "posting"
        keep_message(
            session,
            # The school wrote from another address then.
            message_id=message_id(first.id, "ines@before.example"),
            recipient="ana@example.org",
            sent=START,
            subject="",
            raw=b"",
        )
    post = Post(live.database, Settings(smtp_host=""))
    post.start()

    def statuses() -> set[str]:
        with live.database.reading() as session:
            return set(session.scalars(select(DeliveryRow.status)))

    until(lambda: statuses() == {"sent"})
    post.stop()
    with live.database.reading() as session:
        assert sorted(session.scalars(select(MailRow.recipient))) == ["ana@example.org", "kai@example.org"]
    # With real SMTP nobody can be asked: the owner decides.
    with live.database.writing() as session:
        session.execute(delete(MailRow))
        session.scalars(select(DeliveryRow)).first().status = "posting"
    unsure = Post(live.database, Settings(smtp_host="127.0.0.1", smtp_port=9, smtp_security="none"))
    unsure.start()
    unsure.stop()
    with live.database.reading() as session:
        assert session.scalars(select(DeliveryRow)).first().status == "unsure"
    live.database.close()
