"""The small print of the engine, each point by one example with its exact moments."""

from __future__ import annotations

from typing import Any

import pytest

from patient_courier.core.school.values import Money
from tests.schools import COURSE, OFFER, bought, event, letter, play, posted, send, sequence, wait

BUNDLE = {"key": "all", "title": "Everything", "courses": ["bees", "wax"], "tags": ["member"]}
WAX = {**COURSE, "key": "wax", "title": "Wax", "certificate": None}


def done(at: str, lesson: str = "l1", student: str = "ana") -> dict[str, Any]:
    return event(at, "lesson_completed", student, lesson=f"bees/{lesson}")


def everything(at: str) -> list[dict[str, Any]]:
    """All lessons and the quiz of the course, a minute apart."""
    first = [done(f"{at}T12:0{n}:00Z", f"l{n + 1}") for n in range(3)]
    return [*first, event(f"{at}T12:05:00Z", "quiz_taken", quiz="bees/q1", score=80)]


def on(kind: str, **more: Any) -> dict[str, Any]:
    return {"on": kind, **more}


def steps_of(found: Any) -> list[str]:
    return [one["step"] for one in found["letters"]]


def test_who_only_looks_is_not_welcomed_until_they_buy():
    looks = event("2026-03-02", "enrolled", course="bees", via="preview")
    found = play([sequence("s", [send("hello")])], [looks, bought("2026-03-04T08:00:00Z")])
    assert posted(found) == [("2026-03-04T08:00:00Z", "hello", "sent")]


def test_a_preview_completed_gives_no_certificate_and_a_purchase_still_replaces_it():
    looks = event("2026-03-01", "enrolled", course="bees", via="preview")
    runs = [
        sequence("completed", [send("well-done")], on("course_completed", course="bees")),
        sequence("bought", [send("hello")]),
    ]
    found = play(runs, [looks, *everything("2026-03-02"), bought("2026-03-03T12:00:00Z")])
    assert steps_of(found) == ["well-done", "hello"]
    assert found["certificates"] == []


def test_buying_again_while_active_enrols_nobody_again():
    found = play(
        [sequence("s", [send("hello")], again="every_time")], [bought(), bought("2026-03-03T12:00:00Z")]
    )
    assert steps_of(found) == ["hello"]


def test_a_refund_takes_the_enrolment_unless_another_purchase_gives_it_too():
    later = [sequence("s", [wait("w", "P5D"), send("help")])]
    both = [
        bought("2026-03-02"),
        event("2026-03-03", "purchased", offer="all"),
        event("2026-03-04", "refunded", offer="bees-once"),
    ]
    more = {"courses": [COURSE, WAX], "offers": [OFFER, BUNDLE]}
    assert posted(play(later, both, **more))[0][2] == "sent"
    gone = [*both, event("2026-03-05", "refunded", offer="all")]
    assert posted(play(later, gone, **more))[0][2] == "not_enrolled"


def test_a_new_enrolment_begins_after_a_refund_and_what_was_learnt_stays_known():
    again = sequence(
        "s",
        [
            {
                "id": "b",
                "do": "branch",
                "arms": [{"if": {"is": "completed", "lesson": "bees/l1"}, "steps": [send("known")]}],
                "otherwise": [send("new")],
            }
        ],
        again="every_time",
    )
    story = [
        bought("2026-03-02"),
        done("2026-03-03"),
        event("2026-03-04", "refunded", offer="bees-once"),
        bought("2026-03-05T12:00:00Z"),
    ]
    assert steps_of(play([again], story)) == ["new", "known"]


def test_a_quiz_passed_again_is_an_event_again():
    every = sequence("s", [send("passed")], on("quiz_passed"), again="every_time")
    tries = [event(f"2026-03-0{n}", "quiz_taken", quiz="bees/q1", score=90) for n in (3, 4)]
    assert steps_of(play([every], [bought(), *tries])) == ["passed", "passed"]


def test_a_tag_that_is_there_is_no_event():
    every = sequence("s", [send("tagged")], on("tag_added", tag="x"), again="every_time")
    found = play(
        [every], [event("2026-03-02", "tag_added", tag="x"), event("2026-03-03", "tag_added", tag="x")]
    )
    assert steps_of(found) == ["tagged"]
    assert [tag["change"] for tag in found["tags"]] == ["added"]


