"""Trials by example: who is held back, what counts, when the goal is reached; and versions of a letter."""

import pytest

from patient_courier.core.checks import Drawn, sequence_findings
from patient_courier.core.engine.engine import Engine
from patient_courier.core.reading.school_file import Unreadable
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from patient_courier.core.school.trials import Trial
from patient_courier.core.school.values import parse_moment
from tests.schools import event, letter, play, posted, read, school, send, sequence, wait

# By the lot of the key “spring”: SHA-256 of “spring/mei” begins at 2%, of “spring/ana” at 54%, of “spring/ben” at 24%.
BACK, THERE, ALSO = "mei", "ana", "ben"
GOAL = {"on": "lesson_completed", "lesson": "bees/l1"}
TRIAL = {"key": "spring", "hold_back": 20, "goal": GOAL, "within": "P7D"}


def people(*keys):
    return [{"key": key, "email": f"{key}@example.org", "first_name": key} for key in keys]


def tried(events, *, until=None, steps=None, starts=(), trial=TRIAL, **more):
    nudges = sequence("nudges", steps or [send("s")], *starts, trial=trial, **more)
    also = {"until": until} if until else {}
    return play([nudges], events, students=people(BACK, THERE, ALSO), **also)


def enrolled(student, at="2026-03-02"):
    return event(at, "enrolled", student, course="bees", via="manual")


def done(student, at):
    return event(at, "lesson_completed", student, lesson="bees/l1")


def sides(outcome):
    (found,) = outcome["trials"]
    return found["written_to"], found["held_back"]


def test_who_is_held_back_begins_and_ends_at_once_without_a_step():
    found = tried([enrolled(BACK), enrolled(THERE)])
    assert [letter["student"] for letter in found["letters"]] == [THERE]
    back = next(run for run in found["runs"] if run["student"] == BACK)
    assert (back["outcome"], back["step"], back["started"], back["ended"]) == (
        "held_back", None, "2026-03-02T12:00:00Z", "2026-03-02T12:00:00Z",
    )  # fmt: skip
    again = tried(
        [
            enrolled(BACK),
            event("2026-03-03", "refunded", BACK, offer="bees-once"),
            enrolled(BACK, "2026-03-04"),
        ]
    )
    assert len(again["runs"]) == 1, "it counts as a run for “again”"


def test_the_goal_counts_from_the_start_to_the_end_inclusive_and_only_when_the_end_has_come():
    events = [enrolled(BACK), enrolled(THERE), enrolled(ALSO)]
    early = [
        *events,
        done(THERE, "2026-03-03"),
        done(BACK, "2026-03-09T12:00:00Z"),
        done(ALSO, "2026-03-09T12:00:01Z"),
    ]
    assert sides(tried(early, until="2026-03-09T11:59:59Z")) == (
        {"students": 2, "reached": 0, "open": 2}, {"students": 1, "reached": 0, "open": 1},
    )  # fmt: skip
    at_the_end = {"students": 1, "reached": 1, "open": 0}
    assert sides(tried(early, until="2026-03-09T12:00:00Z")) == (
        {"students": 2, "reached": 1, "open": 0},
        at_the_end,
    )
    assert sides(tried(early)) == ({"students": 2, "reached": 1, "open": 0}, at_the_end), (
        "a second too late is late"
    )


def test_a_rehearsal_without_an_end_plays_until_everybodys_end_has_come():
    assert sides(tried([enrolled(THERE)]))[0] == {"students": 1, "reached": 0, "open": 0}
    slow = {**TRIAL, "within": "P3Y"}
    assert sides(tried([enrolled(THERE)], trial=slow))[0]["open"] == 1, "but no longer than two years"


