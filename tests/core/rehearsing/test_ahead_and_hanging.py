"""Where a run may still come to, what hangs on what, and what a pattern keeps."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from patient_courier.core.drafting.neutral import neutral
from patient_courier.core.engine.plan import Plan
from patient_courier.core.reading.hanging import hangs_on
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from patient_courier.core.school.conditions import IsCompleted, IsTagged
from patient_courier.core.school.sequences import Sequence
from tests.schools import bought, event, read, school, send, sequence, wait

WAY = {
    "id": "f",
    "do": "wait_for",
    "event": {"on": "lesson_completed", "lesson": "bees/l1"},
    "within": "P3D",
    "then": [send("yes")],
    "else": [wait("later", "P1D"), send("no")],
}
ROUND = {"id": "r", "do": "repeat", "times": 3, "steps": [send("ask"), wait("week", "P7D")]}


def plan(*steps) -> Plan:
    return Plan(Sequence.model_validate(sequence("s", list(steps))))


def test_what_lies_ahead_of_a_run_is_what_it_can_still_come_to():
    found = plan(send("hello"), WAY, ROUND, send("bye"))
    assert found.ahead_of(None) == list(found.places)
    # One lane of a wait-for is over for whoever stands in the other; behind it both go on.
    assert found.ahead_of("later") == ["later", "no", "r", "ask", "week", "bye"]
    assert found.ahead_of("yes") == ["yes", "r", "ask", "week", "bye"]
    # In a repeat what stands before comes again.
    assert found.ahead_of("week") == ["week", "r", "ask", "bye"]
    assert found.ahead_of("bye") == ["bye"]


@given(st.lists(st.sampled_from(["send", "wait", "way", "round"]), min_size=1, max_size=5), st.data())
def test_whoever_goes_on_comes_only_to_what_lay_ahead(kinds, data):
    """By the engine: from wherever a run stands, every letter it posts afterwards was said to lie ahead of it."""
    steps = []
    for number, kind in enumerate(kinds):
        made = {"send": send("x"), "wait": wait("x", "P1D"), "way": WAY, "round": ROUND}[kind]
        text = str(number)
        steps.append(_named(made, text))
    body = sequence("s", steps)
    days = data.draw(st.integers(0, 12))
    events = [bought()]
    if data.draw(st.booleans()):
        events.append(event(f"2026-03-{3 + days:02d}", "lesson_completed", lesson="bees/l1"))
    file = read(school([body], events, until="2026-05-30T12:00:00Z"))
    found = Plan(file.sequences[0])
    order = [one.step for one in rehearse(file).letters]
    for at, step in enumerate(order):
        ahead = found.ahead_of(step)
        assert set(order[at:]) <= set(ahead), (step, order)


def _named(step, number):
    """The step with ids of its own, letters as their ids."""
    found = {**step, "id": f"{step['id']}{number}"}
    if step["do"] == "send":
        found["letter"] = "x"
    for lane in ("then", "else", "steps"):
        if lane in found:
            found[lane] = [_named(one, number) for one in found[lane]]
    return found


def test_what_names_something_hangs_on_it_wherever_it_is_named():
    stop = {"id": "x", "do": "stop_sequence", "sequence": "a"}
    file = read(
        school(
            [sequence("a", [send("hello")]), sequence("b", [stop]), sequence("c", [send("bye")])],
            [],
        )
    )
    definitions = definitions_of(file)
    audiences = [
        ("Done", IsCompleted.model_validate({"is": "completed", "course": "bees"})),
        ("Guests", IsTagged.model_validate({"is": "tagged", "tag": "guest"})),
    ]
    assert hangs_on(definitions, "sequence", "a", [], audiences) == ["the sequence “b”"]
    assert hangs_on(definitions, "sequence", "c", [], audiences) == []
    course = hangs_on(definitions, "course", "bees", [], audiences)
    assert "the audience “Done”" in course and "the offer “First Hive”" in course
    assert "the audience “Guests”" not in course
    assert {"the sequence “a”", "the sequence “c”"} <= set(course)  # they start on its enrolment


def test_a_neutral_pattern_keeps_what_it_is_not_told_to_change():
    file = read(school([sequence("a", [send("hello"), send("bye")])], []))
    pattern = neutral(file, {"hello": {"subject": "Neutral"}}, {}, {"a": "b"}, None)
    assert [(one.key, one.subject) for one in pattern.letters] == [("hello", "Neutral"), ("bye", "about bye")]
    assert [(one.key, one.name) for one in pattern.sequences] == [("b", "b")]
    assert pattern.sequences[0].steps == file.sequences[0].steps
