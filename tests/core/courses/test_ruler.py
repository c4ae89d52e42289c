"""The day ruler and the words that explain a letter."""

from patient_courier.core.courses.ruler import ruler
from patient_courier.core.school.sequences import Sequence
from tests.schools import send, sequence, wait


def labels(steps):
    found = ruler(Sequence.model_validate(sequence("s", steps)))
    return {mark.step: (mark.label, mark.detail) for mark in found}


def test_days_are_counted_through_waits():
    found = labels(
        [
            send("a"),
            wait("w", "P1D", at="10:00"),
            send("b"),
            wait("v", "P2D", at="10:00"),
            send("c"),
            wait("h", "PT30M"),
            send("d"),
        ]
    )
    assert found["a"] == ("Day 0", "at once")
    assert found["b"] == ("Day 1", "10:00")
    assert found["c"] == ("Day 3", "10:00")
    assert found["d"] == ("Day 3", "+ 30 minutes")


def test_a_wait_for_an_event_gives_a_range():
    step = {
        "id": "f",
        "do": "wait_for",
        "event": {"on": "signed_in"},
        "within": "P7D",
        "else": [send("late")],
    }
    found = labels([send("a"), wait("w", "P1D"), step, send("after")])
    assert found["late"][0] == "Day 8"
    assert found["after"][0] == "Days 1–8"
