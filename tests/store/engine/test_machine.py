"""Whatever order of events, crashes, pauses, changes and clock moves: what must never happen does not."""

from __future__ import annotations

import re
import shutil
import tempfile
from collections import Counter
from email import message_from_bytes
from pathlib import Path

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule
from sqlalchemy import select, update
from whenever import Instant

from patient_courier.core.checks import sequence_findings
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.outbox import Outbox
from patient_courier.dispatch.sequences import move as move_on
from patient_courier.dispatch.sequences import on_older, pause, run
from patient_courier.dispatch.taking import take_events, wake_due
from patient_courier.post.links import LinkSigner
from patient_courier.post.message import Mail
from patient_courier.store.base.definitions import save_letter, save_sequence
from patient_courier.store.base.tables import (
    ClockRow,
    DeliveryRow,
    EventRow,
    ProblemRow,
    RunRow,
    SequenceRow,
    StudentRow,
)
from patient_courier.store.engine.loading import load_states
from patient_courier.store.outbox.mailroom import keep_message
from tests.carriers import Crash, Stopping
from tests.generated import _WHATS, KEYS, LETTERS, matchers, number, steps, tame
from tests.live import LiveSchool
from tests.schools import bought, read, school, send, sequence, wait

START = parse_moment("2026-03-01T08:00:00Z")
PEOPLE = [
    {"key": "ana", "email": "ana@example.org", "first_name": "Ana", "news": True},
    {"key": "kai", "email": "kai@example.org", "timezone": "America/Los_Angeles", "news": False},
]
# Whatever else is drawn: something goes out for whoever buys.
PLAIN = sequence(
    "plain",
    [send("p1", "access"), wait("p2", "P1D"), send("p3", "help"), wait("p4", "PT7H"), send("p5", "news")],
)
AGAIN = st.sampled_from(["once", "once_per_subject", "when_finished", "every_time"])


# What all tries together have met: a machine in which nothing happens would find nothing.
SEEN = Counter[str]()


