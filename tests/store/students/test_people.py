"""What the owner does to a student's record, and what is asked of all records together: of whom it is true, and of nobody else."""

from __future__ import annotations

import pytest
from sqlalchemy import select

from patient_courier.core.school.values import parse_moment
from patient_courier.store.base.tables import EventRow, RunRow, StudentRow
from patient_courier.store.engine.loading import load_states
from patient_courier.store.school.exporting import export_school
from patient_courier.store.students import moves, people
from patient_courier.store.students.moves import Move
from tests.live import LiveSchool
from tests.schools import COURSE, event, read, school, send, sequence, wait

START, END = parse_moment("2026-03-01T00:00:00Z"), parse_moment("2026-03-20T00:00:00Z")
TWO = [COURSE, {**COURSE, "key": "queens", "title": "Queen Rearing", "certificate": None}]
PEOPLE = [
    {"key": "ana", "email": "ana@example.org", "first_name": "Ana", "last_name": "Reis", "news": True, "fields": {"Town": "Cascais"}},
    {"key": "kai", "email": "Kai@Example.org", "first_name": "", "last_name": "Longest-Name-Of-All", "news": True},
    {"key": "noor", "email": "noor@example.net", "first_name": "Noor", "news": True, "fields": {"Town": "", "Hives": "3"}},
    {"key": "zoe", "email": "zoe@example.net", "first_name": "Zoë", "last_name": "", "fields": {}},
]  # fmt: skip


@pytest.fixture
def live(tmp_path):
    """Ana and Kai have both done and stopped the same things, so that what is done to one must not touch the other."""
    both = [
        one
        for who in ("ana", "kai")
        for one in (
            event("2026-03-02T10:00:00Z", "enrolled", who, course="bees", via="manual"),
            event("2026-03-02T11:00:00Z", "enrolled", who, course="queens", via="manual"),
            event("2026-03-03T10:00:00Z", "signed_up", who, form=f"form-{who}"),
            event("2026-03-05T10:00:00Z", "course_help_stopped", who, course="bees"),
            event("2026-03-05T11:00:00Z", "course_help_stopped", who, course="queens"),
            event("2026-03-06T10:00:00Z", "news_stopped", who),
            event("2026-03-07T10:00:00Z", "bounced", who, hard=True),
        )
    ]
    file = read(
        school(
            [sequence("s", [wait("w", "P60D"), send("x")])],
            sorted(both, key=lambda one: one["at"]),
            courses=TWO,
            students=PEOPLE,
        )
    )
    found = LiveSchool(tmp_path / "school.db", file, START)
    found.live_through(file, END)
    yield found
    found.database.close()


def row_of(session, key: str) -> StudentRow:
    return session.scalars(select(StudentRow).where(StudentRow.key == key)).one()


def reported(live: LiveSchool, type: str) -> dict[str, list[bool]]:
    """Of which of these events an export still tells, by student."""
    with live.database.reading() as session:
        rows = session.execute(
            select(StudentRow.key, EventRow.reported)
            .join(EventRow, EventRow.student_id == StudentRow.id)
            .where(EventRow.type == type)
            .order_by(EventRow.number)
        )
        found: dict[str, list[bool]] = {}
        for key, told in rows:
            found.setdefault(key, []).append(told)
    return found


def facts(live: LiveSchool, key: str):
    with live.database.reading() as session:
        id = row_of(session, key).id
        return load_states(session, [id], live.library.load(session))[id].facts


def test_a_lifted_bounce_is_lifted_for_one_and_leaves_the_export(live):
    with live.database.writing() as session:
        people.lift_bounce(session, row_of(session, "ana").id)
    assert (facts(live, "ana").bounced, facts(live, "kai").bounced) == (False, True)
    assert reported(live, "bounced") == {"ana": [False], "kai": [True]}
    assert reported(live, "news_stopped") == {"ana": [True], "kai": [True]}
    with live.database.reading() as session:
        told = [
            (one.type, one.student)
            for one in export_school(session, live.library.load(session)).events
            if one.type == "bounced"
        ]
    assert told == [("bounced", "kai")]


def test_news_is_resumed_for_one_and_what_stopped_it_leaves_the_export(live):
    with live.database.writing() as session:
        people.resume_news(session, row_of(session, "ana").id)
    assert (facts(live, "ana").news, facts(live, "kai").news) == (True, False)
    assert reported(live, "news_stopped") == {"ana": [False], "kai": [True]}
    assert reported(live, "bounced") == {"ana": [True], "kai": [True]}


