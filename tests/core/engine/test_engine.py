"""Sequences by example: the order at one instant, jumps, waits for events, repeats, and runs that set each other going."""

import pytest

from patient_courier.core.checks import Lacking, sequence_findings
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from patient_courier.core.telling.words import warning
from tests.schools import bought, event, letter, play, posted, read, school, send, sequence, wait

DONE = {"on": "lesson_completed", "lesson": "bees/l1"}


def done(at: str, lesson: str = "l1") -> dict:
    return event(at, "lesson_completed", lesson=f"bees/{lesson}")


def test_a_purchase_posts_the_access_letter_and_the_next_one_the_day_after_at_ten():
    steps = [send("access"), wait("w", "P1D", at="10:00"), send("year")]
    found = play([sequence("welcome", steps)], [bought("2026-03-02T23:40:00Z")], letter("access", "service"))
    assert posted(found) == [
        ("2026-03-02T23:40:00Z", "access", "sent"),
        ("2026-03-03T10:00:00Z", "year", "sent"),
    ]
    assert found["runs"][0] == {
        "student": "ana",
        "sequence": "welcome",
        "subject": "bees",
        "started": "2026-03-02T23:40:00Z",
        "ended": "2026-03-03T10:00:00Z",
        "outcome": "finished",
        "step": None,
    }


def test_a_refund_takes_the_student_out_at_once():
    steps = [wait("w", "P3D"), send("late")]
    leaving = sequence("welcome", steps, leaves=[{"on": "refunded", "offer": "bees-once"}])
    found = play([leaving], [bought("2026-03-02"), event("2026-03-04", "refunded", offer="bees-once")])
    assert found["letters"] == []
    assert (found["runs"][0]["outcome"], found["runs"][0]["step"]) == ("left", "w")


def test_an_event_at_the_very_end_of_within_is_in_time():
    steps = [
        {
            "id": "f",
            "do": "wait_for",
            "event": DONE,
            "within": "P2D",
            "then": [send("yes")],
            "else": [send("no")],
        },
        send("after"),
    ]
    found = play([sequence("s", steps)], [bought("2026-03-02"), done("2026-03-04")])
    assert [x["step"] for x in found["letters"]] == ["yes", "after"]
    late = play([sequence("s", steps)], [bought("2026-03-02"), done("2026-03-04T12:00:01Z")])
    assert posted(late)[0] == ("2026-03-04T12:00:00Z", "no", "sent")


def test_what_is_already_true_counts_and_what_is_no_state_does_not():
    failed = {"on": "quiz_failed", "quiz": "bees/q1"}
    steps = [
        {"id": "a", "do": "wait_for", "event": DONE, "within": "P1D", "then": [send("known")]},
        {
            "id": "b",
            "do": "wait_for",
            "event": failed,
            "within": "P1D",
            "then": [send("failed")],
            "else": [send("never")],
        },
    ]
    before = [done("2026-03-01"), event("2026-03-01", "quiz_taken", quiz="bees/q1", score=20)]
    found = play([sequence("s", steps)], [*before, bought("2026-03-02")])
    assert posted(found) == [
        ("2026-03-02T12:00:00Z", "known", "sent"),
        ("2026-03-03T12:00:00Z", "never", "sent"),
    ]


def test_an_event_since_the_run_began_counts_when_the_step_is_reached_later():
    steps = [
        wait("w", "P2D"),
        {"id": "f", "do": "wait_for", "event": {"on": "signed_in"}, "within": "P9D", "then": [send("hello")]},
    ]
    found = play([sequence("s", steps)], [bought("2026-03-02"), event("2026-03-03", "signed_in")])
    assert posted(found) == [("2026-03-04T12:00:00Z", "hello", "sent")]


def test_a_waypoint_skips_what_lies_before_and_the_furthest_wins():
    steps = [
        wait("w", "P9D"),
        send("nudge"),
        {"id": "p1", "do": "waypoint", "reach": {"on": "module_completed", "course": "this"}},
        send("one"),
        {"id": "p2", "do": "waypoint", "reach": {"on": "module_completed", "module": "bees/m1"}},
        send("two"),
    ]
    found = play([sequence("s", steps)], [bought("2026-03-02"), done("2026-03-03"), done("2026-03-04", "l2")])
    assert posted(found) == [("2026-03-04T12:00:00Z", "two", "sent")]


def test_a_holding_waypoint_waits_and_a_plain_one_is_walked_past():
    hold = {"id": "p", "do": "waypoint", "reach": DONE, "hold": True}
    found = play([sequence("s", [hold, send("go")])], [bought("2026-03-02"), done("2026-03-05")])
    assert posted(found) == [("2026-03-05T12:00:00Z", "go", "sent")]
    plain = play([sequence("s", [{**hold, "hold": False}, send("go")])], [bought("2026-03-02")])
    assert posted(plain) == [("2026-03-02T12:00:00Z", "go", "sent")]