def test_unlocking_comes_so_long_ahead_and_only_after_the_enrolment_began():
    runs = [
        sequence("day", [send("soon")], on("unlocking", module="bees/m2", ahead="P1D")),
        sequence("now", [send("open")], on("unlocking", course="bees")),
        sequence("never", [send("past")], on("unlocking", ahead="P30D")),
    ]
    assert posted(play(runs, [bought("2026-03-02T12:00:00Z")], until="2026-04-01T00:00:00Z")) == [
        ("2026-03-08T12:00:00Z", "soon", "sent"),
        ("2026-03-09T12:00:00Z", "open", "sent"),
    ]


def test_access_ends_after_its_days_and_course_letters_with_it():
    runs = [
        sequence(
            "ending",
            [send("ending"), wait("w", "P3D"), send("late")],
            on("access_ending", course="bees", ahead="P2D"),
        ),
        sequence("news", [wait("w", "P30D"), send("offer")]),
    ]
    more = {"courses": [{**COURSE, "access": "P10D"}], "until": "2026-05-01T00:00:00Z"}
    assert posted(play(runs, [bought("2026-03-02T12:00:00Z")], letter("offer", "news"), **more)) == [
        ("2026-03-10T12:00:00Z", "ending", "sent"),
        ("2026-03-13T12:00:00Z", "late", "not_enrolled"),
        ("2026-04-01T11:00:00Z", "offer", "sent"),
    ]


def test_silence_is_noticed_once_and_again_after_new_activity():
    quiet = sequence("s", [send("hush")], on("inactive", course="bees", **{"for": "P3D"}), again="every_time")
    found = play(
        [quiet], [bought("2026-03-02T12:00:00Z"), done("2026-03-10T09:00:00Z")], until="2026-03-31T00:00:00Z"
    )
    assert [at for at, _, _ in posted(found)] == ["2026-03-05T12:00:00Z", "2026-03-13T09:00:00Z"]


def test_two_who_ask_for_the_same_silence_hear_of_it_once_each():
    runs = [
        sequence("any", [send("a")], on("inactive", **{"for": "P7D"}), again="every_time"),
        sequence("one", [send("b")], on("inactive", course="bees", **{"for": "P1W"}), again="every_time"),
    ]
    assert steps_of(play(runs, [bought("2026-03-02T12:00:00Z")], until="2026-03-31T00:00:00Z")) == ["a", "b"]


def test_once_is_what_a_sequence_is_when_nothing_is_said():
    every = sequence("s", [send("a")], on("lesson_completed"))
    assert steps_of(play([every], [done("2026-03-02"), done("2026-03-03", "l2")])) == ["a"]
    per = sequence("s", [send("a")], on("lesson_completed"), again="once_per_subject")
    assert steps_of(play([per], [done("2026-03-02"), done("2026-03-03", "l2")])) == ["a", "a"]


def test_a_sequence_started_by_another_keeps_its_subject_and_event_and_walks_when_that_one_rests():
    first = sequence(
        "first",
        [{"id": "g", "do": "start_sequence", "sequence": "second"}, send("one"), wait("w", "P1D")],
        on("quiz_failed"),
    )
    second = {**sequence("second", [send("two")]), "starts": []}
    words = letter("two", "course_help", "{{ quiz.title }} {{ event.at | time }}")
    found = play(
        [first, second],
        [bought(), event("2026-03-03T12:00:00Z", "quiz_taken", quiz="bees/q1", score=10)],
        words,
    )
    assert [(one["step"], one["subject"]) for one in found["letters"]] == [
        ("one", "about one"),
        ("two", "Parts of a hive 12:00"),
    ]
    assert [run["subject"] for run in found["runs"]] == ["bees/q1", "bees/q1"]


def test_stopping_its_own_sequence_stops_this_run_too():
    found = play(
        [sequence("s", [{"id": "x", "do": "stop_sequence", "sequence": "s"}, send("a")])], [bought()]
    )
    assert (found["letters"], found["runs"][0]["outcome"], found["runs"][0]["step"]) == ([], "stopped", "x")


def test_the_furthest_waypoint_is_reached_and_leaving_comes_first():
    reach = on("signed_in")
    steps = [
        wait("w", "P9D"),
        {"id": "one", "do": "waypoint", "reach": reach},
        send("a"),
        {"id": "two", "do": "waypoint", "reach": reach},
        send("b"),
    ]
    assert steps_of(play([sequence("s", steps)], [bought(), event("2026-03-03", "signed_in")])) == ["b"]
    assert (
        steps_of(play([sequence("s", steps, leaves=[reach])], [bought(), event("2026-03-03", "signed_in")]))
        == []
    )


