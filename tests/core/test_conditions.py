"""Each condition asked of the same student, true and false."""

import pytest
from whenever import Instant

from patient_courier.core.conditions import Asked, holds
from patient_courier.core.rehearsal import definitions_of, rehearse
from patient_courier.core.school.sequences import Sequence
from tests.schools import bought, event, read, school, send, sequence, wait

NOW = Instant.from_utc(2026, 3, 10, 12)


@pytest.fixture(scope="module")
def asked() -> Asked:
    """Ana bought on 2 March, did half a module and failed the quiz; she is inside one sequence and has finished another."""
    sequences = [
        sequence("open", [send("hello"), wait("w", "P60D")]),
        sequence("over", [send("bye")]),
        sequence("never", [send("no")], {"on": "complained"}),
    ]
    events = [
        bought("2026-03-02"),
        event("2026-03-03", "lesson_completed", lesson="bees/l1"),
        event("2026-03-03", "quiz_taken", quiz="bees/q1", score=10),
        event("2026-03-04", "letter_opened", letter="hello"),
        event("2026-03-04", "tag_added", tag="x"),
    ]
    student = {
        "key": "ana",
        "email": "ana@example.org",
        "news": True,
        "fields": {"town": "Cascais", "hives": 1, "empty": ""},
    }
    file = read(school(sequences, events, students=[student], until=NOW.format_iso()))
    return Asked(definitions_of(file), rehearse(file).states["ana"], NOW)


@pytest.mark.parametrize(
    ("condition", "true"),
    [
        ({"is": "enrolled", "course": "bees"}, True),
        ({"is": "enrolled", "course": "any", "status": ["refunded"]}, False),
        ({"is": "enrolled", "course": "this"}, False),
        ({"is": "completed", "lesson": "bees/l1"}, True),
        ({"is": "completed", "module": "bees/m1"}, False),
        ({"is": "progress", "course": "bees", "at_least": 25, "at_most": 25}, True),
        ({"is": "progress", "course": "bees", "at_least": 26}, False),
        ({"is": "quiz", "quiz": "bees/q1", "result": "failed"}, True),
        ({"is": "quiz", "quiz": "bees/q1", "result": "not_taken"}, False),
        ({"is": "bought", "offer": "any", "within": "P8D"}, True),
        ({"is": "bought", "offer": "bees-once", "within": "P7D"}, False),
        ({"is": "tagged", "tag": "x"}, True),
        ({"is": "tagged", "tag": "y"}, False),
        ({"is": "inside", "sequence": "open"}, True),
        ({"is": "finished", "sequence": "open"}, False),
        ({"is": "finished", "sequence": "over"}, True),
        ({"is": "been_inside", "sequence": "never"}, False),
        ({"is": "sent", "letter": "hello", "within": "P1W"}, False),
        ({"is": "sent", "letter": "hello"}, True),
        ({"is": "opened", "letter": "hello", "within": "P6D"}, True),
        ({"is": "clicked", "letter": "hello"}, False),
        ({"is": "inactive", "course": "bees", "for": "P7D"}, True),
        ({"is": "inactive", "course": "any", "for": "P8D"}, False),
        ({"is": "joined", "before": "2026-03-03"}, True),
        ({"is": "joined", "after": "2026-03-02"}, False),
        ({"is": "certified", "course": "bees"}, False),
        ({"is": "news_on"}, True),
        ({"is": "field", "name": "town", "equals": "Cascais"}, True),
        ({"is": "field", "name": "town", "contains": "casc"}, False),
        ({"is": "field", "name": "hives", "equals": True}, False),
        ({"is": "field", "name": "empty", "filled": False}, True),
        ({"is": "student", "keys": ["ana"]}, True),
        ({"all": []}, True),
        ({"any": []}, False),
        ({"not": {"is": "news_on"}}, False),
    ],
)
def test_each_condition(asked, condition, true):
    read_as = Sequence.model_validate({"key": "s", "only_if": condition}).only_if
    assert holds(read_as, asked) is true