def test_help_is_resumed_for_one_course_of_one_student(live):
    with live.database.writing() as session:
        people.resume_help(session, row_of(session, "ana").id, "bees")
    assert facts(live, "ana").help_stopped == {"queens"}
    assert facts(live, "kai").help_stopped == {"bees", "queens"}
    assert reported(live, "course_help_stopped") == {"ana": [False, True], "kai": [True, True]}


def test_access_ends_by_hand_in_one_course_of_one_student(live):
    with live.database.writing() as session:
        people.end_enrolment(session, row_of(session, "ana").id, "bees", END)
    assert [facts(live, "ana").status(course) for course in ("bees", "queens")] == ["expired", "active"]
    assert [facts(live, "kai").status(course) for course in ("bees", "queens")] == ["active", "active"]


def test_a_run_that_was_stopped_by_mistake_stands_again_where_it_stood_and_a_finished_one_does_not(live):
    with live.database.writing() as session:
        runs = session.scalars(select(RunRow).where(RunRow.sequence == "s").order_by(RunRow.number)).all()
        first, second = runs[0].number, runs[1].number
        due = runs[0].due
        runs[0].outcome, runs[0].ended, runs[0].due = "stopped", END, None
        runs[1].outcome, runs[1].ended = "finished", END
        session.flush()
        people.reopen_runs(session, [(first, {"due": due}), (second, {"due": due})])
    with live.database.reading() as session:
        again, other = session.get_one(RunRow, first), session.get_one(RunRow, second)
        assert (again.outcome, again.ended, again.due) == (None, None, due)
        assert (other.outcome, other.ended) == ("finished", END)


def test_students_are_found_by_key_address_and_words_however_they_are_written(live):
    with live.database.reading() as session:
        assert people.find(session, "kai").email == "Kai@Example.org"
        assert people.find(session, "Kai") is None
        assert people.by_address(session, "kAI@example.ORG").key == "kai"
        assert people.by_address(session, "kai@example") is None
        assert set(people.by_addresses(session, ["KAI@example.org", "no@example.org"])) == {"kai@example.org"}
        assert set(people.by_keys(session, ["ana", "zoe", "nobody"])) == {"ana", "zoe"}

        def found(words: str) -> list[str]:
            return [one.key for one in people.search(session, words, "", 1)[1]]

        assert found("ana reis") == found("REIS   ana") == found("an rei") == ["ana"]
        assert found("example.net") == ["noor", "zoe"]
        assert found("ana noor") == found("100%") == found("_na") == []
        many = " ".join(["ana"] * people.MOST_WORDS + ["noor"])
        assert found(many) == ["ana"], "words beyond the most are not looked at"


def test_what_is_seen_of_forms_fields_and_unusual_names(live):
    with live.database.reading() as session:
        assert people.forms_seen(session) == {"form-ana", "form-kai"}
        assert people.fields_seen(session) == {"Town", "Hives"}
        assert people.unusual(session) == ("kai", "kai")
        assert people.names_beyond(session) == ["Longest-Name-Of-All", "Zoë"]
        assert people.number(session) == 4 and len(people.every_id(session)) == 4


def test_how_many_lack_what_a_letter_says(live):
    with live.database.reading() as session:
        found = people.lacking(session)
    assert found.students == 4
    assert found.fields == {
        "student.first_name": 1,
        "student.last_name": 2,
        "student.full_name": 0,
        "student.fields.Town": 3,
        "student.fields.Hives": 3,
    }


def test_a_planned_move_is_one_a_student_and_is_carried_out_only_as_long_as_it_is_true(live):
    with live.database.writing() as session:
        ana, kai = row_of(session, "ana").id, row_of(session, "kai").id
        moves.plan(session, Move(ana, "ana@example.org", "first@example.org", START))
        moves.plan(session, Move(ana, "ana@example.org", "second@example.org", END))
        moves.plan(session, Move(kai, "Kai@Example.org", "noor@example.net", START))
        assert moves.next_due(session) == START
        assert [one.student_id for one in moves.ripe(session, START)] == [kai]
        assert [one.after for one in moves.ripe(session, END)] == ["noor@example.net", "second@example.org"]
        # Noor has that address already.
        assert not moves.carry_out(session, moves.of_student(session, kai))
        assert moves.of_student(session, kai) is None
        assert moves.carry_out(session, moves.of_student(session, ana))
        assert not moves.carry_out(session, Move(ana, "ana@example.org", "third@example.org", END))
    with live.database.reading() as session:
        assert (people.find(session, "ana").email, people.find(session, "ana").bounced) == (
            "second@example.org",
            False,
        )
        assert (people.find(session, "kai").email, people.find(session, "kai").bounced) == (
            "Kai@Example.org",
            True,
        )