def test_an_event_does_not_act_on_what_it_has_set_going_but_a_later_derived_one_does():
    leaving = sequence(
        "s", [wait("w", "P1D"), send("a")], on("lesson_completed"), leaves=[on("lesson_completed")]
    )
    assert steps_of(play([leaving], [done("2026-03-02")])) == ["a"]
    member = sequence("m", [wait("w", "P1D"), send("b")], leaves=[on("tag_added", tag="member")])
    found = play(
        [member],
        [event("2026-03-02", "purchased", offer="all")],
        courses=[COURSE, WAX],
        offers=[OFFER, BUNDLE],
    )
    assert (steps_of(found), found["runs"][0]["outcome"]) == ([], "left")


def test_inside_a_repeat_only_what_came_since_the_step_was_passed_counts():
    ask = {
        "id": "f",
        "do": "wait_for",
        "event": on("signed_in"),
        "within": "PT12H",
        "then": [send("yes")],
        "else": [send("no")],
    }
    steps = [{"id": "r", "do": "repeat", "times": 3, "steps": [wait("w", "P1D"), ask]}]
    found = play(
        [sequence("s", steps)], [bought("2026-03-02T12:00:00Z"), event("2026-03-03T01:00:00Z", "signed_in")]
    )
    assert posted(found) == [
        ("2026-03-03T12:00:00Z", "yes", "sent"),
        ("2026-03-05T00:00:00Z", "no", "sent"),
        ("2026-03-06T12:00:00Z", "no", "sent"),
    ]


def test_the_gap_is_over_exactly_at_its_end():
    for span, expected in (("P2D", "sent"), ("PT48H", "sent"), ("P2DT1S", "min_gap")):
        steps = [send("one", "help"), wait("w", "P2D"), send("two", "help")]
        found = play([sequence("s", steps)], [bought("2026-03-02")], letter("help", min_gap=span))
        assert posted(found)[1][2] == expected


def test_the_days_limit_is_the_students_day_and_holds_to_the_same_hour_without_posting_hours():
    student = {"key": "ana", "email": "ana@example.org", "timezone": "America/New_York"}
    about = {"daily_limit": 1}
    found = play(
        [sequence("s", [send("a"), send("b")])],
        [bought("2026-03-02T23:30:00Z")],
        students=[student],
        school=about,
    )
    assert posted(found) == [("2026-03-02T23:30:00Z", "a", "sent"), ("2026-03-03T23:30:00Z", "b", "sent")]
    [held] = found["letters"][1]["held"]
    assert held == {"from": "2026-03-02T23:30:00Z", "until": "2026-03-03T23:30:00Z", "reason": "daily_limit"}


def test_with_hours_in_the_schools_zone_the_limit_holds_to_a_later_date_there():
    student = {"key": "ana", "email": "ana@example.org", "timezone": "Pacific/Auckland"}
    about = {"daily_limit": 1, "posting_hours": {"from": "09:00", "to": "22:00", "zone": "school"}}
    # 10:00 in Lisbon is 23:00 in Auckland; the limit's date is the student's, the opening the school's.
    found = play(
        [sequence("s", [send("a"), send("b")])],
        [bought("2026-03-02T10:00:00Z")],
        students=[student],
        school=about,
    )
    assert [at for at, _, _ in posted(found)] == ["2026-03-02T10:00:00Z", "2026-03-03T09:00:00Z"]


def test_a_letter_dropped_while_it_is_held_is_not_listed():
    about = {"posting_hours": {"from": "09:00", "to": "19:00"}}
    steps = [send("a"), {"id": "w", "do": "waypoint", "reach": on("signed_in")}, send("b")]
    found = play(
        [sequence("s", steps)],
        [bought("2026-03-02T22:00:00Z"), event("2026-03-02T23:00:00Z", "signed_in")],
        school=about,
    )
    assert posted(found) == [("2026-03-03T09:00:00Z", "b", "sent")]
    assert found["letters"][0]["held"][0]["from"] == "2026-03-02T23:00:00Z"