def test_the_event_that_began_a_run_and_its_causes_do_not_reach_the_goal():
    start = {"on": "module_completed", "module": "bees/m1"}
    events = [
        enrolled(THERE), done(THERE, "2026-03-03"),
        event("2026-03-04", "lesson_completed", THERE, lesson="bees/l2"),
    ]  # fmt: skip
    second = {**TRIAL, "goal": {"on": "lesson_completed", "module": "this"}}
    assert sides(tried(events, starts=[start], trial=second))[0]["reached"] == 0
    own = {**TRIAL, "goal": start}
    assert sides(tried(events, starts=[start], trial=own))[0]["reached"] == 0


def test_a_goal_of_the_clock_is_asked_for_as_a_start_is():
    silent = {**TRIAL, "goal": {"on": "inactive", "course": "this", "for": "P3D"}}
    assert sides(tried([enrolled(THERE)], trial=silent))[0]["reached"] == 1


def test_of_each_student_the_first_run_counts():
    events = [enrolled(THERE), event("2026-03-02T13:00:00Z", "signed_in", THERE), done(THERE, "2026-03-12")]
    starts = [{"on": "enrolled"}, {"on": "signed_in"}]
    found = tried([*events, event("2026-03-10", "signed_in", THERE)], starts=starts, again="every_time")
    assert sides(found)[0] == {"students": 1, "reached": 0, "open": 0} and len(found["runs"]) == 3


def test_by_hand_is_outside_the_trial_on_neither_side():
    file = read(school([sequence("nudges", [send("s")], trial=TRIAL)], [], students=people(BACK)))
    outcome = rehearse(file)
    state, now = outcome.states[BACK], parse_moment("2026-03-02T12:00:00Z")
    Engine(outcome.definitions).begin_by_hand(state, "nudges", None, now)
    assert [run.outcome for run in state.runs] == ["finished"]
    outcome.ended = parse_moment("2026-05-01T00:00:00Z")
    assert sides(outcome.as_json())[1]["students"] == 0


def test_another_sequence_hands_over_to_a_trial_and_is_held_back_there():
    first = sequence("first", [{"id": "on", "do": "start_sequence", "sequence": "nudges"}, send("after")])
    second = sequence("nudges", [send("s")], {"on": "signed_in"}, trial=TRIAL)
    found = play([first, second], [enrolled(BACK), enrolled(THERE)], students=people(BACK, THERE))
    assert {(x["student"], x["letter"]) for x in found["letters"]} == {
        (BACK, "after"), (THERE, "after"), (THERE, "s"),
    }  # fmt: skip


def test_each_student_gets_one_of_the_letters_and_always_the_same():
    # By the lots of “nudges/s/mei”, …/ana and …/ben: 22, 49 and 74 of 100.
    versions = [{"letter": "a", "share": 50}, {"letter": "b", "share": 50}]
    again = {
        "id": "r",
        "do": "repeat",
        "times": 3,
        "steps": [{"id": "s", "do": "send", "versions": versions}, wait("w", "P1D")],
    }
    found = tried([enrolled(who) for who in (BACK, THERE, ALSO)], steps=[again], trial=None)
    got = {who: {x["letter"] for x in found["letters"] if x["student"] == who} for who in (BACK, THERE, ALSO)}
    assert all(len(letters) == 1 for letters in got.values()) and len(found["letters"]) == 9
    assert set.union(*got.values()) == {"a", "b"}
    assert found["trials"] == []


def test_a_letter_of_a_version_that_needs_a_gap_is_the_one_that_was_drawn():
    versions = [{"letter": "a", "share": 99}, {"letter": "b", "share": 1}]
    steps = [{"id": "s", "do": "send", "versions": versions}, wait("w", "P1D"), send("t", "a")]
    nudges = sequence("nudges", steps)
    found = play([nudges], [enrolled(THERE)], letter("a", min_gap="P7D"), letter("b"), students=people(THERE))
    assert [what for _, _, what in posted(found)] == ["sent", "min_gap"]


