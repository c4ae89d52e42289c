"""Messages by example: what each becomes by a connection file, and what is said of one that waits."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from patient_courier.core.reading.school_file import Unreadable
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.school.values import parse_moment
from patient_courier.core.translating.connection import read_connection
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.translate import translate
from tests.generated import JSON_VALUES
from tests.schools import read, school

RECEIVED = parse_moment("2026-03-03T14:10:00Z")
DEFINITIONS = definitions_of(read(school([], [])))
FILE: dict[str, Any] = {
    "format": "patient-courier.connection", "version": 1, "key": "shop", "name": "The shop", "each": "$.order.lines[*]",
    "student": {"email": "/order/buyer/mail", "first_name": "/order/buyer/given", "timezone": "/order/buyer/zone",
                "news": "/order/buyer/letters", "fields": {"country": "/order/buyer/country"}},
    "at": {"place": "/order/paid_at", "as": "rfc3339"}, "id": ["/order/no", "item/line"],
    "rules": [
        {"when": [{"place": "/topic", "is": ["order.paid"]}],
         "event": {"type": "purchased", "offer": {"place": "item/sku", "map": {"FH-1": "bees-once", "7": "bees-once"}},
                   "order": "/order/no", "amount": "item/price"}},
        {"when": [{"place": "/topic", "is": ["order.refunded"]}],
         "event": {"type": "refunded", "offer": {"place": "item/sku", "map": {"FH-1": "bees-once"}}}},
    ],
}  # fmt: skip
BODY: dict[str, Any] = {
    "topic": "order.paid",
    "order": {
        "no": 1042, "paid_at": "2026-03-03T15:05:00+01:00",
        "buyer": {"mail": " ana@example.org ", "given": "Ana", "zone": "Europe/Lisbon", "country": "PT", "letters": "yes"},
        "lines": [{"line": 1, "sku": "FH-1", "price": 149.10}, {"line": 2, "sku": "FH-2", "price": 12}],
    },
}  # fmt: skip
QUIZ = {
    **{name: FILE[name] for name in ("format", "version", "key")},
    "student": {"email": "/who"},
    "rules": [
        {
            "event": {
                "type": "quiz_taken",
                "quiz": {"is": "bees/q1"},
                "score": {"place": "/points", "of": "/most"},
            }
        }
    ],
}


def became(file: dict[str, Any], body: Any, type: str = "application/json") -> dict[str, Any]:
    raw = body if isinstance(body, bytes) else json.dumps(body).encode()
    connection = read_connection(json.dumps(file))
    return translate(connection, DEFINITIONS, Message(RECEIVED, type, raw)).as_json()


def items(file: dict[str, Any], body: Any, type: str = "application/json") -> list[dict[str, Any]]:
    return became(file, body, type)["items"]


def made(file: dict[str, Any], body: Any, type: str = "application/json") -> dict[str, Any]:
    (one,) = items(file, body, type)
    return one["event"]


def changed(of: dict[str, Any], **more: Any) -> dict[str, Any]:
    """A body with values at dotted names put in the place of others; None takes one out."""
    found = json.loads(json.dumps(of))
    for name, value in more.items():
        *way, last = name.split("__")
        node = found
        for part in way:
            node = node[part]
        if value is None:
            node.pop(last)
        else:
            node[last] = value
    return found


def test_each_line_of_an_order_is_an_item_and_one_may_wait_while_the_other_goes_in():
    student = {"email": "ana@example.org", "first_name": "Ana", "timezone": "Europe/Lisbon", "news": True,
               "fields": {"country": "PT"}}  # fmt: skip
    event = {"at": "2026-03-03T14:05:00Z", "type": "purchased", "offer": "bees-once", "order": "1042", "amount": "149.1",
             "id": "shop:purchased:1042/1", "student": student}  # fmt: skip
    first, second = items(FILE, BODY)
    assert first == {"event": event}
    assert (second["place"], second["found"]) == ("item/sku", "FH-2") and "FH-2" in second["waits"]
    refund = items(FILE, changed(BODY, topic="order.refunded"))
    assert refund[0]["event"]["id"] == "shop:refunded:1042/1"
    assert items(FILE, changed(BODY, topic="order.seen")) == [{"not_for_us": True}] * 2
    assert became(FILE, changed(BODY, order__lines=[])) == {"items": []}


def test_numbers_stay_as_they_stand_and_count_as_their_text():
    raw = json.dumps(BODY).replace("149.1", "149.10").replace('"FH-1"', "7").encode()
    assert made(changed(FILE, each="$.order.lines[?@.price > 100]"), raw)["amount"] == "149.10"
    long = "9" * 5000
    (one, _) = items(FILE, json.dumps(BODY).replace("1042", long).encode())
    assert (one["place"], one["found"]) == ("/order/no", long) and "too long" in one["waits"]


@pytest.mark.parametrize(
    ("more", "place", "found"),
    [
        ({"order__buyer__mail": "ana"}, "/order/buyer/mail", "ana"),
        ({"order__buyer__mail": ["a@example.org", "b@example.org"]}, "/order/buyer/mail", None),
        ({"order__buyer__mail": "  "}, "/order/buyer/mail", None),
        ({"order__paid_at": "yesterday"}, "/order/paid_at", "yesterday"),
        ({"order__paid_at": "2026-03-04T14:10:01Z"}, "/order/paid_at", "2026-03-04T14:10:01Z"),
        ({"order__paid_at": "0001-01-01T00:00:00Z"}, "/order/paid_at", "0001-01-01T00:00:00Z"),
        ({"order__no": None}, "/order/no", None),
        ({"order__no": "a\x00b"}, "/order/no", "a\x00b"),
        (
            {"order__buyer__mail": "ana", "order__paid_at": None, "order__no": None},
            "/order/buyer/mail",
            "ana",
        ),
        ({"order__paid_at": None, "order__no": None}, "/order/paid_at", None),
    ],
)
def test_what_can_not_be_read_waits_and_the_first_that_is_wrong_is_named(more, place, found):
    one = items(FILE, changed(BODY, **more))[0]
    assert (one["place"], one["found"]) == (place, found) and one["waits"].endswith(".")


def test_a_clock_up_to_a_day_ahead_counts_as_now_and_ids_may_be_made_of_the_body():
    assert made(changed(FILE, each="$.order.lines[0]"), changed(BODY, order__paid_at="2026-03-04T14:10:00Z"))["at"] == "2026-03-03T14:10:00Z"  # fmt: skip
    plain = {**FILE, "id": None, "at": None}
    ids = [one["event"]["id"] for one in items({**plain, "each": "$.order.lines[0, 0]"}, BODY)]
    assert [len(id) for id in ids] == [len("shop:purchased:") + 34] * 2
    assert [id[-2:] for id in ids] == ["#1", "#2"] and ids[0][:-1] == ids[1][:-1]
    assert items({**plain, "id": ["/order/no"]}, BODY)[0]["event"]["id"] == "shop:purchased:1042#1"


@pytest.mark.parametrize(
    ("points", "most", "score"),
    [(7, 9, 700 / 9), ("8", "10", 80), (1.5, 2, 75), (0, 3, 0), (3, 3, 100), ("1e1", 20, 50)],
)
def test_a_share_is_measured_exactly(points, most, score):
    assert made(QUIZ, {"who": "a@example.org", "points": points, "most": most})["score"] == score


@pytest.mark.parametrize(
    ("body", "place", "found"),
    [
        ({"points": "85%", "most": 100}, "/points", "85%"),
        ({"points": "85,5", "most": 100}, "/points", "85,5"),
        ({"points": 5, "most": 0}, "/most", "0"),
        ({"points": 5}, "/most", None),
        ({"points": 5, "most": 4}, "/points", "5"),
        ({"points": -1, "most": 4}, "/points", "-1"),
        ({"most": 4}, "/points", None),
        ({"points": "1e999999999999999999999", "most": "1e999999999999999999999"}, "/points", "1e999999999999999999999"),
    ],
)  # fmt: skip
def test_a_share_that_can_not_be_measured_waits(body, place, found):
    (one,) = items(QUIZ, {"who": "a@example.org", **body})
    assert (one["place"], one["found"]) == (place, found)


@pytest.mark.parametrize(
    ("value", "text", "course"),
    [
        ({"place": "/t", "after": "course:", "before": ";"}, "x; course: bees ; y", "bees"),
        ({"place": "/t", "before": "!"}, " bees !!", "bees"),
        ({"place": "/t", "after": "#"}, "bees", None),
        ({"place": "/t", "after": "(", "before": "("}, "a(bees(", "bees"),
        ({"place": "/t", "map": {"true": "bees"}}, True, "bees"),
        ({"place": "/t", "map": {"0": "bees"}}, 0, "bees"),
        ({"place": "/list/0"}, "", "bees"),
        ({"place": "/list/00"}, "", None),
        ({"place": "/list/-"}, "", None),
        ({"place": "/a~1b"}, "", "bees"),
        ({"is": "bees"}, "", "bees"),
        ("item/t", "bees", "bees"),
        ("/t/0", "bees", None),
        ("/t", "wasps", None),
    ],
)
def test_values_are_cut_and_looked_up_in_their_order(value, text, course):
    file = {**QUIZ, "rules": [{"event": {"type": "enrolled", "course": value}}]}
    (one,) = items(file, {"who": "a@example.org", "t": text, "list": ["bees"], "a/b": "bees"})
    assert one.get("event", {}).get("course") == course
    if course:
        assert one["event"]["via"] == "manual"


@pytest.mark.parametrize(
    ("test", "holds"),
    [
        ({"place": "/n", "is": ["1"]}, True),
        ({"place": "/n", "not": ["1"]}, False),
        ({"place": "/gone", "not": ["1"]}, True),
        ({"place": "/list", "is": ["b"]}, True),
        ({"place": "/list", "not": ["b"]}, False),
        ({"place": "/list", "not": ["c"]}, True),
        ({"place": "/empty", "exists": True}, True),
        ({"place": "/null", "exists": True}, False),
        ({"place": "/blank", "exists": False}, True),
        ({"place": "/yes", "is": ["true"]}, True),
    ],
)
def test_conditions(test, holds):
    file = {**QUIZ, "rules": [{"when": [test], "event": {"type": "signed_in"}}]}
    body = {
        "who": "a@example.org",
        "n": 1,
        "list": ["a", "b"],
        "empty": [],
        "null": None,
        "blank": " ",
        "yes": True,
    }
    (one,) = items(file, body)
    assert ("event" in one) == holds and ("not_for_us" in one) != holds


def test_forms_are_objects_of_texts():
    file = {**QUIZ, "rules": [{"event": {"type": "tag_added", "tag": "/t[a]"}}]}
    urlencoded = "application/x-www-form-urlencoded; charset=utf-8"
    assert made(file, b"who=a%40example.org&t[a]=caf%C3%A9+bar", urlencoded)["tag"] == "café bar"
    assert "place" in items(file, b"who=a%40example.org&who=b%40example.org&t[a]=x", urlencoded)[0]
    part = b'--X\r\nContent-Disposition: form-data; name="%b"%b\r\n\r\n%b\r\n'
    whole = part % (b"who", b"", b"a@example.org") + part % (b"t[a]", b"", b"new") + b"--X--\r\n"
    assert made(file, whole, "multipart/form-data; boundary=X")["tag"] == "new"
    with_file = part % (b"f", b'; filename="a.txt"', b"hello") + whole
    assert "file" in became(file, with_file, "multipart/form-data; boundary=X")["refused"]


@pytest.mark.parametrize(
    "body",
    [b"", b"{", b"NaN", b"\xff", b"[" * 33 + b"]" * 33, b"[" * 100_000, b'"' + b"x" * 262_143 + b'"'],
)
def test_what_is_no_message_is_refused(body):
    assert list(became(QUIZ, body)) == ["refused"]


def test_the_bounds_are_where_they_are_said_to_be():
    nested = b"[" * 32 + b"]" * 32
    assert "items" in became(QUIZ, nested)
    file = {**QUIZ, "each": "$[*]"}
    assert len(items(file, [{}] * 1000)) == 1000
    assert "1,000" in became(file, [{}] * 1001)["refused"]
    assert "items" in became(QUIZ, b'"' + b"x" * 262_142 + b'"')


@pytest.mark.parametrize(
    ("more", "pointer"),
    [
        ({"each": "$.["}, "/each"),
        ({"id": []}, "/id"),
        ({"student": {}}, "/student"),
        ({"student": {"email": "who"}}, "/student"),
        ({"student": {"email": {"place": "/a", "of": "/b"}}}, "/student"),
        ({"rules": [{"event": {"type": "bounced"}}]}, "/rules/0/event"),
        ({"rules": [{"event": {"type": "purchased"}}]}, "/rules/0/event"),
        ({"rules": [{"event": {"type": "signed_in", "offer": "/a"}}]}, "/rules/0/event"),
        ({"rules": [{"when": [{"place": "/a"}], "event": {"type": "signed_in"}}]}, "/rules/0/when/0"),
        ({"at": {"place": "/~2", "as": "seconds"}}, "/at/place"),
    ],
)
def test_a_file_that_can_not_be_used_says_where_and_why(more, pointer):
    with pytest.raises(Unreadable) as wrong:
        read_connection(json.dumps({**QUIZ, **more}))
    assert wrong.value.faults[0].pointer == pointer


@pytest.mark.parametrize(("unit", "text", "at"), [("seconds", "1772546700", "2026-03-03T14:05:00Z"), ("milliseconds", 1772546700250, "2026-03-03T14:05:00.25Z"), ("seconds", "1e99", None), ("seconds", "soon", None)])  # fmt: skip
def test_moments_in_seconds_since_1970(unit, text, at):
    file = {**QUIZ, "at": {"place": "/at", "as": unit}, "rules": [{"event": {"type": "signed_in"}}]}
    (one,) = items(file, {"who": "a@example.org", "at": text})
    assert one.get("event", {}).get("at") == at


@given(JSON_VALUES, st.sampled_from([FILE, QUIZ, {**QUIZ, "each": "$..*"}]))
def test_any_json_becomes_events_waits_not_for_us_or_refused(body, file):
    said = became(file, body)
    json.dumps(said, ensure_ascii=False).encode()
    kinds = [set(one) for one in said.get("items", [])]
    assert all(kind in ({"event"}, {"waits", "place", "found"}, {"not_for_us"}) for kind in kinds)
    assert said == became(file, body)
