"""What destinations are told: with what causes it, in each student's order, again and again, and not for ever."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import func, select, update

from patient_courier.core.destinations.told import KINDS
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.feedback import take_feedback
from patient_courier.dispatch.importing import quiet
from patient_courier.dispatch.outgoing import Outgoing
from patient_courier.dispatch.taking import take_events
from patient_courier.store.base.tables import DestinationRow, OutgoingRow, OutgoingTryRow
from patient_courier.store.destinations import destinations, outgoing, outgoing_log
from patient_courier.store.destinations.outgoing import Tried
from patient_courier.store.school.erasing import erase
from patient_courier.store.students import people
from tests.live import LiveSchool
from tests.receiver import Receiver, receiving
from tests.schools import bought, event, read, school

SECRET = "whsec_" + "c2VjcmV0LWZvci10ZXN0cy1vbmx5LTAxMjM0NTY3"
NOW = parse_moment("2026-03-02T12:00:00Z")
STUDENTS = [{"key": key, "email": f"{key}@example.org"} for key in ("ana", "bo", "cy")]


@pytest.fixture
def receiver() -> Iterator[Receiver]:
    with receiving() as found:
        yield found


class Telling(LiveSchool):
    """A practice school with destinations on this machine, which hear of it."""

    def __init__(self, folder: Path, *urls: str, kinds: tuple[str, ...] = KINDS, courses: Any = ()) -> None:
        super().__init__(folder / "school.db", read(school([], [], students=STUDENTS)), NOW)
        with self.database.writing() as session:
            for number, url in enumerate(urls):
                destinations.add(session, f"d{number}", url, kinds, courses, SECRET)
        self.outgoing = Outgoing(self.database, SECRET, inside=True, total=10)

    def take(self, *events: dict[str, Any], past: bool = False) -> None:
        file: SchoolFile = read(school([], list(events), students=STUDENTS))
        with self.database.writing() as session:
            definitions = self.library.load(session)
            take_events(session, quiet(definitions) if past else definitions, file.events, NOW)

    def rows(self) -> list[OutgoingRow]:
        with self.database.reading() as session:
            return list(session.scalars(select(OutgoingRow).order_by(OutgoingRow.id)))

    def settle(self, id: int, at: str, status: int | None = 500, asked: float | None = None) -> OutgoingRow:
        tried = Tried(id, parse_moment(at), status, "", 1, f"answered {status}", asked)
        with self.database.writing() as session:
            outgoing.settle(session, [tried])
        return next(row for row in self.rows() if row.id == id)

    def state(self) -> DestinationRow:
        with self.database.reading() as session:
            return session.scalars(select(DestinationRow)).one()


def test_everything_that_follows_from_an_event_is_told_with_it_and_the_past_to_nobody(tmp_path, receiver):
    live = Telling(tmp_path, receiver.url)
    live.take(bought(), past=True)
    with live.database.pretending() as session:
        take_events(session, live.library.load(session), read(school([], [bought(student="bo")], students=STUDENTS)).events, NOW)  # fmt: skip
    assert live.rows() == []
    live.take(bought(student="bo"), event("2026-03-02", "tag_added", "bo", tag="keeper"))
    live.outgoing.empty()
    assert [(x["type"], x["data"]["student"]["email"]) for x in receiver.told()] == [
        ("purchased", "bo@example.org"),
        ("enrolled", "bo@example.org"),
        ("tag_added", "bo@example.org"),
    ]
    first, second, third = receiver.told()
    assert first["data"]["offer"]["key"] == "bees-once" and first["timestamp"] == "2026-03-02T12:00:00Z"
    assert second["data"]["course"]["key"] == "bees" and third["data"]["tag"] == "keeper"
    live.outgoing.empty()
    assert len(receiver.got) == 3


def test_only_the_kinds_and_courses_that_were_asked_for(tmp_path):
    live = Telling(tmp_path, "http://127.0.0.1:9/", kinds=("enrolled", "tag_added"), courses=["other"])
    live.take(bought(), event("2026-03-02", "tag_added", tag="keeper"))
    assert [row.type for row in live.rows()] == ["tag_added"]


def test_one_that_is_not_taken_holds_back_those_behind_it_about_the_same_student_and_no_other(
    tmp_path, receiver
):
    live = Telling(tmp_path, receiver.url, kinds=("purchased", "tag_added"))
    receiver.answer = lambda body: 500 if b'"purchased"' in body and b"ana@" in body else 204
    live.take(*(bought(student=one["key"]) for one in STUDENTS))
    live.take(*(event("2026-03-02", "tag_added", one["key"], tag="keeper") for one in STUDENTS))
    live.outgoing.empty()
    told = [(x["type"], x["data"]["student"]["key"]) for x in receiver.told()]
    assert ("tag_added", "ana") not in told and len(told) == 5
    assert {(row.type, row.status) for row in live.rows() if row.student_id == 1} == {
        ("purchased", "queued"),
        ("tag_added", "queued"),
    }
    receiver.answer = 204
    with live.database.writing() as session:
        assert (
            outgoing_log.again(session, 1, live.rows()[0].id) == 0
        )  # it waits as it is, and is only tried at once
    live.outgoing.empty()
    mine = [x for x in receiver.told() if x["data"]["student"]["key"] == "ana"]
    assert [x["type"] for x in mine] == ["purchased", "purchased", "tag_added"]
    assert len(set(receiver.ids())) == 6  # the one that came twice has the same id


def test_a_receiver_that_does_not_answer_slows_no_other(tmp_path, receiver):
    let_go = threading.Event()
    with receiving() as slow:
        slow.answer = lambda body: 204 if let_go.wait(60) else 500
        live = Telling(tmp_path, slow.url, receiver.url)
        live.take(*(bought(student=one["key"]) for one in STUDENTS))
        live.outgoing.look()
        done = threading.Event()
        live.outgoing.on_idle = done.set
        # The other lane is through while this one has not had a single answer.
        assert done.wait(30) and len(receiver.got) == 6
        assert {row.status for row in live.rows() if row.destination_id == 1} == {"queued"}
        let_go.set()
        live.outgoing.empty()
        assert {row.status for row in live.rows()} == {"sent"}


def test_a_dead_receiver_is_left_in_peace_after_a_few_failures(tmp_path, receiver):
    live = Telling(tmp_path, receiver.url, kinds=("tag_added",))
    receiver.answer = 500
    live.take(*(event("2026-03-02", "tag_added", "ana", tag=f"t{n}") for n in range(40)))
    with live.database.writing() as session:
        # As if they were about forty students: each may be tried by itself.
        for row in session.scalars(select(OutgoingRow)):
            row.student_id = None
    live.outgoing.empty()
    failed = len(receiver.got)
    assert 5 <= failed <= 8  # five, and what the other lines had in hand
    receiver.answer = 204
    live.outgoing.try_now("destination 1")
    live.outgoing.empty()
    states = [row.status for row in live.rows()]
    assert (states.count("sent"), states.count("queued")) == (40 - failed, failed)


def test_it_is_tried_with_growing_pauses_for_three_days(tmp_path):
    live = Telling(tmp_path, "http://127.0.0.1:9/", kinds=("purchased",))
    live.take(bought())
    with live.database.writing() as session:
        session.execute(update(OutgoingRow).values(destination_id=None))
    row = live.settle(1, "2026-11-01T10:00:00Z")
    assert str(row.retry) == str(parse_moment("2026-11-01T10:01:00Z"))
    row = live.settle(1, "2026-11-01T10:01:00Z", asked=1800)
    assert str(row.retry) == str(parse_moment("2026-11-01T10:31:00Z"))  # as it has asked for
    for _ in range(10):
        row = live.settle(1, "2026-11-04T09:59:00Z")
    assert (row.status, str(row.retry)) == ("queued", str(parse_moment("2026-11-04T15:59:00Z")))
    row = live.settle(1, "2026-11-04T10:00:00Z")
    assert (row.status, row.retry) == ("failed", None)


def test_a_destination_that_fails_for_a_day_stands_still_and_goes_on_when_told(tmp_path, receiver):
    live = Telling(tmp_path, receiver.url, kinds=("purchased",))
    live.take(bought())
    live.settle(1, "2026-11-01T10:00:00Z")
    assert live.state().state == "on"
    live.settle(1, "2026-11-02T10:00:00Z")
    assert (live.state().state, "for a day" in str(live.state().why)) == ("paused", True)
    live.take(bought(student="bo"))
    live.outgoing.empty()
    assert receiver.got == [] and len(live.rows()) == 2
    with live.database.writing() as session:
        assert [one.id for one in destinations.standing_still(session)] == [1]
        destinations.go_on(session, 1)
    live.outgoing.empty()
    assert sorted(x["data"]["student"]["key"] for x in receiver.told()) == ["ana", "bo"]
    assert live.state().failing is None


def test_gone_ends_it_and_sets_aside_what_waits(tmp_path, receiver):
    live = Telling(tmp_path, receiver.url, kinds=("purchased", "enrolled"))
    receiver.answer = 410
    live.take(bought())
    live.outgoing.empty()
    assert [row.status for row in live.rows()] == ["failed", "failed"] and len(receiver.got) == 1
    assert live.state().state == "ended"
    live.take(bought(student="bo"))
    assert len(live.rows()) == 2  # it hears no more


def test_who_is_erased_while_it_is_posted_leaves_no_trace_and_the_others_are_noted(tmp_path, receiver):
    live = Telling(tmp_path, receiver.url, kinds=("purchased",))
    live.take(*(bought(student=one["key"]) for one in STUDENTS))

    def forget_ana(body: bytes) -> int:
        if b"ana@" in body:
            with live.database.writing() as session:
                erase(session, people.by_address(session, "ana@example.org").id)
        return 204

    receiver.answer = forget_ana
    live.outgoing.empty()
    assert [row.status for row in live.rows()] == ["sent", "sent"] and len(receiver.got) == 3
    with live.database.reading() as session:
        assert session.scalar(select(func.count(OutgoingTryRow.id))) == 2


def test_a_destination_taken_away_while_it_is_posted_to_is_gone(tmp_path, receiver):
    live = Telling(tmp_path, receiver.url, kinds=("purchased",))
    live.take(*(bought(student=one["key"]) for one in STUDENTS))

    def remove(body: bytes) -> int:
        with live.database.writing() as session:
            destinations.remove(session, 1)
        return 204

    receiver.answer = remove
    live.outgoing.empty()
    live.take(event("2026-03-02", "tag_added", tag="keeper"))
    assert live.rows() == []


def test_what_a_student_answers_is_told_with_their_words_and_only_about_the_courses_asked_for(tmp_path):
    live = Telling(tmp_path, "http://127.0.0.1:9/", kinds=("feedback_given",), courses=["bees"])
    with live.database.writing() as session:
        definitions = live.library.load(session)
        for course in ("bees", "other"):
            take_feedback(session, definitions, 1, "how", course, "well", 4, NOW, "More bees")
    (row,) = live.rows()
    data = json.loads(row.body)["data"]
    assert (data["feedback"], data["course"]["key"]) == (
        {"answer": "well", "value": 4, "words": "More bees"},
        "bees",
    )


def test_a_practice_school_keeps_what_it_would_post_outside(tmp_path):
    live = Telling(tmp_path, "https://list.example/hear", kinds=("purchased",))
    live.take(bought())
    live.outgoing.empty()
    assert [(row.status, row.tries) for row in live.rows()] == [("kept", 0)]


def test_what_is_over_is_forgotten_after_thirty_days_and_what_waits_is_not(tmp_path):
    live = Telling(tmp_path, "http://127.0.0.1:9/", kinds=("purchased",))
    live.take(*(bought(student=one["key"]) for one in STUDENTS))
    with live.database.writing() as session:
        rows = session.scalars(select(OutgoingRow)).all()
        rows[0].status = rows[1].status = "sent"
        for row, day in zip(rows, ("01", "20", "01"), strict=True):
            at = parse_moment(f"2026-10-{day}T10:00:00Z")
            session.add(OutgoingTryRow(outgoing_id=row.id, at=at, status=204, answer="", took=1))
        session.flush()
        outgoing.forget_old(session, parse_moment("2026-11-10T10:00:00Z"))
    assert [row.id for row in live.rows()] == [2, 3]


@given(answers=st.lists(st.sampled_from([200, 204, 299, 300, 404, 429, 500, 503]), min_size=1, max_size=40))
def test_whatever_is_answered_each_ends_in_one_state_and_is_tried_no_more_than_three_days(answers):
    from patient_courier.core.destinations.patience import again

    first, at = NOW, NOW
    for tries, status in enumerate(answers, 1):
        if 200 <= status < 300:
            break
        retry = again(tries, first, at, 7200 if status == 429 else None)
        if retry is None:
            assert (at - first).total("hours") >= 72
            break
        assert retry > at and (retry - at).total("hours") <= 6
        at = retry
    assert (at - first).total("hours") < 72 + 6