def test_the_first_blank_field_in_reading_order_is_named():
    blocks = [{"kind": "text", "html": "<p>{{ student.last_name }}</p>"}]
    words = letter(
        "a",
        subject="Hi {{ student.first_name | default('you') }}",
        preheader="{{ quiz.score }}",
        blocks=blocks,
    )
    found = play([sequence("s", [send("a"), send("b")])], [bought()], words)
    assert posted(found)[0][2] == "blank_field: quiz.score"
    assert found["letters"][1]["status"] == "sent"


def test_a_letter_to_someone_else_asks_no_guards_and_is_not_counted():
    tell = {"id": "t", "do": "tell", "to": "owner", "letter": "note"}
    about = {"daily_limit": 1, "posting_hours": {"from": "09:00", "to": "19:00"}}
    story = [bought("2026-03-02T12:00:00Z"), event("2026-03-03T22:00:00Z", "bounced", hard=True)]
    runs = [sequence("s", [tell, send("a")]), sequence("b", [{**tell, "id": "t2"}], on("bounced"))]
    found = play(runs, story, school=about)
    assert posted(found) == [
        ("2026-03-02T12:00:00Z", "t", "sent"),
        ("2026-03-02T12:00:00Z", "a", "sent"),
        ("2026-03-03T22:00:00Z", "t2", "sent"),
    ]
    assert found["letters"][0]["to"] == "owner"


def test_a_hundred_steps_in_one_instant_and_not_one_more():
    steps = [{"id": f"t{n}", "do": "tag", "add": ["x"]} for n in range(101)]
    found = play([sequence("s", steps)], [bought()])
    assert found["warnings"] == ["going_in_circles: ana in s at t100"]
    assert (found["runs"][0]["outcome"], found["runs"][0]["step"]) == ("stuck", "t100")
    assert play([sequence("s", steps[:100])], [bought()])["runs"][0]["outcome"] == "finished"


@pytest.mark.parametrize(
    ("amount", "text"),
    [("149", "EUR 149.00"), ("149.5", "EUR 149.50"), ("149.00", "EUR 149.00"), ("0.125", "EUR 0.125")],
)
def test_money_has_two_decimals_at_least(amount, text):
    assert str(Money(amount=amount, currency="EUR")) == text


def test_an_event_id_counts_once_in_the_whole_school():
    people = [{"key": key, "email": f"{key}@example.org"} for key in ("ana", "kai")]
    story = [
        {**bought("2026-03-02T12:00:00Z"), "id": "e1"},
        {**bought("2026-03-03T12:00:00Z", "kai"), "id": "e1"},
    ]
    found = play([sequence("s", [send("a")])], story, students=people)
    assert [one["student"] for one in found["letters"]] == ["ana"]


def test_a_date_that_has_passed_is_in_time_within_its_grace_and_at_its_very_end():
    for grace, expected in (("PT2H", ["in"]), ("PT119M", []), (None, [])):
        dated = {
            "id": "d",
            "do": "dated",
            "at": "2026-03-02T10:00",
            "zone": "school",
            "grace": grace,
            "steps": [send("in")],
        }
        assert steps_of(play([sequence("s", [dated])], [bought("2026-03-02T12:00:00Z")])) == expected


def test_what_falls_exactly_on_the_end_still_happens():
    runs = [sequence("s", [wait("w", "P1D"), send("a")])]
    assert steps_of(play(runs, [bought("2026-03-02")], until="2026-03-03T12:00:00Z")) == ["a"]
    open_one = play(runs, [bought("2026-03-02")], until="2026-03-03T11:59:59Z")["runs"][0]
    assert (open_one["outcome"], open_one["ended"], open_one["step"]) == ("open", None, "w")


def test_a_this_that_the_run_has_not_matches_nothing_and_its_condition_is_false():
    steps = [
        {
            "id": "b",
            "do": "branch",
            "arms": [{"if": {"is": "completed", "lesson": "this"}, "steps": [send("x")]}],
            "otherwise": [send("y")],
        },
        {
            "id": "f",
            "do": "wait_for",
            "event": on("lesson_completed", lesson="this"),
            "within": "P1D",
            "then": [send("then")],
            "else": [send("else")],
        },
    ]
    assert steps_of(play([sequence("s", steps)], [bought("2026-03-02"), done("2026-03-02T13:00:00Z")])) == [
        "y",
        "else",
    ]


