"""Generated schools and histories: small, but with every kind of step, matcher and event."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import strategies as st

from tests.schools import letter, school, sequence

SPANS = ["PT0S", "PT30M", "P1D", "P2D", "P1W", "P1DT2H"]
LESSONS = ["bees/l1", "bees/l2", "bees/l3"]
TAGS = ["x", "y"]
KEYS = ["s0", "s1", "s2"]
LETTERS = [
    letter("access", "service", "{{ student.first_name | default('Hello') }}"),
    letter("help", "course_help", "{{ course.title }}"),
    letter("news", "news"),
    letter("named", "course_help", "{{ student.first_name }}", min_gap="P3D"),
]

matchers = st.one_of(
    st.builds(lambda lesson: {"on": "lesson_completed", "lesson": lesson}, st.sampled_from(LESSONS)),
    st.sampled_from(
        [
            {"on": "enrolled"},
            {"on": "purchased", "offer": "bees-once"},
            {"on": "quiz_failed"},
            {"on": "quiz_passed", "quiz": "bees/q1"},
            {"on": "module_completed", "course": "this"},
            {"on": "course_completed"},
            {"on": "signed_in"},
            {"on": "tag_added", "tag": "x"},
            {"on": "tag_removed"},
            {"on": "lesson_watched", "percent": 50},
            {"on": "certificate_issued"},
        ]
    ),
)
clock_matchers = st.sampled_from(
    [
        {"on": "inactive", "for": "P3D"},
        {"on": "unlocking", "ahead": "P1D"},
        {"on": "access_ending", "ahead": "P2D"},
    ]
)
conditions = st.sampled_from(
    [
        {"is": "enrolled", "course": "bees"},
        {"is": "completed", "lesson": "bees/l1"},
        {"is": "progress", "course": "this", "at_least": 50},
        {"is": "bought", "offer": "any", "within": "P5D"},
        {"not": {"is": "tagged", "tag": "x"}},
        {"any": [{"is": "sent", "letter": "help", "within": "P2D"}, {"is": "inside", "sequence": "s1"}]},
        {"is": "inactive", "course": "any", "for": "P2D"},
        {"is": "quiz", "quiz": "bees/q1", "result": "failed"},
    ]
)


@st.composite
def steps(draw: st.DrawFn, depth: int = 2, top: bool = True) -> list[dict[str, Any]]:
    kinds = ["send", "send", "wait", "wait", "tag", "certificate", "start_sequence", "stop_sequence", "tell"]
    if depth:
        kinds += ["wait_for", "wait_for", "branch", "repeat", "dated"]
    if top:
        kinds += ["waypoint", "waypoint"]
    return [
        draw(_step(kind, depth)) for kind in draw(st.lists(st.sampled_from(kinds), min_size=1, max_size=4))
    ]


@st.composite
def _step(draw: st.DrawFn, kind: str, depth: int) -> dict[str, Any]:
    inner = steps(depth - 1, False) if depth else st.just([])
    lane = st.one_of(st.just([]), inner)
    span = st.sampled_from(SPANS)
    match kind:
        case "send" | "tell":
            fields: dict[str, Any] = {"letter": draw(st.sampled_from(LETTERS))["key"]}
            fields |= {"to": "owner"} if kind == "tell" else {}
        case "wait":
            fields = {
                "for": draw(st.none() | span),
                "at": draw(st.none() | st.sampled_from(["10:00", "01:30"])),
                "days": draw(st.none() | st.just(["mon", "thu"])),
                "since": draw(st.sampled_from(["previous", "start"])),
            }
        case "tag":
            fields = {
                "add": draw(st.lists(st.sampled_from(TAGS), max_size=2, unique=True)),
                "remove": draw(st.lists(st.sampled_from(TAGS), max_size=1)),
            }
        case "certificate":
            fields = {"course": "bees"}
        case "start_sequence" | "stop_sequence":
            fields = {"sequence": draw(st.sampled_from(KEYS))}
        case "wait_for":
            fields = {
                "event": draw(matchers),
                "within": draw(st.none() | span),
                "then": draw(lane),
                "else": draw(lane),
            }
        case "branch":
            fields = {"arms": [{"if": draw(conditions), "steps": draw(lane)}], "otherwise": draw(lane)}
        case "repeat":
            wait = {"id": "", "do": "wait", "for": draw(st.sampled_from(["PT0S", "P1D"]))}
            fields = {"times": draw(st.none() | st.integers(0, 3)), "steps": [wait, *draw(inner)]}
        case "dated":
            fields = {
                "at": draw(st.sampled_from(["2026-03-05T18:00", "2026-03-29T01:30"])),
                "grace": draw(st.none() | span),
                "steps": draw(lane),
            }
        case _:
            fields = {"reach": draw(matchers), "hold": draw(st.booleans())}
    return {"id": "", "do": kind, **fields}


def number(found: list[dict[str, Any]], count: list[int] | None = None) -> list[dict[str, Any]]:
    """Give every step, nested ones too, an id of its own."""
    count = count if count is not None else [0]
    for step in found:
        count[0] += 1
        step["id"] = f"{step['do']}{count[0]}"
        for lane in ("then", "else", "otherwise", "steps"):
            number(step.get(lane, []), count)
        for arm in step.get("arms", []):
            number(arm["steps"], count)
    return found


_TIMES = st.builds(
    lambda day, hour: f"2026-{3 + day // 31:02d}-{day % 31 + 1:02d}T{hour:02d}:00:00Z",
    st.integers(0, 40),
    st.sampled_from([0, 9, 12, 18, 23]),
)
_WHATS = st.one_of(
    st.builds(lambda lesson: {"type": "lesson_completed", "lesson": lesson}, st.sampled_from(LESSONS)),
    st.builds(
        lambda score: {"type": "quiz_taken", "quiz": "bees/q1", "score": score}, st.sampled_from([40, 90])
    ),
    st.builds(
        lambda percent: {"type": "lesson_watched", "lesson": "bees/l1", "percent": percent},
        st.sampled_from([30, 60, 95]),
    ),
    st.sampled_from(
        [
            {"type": "purchased", "offer": "bees-once"},
            {"type": "purchased", "offer": "bees-once"},
            {"type": "refunded", "offer": "bees-once"},
            {"type": "enrolled", "course": "bees", "via": "manual"},
            {"type": "enrolled", "course": "bees", "via": "preview"},
            {"type": "signed_in"},
            {"type": "news_stopped"},
            {"type": "course_help_stopped", "course": "bees"},
            {"type": "tag_added", "tag": "x"},
            {"type": "tag_removed", "tag": "x"},
            {"type": "bounced", "hard": True},
        ]
    ),
)


AGAIN = ["once", "once_per_subject", "when_finished", "every_time"]


def tame(sequences: list[dict[str, Any]]) -> None:
    """Sequences that others or tags can start come in one at a time: else runs multiply without end."""
    text = json.dumps([found["steps"] for found in sequences])
    for found in sequences:
        by_tags = any(start["on"].startswith("tag_") for start in found["starts"])
        started = f'"do": "start_sequence", "sequence": "{found["key"]}"' in text
        if found["again"] == "every_time" and (by_tags or started):
            found["again"] = "when_finished"


@st.composite
def schools(draw: st.DrawFn) -> dict[str, Any]:
    """A school of up to three sequences and two students with a month of events."""
    sequences = []
    for key in KEYS:
        more = {
            "again": draw(st.sampled_from(AGAIN)),
            "leaves": draw(st.lists(matchers, max_size=1)),
            "posting_hours": draw(st.sampled_from(["school", None])),
            "only_if": draw(st.none() | conditions),
        }
        starts = draw(
            st.lists(st.one_of(matchers, clock_matchers, st.just({"on": "enrolled"})), min_size=1, max_size=2)
        )
        sequences.append(sequence(key, number(draw(steps())), *starts, **more))
    tame(sequences)
    students: list[dict[str, Any]] = [
        {"key": "ana", "email": "ana@example.org", "first_name": "Ana", "news": True},
        {"key": "kai", "email": "kai@example.org", "timezone": "America/Los_Angeles"},
    ]
    first = [
        {"at": f"2026-03-0{n}T12:00:00Z", "type": "purchased", "student": who["key"], "offer": "bees-once"}
        for n, who in enumerate(students, 1)
    ]
    more_events = draw(
        st.lists(
            st.builds(
                lambda at, what, who: {"at": at, "student": who, **what},
                _TIMES,
                _WHATS,
                st.sampled_from(["ana", "kai"]),
            ),
            max_size=14,
        )
    )
    about = {
        "posting_hours": draw(st.sampled_from([None, {"from": "09:00", "to": "19:00"}])),
        "daily_limit": draw(st.sampled_from([None, 1, 2])),
    }
    found = school(
        sequences,
        first + more_events,
        *LETTERS,
        students=students,
        school=about,
        until="2026-05-01T00:00:00Z",
    )
    found["courses"] = [{**found["courses"][0], "access": draw(st.sampled_from([None, "P20D"]))}]
    return found


# Any JSON, often with the names and values that connection files look for.
JSON_VALUES = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.integers() | st.text(max_size=8) | st.just("FH-1") | st.just("a@example.org"),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["topic", "order", "lines", "buyer", "mail", "sku", "no", "line", "who", "points", "most"]), inner, max_size=5),
    max_leaves=20,
)  # fmt: skip