@pytest.mark.parametrize(
    "wrong",
    [
        {"hold_back": 0}, {"hold_back": 91}, {"hold_back": 12.5}, {"within": None}, {"goal": None}, {"key": None}, {"more": 1},
    ],
)  # fmt: skip
def test_a_trial_that_is_not_one_is_refused_on_reading(wrong):
    body = {name: value for name, value in {**TRIAL, **wrong}.items() if value is not None}
    with pytest.raises(Unreadable) as refused:
        read(school([sequence("nudges", [send("s")], trial=body)], []))
    assert refused.value.faults[0].pointer.startswith("/sequences/0/trial")


@pytest.mark.parametrize(
    "posts",
    [
        {},
        {"letter": "a", "versions": [{"letter": "a", "share": 50}, {"letter": "b", "share": 50}]},
        {"versions": [{"letter": "a", "share": 100}]},
        {"versions": [{"letter": "a", "share": 50}, {"letter": "b", "share": 49}]},
        {"versions": [{"letter": "a", "share": 50}, {"letter": "a", "share": 50}]},
        {"versions": [{"letter": x, "share": 20} for x in "abcde"]},
    ],
)
def test_versions_that_are_none_are_refused_on_reading(posts):
    data = school([sequence("nudges", [send("a"), send("b"), send("c"), send("d"), send("e")])], [])
    data["sequences"][0]["steps"].append({"id": "s", "do": "send", **posts})
    with pytest.raises(Unreadable) as refused:
        read(data)
    assert refused.value.faults[0].pointer.startswith("/sequences/0/steps/5")


def findings(steps, *letters, trial=TRIAL, drawn=Drawn()):
    definitions = definitions_of(read(school([sequence("nudges", steps, trial=trial)], [], *letters)))
    found = sequence_findings(definitions, definitions.sequences["nudges"], drawn=drawn)
    return {x.code for x in found if x.level == "fault"}


def test_nobody_is_held_back_from_what_they_need():
    assert "service_held_back" in findings([send("a")], letter("a", "service"))
    told = [{"id": "t", "do": "tell", "to": "owner", "letter": "a"}]
    assert "service_held_back" in findings(told, letter("a", "service"))
    assert "certificate_held_back" in findings([{"id": "c", "do": "certificate", "course": "bees"}])
    assert not findings([send("a")], letter("a", "service"), trial=None)
    two = {"id": "s", "do": "send", "versions": [{"letter": "a", "share": 50}, {"letter": "b", "share": 50}]}
    assert "purposes_differ" in findings([two], letter("a", "news"), letter("b"), trial=None)


def test_what_was_drawn_stays_as_it_was():
    before = Trial.model_validate(TRIAL)
    assert not findings([send("a")], drawn=Drawn([before]))
    for change in ({"hold_back": 21}, {"within": "P8D"}, {"goal": {"on": "signed_in"}}):
        assert findings([send("a")], trial={**TRIAL, **change}, drawn=Drawn([before])) == {"trial_changed"}
    assert not findings([send("a")], trial={**TRIAL, "key": "summer", "hold_back": 21}, drawn=Drawn([before]))
    assert not findings([send("a")], trial={**TRIAL, "within": "P1W"}, drawn=Drawn([before])), (
        "the same length"
    )
    two = {"id": "s", "do": "send", "versions": [{"letter": "a", "share": 50}, {"letter": "b", "share": 50}]}
    assert findings([two], drawn=Drawn(shares={"s": [60, 40]})) == {"shares_changed"}
    assert not findings([two], drawn=Drawn(shares={"s": [50, 50], "other": [60, 40]}))


def test_nobody_is_held_back_while_the_sequence_contains_a_service_letter():
    access = letter("access", "service", "Come in")
    nudges = sequence("nudges", [send("access")], trial=TRIAL)
    found = play([nudges], [enrolled(BACK)], access, students=people(BACK, THERE, ALSO))
    assert [one["student"] for one in found["letters"]] == [BACK]
    assert sides(found)[1] == {"students": 0, "reached": 0, "open": 0}, "nor counted as held back"
