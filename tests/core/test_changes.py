"""What was changed, in words: by example and by property."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from patient_courier.core.helpers.changes import LONGEST, MANY, MOST_LINES, Line, Seen, lines_of, told

KEYS = st.sampled_from(["name", "steps", "id", "for", "password", "news"])
PLAIN = st.none() | st.booleans() | st.integers(0, 9) | st.text(max_size=8)
DATA = st.dictionaries(
    KEYS, st.recursive(PLAIN, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(KEYS, inner, max_size=3), max_leaves=8), max_size=4
)  # fmt: skip


def seen(kind: str, key: str, before: dict | None, after: dict | None, student: int | None = None) -> Seen:
    return Seen(kind, key, f"Name {key}", student, before, after)


@given(DATA, DATA)
def test_nothing_is_told_where_nothing_differs_and_something_where_it_does(before, after):
    assert list(lines_of(before, before)) == []
    # Empty and missing read the same, and so do words within a mark.
    plain = {"name": "a", **before}, {"name": "b", **after}
    found = list(lines_of(*plain))
    assert bool(found) == (plain[0] != plain[1])
    assert all(len(line.before) <= LONGEST and len(line.after) <= LONGEST for line in found)
    back = list(lines_of(plain[1], plain[0]))
    assert {line.what for line in found} == {line.what for line in back}


@given(st.lists(st.tuples(st.sampled_from("abc"), DATA | st.none()), max_size=12))
def test_each_thing_is_told_once_by_its_first_before_and_its_last_after(steps):
    states: dict[str, dict | None] = dict.fromkeys("abc")
    rows = []
    for key, after in steps:
        rows.append(seen("audience", key, states[key], after))
        states[key] = after
    changes = told(rows)
    assert {one.key for one in changes} == {key for key, state in states.items() if state is not None}
    assert all(one.before is None and one.after == states[one.key] for one in changes)


def test_steps_are_told_by_their_ids_and_secrets_by_nothing_but_that_they_are_others():
    before = {
        "steps": [{"id": "w", "for": "P1D"}, {"id": "s", "letter": "a"}],
        "password": "one",
        "ended": None,
    }
    after = {
        "steps": [{"id": "s", "letter": "b"}, {"id": "t", "tag": "x"}],
        "password": "two",
        "ended": False,
    }
    assert list(lines_of(before, after)) == [
        Line("steps · w", "id w, for 1 day", ""),
        Line("steps · s · letter", "a", "b"),
        Line("steps · t", "", "id t, tag x"),
        Line("password", "", "another one"),
        Line("ended", "", "no"),
    ]
    server = {"server": {"host": "mail.example.org", "password": "swordfish"}}
    assert [line.after for line in lines_of({}, server)] == ["host mail.example.org, password (secret)"]


def test_many_students_are_told_as_a_number_and_of_an_erased_one_nothing():
    many = [seen("tag", f"{n} warm", None, {"tag": "warm"}, n) for n in range(MANY + 1)]
    (one,) = told(many)
    assert (one.title, one.lines, one.student) == ("21 students", (Line("tag", "", "warm"),), None)
    each = [seen("tag", f"{n} x", None, {"tag": f"t{n}"}, n) for n in range(MANY + 1)]
    assert [change.title for change in told(each)] == ["21 students"]
    gone = [
        seen("tag", "7 warm", {"tag": "warm"}, None, 7),
        seen("student", "7", {"address": "ana@example.org"}, None, 7),
    ]
    assert [(change.title, change.lines) for change in told(gone)] == [("A student erased", ())]


def test_a_thing_with_very_many_changes_says_that_there_are_more():
    before = {str(n): 0 for n in range(100)}
    after = {str(n): 1 for n in range(100)}
    (change,) = told([seen("audience", "a", before, after)])
    assert len(change.lines) == MOST_LINES + 1 and change.lines[-1].what == "and more"
