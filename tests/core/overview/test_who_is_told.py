"""Who is told what: by example, and against what the engine does in random schools."""

from __future__ import annotations

import json

import pytest

from patient_courier.core.overview.notices import Wish, Wishes
from patient_courier.core.overview.who_is_told import (
    Around,
    Cell,
    Listener,
    Person,
    SiteNote,
    Told,
    who_is_told,
)
from patient_courier.core.reading.school_file import read_school
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from tests.outside.second.schools import Maker
from tests.schools import COURSE, read, school, send, sequence, wait

INES = Person(1, "Ines", "owner", Wishes())
OTHER = {
    **COURSE,
    "key": "queens",
    "title": "Queen Rearing",
    "modules": [{"key": "m1", "title": "Drones", "lessons": [{"key": "l1", "title": "Start"}]}],
    "certificate": None,
}


def told(sequences, *letters, around: Around | None = None, course: str | None = None, **more) -> Told:
    definitions = definitions_of(read(school(sequences, [], *letters, **more)))
    return who_is_told(definitions, around or Around(people=[INES]), course)


def cell(found: Told, kind: str, column: str = "student") -> Cell:
    return next(row for row in found.rows if row.occasion.kind == kind).cells[column]


def said(found: Told, kind: str, column: str = "student") -> list[tuple[str, str, str]]:
    return [(one.what, one.when, one.only) for one in cell(found, kind, column).heard]


def test_letters_stand_in_order_with_their_delay_where_their_event_is():
    steps = [send("access"), wait("w", "P2D", at="10:00"), send("year")]
    found = told([sequence("welcome", steps)])
    assert said(found, "enrolled") == [
        ("Access", "at once", "First Hive"),
        ("Year", "day 2, 10:00", "First Hive"),
    ]
    # Who buys is enrolled, so nobody misses a letter there.
    assert not cell(found, "purchased").missing and not cell(found, "enrolled").missing
    assert cell(found, "course_completed").missing == "well done"


def test_behind_a_wait_for_something_the_delay_is_told_from_there():
    wait_for = {
        "id": "f",
        "do": "wait_for",
        "event": {"on": "quiz_passed", "quiz": "this"},
        "within": "P3D",
        "then": [wait("w", "P1D"), send("well")],
        "else": [send("again")],
    }
    found = told([sequence("help", [wait_for], {"on": "quiz_failed", "course": "bees"})])
    assert said(found, "quiz_passed") == [("Well", "day 1, + 1 day", "this quiz")]
    assert [one[:2] for one in said(found, "quiz_failed")] == [("Again", "day 3, after 3 days")]
    assert said(found, "quiz_failed")[0][2] == "First Hive: if not within 3 days"


def test_without_an_end_of_waiting_what_comes_behind_belongs_to_the_event():
    wait_for = {"id": "f", "do": "wait_for", "event": {"on": "course_completed", "course": "bees"}}
    found = told([sequence("end", [send("hello"), wait_for, send("bye")])])
    assert [one[0] for one in said(found, "enrolled")] == ["Hello"]
    assert said(found, "course_completed") == [("Bye", "at once", "First Hive")]


def test_others_hear_by_steps_and_destinations_by_what_they_asked_for():
    steps = [
        {"id": "t", "do": "tell", "to": ["owner", "partner@apiary.example"], "letter": "sold"},
        {"id": "c", "do": "call", "url": "https://books.example/in"},
    ]
    list_ = Listener("list", "Mailing list", frozenset({"enrolled", "news_off"}), frozenset({"queens"}), "on")
    around = Around(people=[INES], listeners=[list_])
    found = told([sequence("sold", steps)], around=around)
    assert [column.id for column in found.columns] == [
        "student", "person:1", "to:partner@apiary.example", "destination:list", "calls",
    ]  # fmt: skip
    assert said(found, "enrolled", "person:1")[0][0] == "Sold"
    assert said(found, "enrolled", "to:partner@apiary.example")[0][0] == "Sold"
    assert said(found, "enrolled", "calls")[0][0] == "https://books.example/in"
    assert cell(found, "news_stopped", "destination:list").heard
    # It hears of the other course alone, so here it has no column.
    assert "destination:list" not in {c.id for c in told([], around=around, course="bees").columns}


def test_a_note_of_the_site_beside_a_letter_is_said_twice():
    note = SiteNote(7, "enrolled", "bees", "its own welcome")
    around = Around(people=[INES], notes=[note])
    silent = told([], around=around)
    assert cell(silent, "enrolled").heard[0].what == "its own welcome"
    assert not cell(silent, "enrolled").missing and not cell(silent, "enrolled").twice
    assert cell(told([sequence("welcome", [send("access")])], around=around), "enrolled").twice
    paused = told([sequence("welcome", [send("access")], status="paused")], around=around)
    assert not cell(paused, "enrolled").twice, "what is paused says nothing"


