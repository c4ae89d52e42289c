"""Each condition asked of the same student, true and false."""

import pytest
from pydantic import TypeAdapter
from whenever import Instant

from patient_courier.core.engine.broadcasting import settled
from patient_courier.core.engine.conditions import Asked, holds
from patient_courier.core.engine.happening import Subject
from patient_courier.core.engine.state import new_state
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.telling.why_in import why_in
from tests.outside.second.schools import Maker
from tests.schools import bought, event, read, school, send, sequence, wait

NOW = Instant.from_utc(2026, 3, 10, 12)
CONDITION = TypeAdapter(Condition)


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
        ({"is": "quiz", "quiz": "bees/q1", "result": "failed", "taken": 2}, False),
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


@pytest.mark.parametrize("seed", range(40))
def test_a_broadcast_s_own_course_in_the_place_of_this_and_the_lines_of_an_audience(seed):
    """Settling “this” beforehand says the same as asking with the broadcast's course; so do the lines one by one."""
    maker = Maker(seed)
    file = read({**maker.school(), "events": []})
    definitions = definitions_of(file)
    state = new_state(file.students[0], file.school, 0)
    for course in (None, next(iter(definitions.courses))):
        about = Subject("course", course, (("course", course),)) if course else None
        for _ in range(25):
            condition = CONDITION.validate_python(maker.condition())
            bare = Asked(definitions, state, NOW)
            meant = holds(condition, Asked(definitions, state, NOW, about))
            assert holds(settled(condition, course), bare) == meant
            lines = why_in(settled(condition, course), bare)
            assert all(line.holds for line in lines) == meant
            assert all(line.words for line in lines)


def test_each_line_comes_with_the_student_s_own_value(asked):
    condition = CONDITION.validate_python(
        {
            "all": [
                {"is": "progress", "course": "bees", "at_least": 50},
                {"is": "quiz", "quiz": "bees/q1", "result": "passed"},
                {"not": {"is": "tagged", "tag": "y"}},
                {"is": "bought", "offer": "any"},
                {"is": "opened", "letter": "hello"},
                {"is": "inside", "sequence": "open"},
                {"is": "field", "name": "town", "equals": "Lisbon"},
            ]
        }
    )
    assert [(line.holds, line.own) for line in why_in(condition, asked)] == [
        (False, "25% of First Hive"), (False, "failed, last 10 points, taken once"), (True, "tags: x"), (True, "bought First Hive"),
        (True, "opened Wed 4 Mar 2026"), (True, "inside since Mon 2 Mar 2026"), (False, "“Cascais”"),
    ]  # fmt: skip
