"""Rows of a file as students: columns guessed, rows judged, and junk refused row by row."""

from __future__ import annotations

from collections import Counter

from hypothesis import given, settings
from hypothesis import strategies as st

from patient_courier.core.people.importing import TARGETS, Known, Plan, Reader, guess, plan_fault
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.school.values import parse_moment
from tests.schools import read, school

SEEN = Counter[str]()
NOW = parse_moment("2026-03-03T10:00:00Z")
DEFINITIONS = definitions_of(read(school([], [])))
ALL = ["email", "first_name", "last_name", "timezone", "tags", "course", "enrolled", "consent", "field:Town"]


def known(**more) -> Known:
    values = {
        "key": "ana", "first_name": "Ana", "last_name": None, "timezone": None, "news": False,
        "ever_stopped": False, "fields": {"Town": "Cascais"}, "tags": frozenset({"fair"}), "courses": frozenset({"bees"}),
    }  # fmt: skip
    return Known(**{**values, **more})


def reader(targets: list[str], consent: str = "", **people: Known) -> Reader:
    return Reader(
        DEFINITIONS, Plan(targets, consent), {f"{key}@example.org": one for key, one in people.items()}, NOW
    )


def test_columns_are_guessed_by_their_names_in_several_languages_else_by_what_stands_in_them():
    assert guess(["Vorname", "Apelido", "E-Mail", "Opt-in", "Shoe size"], []) == [
        "first_name", "last_name", "email", "consent", "field:Shoe size",
    ]  # fmt: skip
    assert guess(["A", "B"], [["x", "ana@example.org"], ["y", "kai@example.org"]])[1] == "email"


def test_a_plan_that_can_not_work_says_why():
    columns = ["a", "b"]
    assert "which column holds the address" in (
        plan_fault(Plan(["first_name", "ignore"]), columns, DEFINITIONS) or ""
    )
    assert "Two columns" in (plan_fault(Plan(["email", "email"]), columns, DEFINITIONS) or "")
    assert "in which course" in (plan_fault(Plan(["email", "enrolled"]), columns, DEFINITIONS) or "")
    assert plan_fault(Plan(["email", "field:x"]), columns, DEFINITIONS) is None


def test_what_is_known_already_is_no_change():
    same = ["ANA@example.org", "Ana", "", "", "fair", "First Hive", "2026-01-05", "no", "Cascais"]
    found = reader(ALL, ana=known()).read(2, same)
    assert (found.verdict, found.tags, found.course) == ("same", [], None)
    found = reader(ALL, ana=known()).read(2, [*same[:4], "fair; new", "", "", "", "Porto"])
    assert (found.verdict, found.tags, found.fields) == ("changed", ["new"], {"Town": "Porto"})


def test_an_empty_cell_takes_nothing_away():
    found = reader(ALL, ana=known()).read(2, ["ana@example.org", *[""] * 8])
    assert found.verdict == "same"


def test_consent_of_the_whole_file_and_of_a_column():
    assert reader(["email"]).read(2, ["x@example.org"]).news is None
    assert reader(["email"], "at the fair").read(2, ["x@example.org"]).news is True
    assert reader(["email", "consent"], "at the fair").read(2, ["x@example.org", "nein"]).news is False
    stopped = known(ever_stopped=True)
    assert reader(["email"], "at the fair", ana=stopped).read(2, ["ana@example.org"]).news is None


CELLS = st.one_of(
    st.text(max_size=40),
    st.sampled_from(
        ["yes", "no", "2026-03-02", "2.3.2026", "31.2.2026", "Europe/Lisbon", "Lisbon", "a, b", "first-hive"]
    ),
)
ADDRESSES = st.one_of(st.builds("s{}@example.org".format, st.integers(0, 3)), st.text(max_size=20))


@settings(max_examples=300)
@given(
    st.lists(st.sampled_from([*TARGETS, "field:x"]), max_size=6),
    st.lists(st.tuples(ADDRESSES, st.lists(CELLS, max_size=7)), max_size=6),
)
def test_whatever_stands_in_a_row_it_is_judged_or_refused_with_a_reason(targets, rows):
    found_reader = reader(["email", *targets])
    found = [found_reader.read(number, [address, *cells]) for number, (address, cells) in enumerate(rows, 2)]
    for row in found:
        assert row.verdict in ("new", "refused")
        assert bool(row.reason) == (row.verdict == "refused")
        assert row.verdict == "refused" or "@" in row.email
        SEEN[row.verdict] += 1


def test_the_rows_made_up_above_were_of_both_kinds():
    assert SEEN["new"] > 50 and SEEN["refused"] > 50, SEEN