def test_watching_reaches_a_percent_once_however_often_it_is_reported():
    half = sequence("s", [send("half")], on("lesson_watched", percent=50), again="every_time")
    every = sequence("t", [send("some")], on("lesson_watched"), again="every_time")
    story = [
        event(f"2026-03-02T12:0{n}:00Z", "lesson_watched", lesson="bees/l1", percent=p)
        for n, p in enumerate((30, 50, 40, 70))
    ]
    found = steps_of(play([half, every], story))
    assert (found.count("half"), found.count("some")) == (1, 4)


def test_service_goes_out_at_any_hour_and_what_waits_is_asked_all_over_again():
    about = {"posting_hours": {"from": "09:00", "to": "19:00"}}
    story = [
        bought("2026-03-02T22:00:00Z"),
        event("2026-03-03T08:00:00Z", "course_help_stopped", course="bees"),
    ]
    found = play(
        [sequence("s", [send("access"), send("help")])], story, letter("access", "service"), school=about
    )
    assert posted(found) == [
        ("2026-03-02T22:00:00Z", "access", "sent"),
        ("2026-03-03T09:00:00Z", "help", "course_help_off"),
    ]
    assert found["letters"][1]["held"][0]["reason"] == "outside_hours"


def test_posting_hours_that_a_clock_change_moves():
    # Lisbon, 29 March 2026: 01:00 to 02:00 does not exist; 01:30 moves forward to 02:30 (01:30 UTC).
    about = {"posting_hours": {"from": "01:30", "to": "03:00"}}
    found = play([sequence("s", [send("a")])], [bought("2026-03-29T00:10:00Z")], school=about)
    assert posted(found) == [("2026-03-29T01:30:00Z", "a", "sent")]
    assert found["letters"][0]["local"] == "2026-03-29T02:30:00+01:00"


def test_the_certificate_comes_before_the_course_before_the_module_before_the_lesson():
    runs = [
        sequence("lesson", [send("lesson")], on("quiz_taken")),
        sequence("module", [send("module")], on("module_completed", module="bees/m2")),
        sequence("course", [send("course")], on("course_completed")),
        sequence("certificate", [send("certificate")], on("certificate_issued")),
    ]
    found = play(runs, [bought(), *everything("2026-03-05")])
    assert steps_of(found) == ["certificate", "course", "module", "lesson"]
    assert found["certificates"] == [{"at": "2026-03-05T12:05:00Z", "student": "ana", "course": "bees"}]


def test_with_approval_a_certificate_is_requested_once_and_issued_on_approval():
    asked = sequence("a", [send("asked")], on("certificate_requested"), again="every_time")
    got = sequence("g", [send("got")], on("certificate_issued"), again="every_time")
    approve = [event(f"2026-03-0{n}", "certificate_approved", course="bees") for n in (1, 6, 7)]
    more = {"courses": [{**COURSE, "certificate": {"approval": True}}]}
    found = play([asked, got], [bought("2026-02-20T12:00:00Z"), *approve, *everything("2026-03-05")], **more)
    assert posted(found) == [
        ("2026-03-05T12:05:00Z", "asked", "sent"),
        ("2026-03-06T12:00:00Z", "got", "sent"),
    ]


def test_runs_that_one_event_moves_are_taken_in_the_order_they_began():
    later = {"id": "w", "do": "waypoint", "reach": on("signed_in"), "hold": True}
    runs = [sequence("b", [later, send("b")], on("lesson_completed")), sequence("a", [later, send("a")])]
    found = play(runs, [bought("2026-03-02"), done("2026-03-03"), event("2026-03-04", "signed_in")])
    assert steps_of(found) == ["a", "b"]


def _asked(**choices: dict) -> dict:
    answers = [{"key": key, "label": key, **more} for key, more in choices.items()]
    return letter("asked", "course_help", blocks=[{"kind": "answers", "question": "?", "answers": answers}])


def _answer(at: str, answer: str) -> dict:
    return event(at, "answered", letter="asked", answer=answer)


