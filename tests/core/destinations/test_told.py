"""What is told of an event, to whom, and how a sample of it looks."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from patient_courier.core.destinations.sample import sample
from patient_courier.core.destinations.told import KINDS, News, Told, hears, message, of_happening
from patient_courier.core.engine.happening import Happening, happening, of_event
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.school.values import parse_moment
from tests.schools import event, read, school

NOW = parse_moment("2026-03-02T12:00:00Z")
FILE = read(school([], []))
DEFINITIONS = definitions_of(FILE)
ANA = {"key": "ana", "email": "ana@example.org", "first_name": None, "last_name": "Reis"}


def told(type: str, **names: Any) -> dict[str, Any]:
    news = of_happening(DEFINITIONS, happening(DEFINITIONS, type, NOW, names), "ana")
    assert news is not None
    return json.loads(message(news, ANA))


def test_a_message_says_what_happened_when_to_whom_and_everything_around_it():
    assert told("lesson_completed", lesson="bees/l1") == {
        "type": "lesson_completed",
        "timestamp": "2026-03-02T12:00:00Z",
        "data": {
            "student": {"key": "ana", "email": "ana@example.org", "first_name": "", "last_name": "Reis"},
            "course": {"key": "bees", "title": "First Hive"},
            "module": {"key": DEFINITIONS.module_of["bees/l1"], "title": told_title("modules", DEFINITIONS.module_of["bees/l1"])},
            "lesson": {"key": "bees/l1", "title": told_title("lessons", "bees/l1")},
        },
    }  # fmt: skip


def told_title(kind: str, key: str) -> str:
    return getattr(DEFINITIONS, kind)[key].title


@pytest.mark.parametrize(
    ("type", "names", "place", "value"),
    [
        ("quiz_failed", {"quiz": "bees/q1", "score": 40}, "score", 40.0),
        ("tag_added", {"tag": "Łucja's 🐝"}, "tag", "Łucja's 🐝"),
        ("enrolled", {"course": "bees", "via": "purchase"}, "via", "purchase"),
        ("purchased", {"offer": "bees-once"}, "offer", {"key": "bees-once", "title": "First Hive"}),
        ("refunded", {"offer": "gone"}, "offer", {"key": "gone", "title": "gone"}),
    ],
)
def test_what_belongs_to_a_kind_stands_in_it(type, names, place, value):
    # What is gone from the school is told by its key.
    what = (
        Happening(type, NOW, names)
        if names.get("offer") == "gone"
        else happening(DEFINITIONS, type, NOW, names)
    )
    news = of_happening(DEFINITIONS, what, "ana")
    assert news is not None and json.loads(message(news, ANA))["data"][place] == value


def test_a_certificate_comes_with_the_page_where_it_can_be_checked():
    found = told("certificate_issued", course="bees")["data"]["certificate"]
    assert found["address"].endswith(f"/certificate/{found['code']}")
    assert told("certificate_revoked", course="bees")["data"]["certificate"] == found


@pytest.mark.parametrize(
    "type", ["signed_in", "lesson_started", "letter_opened", "link_clicked", "quiz_taken", "answered"]
)
def test_what_nobody_outside_needs_is_no_news(type):
    assert of_happening(DEFINITIONS, Happening(type, NOW, {}), "ana") is None


def test_news_that_stop_are_told_under_the_name_of_what_begins():
    stopped = read(school([], [event("2026-03-02", "news_stopped")])).events[0]
    news = of_happening(DEFINITIONS, of_event(DEFINITIONS, stopped), "ana")
    assert news is not None and (news.kind, news.courses) == ("news_off", frozenset())


COURSES = st.frozensets(st.sampled_from(["a", "b", "c"]))


@given(kind=st.sampled_from(KINDS), kinds=st.sets(st.sampled_from(KINDS)), wanted=COURSES, about=COURSES)
def test_who_hears_hears_no_less_when_asking_for_more_and_nothing_else(kind, kinds, wanted, about):
    news = News(kind, NOW, about, {})
    heard = hears(kinds, wanted, news)
    assert heard <= (kind in kinds)
    assert heard <= hears(KINDS, wanted, news) and heard <= hears(kinds, (), news)
    if wanted and not hears((kind,), wanted, news):
        assert about and not wanted & about
    if not about:
        assert hears((kind,), wanted, news)  # what concerns no course is told to whoever hears of its kind


@given(
    kind=st.sampled_from(KINDS),
    courses=st.lists(st.sampled_from(["bees", "other", "gone"]), max_size=3),
    empty=st.booleans(),
)
def test_a_sample_reads_like_a_message_and_is_about_what_the_destination_hears_of(kind, courses, empty):
    file = read(school([], [], courses=[], offers=[])) if empty else FILE
    found = Told.model_validate_json(sample(definitions_of(file), kind, courses, NOW))
    assert (found.type, found.data.student.email) == (kind, "robin.sample@example.org")
    if found.data.course and not empty and "bees" in courses:
        assert found.data.course.key == "bees"
