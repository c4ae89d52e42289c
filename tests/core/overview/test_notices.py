"""How soon somebody hears, when that is, and what a notice and a weekly letter say."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st
from whenever import Instant, Weekday

from patient_courier.core.calendar import calendar
from patient_courier.core.overview import weekly
from patient_courier.core.overview.notices import (
    Noticed,
    Wish,
    Wishes,
    last_morning,
    next_morning,
    picked,
    subject,
)
from patient_courier.core.overview.sections import Section, letter_of
from patient_courier.core.overview.weekly import Named, Quote, Week, Worth, is_quiet, sections_of, subject_of
from patient_courier.core.school.values import parse_moment

NOBODY = Named([], 0)
QUIET = Week("Mon", "Mon", [], NOBODY, NOBODY, NOBODY, NOBODY, [], 0, [("Mon 9 Mar", 0)], None)
MOMENTS = st.integers(1_500_000_000, 2_000_000_000).map(Instant.from_timestamp)
ZONES = st.sampled_from(["Europe/Lisbon", "Pacific/Auckland", "America/St_Johns", "Africa/Casablanca"])


def test_a_course_overrules_what_holds_for_all_and_the_soonest_counts():
    wishes = Wishes(
        wishes=[
            Wish(kind="purchased", how="weekly"),
            Wish(kind="purchased", course="bees", how="off"),
            Wish(kind="purchased", course="queens", how="at_once"),
        ]
    )
    assert wishes.how("purchased", []) == "weekly"
    assert wishes.how("purchased", ["bees"]) == "off"
    assert wishes.how("purchased", ["bees", "queens"]) == "at_once"
    assert wishes.how("refunded", ["bees"]) == "off"
    assert wishes.hows() == ["at_once", "weekly"]
    assert Wishes(letter=True).hows() == ["letter"]


@given(MOMENTS, ZONES, st.booleans())
def test_mornings_are_at_eight_where_the_school_is_and_enclose_now(now, zone, weekly_):
    before, after = last_morning(now, zone, weekly=weekly_), next_morning(now, zone, weekly=weekly_)
    assert before <= now < after
    for moment in (before, after):
        wall = calendar.local(moment, zone)
        assert (wall.hour, wall.minute) == (8, 0)
        assert not weekly_ or wall.date().day_of_week() is Weekday.MONDAY
    days = calendar.days_between(calendar.local_date(before, zone), calendar.local_date(after, zone))
    assert days == (7 if weekly_ else 1)


def test_at_eight_sharp_the_morning_has_come():
    monday = parse_moment("2026-03-09T08:00:00Z")
    assert last_morning(monday, "Europe/Lisbon", weekly=True) == monday
    assert next_morning(monday, "Europe/Lisbon", weekly=True) == monday.add(hours=24 * 7)


def test_only_what_is_wished_so_soon_is_picked_and_one_thing_is_the_subject():
    ana = Noticed("purchased", frozenset({"bees"}), "Ana", "bought First Hive", "Mon")
    ben = Noticed("refunded", frozenset({"bees"}), "Ben", "got a refund", "Mon")
    wishes = Wishes(wishes=[Wish(kind="purchased", how="at_once"), Wish(kind="refunded", how="daily")])
    assert picked(wishes, [ana, ben], "at_once") == [ana]
    assert subject([ana]) == "Ana bought First Hive"
    assert subject([ana, ben, ana]) == "Bought (2), Paid back (1)"


def test_nothing_in_a_name_or_in_words_becomes_a_merge_field_or_markup():
    section = Section(
        title="Bought: {{ x }}", lines=["<b>Ana</b> {{ student.email }} & {% if %}"], to="/students"
    )
    letter = letter_of("{{ student.first_name }} bought", [section], "https://post.example")
    assert "{{" not in letter.subject
    html = letter.blocks[0].html  # type: ignore[union-attr]
    assert "{{" not in html and "{%" not in html and "<b>" not in html
    assert 'href="https://post.example/students"' in html


def test_a_quiet_week_says_so_in_two_lines():
    assert is_quiet(QUIET) and subject_of(QUIET) == "Your week: all quiet"
    (only,) = sections_of(QUIET)
    assert len(only.lines) == 2 and not only.title


def test_a_full_week_says_first_what_needs_the_owner_then_the_one_thing_worth_doing():
    week = Week(
        since="Mon 2 Mar", until="Mon 9 Mar",
        letters=[("One", 9), ("Two", 4), ("Three", 2), ("Four", 1)],
        bought=Named([f"Student {n}" for n in range(5)], 31),
        finished=Named(["Ana (First Hive)", "Ben (First Hive)"], 2),
        silent=Named(["Kai"], 1), left=NOBODY,
        said=[Quote("Ana", 5, "The checklists."), Quote("Ben", 2, ""), Quote("Kai", None, "Thank you")],
        needs_you=3, coming=[("Mon 9 Mar", 2), ("Tue 10 Mar", 1)],
        worth=Worth("7 students went silent.", "/courses/bees", "Draft a letter"),
    )  # fmt: skip
    found = {section.title: section for section in sections_of(week)}
    assert list(found)[:2] == ["Needs you", "One thing worth doing"]
    assert found["One thing worth doing"].to == "/courses/bees"
    assert found["Bought: 31"].lines[0].endswith("Student 4 and 26 more.")
    assert found["Finished a course: 2"].lines == ["Ana (First Hive) and Ben (First Hive)."]
    assert found["What they said"].lines == [
        "Ana gave 5 of 5: “The checklists.”",
        "Ben gave 2 of 5",
        "Kai: “Thank you”",
    ]
    assert found["Letters posted: 16"].lines == ["“One” 9, “Two” 4, “Three” 2, others 1."]
    assert found["The coming week: 3 letters"].lines == ["Mon 9 Mar 2, Tue 10 Mar 1."]
    assert "Left with their money back: 0" not in found
    assert subject_of(week) == "Your week: 3 things need you"
    assert weekly.MOST_NAMED == 5