def test_a_letter_held_back_is_dropped_when_the_run_jumps():
    hours = {"from": "09:00", "to": "19:00"}
    steps = [send("nudge"), {"id": "p", "do": "waypoint", "reach": DONE}, wait("w", "P1D"), send("later")]
    found = play(
        [sequence("s", steps)],
        [bought("2026-03-02T22:00:00Z"), done("2026-03-02T23:00:00Z")],
        school={"posting_hours": hours},
    )
    assert [x["step"] for x in found["letters"]] == ["later"]
    assert found["letters"][0]["held"] == [
        {"from": "2026-03-03T23:00:00Z", "until": "2026-03-04T09:00:00Z", "reason": "outside_hours"}
    ]


def test_a_repeat_counts_only_what_came_since_the_last_round():
    again = {
        "id": "f",
        "do": "wait_for",
        "event": {"on": "signed_in"},
        "within": "P1D",
        "then": [send("seen")],
    }
    steps = [{"id": "r", "do": "repeat", "times": 3, "steps": [again]}, send("end")]
    found = play([sequence("s", steps)], [bought("2026-03-02"), event("2026-03-02T13:00:00Z", "signed_in")])
    assert posted(found) == [
        ("2026-03-02T13:00:00Z", "seen", "sent"),
        ("2026-03-04T13:00:00Z", "end", "sent"),
    ]


def test_the_certificate_comes_before_the_course_and_the_course_before_the_module():
    on = [
        sequence("lesson", [send("lesson")], {"on": "lesson_completed", "lesson": "bees/l3"}),
        sequence("module", [send("module")], {"on": "module_completed", "module": "bees/m2"}),
        sequence("course", [send("course")], {"on": "course_completed"}),
        sequence("paper", [send("paper")], {"on": "certificate_issued"}),
    ]
    passed = event("2026-03-03", "quiz_taken", quiz="bees/q1", score=70)
    learnt = [done("2026-03-03"), done("2026-03-03", "l2"), passed, done("2026-03-03", "l3")]
    found = play(on, [bought("2026-03-02"), *learnt, done("2026-03-04", "l3")])
    assert [x["step"] for x in found["letters"]] == ["paper", "course", "module", "lesson"]
    assert [x["course"] for x in found["certificates"]] == ["bees"]


def test_tags_from_steps_act_when_the_run_has_come_to_rest():
    first = sequence("a", [{"id": "t", "do": "tag", "add": ["x"]}, send("first"), wait("w", "P1D")])
    second = sequence("b", [send("second")], {"on": "tag_added", "tag": "x"})
    third = sequence("c", [send("third")])
    found = play([first, second, third], [bought()])
    assert [x["step"] for x in found["letters"]] == ["first", "second", "third"]
    assert found["tags"] == [{"at": "2026-03-02T12:00:00Z", "student": "ana", "tag": "x", "change": "added"}]


def test_again_once_per_subject_when_finished_every_time():
    def runs(again: str) -> int:
        signed = {"on": "quiz_taken"}
        steps = [wait("w", "P3D")]
        taken = [event(f"2026-03-0{day}", "quiz_taken", quiz="bees/q1", score=1) for day in (2, 3, 8)]
        return len(play([sequence("s", steps, signed, again=again)], taken)["runs"])

    assert (runs("once"), runs("once_per_subject"), runs("when_finished"), runs("every_time")) == (1, 1, 2, 3)


def test_start_sequence_keeps_the_subject_and_walks_when_the_first_has_come_to_rest():
    first = sequence("a", [{"id": "go", "do": "start_sequence", "sequence": "b"}, send("one")])
    second = sequence("b", [send("two", "w")], {"on": "complained"})
    found = play([first, second], [bought()], letter("w", subject="{{ course.title }} {{ event.at | time }}"))
    assert [(x["step"], x["subject"]) for x in found["letters"]] == [
        ("one", "about one"),
        ("two", "First Hive 12:00"),
    ]


def test_sequences_that_go_in_circles_are_stopped_as_stuck():
    endless = sequence("s", [{"id": "r", "do": "repeat", "times": None, "steps": [wait("w", "PT0S")]}])
    found = play([endless], [bought()])
    assert found["warnings"] == ["going_in_circles: ana in s at w"]
    assert found["runs"][0]["outcome"] == "stuck"
    each_other = [
        sequence("a", [{"id": "x", "do": "start_sequence", "sequence": "b"}], again="every_time"),
        sequence(
            "b",
            [{"id": "y", "do": "start_sequence", "sequence": "a"}],
            {"on": "complained"},
            again="every_time",
        ),
    ]
    found = play(each_other, [bought()])
    assert len(found["runs"]) == 101
    assert found["runs"][-1]["outcome"] == "stuck" and len(found["warnings"]) == 1


def test_dated_steps_wait_for_their_moment_and_skip_when_it_has_passed():
    def dated(**more):
        return sequence(
            "s", [{"id": "d", "do": "dated", "at": "2026-03-07T18:00", "steps": [send("live")], **more}]
        )

    assert posted(play([dated()], [bought("2026-03-02")])) == [("2026-03-07T18:00:00Z", "live", "sent")]
    late = [bought("2026-03-07T20:00:00Z")]
    assert play([dated()], late)["letters"] == []
    assert posted(play([dated(grace="PT2H")], late)) == [("2026-03-07T20:00:00Z", "live", "sent")]