class Courier(RuleBasedStateMachine):
    @initialize(data=st.data())
    def open(self, data: st.DataObject) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.bodies = {key: self.draw(data, key) for key in KEYS}
        tame(list(self.bodies.values()))
        file = read(
            school(
                [*self.bodies.values(), PLAIN],
                [],
                *LETTERS,
                students=PEOPLE,
                school={"posting_hours": {"from": "09:00", "to": "19:00"}, "daily_limit": 2},
            )
        )
        self.live = LiveSchool(self.folder / "school.db", file, START)
        self.carrier = Stopping(
            self.keep, lambda mail: str(message_from_bytes(mail.raw)["Message-ID"]).strip("<>")
        )
        self.marks: dict[str, str] = {}
        self.fresh_outbox()
        # In every try the machine stops right after one letter and right before another one.
        for who, stop in (("ana", "after"), ("kai", "before")):
            first = read(school([], [bought(START.format_iso(), who)], students=PEOPLE)).events
            with self.live.database.writing() as session:
                take_events(session, self.live.library.load(session), first, START)
            if who == "kai":
                self.correct(LETTERS[0], away=True)  # while the letter to Kai is decided and not handed over
            self.carrier.crash = stop
            self.post()

    @staticmethod
    def draw(data: st.DataObject, key: str) -> dict:
        starts = data.draw(st.lists(st.one_of(matchers, st.just({"on": "enrolled"})), min_size=1, max_size=2))
        leaves = data.draw(st.lists(matchers, max_size=1))
        return sequence(key, number(data.draw(steps())), *starts, again=data.draw(AGAIN), leaves=leaves)

    def keep(self, name: str, mail: Mail) -> None:
        """The mailroom: what it has is known after a crash. What is handed over is the newest text, whatever was decided."""
        with self.live.database.reading() as session:
            row = session.get_one(DeliveryRow, int(re.match(r"delivery-(\d+)", name)[1]))
        said = str(message_from_bytes(mail.raw)["Subject"])
        assert said.startswith(self.marks.get(row.letter, "")), (said, row.letter)
        SEEN["in a newer text"] += row.letter in self.marks
        with self.live.database.noting() as connection:
            keep_message(
                connection,
                message_id=name,
                recipient=mail.recipients[0],
                sent=START,
                subject="",
                raw=mail.raw,
            )

    def fresh_outbox(self) -> None:
        signer = LinkSigner("secret", "https://post.example")
        bounced = lambda session, student, at: None  # noqa: E731
        self.outbox = Outbox(
            self.live.database,
            self.live.library.load,
            self.carrier,
            signer,
            asks_mailroom=True,
            on_bounce=bounced,
        )
        self.outbox.recover()

    def now(self) -> Instant:
        with self.live.database.reading() as session:
            return read_clock(session).now

    def post(self) -> None:
        try:
            self.outbox.empty()
        except Crash:
            self.fresh_outbox()
            self.outbox.empty()

    @rule(
        what=_WHATS,
        who=st.sampled_from(["ana", "kai"]),
        late=st.sampled_from([0, 0, 0, 30]),
        crash=st.booleans(),
        stop=st.sampled_from(["", "after", "before"]),
    )
    def report(self, what: dict, who: str, late: int, crash: bool, stop: str) -> None:
        now = self.now()
        one = {
            "at": now.subtract(hours=late).format_iso(),
            "student": who,
            "id": f"e{now.format_iso()}{what}",
            **what,
        }
        events = read(school([], [one], students=PEOPLE)).events
        if crash:
            try:
                with self.live.database.writing() as session:
                    take_events(session, self.live.library.load(session), events, now)
                    raise Crash
            except Crash:
                pass
        for _ in range(2):  # a site that got no answer sends its event again
            with self.live.database.writing() as session:
                take_events(session, self.live.library.load(session), events, now)
        self.carrier.crash = stop
        self.post()

    @rule(
        hours=st.sampled_from([1, 7, 24, 24, 100]),
        stop=st.sampled_from(["", "after", "before"]),
        away=st.booleans(),
    )
    def move_on(self, hours: int, stop: str, away: bool) -> None:
        with self.live.database.writing() as session:
            session.query(ClockRow).update({"moving_to": read_clock(session).now.add(hours=hours)})
        self.carrier.crash = stop
        self.carrier.puts_off = away
        busy = True
        while busy:
            with self.live.database.writing() as session:
                busy = wake_due(session, self.live.library.load(session))
            self.post()
        self.carrier.puts_off = False
        with self.live.database.writing() as session:
            session.execute(update(DeliveryRow).values(retry=None))  # the pause is over
        self.post()

    @rule(letter=st.sampled_from(LETTERS), away=st.booleans())
    def correct(self, letter: dict, away: bool) -> None:
        """The owner changes a letter while some of it may be waiting for the mail server."""
        mark = f"v{len(self.marks) + 1}: "
        with self.live.database.writing() as session:
            body = Letter.model_validate({**letter, "subject": mark + letter["subject"]})
            save_letter(session, body, self.now())
        self.marks[letter["key"]] = mark
        if not away:
            self.post()

    @rule(key=st.sampled_from(KEYS))
    def pause_or_run(self, key: str) -> None:
        with self.live.database.writing() as session:
            paused = session.get_one(SequenceRow, key).status == "paused"
            (run if paused else pause)(session, key)

    @rule(key=st.sampled_from(KEYS), move=st.booleans(), data=st.data())
    def change(self, key: str, move: bool, data: st.DataObject) -> None:
        with self.live.database.writing() as session:
            self.bodies[key] = self.draw(data, key)
            tame(list(self.bodies.values()))
            save_sequence(session, Sequence.model_validate(self.bodies[key]), self.now())
            session.flush()
            if move:
                definitions = self.live.library.load(session)
                ids = on_older(session, definitions, key)
                move_on(session, definitions, key, ids, read_clock(session).now)
        self.post()

    @invariant()
    def no_letter_is_handed_over_twice(self) -> None:
        assert all(times == 1 for times in self.carrier.handed.values())
        with self.live.database.reading() as session:
            rows = session.execute(select(DeliveryRow.run, DeliveryRow.step, DeliveryRow.round)).all()
            assert len(rows) == len(set(rows))

    @invariant()
    def nobody_gets_what_they_may_not_get(self) -> None:
        with self.live.database.reading() as session:
            runs = {row.number: row for row in session.scalars(select(RunRow))}
            who = session.scalars(select(StudentRow.id)).all()
            refunds = self.moments(session, "refunded")
            stopped = self.moments(session, "news_stopped")
            for row in session.scalars(
                select(DeliveryRow).where(DeliveryRow.status == "sent", DeliveryRow.recipients.is_(None))
            ):
                run_row = runs[row.run]
                assert not (run_row.outcome == "left" and run_row.ended < row.at), (
                    "a letter after an early leave"
                )
                if row.purpose == "news":
                    assert row.student_id == min(who), "news to someone who has never agreed"
                    assert not any(at < row.at for at in stopped.get(row.student_id, [])), (
                        "news to someone who stopped it"
                    )
            definitions = self.live.library.load(session)
            ids = list(session.scalars(select(StudentRow.id)))
            for id, state in load_states(session, ids, definitions).items():
                ended = state.facts.enrolments.get("bees")
                if ended and ended.refunded and refunds.get(id):
                    last = max(refunds[id])
                    late = select(DeliveryRow).where(
                        DeliveryRow.student_id == id,
                        DeliveryRow.purpose == "course_help",
                        DeliveryRow.status == "sent",
                        DeliveryRow.at > last,
                        DeliveryRow.recipients.is_(None),
                    )
                    for row in session.scalars(late):
                        subject = runs[row.run].subject
                        about_course = subject and any(kind == "course" for kind, _ in subject["objects"])
                        assert not about_course, "course help to someone refunded"

    @staticmethod
    def moments(session, kind: str) -> dict[int, list[Instant]]:
        found: dict[int, list[Instant]] = {}
        for row in session.scalars(select(EventRow).where(EventRow.type == kind)):
            found.setdefault(row.student_id, []).append(
                row.at.add(hours=30)
            )  # late reports count from their arrival
        return found

    @invariant()
    def every_run_ends_waits_or_is_reported(self) -> None:
        with self.live.database.reading() as session:
            definitions = self.live.library.load(session)
            stuck = session.scalars(select(ProblemRow.reason)).all()
            for row in session.scalars(select(RunRow)):
                if row.outcome == "stuck":
                    assert any(f"in {row.sequence}" in reason for reason in stuck)
                if row.outcome is not None or row.due is not None:
                    continue
                plan = definitions.plans[(row.sequence, row.version)]
                said = [x for x in sequence_findings(definitions, plan) if x.code == "waits_forever"]
                assert row.step in [x.step for x in said], (row.step, row.sequence)

    def teardown(self) -> None:
        if hasattr(self, "live"):
            SEEN.update(self.carrier.seen)
            with self.live.database.reading() as session:
                SEEN.update(session.scalars(select(DeliveryRow.status)))
                SEEN.update(x for x in session.scalars(select(RunRow.outcome)) if x)
            SEEN["handed over"] += self.carrier.handed.total()
            self.live.database.close()
            shutil.rmtree(self.folder)


Courier.TestCase.settings = settings(
    max_examples=20, stateful_step_count=20, suppress_health_check=list(HealthCheck)
)


class TestCourier(Courier.TestCase):
    def runTest(self) -> None:
        SEEN.clear()
        super().runTest()
        met = {what for what, number in SEEN.items() if number}
        assert SEEN["handed over"] == SEEN["sent"] > 50, SEEN
        assert SEEN["in a newer text"] >= 20, SEEN
        assert {"crash before", "crash after", "put off", "skipped", "finished"} <= met, SEEN
        assert not SEEN["unsure"] and not SEEN["posting"] and not SEEN["queued"], SEEN