@pytest.mark.parametrize("status", ["draft", "paused", "closed"])
def test_what_does_not_go_out_leaves_the_place_marked(status):
    found = told(
        [sequence("end", [send("well")], {"on": "course_completed", "course": "bees"}, status=status)]
    )
    assert cell(found, "course_completed").missing == "well done"
    assert bool(cell(found, "course_completed").heard) == (status != "closed")


def test_notices_stand_with_whom_they_reach_and_for_a_course_as_it_has_them():
    wishes = Wishes(
        wishes=[
            Wish(kind="refunded", how="daily"),
            Wish(kind="refunded", course="queens", how="off"),
            Wish(kind="bounced", how="at_once"),
        ]
    )
    around = Around(people=[Person(1, "Ines", "owner", wishes)])
    more = {"courses": [COURSE, OTHER]}
    assert said(told([], around=around, **more), "refunded", "person:1")[0][1] == "at eight the next morning"
    assert said(told([], around=around, course="bees", **more), "refunded", "person:1")
    queens = told([], around=around, course="queens", **more)
    assert all(row.occasion.kind != "refunded" or not row.cells["person:1"].heard for row in queens.rows)
    assert not cell(told([], around=around, **more), "bounced", "person:1").missing


def test_narrowed_to_a_course_only_what_concerns_it_is_told():
    passed = {
        "id": "f",
        "do": "wait_for",
        "event": {"on": "quiz_passed", "quiz": "this"},
        "then": [send("well")],
    }
    sequences = [
        sequence("help", [passed], {"on": "quiz_failed", "course": "bees"}),
        sequence("any", [send("done")], {"on": "course_completed"}),
        sequence("tagged", [send("hello")], {"on": "tag_added", "tag": "vip"}),
    ]
    more = {"courses": [COURSE, OTHER]}
    queens = told(sequences, course="queens", **more)
    kinds = {row.occasion.kind for row in queens.rows}
    assert said(queens, "course_completed") == [("Done", "at once", "")]
    # It has no quiz and no certificate, and a tag is of no course.
    assert not kinds & {"quiz_failed", "quiz_passed", "certificate_issued", "tag_added", "bounced"}
    assert said(told(sequences, course="bees", **more), "quiz_passed") == [("Well", "at once", "this quiz")]
    assert said(told(sequences, **more), "tag_added") == [("Hello", "at once", "“vip”")]


def test_a_sequence_that_another_starts_is_told_through_it():
    other = sequence("other", [wait("v", "P1D"), send("later")])
    other["starts"] = []
    steps = [wait("w", "P2D"), {"id": "s", "do": "start_sequence", "sequence": "other"}]
    found = told([sequence("one", steps), other])
    assert [one[:2] for one in said(found, "enrolled")] == [("Later", "day 2, + 2 days, then day 1, + 1 day")]


def test_who_is_held_back_and_which_letter_is_drawn_is_said():
    goal = {"on": "course_completed", "course": "bees"}
    trial = {"key": "t", "hold_back": 20, "goal": goal, "within": "P14D"}
    versions = [{"letter": "warm", "share": 50}, {"letter": "plain", "share": 50}]
    steps = [{"id": "v", "do": "send", "versions": versions}]
    found = told([sequence("tried", steps, trial=trial)])
    said_of_both = "First Hive: all but 1 in 5 by lot, one of 2 letters, by lot"
    assert said(found, "enrolled") == [("Warm", "at once", said_of_both), ("Plain", "at once", said_of_both)]


def test_two_sequences_that_start_each_other_come_to_an_end():
    def starting(key: str, other: str):
        return sequence(key, [send(key), {"id": "s", "do": "start_sequence", "sequence": other}])

    assert len(said(told([starting("a", "b"), starting("b", "a")]), "enrolled")) >= 2


def test_whoever_the_engine_writes_to_is_named_there():
    """No letter of a sequence goes out in a random school that the page does not name, for the student or for others."""
    compared = 0
    for seed in range(60):
        file = read_school(json.dumps(Maker(seed).school()))
        outcome = rehearse(file)
        found = who_is_told(outcome.definitions, Around(people=[INES]))
        named = {
            (one.key, one.letter, column.partition(":")[0] if column != "student" else "student")
            for row in found.rows
            for column, held in row.cells.items()
            for one in held.heard
        }
        for one in outcome.letters:
            plan = outcome.definitions.sequences.get(one.sequence)
            if one.status != "sent" or one.broadcast or plan is None or plan.sequence.status == "closed":
                continue
            started = bool(plan.sequence.starts)
            to = "student" if one.to is None else "person" if one.to == "owner" else "to"
            if started and isinstance(one.to, str | None):
                assert (one.sequence, one.letter, to) in named, f"school {seed}: {one.sequence} {one.step}"
                compared += 1
    assert compared > 150