def test_clock_events_inactive_unlocking_and_the_end_of_access():
    quiet = sequence("quiet", [send("quiet")], {"on": "inactive", "course": "bees", "for": "P1W"})
    opens = sequence("opens", [send("opens")], {"on": "unlocking", "module": "bees/m2", "ahead": "P1D"})
    found = play([quiet, opens], [bought("2026-03-02"), done("2026-03-04")])
    assert posted(found) == [
        ("2026-03-08T12:00:00Z", "opens", "sent"),
        ("2026-03-11T12:00:00Z", "quiet", "sent"),
    ]


def test_a_preview_is_not_welcomed_as_a_customer_but_a_purchase_replaces_it():
    preview = event("2026-03-01", "enrolled", course="bees", via="preview")
    found = play([sequence("s", [send("hello")])], [preview, bought("2026-03-02"), bought("2026-03-03")])
    assert posted(found) == [("2026-03-02T12:00:00Z", "hello", "sent")]


def test_an_event_does_not_act_on_the_run_it_has_set_going():
    steps = [wait("w", "P1D"), send("after")]
    leaving = sequence("s", steps, {"on": "signed_in"}, leaves=[{"on": "signed_in"}])
    found = play([leaving], [event("2026-03-02", "signed_in")])
    assert [x["step"] for x in found["letters"]] == ["after"]


def test_a_rehearsal_says_why_a_sequence_did_not_begin():
    keen = {"only_if": {"is": "tagged", "tag": "keen"}}
    hand_over = {"id": "go", "do": "start_sequence", "sequence": "closed"}
    found = rehearse(
        read(
            school(
                [
                    sequence("once", [hand_over], {"on": "purchased"}, again="once"),
                    sequence("keen", [], {"on": "signed_in"}, **keen),
                    {**sequence("closed", []), "status": "closed"},
                ],
                [bought("2026-03-02"), bought("2026-03-03"), event("2026-03-04", "signed_in")],
            )
        )
    )
    assert [(x.sequence, x.refused_by, found.why_not_begun(x)) for x in found.not_begun] == [
        (
            "closed",
            "status",
            "Did not begin after the student bought First Hive (Mon 2 Mar, 12:00): it is closed.",
        ),
        (
            "once",
            "again",
            "Did not begin after the student bought First Hive (Tue 3 Mar, 12:00): a student comes in only once.",
        ),
        (
            "keen",
            "only_if",
            "Did not begin after the student signed in (Wed 4 Mar, 12:00): it is only for a student who has the tag “keen”.",
        ),
    ]


@pytest.mark.parametrize("how", ["leaves", "waypoint", "removed"])
def test_a_tag_event_of_a_step_acts_on_a_run_that_a_later_step_of_the_walk_has_begun(how):
    """The event has not set that run going; both are handled when the walking run has come to rest."""
    steps = [wait("later", "P1D"), send("second")]
    more = {}
    if how == "leaves":
        more["leaves"] = [{"on": "tag_added", "tag": "x"}]
    elif how == "waypoint":
        steps.append({"id": "flag", "do": "waypoint", "reach": {"on": "tag_added", "tag": "x"}})
    else:
        steps = [
            {"id": "gone", "do": "wait_for", "event": {"on": "tag_removed", "tag": "y"}, "within": "P9D"},
            send("second"),
        ]
    tags = [{"id": "y", "do": "tag", "add": ["y"]}, {"id": "x", "do": "tag", "add": ["x"], "remove": ["y"]}]
    first = sequence("first", [*tags, {"id": "go", "do": "start_sequence", "sequence": "second"}])
    second = {**sequence("second", steps, **more), "starts": [], "again": "every_time"}
    outcome = play([first, second], [bought()])
    run = outcome["runs"][1]
    assert (run["sequence"], run["ended"]) == ("second", "2026-03-02T12:00:00Z")
    assert run["outcome"] == ("left" if how == "leaves" else "finished")
    assert posted(outcome) == ([("2026-03-02T12:00:00Z", "second", "sent")] if how == "removed" else [])


def test_a_repeat_of_minutes_is_played_so_far_and_no_further_and_found():
    endless = {"id": "r", "do": "repeat", "times": None, "steps": [wait("w", "PT1M")]}
    outcome = play([sequence("s", [endless])], [bought()])
    assert outcome["warnings"] == ["too_often: ana in s at w"]
    assert warning(outcome["warnings"][0]).startswith("Ana in s at w: this goes round so often")
    definitions = definitions_of(read(school([sequence("s", [endless])], [])))
    found = {
        x.code: x.level for x in sequence_findings(definitions, definitions.sequences["s"], Lacking(0, {}))
    }
    assert found["repeat_too_often"] == "warning"
