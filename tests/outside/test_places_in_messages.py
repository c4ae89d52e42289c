"""Places in messages beside RFC 6901's own examples and the library jsonpointer; paths beside RFC 9535's example."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from jsonpointer import JsonPointer, JsonPointerException

from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.school.values import parse_moment
from patient_courier.core.translating.connection import read_connection
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.places import NOTHING, at_place
from patient_courier.core.translating.translate import translate
from tests.schools import read, school

# RFC 6901, section 5.
DOCUMENT = {
    "foo": ["bar", "baz"], "": 0, "a/b": 1, "c%d": 2, "e^f": 3, "g|h": 4, "i\\j": 5, 'k"l': 6, " ": 7, "m~n": 8
}  # fmt: skip
EXAMPLES = {
    "": DOCUMENT, "/foo": ["bar", "baz"], "/foo/0": "bar", "/": 0, "/a~1b": 1, "/c%d": 2, "/e^f": 3, "/g|h": 4,
    "/i\\j": 5, '/k"l': 6, "/ ": 7, "/m~0n": 8,
}  # fmt: skip


@pytest.mark.parametrize("pointer", EXAMPLES)
def test_the_examples_of_the_standard(pointer):
    assert at_place(DOCUMENT, None, pointer) == EXAMPLES[pointer]
    assert at_place(None, DOCUMENT, f"item{pointer}") == EXAMPLES[pointer]


_DATA = st.recursive(
    st.none() | st.integers(),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["a", "0", "~", "/", "1"]), inner, max_size=3),
    max_leaves=15,
)  # fmt: skip


@given(_DATA, st.lists(st.sampled_from(["a", "0", "1", "00", "~0", "~1", "-", "2"]), max_size=4))
def test_places_lead_where_the_library_says(data, parts):
    pointer = "".join(f"/{part}" for part in parts)
    try:
        theirs = JsonPointer(pointer).resolve(data)
    except JsonPointerException:
        theirs = NOTHING
    # "-" is the element behind the last (RFC 6901, section 4): nothing stands there.
    if type(theirs).__name__ == "EndOfList":
        theirs = NOTHING
    assert at_place(data, None, pointer) is theirs or at_place(data, None, pointer) == theirs


# The shape and the queries of the bookstore in RFC 9535, section 1.5; the books are ours.
STORE = {
    "store": {
        "book": [
            {"category": "reference", "title": "A Year of Hives", "price": 8.95},
            {"category": "fiction", "title": "Smoke", "price": 12.99},
            {"category": "fiction", "title": "The Queen", "isbn": "0-000-00000-0", "price": 8.99},
            {"category": "fiction", "title": "Winter Stores", "isbn": "0-000-00000-1", "price": 22.99},
        ],
        "bicycle": {"color": "red", "price": 399},
    }
}  # fmt: skip


@pytest.mark.parametrize(
    ("path", "titles"),
    [
        ("$..book[2]", ["The Queen"]),
        ("$..book[-1]", ["Winter Stores"]),
        ("$..book[:2]", ["A Year of Hives", "Smoke"]),
        ("$..book[?@.isbn]", ["The Queen", "Winter Stores"]),
        ("$..book[?@.price<10]", ["A Year of Hives", "The Queen"]),
        ("$.store.book[*]", [book["title"] for book in STORE["store"]["book"]]),
    ],
)
def test_items_are_found_as_the_standard_has_it(path, titles):
    file = {
        "format": "patient-courier.connection", "version": 1, "key": "shop", "each": path, "student": {"email": {"is": "a@example.org"}},
        "rules": [{"event": {"type": "tag_added", "tag": "item/title"}}],
    }  # fmt: skip
    message = Message(parse_moment("2026-03-03T12:00:00Z"), "application/json", json.dumps(STORE).encode())
    became = translate(read_connection(json.dumps(file)), definitions_of(read(school([], []))), message)
    assert [one["event"]["tag"] for one in became.as_json()["items"]] == titles
