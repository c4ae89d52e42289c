"""The check-up of the whole: what each finding is about, and how they stand to each other."""

from __future__ import annotations

from decimal import Decimal
from typing import get_args

import pytest
from whenever import Date

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.overview import findings as f
from patient_courier.core.overview import reading_through as r
from patient_courier.core.overview.findings import Code, Finding, Opened
from patient_courier.core.people.tags import tag_uses
from patient_courier.core.rehearsing.rehearsal import definitions_of
from tests.schools import OFFER, letter, read, school, send, sequence


def text(html: str):
    return [{"kind": "text", "html": html}]


def of(*letters, sequences=(), **more) -> Definitions:
    steps = [send(one["key"]) for one in letters]
    return definitions_of(read(school([sequence("all", steps), *sequences], [], *letters, **more)))


def finding(students: int, size: int | None = None, about: str = "x", code: Code = "never_began") -> Finding:
    size = students if size is None else size
    return Finding(code=code, about=about, title="t", why="w", students=students, size=size, mend="m", to="/")


def test_most_students_come_first_but_for_what_touches_everybody():
    bad = f.runs_badly("The disk is full.", "Make room.", "Disk")
    few, many, none = finding(3), finding(40), finding(0, 9, code="unused_tag")
    assert f.in_order([none, few, bad, many]) == [bad, many, few, none]


@pytest.mark.parametrize(("then", "now", "is_shown"), [(5, 5, False), (5, 4, False), (5, 6, True)])
def test_put_aside_it_comes_back_when_it_gets_worse(then, now, is_shown):
    one = finding(now)
    assert bool(f.shown([one], {one.known_as: then})) is is_shown
    assert f.shown([one], {"never_began:other": then}) == [one]


def test_letters_that_are_hardly_opened_are_told_by_the_schools_own_median():
    definitions = of(letter("a"), letter("b"), letter("c"), letter("d"))
    usual = [Opened("a", 100, 60), Opened("b", 100, 64), Opened("c", 100, 58)]
    found = f.unopened_letters(definitions, [*usual, Opened("d", 100, 8)])
    assert [(one.about, one.students) for one in found] == [("d", 92)]
    assert f.unopened_letters(definitions, [*usual, Opened("d", 100, 29)]) == [], (
        "its range reaches half of the median"
    )
    assert f.unopened_letters(definitions, [*usual, Opened("d", 20, 0)]) == [], "so few say nothing"
    assert f.unopened_letters(definitions, [Opened("a", 100, 60), Opened("d", 100, 1)]) == [], (
        "two letters have no median"
    )


@pytest.mark.parametrize(
    ("said", "dates"),
    [
        ("on 3 March 2026", [(2026, 3, 3)]),
        ("on 3rd Mar, 2026, and on March 12, 2026", [(2026, 3, 3), (2026, 3, 12)]),
        ("until 2026-02-28", [(2026, 2, 28)]),
        ("on 31 February 2026 and 2026-13-01", []),
        ("in March, on the 3rd, in 2026", []),
    ],
)
def test_days_with_their_year_are_found_in_texts(said, dates):
    assert list(r.dates_in(said)) == [Date(*one) for one in dates]


def test_a_day_that_has_passed_is_told_of_letters_in_use_alone():
    old = letter("old", blocks=text("<p>See you on <b>2 March 2026</b>, or on 9 March 2026.</p>"))
    definitions = of(old, letter("new", blocks=text("<p>On 9 March 2026.</p>")))
    letters = r.in_use(definitions, [])
    found = list(r.past_dates(definitions, letters, Date(2026, 3, 3)))
    assert [one.about for one in found] == ["old"] and "Mon 2 Mar 2026" in found[0].title
    assert not list(r.past_dates(definitions, letters, Date(2026, 3, 2))), "today has not passed"
    assert len(r.in_use(definitions, ["old"])) == 2, "each once"
    invited = letter("live", blocks=[{"kind": "event", "title": "Live", "at": "2026-03-01T18:00"}])
    dated = sequence("dated", [{"id": "d", "do": "dated", "at": "2026-02-01T10:00", "steps": []}])
    definitions = of(invited, sequences=[dated])
    found = list(r.past_dates(definitions, r.in_use(definitions, []), Date(2026, 3, 3)))
    assert [one.about for one in found] == ["sequence dated", "live"]