def test_an_answer_changes_tags_in_turn_stops_help_and_leaves_the_run_that_asked():
    """Section 12: tags to add, tags to remove, help; the run is left with the early leaves of the answer."""
    asked = _asked(done={"add_tags": ["b"], "remove_tags": ["a"], "stops_help": True, "leaves": True})
    steps = [send("asked"), wait("w", "P3D"), send("more")]
    other = sequence("other", [wait("w", "P9D"), send("later")])
    students = [{"key": "ana", "email": "ana@example.org", "first_name": "Ana", "news": True, "tags": ["a"]}]
    outcome = play(
        [sequence("s", steps), other], [bought(), _answer("2026-03-03", "done")], asked, students=students
    )
    assert [(x["tag"], x["change"]) for x in outcome["tags"]] == [("b", "added"), ("a", "removed")]
    assert [(x["sequence"], x["outcome"], x["step"]) for x in outcome["runs"]] == [
        ("s", "left", "w"),
        ("other", "finished", None),
    ]
    assert [(x["letter"], x["reason"]) for x in outcome["letters"]] == [
        ("asked", None),
        ("later", "course_help_off"),
    ]


@pytest.mark.parametrize("answer", ["unknown", "done"])
def test_an_answer_without_a_delivery_or_one_that_the_letter_has_not_does_less(answer):
    asked = _asked(done={"add_tags": ["b"], "stops_help": True, "leaves": True})
    steps = [wait("w", "P3D"), send("asked")]
    outcome = play([sequence("s", steps)], [bought(), _answer("2026-03-03", answer)], asked)
    assert [x["tag"] for x in outcome["tags"]] == (["b"] if answer == "done" else [])
    assert posted(outcome) == [("2026-03-05T12:00:00Z", "asked", "sent")]


def test_an_answer_belongs_to_the_newest_delivery_whatever_it_sets_going():
    asked = _asked(again={"add_tags": ["b"], "leaves": True})
    first = sequence("first", [send("asked"), wait("w", "P9D")])
    second = sequence("second", [send("asked"), wait("w", "P9D")], {"on": "tag_added", "tag": "b"})
    outcome = play(
        [first, second], [bought(), _answer("2026-03-03", "again")], asked, until="2026-03-04T00:00:00Z"
    )
    assert [(x["sequence"], x["outcome"]) for x in outcome["runs"]] == [("first", "left"), ("second", "open")]


def test_a_certificate_that_is_taken_back_is_none_and_may_be_issued_again():
    """Section 13, with approval and without; a second taking back is no event."""
    done = [event("2026-03-03", "lesson_completed", lesson=f"bees/l{n}") for n in (1, 2, 3)]
    done.append(event("2026-03-03", "quiz_taken", quiz="bees/q1", score=90))
    back = [event(f"2026-03-0{n}", "certificate_revoked", course="bees") for n in (5, 6)]
    asks = sequence(
        "asks", [{"id": "c", "do": "certificate", "course": "bees"}], {"on": "tag_added", "tag": "again"}
    )
    told = sequence(
        "told", [send("sorry")], {"on": "certificate_revoked", "course": "bees"}, again="every_time"
    )
    again = event("2026-03-07", "tag_added", tag="again")
    outcome = play([asks, told], [bought(), *done, *back, again])
    assert [x["at"][:10] for x in outcome["certificates"]] == ["2026-03-03", "2026-03-07"]
    assert posted(outcome) == [("2026-03-05T12:00:00Z", "sorry", "sent")]
    course = {**COURSE, "certificate": {"approval": True}}
    approve = [event(f"2026-03-0{n}", "certificate_approved", course="bees") for n in (4, 6, 8)]
    outcome = play([asks], [bought(), *done, *back, again, *approve], courses=[course])
    # The approval of 6 March has nothing to approve: what was requested is void.
    assert [x["at"][:10] for x in outcome["certificates"]] == ["2026-03-04", "2026-03-08"]


def test_a_run_that_is_left_before_its_first_walk_stands_at_its_first_step():
    """Section 10: it has begun when the step is taken, and the tag of an earlier step makes it leave before it walks."""
    outer = [
        {"id": "t", "do": "tag", "add": ["gone"]},
        {"id": "go", "do": "start_sequence", "sequence": "inner"},
        wait("w", "P1D"),
    ]
    inner = sequence(
        "inner", [send("first"), send("x")], {"on": "signed_in"}, leaves=[{"on": "tag_added", "tag": "gone"}]
    )
    found = play([sequence("outer", outer), inner], [bought()])
    runs = {run["sequence"]: run for run in found["runs"]}
    assert (runs["inner"]["outcome"], runs["inner"]["step"]) == ("left", "first")
    assert not found["letters"]
