"""Conditions in SQL say the same as conditions in memory, on generated schools."""

import tempfile
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter

from patient_courier.core.engine.conditions import Asked, holds
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.values import parse_moment
from patient_courier.store.base.definitions import replace_courses
from patient_courier.store.base.tables import StudentRow
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students.audience import picked
from tests.generated import KEYS, LESSONS, schools
from tests.live import LiveSchool
from tests.outside.second.schools import Maker
from tests.schools import bought, event, read, school, sequence, wait

CONDITION = TypeAdapter(Condition)
SPANS = ["PT0S", "PT12H", "P1D", "P5D", "P1M", "P2W"]
COURSE = st.sampled_from(["bees", "this", "any"])
leaves = st.one_of(
    st.builds(
        lambda course, status: {"is": "enrolled", "course": course, "status": status},
        COURSE,
        st.none()
        | st.lists(st.sampled_from(["active", "preview", "completed", "expired", "refunded"]), min_size=1),
    ),
    st.builds(lambda key: {"is": "completed", "lesson": key}, st.sampled_from([*LESSONS, "this"])),
    st.sampled_from([{"is": "completed", "module": "bees/m1"}, {"is": "completed", "course": "bees"}]),
    st.builds(
        lambda low, high: {"is": "progress", "course": "bees", "at_least": low, "at_most": high},
        st.none() | st.integers(0, 100),
        st.none() | st.integers(0, 100),
    ),
    st.builds(
        lambda result, taken: {"is": "quiz", "quiz": "bees/q1", "result": result, "taken": taken},
        st.sampled_from(["passed", "failed", "not_taken"]),
        st.integers(1, 3),
    ),
    st.builds(
        lambda offer, within: {"is": "bought", "offer": offer, "within": within},
        st.sampled_from(["any", "bees-once"]),
        st.none() | st.sampled_from(SPANS),
    ),
    st.builds(lambda tag: {"is": "tagged", "tag": tag}, st.sampled_from(["x", "y", "this"])),
    st.builds(
        lambda how, key: {"is": how, "sequence": key},
        st.sampled_from(["inside", "finished", "been_inside"]),
        st.sampled_from(KEYS),
    ),
    st.builds(
        lambda how, letter, within: {"is": how, "letter": letter, "within": within},
        st.sampled_from(["sent", "opened", "clicked"]),
        st.sampled_from(["access", "help"]),
        st.none() | st.sampled_from(SPANS),
    ),
    st.builds(
        lambda course, span: {"is": "inactive", "course": course, "for": span}, COURSE, st.sampled_from(SPANS)
    ),
    st.builds(
        lambda side, day: {"is": "joined", side: f"2026-03-{day:02d}"},
        st.sampled_from(["before", "after"]),
        st.integers(1, 12),
    ),
    st.sampled_from(
        [
            {"is": "certified", "course": "bees"},
            {"is": "news_on"},
            {"is": "student", "keys": ["kai"]},
            {"is": "field", "name": "region", "equals": "coast"},
            {"is": "field", "name": "hives", "equals": 1},
            {"is": "field", "name": "region", "contains": "oa"},
            {"is": "field", "name": "region", "filled": False},
        ]
    ),
)
conditions = st.recursive(
    leaves,
    lambda inner: st.one_of(
        st.builds(lambda parts: {"all": parts}, st.lists(inner, max_size=3)),
        st.builds(lambda parts: {"any": parts}, st.lists(inner, max_size=3)),
        st.builds(lambda part: {"not": part}, inner),
    ),
    max_leaves=4,
)


def compare(live: LiveSchool, asked: list[dict], now_text: str) -> None:
    now = parse_moment(now_text)
    with live.database.reading() as session:
        definitions = live.library.load(session)
        ids = list(session.scalars(StudentRow.__table__.select().with_only_columns(StudentRow.id)))
        states = load_states(session, ids, definitions)
        for body in asked:
            condition = CONDITION.validate_python(body)
            memory = {id for id, state in states.items() if holds(condition, Asked(definitions, state, now))}
            assert set(session.scalars(picked(condition, definitions, now))) == memory, body


@pytest.mark.long
@settings(max_examples=25)
@given(
    schools(),
    st.lists(conditions, min_size=12, max_size=25),
    st.integers(0, 45),
    st.sampled_from(["00:00", "12:00", "22:30"]),
)
def test_sql_and_memory_agree_on_generated_schools(data, asked, days, clock):
    data["students"][0]["fields"] = {"region": "coast", "hives": True}
    file = read(data)
    now = parse_moment("2026-03-01T00:00:00Z").add(hours=24 * days).format_iso()[:10] + f"T{clock}:00Z"
    with tempfile.TemporaryDirectory() as folder:
        live = LiveSchool(Path(folder) / "school.db", file, parse_moment("2026-02-01T00:00:00Z"))
        live.live_through(file, parse_moment(now))
        compare(live, asked, now)
        live.database.close()


@pytest.mark.parametrize(
    ("zone", "now", "expected"),
    [
        # A day in New York on the weekend of 8 March 2026 has 23 hours: bought at 12:00 local, a day later is 12:00 local.
        ("America/New_York", "2026-03-08T16:00:00Z", True),
        ("America/New_York", "2026-03-08T16:00:01Z", False),
        ("Europe/Lisbon", "2026-03-08T17:00:00Z", True),
        ("Europe/Lisbon", "2026-03-08T17:00:01Z", False),
    ],
)
def test_a_day_is_the_students_own_day(tmp_path, zone, now, expected):
    student = {"key": "ana", "email": "ana@example.org", "timezone": zone}
    file = read(
        school(
            [sequence("s", [wait("w", "P1D")])],
            [bought("2026-03-07T17:00:00Z"), event("2026-03-07", "signed_in")],
            students=[student],
        )
    )
    live = LiveSchool(tmp_path / "school.db", file, parse_moment("2026-02-01T00:00:00Z"))
    live.live_through(file, parse_moment(now))
    asked = [
        {"is": "bought", "offer": "any", "within": "P1D"},
        {"is": "inactive", "course": "bees", "for": "P1D"},
    ]
    compare(live, asked, now)
    with live.database.reading() as session:
        condition = CONDITION.validate_python(asked[0])
        found = session.scalars(picked(condition, live.library.load(session), parse_moment(now))).all()
    assert bool(found) is expected


@pytest.mark.parametrize("seed", range(8))
def test_sql_and_memory_agree_on_wide_schools_and_after_the_outline_has_changed(tmp_path, seed):
    maker = Maker(1000 + seed)
    file = read(maker.school())
    live = LiveSchool(tmp_path / "school.db", file, parse_moment("2026-02-01T00:00:00Z"))
    live.live_through(file, parse_moment("2026-03-20T12:00:00Z"))
    asked = [found for found in (maker.condition() for _ in range(60)) if "this" not in str(found)]
    asked += [
        {"is": "progress", "course": "bees", "at_least": low, "at_most": low + 30} for low in (0, 25, 50)
    ]
    compare(live, asked, "2026-03-20T12:00:00Z")
    courses = [course.model_copy(update={"modules": course.modules[:1]}) for course in file.courses]
    with live.database.writing() as session:
        replace_courses(session, courses, file.offers)
    compare(live, asked, "2026-03-20T12:00:00Z")
    live.database.close()
