"""What is likely in messages of other makers: by names and shapes, and nothing where nothing is likely."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from whenever import Instant

from patient_courier.core.figures.rhythm import silence
from patient_courier.core.translating.guessing import guesses
from patient_courier.core.translating.message import Message, data_of
from patient_courier.core.translating.places import at_place
from patient_courier.practice.stand_ins.dialects import Person, joined, learnt
from tests.generated import JSON_VALUES

AT = Instant.from_utc(2026, 3, 2, 14, 5)
ANA = Person("ana@example.org", "Ana", "Reis")


def likely(data):
    return {one.what: one.pointer for one in guesses(data)}


def test_a_course_site_that_counts_seconds():
    said = learnt("quiz.graded", ANA, AT, attempt={"id": "9001"}, quiz={"id": "77"}, points=7)
    data = data_of(Message(AT, said.type, said.body))
    found = {one.what: one for one in guesses(data)}
    assert {what: one.pointer for what, one in found.items()} == {
        "topic": "/topic",
        "email": "/learner/email",
        "first_name": "/learner/name/first",
        "last_name": "/learner/name/last",
        "at": "/when",
        "id": "/attempt/id",
    }
    assert found["at"].shape == "seconds"


def test_a_form_with_brackets_in_its_names_and_milliseconds():
    said = joined(ANA, "varroa-watch", AT, "yes")
    found = {
        one.what: (one.pointer, one.shape) for one in guesses(data_of(Message(AT, said.type, said.body)))
    }
    assert found["email"] == ("/member[email]", "")
    assert found["at"] == ("/ts", "milliseconds")
    assert found["topic"] == ("/kind", "")


@pytest.mark.parametrize(
    ("data", "what", "pointer"),
    [
        ({"from": "shop@example.org", "customer": {"e": "ana@example.org"}}, "email", "/customer/e"),
        ({"updated_at": "2026-03-02T10:00:00Z", "paidAt": "2026-03-01T10:00:00Z"}, "at", "/paidAt"),
        ({"customer": {"id": "5"}, "invoiceNumber": "77"}, "id", "/invoiceNumber"),
        ({"items": [{"product": {"id": "A"}}], "total": "9.00"}, "offer", "/items/0/product/id"),
        ({"a/b": {"m~l": "ana@example.org"}}, "email", "/a~1b/m~0l"),
    ],
)
def test_the_likelier_of_two(data, what, pointer):
    assert likely(data)[what] == pointer


def test_nothing_is_likely_in_plain_words():
    assert likely({"note": "call me", "count": "3", "list": ["a"], "amounts": []}) == {}


@given(JSON_VALUES)
def test_a_guess_points_at_what_it_says_is_there(data):
    body = json.dumps(data).replace("Infinity", "1")  # which is no JSON
    read = data_of(Message(AT, "application/json", body.encode()))
    for one in guesses(read):
        node = at_place(read, None, one.pointer)
        assert isinstance(node, list) if one.what == "each" else node.strip().startswith(one.text)


# Chance of so many empty days in a row, by the share of empty days (Laplace's rule of succession): common practice.
@pytest.mark.parametrize(
    ("counts", "said"),
    [
        (
            [1] * 30 + [0, 0],
            (2, 1),
        ),  # one empty day in 32 or so: two in a row are less likely than one in a hundred
        ([1] * 30 + [0], None),  # one alone is not
        ([3, 0] * 15 + [3] + [0] * 6, None),  # every other day is empty: six are still one in sixty-four
        ([3, 0] * 15 + [3] + [0] * 8, (8, 3)),
        ([0] * 50 + [5, 5], None),  # nothing is known of a new one
        ([0] * 40 + [2] * 5 + [0] * 15, None),
        ([], None),
        ([0] * 10, None),
    ],
)
def test_a_silence_is_said_when_it_is_no_chance(counts, said):
    found = silence(counts)
    assert (found and (found.days, found.usual)) == said