def test_a_former_title_is_told_unless_something_is_still_called_so():
    definitions = of(
        letter("a", blocks=text("<p>Welcome to the Bee Course!</p>")), letter("b", subject="First Hive")
    )
    letters = r.in_use(definitions, [])
    (found,) = r.old_titles(definitions, letters, {"bees": ["Bee course"], "gone": ["Welcome"]})
    assert found.about == "a bees" and "First Hive" in found.why
    assert not list(r.old_titles(definitions, letters, {"bees": ["First Hive"]}))


@pytest.mark.parametrize(
    ("said", "prices"),
    [
        ("€149", [("EUR", "149")]),
        ("EUR 1.249,50 or 1,249.50 €", [("EUR", "1249.50"), ("EUR", "1249.50")]),
        ("$ 99, £1 200", [("USD", "99"), ("GBP", "1200")]),
        ("149 bees, 12 months", []),
    ],
)
def test_prices_are_found_however_they_are_written(said, prices):
    assert [(c, a) for c, a, _ in r.prices_in(said)] == [(c, Decimal(a)) for c, a in prices]


def test_a_price_beside_an_offer_that_no_offer_has_is_told():
    def told(html: str):
        definitions = of(letter("a", blocks=text(html)), offers=[OFFER, {**OFFER, "key": "b", "price": {"amount": "39.00", "currency": "EUR"}}])  # fmt: skip
        return [one.title for one in r.other_prices(definitions, r.in_use(definitions, []))]

    assert "EUR 129" in told("<p>First Hive for EUR 129</p>")[0]
    assert told("<p>First Hive for EUR 149, or EUR 39.</p>") == []
    assert told("<p>First Hive for $129.</p>") == [], "another currency is another matter"
    assert told("<p>A hive costs EUR 129.</p>") == [], "no offer is named"


def test_tags_and_letters_that_nothing_asks_for_are_one_finding_each():
    tagging = sequence("tagging", [{"id": "t", "do": "tag", "add": ["given", "asked"]}])
    asking = sequence("asking", [], {"on": "tag_added", "tag": "asked"})
    definitions = of(letter("a"), letter("b"), sequences=[tagging, asking])
    (tags,) = r.unused_tags(tag_uses(definitions, [], []), {"worn": 12, "asked": 3})
    assert tags.size == 2 and tags.title.endswith(": “worn”, “given”")
    assert not list(r.unused_letters(definitions, []))
    alone = definitions_of(read(school([], [], letter("a"), letter("b"))))
    (letters,) = r.unused_letters(alone, ["b"])
    assert letters.size == 1 and "“A”" in letters.title


def test_broken_links_are_told_with_the_letters_they_stand_in():
    button = {"kind": "button", "label": "Go", "url": "https://gone.example/x"}
    definitions = of(
        letter("a", blocks=[button]),
        letter(
            "b", blocks=text('<p><a href="https://gone.example/x">x</a> <a href="{{ course.url }}">y</a></p>')
        ),
        letter("c", blocks=text('<p><a href="mailto:ines@mallowlane.example">write</a></p>')),
    )
    used = r.leads_to(r.in_use(definitions, []))
    assert used == {"https://gone.example/x": ["a", "b"]}
    (found,) = r.broken_links(
        definitions, used, {"https://gone.example/x": "It answers 404.", "https://z.example": "?"}
    )
    assert found.to == "/letters/a" and found.why == "It answers 404. It stands in 1 more."


def test_where_many_places_are_silent_one_finding_names_the_worst():
    places = [("bees/l2", "Where to stand", 23), ("bees/l3", "Three hives", 4)]
    found = f.stalled_unwritten("bees", "First Hive", places)
    assert found.students == 27 and found.nudge is not None and found.nudge.stop == "bees/l2"
    assert found.mend == "Draft a letter for the 23" and "2 such places" in found.why


def test_each_kind_of_finding_says_how_many_and_leads_somewhere():
    made = [
        f.stalled_unwritten("bees", "First Hive", [("enrolled", "Enrolment", 3)]),
        f.never_began("bees", "First Hive", 1), f.hears_nothing(4), f.before_switched_on("s", "S", "bought X", 212),
        f.too_many_letters(2, 11, ["A", "B"]), f.certificates_wait(1, 9), f.address_bounces("mail.example", 4, 9),
        f.address_bounces("", 2, 2), f.consent_without_source(1), f.runs_badly("x", "y", "z"),
    ]  # fmt: skip
    assert {one.code for one in made} < set(get_args(Code))
    assert all(one.title and one.why and one.mend and one.size for one in made)
    assert all(one.students == one.size for one in made if one.code != "runs_badly")
    assert "1 student bought" in made[1].title and "212 students were there" in made[3].title
