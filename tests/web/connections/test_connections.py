"""A connection as its owner makes it and its shop uses it: kept, pointed at, tried, switched on, waiting, solved."""

from __future__ import annotations

import hashlib
import hmac
import json
import time
from typing import Any

import pytest

from tests.waiting import until
from tests.web.conftest import NOW

ORDER = {
    "topic": "order.paid",
    "order": {
        "no": "1007",
        "buyer": {"mail": "mei@example.org", "given": "Mei", "family": "Tanaka"},
        "paid_at": "2026-03-02T08:55:00Z",
        "lines": [{"sku": "BEES", "price": "49.00"}],
    },
}
MAP = {"BEES": "bees-once"}


def rule(kind: str, topic: str, names: dict[str, str] = MAP) -> dict[str, Any]:
    return {
        "when": [{"place": "/topic", "is": [topic]}],
        "event": {"type": kind, "offer": {"place": "item/sku", "map": names}},
    }


def mapped(file: dict[str, Any], names: dict[str, str] = MAP) -> dict[str, Any]:
    """The file as the owner has pointed it together."""
    return file | {
        "each": "$.order.lines[*]",
        "student": {"email": "/order/buyer/mail", "first_name": "/order/buyer/given"},
        "at": {"place": "/order/paid_at", "as": "rfc3339"},
        "id": ["/order/no", "item/sku"],
        "rules": [rule("purchased", "order.paid", names), rule("refunded", "order.refunded", names)],
    }


class Shop:
    """A shop that posts its orders to the address it was given."""

    def __init__(self, app) -> None:
        self.app, self.client = app, app.client
        made = self.client.post("/api/connections", json={"name": "The shop"}).json()
        self.key, self.address = made["key"], made["address"].partition("testserver")[2]
        self.address = "/" + made["address"].split("/", 3)[3]

    def send(self, body: Any, status: int = 200, **headers: str) -> dict[str, Any]:
        text = body if isinstance(body, str | bytes) else json.dumps(body)
        answer = self.client.post(
            self.address, content=text, headers={"content-type": "application/json", **headers}
        )
        assert answer.status_code == status, answer.text
        return answer.json()

    def order(self, number: str, sku: str = "BEES", **more: Any) -> dict[str, Any]:
        order = ORDER["order"] | {"no": number, "lines": [{"sku": sku, "price": "49.00"}]} | more
        return ORDER | {"order": order}

    def now(self) -> dict[str, Any]:
        return self.client.get(f"/api/connections/{self.key}").json()

    def save(self, names: dict[str, str] = MAP, **more: Any) -> dict[str, Any]:
        file = mapped(self.now()["file"], names) | more
        answer = self.client.put(f"/api/connections/{self.key}", json={"file": file})
        assert answer.status_code == 200, answer.text
        return answer.json()

    def switch(self, state: str, status: int = 200, **more: Any) -> dict[str, Any]:
        answer = self.client.post(f"/api/connections/{self.key}/state", json={"state": state, **more})
        assert answer.status_code == status, answer.text
        return answer.json()

    def waiting(self) -> list[dict[str, Any]]:
        return self.client.get("/api/waiting").json()["groups"]

    def student(self, who: str) -> Any:
        return self.client.get(f"/api/students/{who}")


@pytest.fixture
def shop(app) -> Shop:
    return Shop(app)


def test_while_it_listens_a_message_is_kept_and_nothing_comes_of_it(shop):
    assert shop.send(ORDER) == {"events": 0, "repeats": 0, "waits": 0, "not_for_us": 0}
    assert shop.student("mei").status_code == 404
    (kept,) = shop.client.get(f"/api/connections/{shop.key}/messages").json()["items"]
    message = shop.client.get(f"/api/connections/{shop.key}/messages/{kept['id']}").json()
    assert message["data"] == ORDER and message["became"] is None
    likely = {one["what"]: one["pointer"] for one in message["guesses"]}
    assert likely == {
        "each": "/order/lines",
        "topic": "/topic",
        "email": "/order/buyer/mail",
        "first_name": "/order/buyer/given",
        "last_name": "/order/buyer/family",
        "at": "/order/paid_at",
        "id": "/order/no",
        "offer": "/order/lines/0/sku",
        "amount": "/order/lines/0/price",
    }
    assert shop.now()["missing"] == [
        "Click the student's address in a message.",
        "Say what has happened when a message comes.",
    ]
    refused = shop.switch("on", 422)
    assert "Click the student's address" in refused["detail"]


def test_what_messages_would_become_is_told_before_anything_is(shop):
    shop.send(ORDER)
    shop.send(shop.order("1008", "FH-2"))
    shop.send({"topic": "basket.left"})
    file = mapped(shop.now()["file"]) | {"each": "$.order.lines[*]"}
    tried = shop.client.post(
        f"/api/connections/{shop.key}/try", json={"file": file, "places": ["/topic", "item/sku"]}
    ).json()
    assert [[item["kind"] for item in one["items"]] for one in tried["messages"]] == [
        [],
        ["waits"],
        ["event"],
    ]
    assert tried["messages"][2]["items"][0]["sentence"] == "Mei bought First Hive on Mon 2 Mar, 08:55."
    assert tried["messages"][2]["lines"] == ["/order/lines/0"]
    assert (tried["events"], tried["waits"], tried["not_for_us"]) == (1, 1, 1)
    assert tried["seen"] == {"/topic": ["order.paid", "basket.left"], "item/sku": ["FH-2", "BEES"]}
    assert shop.student("mei").status_code == 404


def test_switched_on_the_next_order_becomes_a_purchase_with_its_letter(shop):
    shop.save()
    shop.switch("on")
    assert shop.send(ORDER)["events"] == 1
    assert shop.send(ORDER) == {"events": 0, "repeats": 1, "waits": 0, "not_for_us": 0}
    assert [mail["subject"] for mail in shop.app.inbox("mei")] == ["Mei, come in"]
    (line,) = shop.client.get("/api/connections").json()
    assert (line["state"], line["events"], line["waits"], sum(line["line"])) == ("on", 1, 0, 2)
    assert shop.send(shop.order("9", "BEES") | {"topic": "order.refunded"})["events"] == 1
    assert shop.student("mei").json()["courses"][0]["status"] == "refunded"


@pytest.mark.parametrize(
    ("take", "letters", "enrolled"), [("past", 0, True), ("now", 1, True), ("nothing", 0, False)]
)
def test_what_was_kept_goes_in_as_past_or_as_now_or_not_as_was_said_before(shop, take, letters, enrolled):
    shop.send(ORDER)
    shop.save()
    if take != "nothing":
        told = shop.client.post(
            f"/api/connections/{shop.key}/outlook", json={"take": take, "since": "2026-01-01T00:00:00Z"}
        ).json()
        assert (told["events"], told["students"]) == (1, 1)
        assert sum(one["number"] for one in told["letters"]) == letters
        assert bool(told["sequences"]) == bool(letters)
        # Nothing of that has stayed.
        assert shop.student("mei").status_code == 404
    shop.switch("on", take=take, since="2026-01-01T00:00:00Z")
    assert (shop.student("mei").status_code == 200) == enrolled
    assert len(shop.app.inbox("mei") if enrolled else []) == letters
    # Whatever was done with it, the order is known by its number from then on.
    if enrolled:
        assert shop.send(ORDER)["repeats"] == 1


def test_orders_of_something_unknown_wait_together_and_one_choice_lets_them_in(shop):
    shop.save()
    shop.switch("on")
    for number, mail in (("1", "a@example.org"), ("2", "b@example.org"), ("3", "c@example.org")):
        buyer = {"mail": mail, "given": mail[0].upper()}
        assert shop.send(shop.order(number, "FH-2", buyer=buyer))["waits"] == 1
    # The shop says it again: known, though it waits.
    assert shop.send(shop.order("1", "FH-2", buyer={"mail": "a@example.org"}))["repeats"] == 1
    (group,) = shop.waiting()
    assert (group["title"], group["number"]) == ("3 orders of something called FH-2", 3)
    assert shop.client.get("/api/frame").json()["needs_you"] == 1
    told = shop.client.post(f"/api/waiting/{group['id']}/outlook", json={"key": "bees-once"}).json()
    assert (told["events"], told["letters"]) == (3, [{"key": "access", "name": "Access", "number": 3}])
    assert shop.waiting()
    wrong = shop.client.post(f"/api/waiting/{group['id']}/choice", json={"key": "honey"})
    assert wrong.status_code == 422 and "There is no offer “honey”" in wrong.json()["detail"]
    done = shop.client.post(f"/api/waiting/{group['id']}/choice", json={"key": "bees-once"}).json()
    assert done == {"events": 3, "waits": 0}
    assert shop.waiting() == []
    assert [mail["subject"] for mail in shop.app.inbox("a")] == ["A, come in"]
    # At its own time, and from now on without asking, refunds too.
    assert shop.now()["file"]["rules"][1]["event"]["offer"]["map"]["FH-2"] == "bees-once"
    assert shop.send(shop.order("4", "FH-2", buyer={"mail": "d@example.org"}))["events"] == 1


def test_what_the_school_has_not_goes_in_when_it_has_it(shop):
    shop.save(names={"BEES": "bees-once", "W": "wax-once"})
    shop.switch("on")
    assert shop.send(shop.order("1", "W"))["waits"] == 1
    (group,) = shop.waiting()
    assert group["field"] is None and "There is no offer “wax-once”" in group["sentence"]
    offer = {
        "key": "wax-once",
        "title": "Wax",
        "price": {"amount": "9.00", "currency": "EUR"},
        "courses": ["bees"],
    }
    assert shop.client.put("/api/courses/bees/offer", json={"body": offer}).status_code == 200
    until(lambda: not shop.waiting())
    assert [mail["subject"] for mail in shop.app.inbox("mei")] == ["Mei, come in"]


def test_put_aside_is_not_asked_again(shop):
    shop.save()
    shop.switch("on")
    shop.send(shop.order("1", "FH-2"))
    (group,) = shop.waiting()
    assert shop.client.post(f"/api/waiting/{group['id']}/aside").status_code == 204
    assert shop.waiting() == []
    assert shop.send(shop.order("1", "FH-2"))["repeats"] == 1


def test_a_message_must_prove_itself_as_was_agreed_and_a_replaced_secret_holds_for_a_day(shop):
    proof = {"kind": "hmac", "header": "X-Sign", "prefix": "v1=", "timestamp_header": "X-Time", "join": "."}
    shop.save(proof=proof)
    assert "no secret yet" in shop.switch("on", 422)["detail"]
    first = shop.client.post(f"/api/connections/{shop.key}/secret").json()["secret"]
    shop.switch("on")
    body, when = json.dumps(ORDER), str(int(time.time()))

    def signed(secret: str, at: str = when, text: str = body) -> dict[str, str]:
        digest = hmac.new(secret.encode(), f"{at}.{text}".encode(), hashlib.sha256).hexdigest()
        return {"X-Sign": f"v1={digest}", "X-Time": at}

    assert shop.send(body, 401)["detail"] == "The header X-Sign is missing."
    assert "does not fit" in shop.send(body, 401, **signed("another secret"))["detail"]
    old = str(int(when) - 301)
    assert "seconds off" in shop.send(body, 401, **signed(first, old))["detail"]
    second = shop.client.post(f"/api/connections/{shop.key}/secret").json()["secret"]
    assert second != first
    assert shop.send(body, **signed(first))["events"] == 1
    assert shop.send(body, **signed(second))["repeats"] == 1
    assert second not in json.dumps(shop.now())
    (line,) = shop.client.get("/api/connections").json()
    assert line["refused"] == 3
    # A stranger learns nothing, and an old address ends.
    assert shop.client.post("/intake/shop-x", content=body).status_code == 404
    file = shop.now()["file"] | {"proof": {"kind": "basic"}}
    assert shop.client.put(f"/api/connections/{shop.key}", json={"file": file}).status_code == 409
    shop.switch("off")
    shop.send(body, 404, **signed(first))


@pytest.mark.parametrize(
    ("body", "status"),
    [("{", 422), (b"\xff\xfe", 422), ("[" * 40 + "]" * 40, 422), ("NaN", 422), (" " * 262_145, 422)],
    ids=["no JSON", "no UTF-8", "too deep", "NaN", "too long"],
)
def test_what_is_no_message_is_refused_counted_and_not_kept(shop, body, status):
    shop.send(body, status)
    assert shop.now()["messages"] == 0
    assert shop.now()["refused"].startswith("Mon 2 Mar, 09:00: ")
    (line,) = shop.client.get("/api/connections").json()
    assert (line["refused"], sum(line["line"])) == (1, 0)


def test_news_is_taken_from_a_message_only_where_nobody_has_stopped_it(shop):
    who = {"email": "/order/buyer/mail", "news": "/order/buyer/news"}
    shop.save(student=who)
    shop.switch("on")

    def buy(number: str, mail: str, news: Any) -> bool:
        shop.send(shop.order(number, buyer={"mail": mail, "news": news}))
        return shop.student(mail.partition("@")[0]).json()["news"]

    assert buy("1", "b@example.org", "no") is False
    assert buy("2", "b@example.org", True) is True
    log = shop.client.get("/api/students/b/consents").json()
    assert log[0]["how"] == "by the connection “The shop”"
    shop.app.report({"type": "news_stopped", "at": NOW, "student": "b"})
    assert buy("3", "b@example.org", True) is False


def test_a_known_student_keeps_what_is_known_and_gets_what_was_empty(shop):
    shop.save(
        student={
            "email": "/order/buyer/mail",
            "first_name": "/order/buyer/given",
            "last_name": "/order/buyer/family",
        }
    )
    shop.switch("on")
    shop.send(shop.order("1", buyer={"mail": "ANA@example.org", "given": "Anna", "family": "Reis"}))
    ana = shop.student("ana").json()
    assert (ana["first_name"], ana["last_name"], ana["email"]) == ("Ana", "Reis", "ana@example.org")


CSV = """When,Who,First name,What,Order
2026-03-01T10:00:00Z,bo@example.org,Bo,give back,7
2026-02-20T10:00:00Z,bo@example.org,Bo,BEES,7
2026-03-02T08:00:00Z,cy@example.org,Cy,BEES,8
2026-02-21T10:00:00Z,di@example.org,Di,WAX,9
yesterday,ed@example.org,Ed,BEES,10
"""


def test_a_table_of_events_goes_in_as_the_past_in_order_of_time(shop):
    """The newest first, as exports are; what lies before the day starts nothing."""
    asked = f"/api/event-files?connection={shop.key}&name=orders.csv"
    read = shop.client.post(asked, content=CSV.encode("utf-8-sig")).json()
    assert (read["rows"], read["columns"][0]) == (5, "When")
    # Its first rows are there to be pointed at.
    assert shop.now()["messages"] == 5
    bought = {"type": "purchased", "offer": {"place": "/What", "map": {"BEES": "bees-once"}}}
    back = {"type": "refunded", "offer": {"is": "bees-once"}}
    shop.save(
        each=None,
        student={"email": "/Who", "first_name": "/First name"},
        at={"place": "/When", "as": "rfc3339"},
        id=["/Order"],
        rules=[
            {"when": [{"place": "/What", "is": ["give back"]}], "event": back},
            {"when": [], "event": bought},
        ],
    )
    untried = shop.client.post(f"/api/event-files/{read['id']}/take", json={"day": "2026-03-02"})
    assert untried.status_code == 409
    tried = shop.client.post(f"/api/event-files/{read['id']}/try", json={"day": "2026-03-02"}).json()["tried"]
    assert (tried["events"], tried["waits"], tried["known"], tried["starting"]) == (3, 2, 0, 1)
    assert [one["row"] for one in tried["examples"]] == [3, 2, 4]
    assert [one["row"] for one in tried["waiting"]] == [5, 6]
    assert tried["follows"]["letters"] == [{"key": "access", "name": "Access", "number": 1}]
    done = shop.client.post(f"/api/event-files/{read['id']}/take", json={"day": "2026-03-02"}).json()
    assert (done["taken"], done["failed"]) == (3, 0)
    assert shop.student("bo").json()["courses"][0]["status"] == "refunded"
    assert [len(shop.app.inbox(who)) for who in ("bo", "cy")] == [0, 1]
    # The same file again changes nothing.
    again = shop.client.post(asked, content=CSV.encode()).json()
    tried = shop.client.post(f"/api/event-files/{again['id']}/try", json={}).json()["tried"]
    assert (tried["events"], tried["known"]) == (0, 3)


@pytest.mark.parametrize(
    ("body", "status"),
    [
        ('{"topic":"order.paid","order":{"no":1e999,"buyer":{"mail":"a@example.org"}}}', 200),
        ('{"a":' * 31 + "1" + "}" * 31, 200),
        ('{"topic":"x","topic":"order.paid"}', 200),
        ('{"topic":"\\ud800","order":{"lines":[{"sku":"\\udfff"}]}}', 200),
        ('{"topic":"order.paid","order":{"lines":[' + ",".join(["{}"] * 1001) + "]}}", 422),
        (b"\x1f\x8b\x08\x00", 422),
        ("", 422),
        ("[" * 100_000, 422),
        ("9" * 200_000, 200),
    ],
    ids=["huge", "deep", "doubled", "halves", "1001 items", "packed", "empty", "nested", "digits"],
)
def test_hostile_bodies_are_answered_and_the_next_order_comes_in(shop, body, status):
    shop.save()
    shop.switch("on")
    shop.send(body, status, **{"content-encoding": "gzip"})
    assert shop.send(ORDER)["events"] == 1
    assert shop.client.get("/api/waiting").status_code == 200
    for one in shop.client.get(f"/api/connections/{shop.key}/messages").json()["items"]:
        assert shop.client.get(f"/api/connections/{shop.key}/messages/{one['id']}").status_code == 200


def test_our_own_intakes_key_is_shown_once_and_the_one_before_holds_for_a_day(shop):
    old = shop.app.post_office.secrets["intake"]
    new = shop.client.post("/api/own-intake/key").json()["secret"]
    event = {"type": "signed_in", "at": NOW, "student": "ana"}
    assert shop.app.report(event, secret=old).status_code == 200
    assert shop.app.report(event, secret=new).status_code == 200
    assert shop.app.report(event, secret="whsec_" + "A" * 43 + "=").status_code == 401
    assert shop.app.report(event | {"student": "nobody"}, secret=new).status_code == 422
    seen = shop.client.get("/api/own-intake").json()
    assert (seen["events"], seen["unusable"], seen["replaced"]) == (2, 1, True)
    assert [one["words"] for one in seen["lately"]] == ["signed in", "signed in"]
    assert new not in json.dumps(seen) and new not in shop.client.get("/api/school").text
    # Another start of the application knows both.
    from patient_courier.store.school.secrets import read_older_keys, read_secrets

    assert read_secrets(shop.app.post_office.database)["intake"] == new
    assert [key for key, _ in read_older_keys(shop.app.post_office.database)] == [old]


def test_a_connection_that_breaks_its_habit_is_said_in_needs_you(shop):
    shop.save()
    shop.switch("on")
    for day in range(2, 12):
        shop.app.move(to="until", until=f"2026-03-{day:02d}T12:00:00Z")
        shop.send(shop.order(str(day)))
    shop.app.move(to="until", until="2026-03-13T12:00:00Z")
    assert shop.client.get("/api/waiting").json()["silent"] == []
    shop.app.move(to="until", until="2026-03-14T12:00:00Z")
    (silent,) = shop.client.get("/api/waiting").json()["silent"]
    assert silent["sentence"] == "Usually one a day, none for 2 days."
    assert shop.client.get("/api/frame").json()["needs_you"] == 1


MAIL = """From: The shop <orders@shop.example>
To: ines@mallowlane.example
Subject: =?utf-8?q?Order_1007_=E2=80=93_paid?=
Content-Type: text/{kind}; charset=utf-8

{text}
"""
PLAIN = "Hello Ines,\n\nBuyer: Ana Reis <ana@example.org>\nArticle: BEES\n\nYour shop"
MARKUP = "<p>Hello Ines,</p><table><tr><td>Buyer: Ana Reis &lt;ana@example.org&gt;</td></tr><tr><td>Article: BEES</td></tr></table>"


@pytest.mark.parametrize(("kind", "text"), [("plain", PLAIN), ("html", MARKUP)])
def test_a_mail_is_a_message_once_who_hands_it_over_has_shown_who_it_is(shop, kind, text):
    mail = MAIL.format(kind=kind, text=text).encode()

    def hand_over(status: int, **headers: str) -> Any:
        answer = shop.client.post(f"{shop.address}/mail", content=mail, headers=headers)
        assert answer.status_code == status, answer.text
        return answer.json()

    assert "proves itself by a secret" in hand_over(403)["detail"]
    shop.save(
        proof={"kind": "header", "header": "X-Secret"},
        each=None,
        student={"email": {"place": "/lines/1", "after": "<", "before": ">"}},
        at=None,
        id=["/subject"],
        rules=[
            {
                "when": [{"place": "/from", "is": ["orders@shop.example"]}],
                "event": {
                    "type": "purchased",
                    "offer": {"place": "/text", "after": "Article: ", "before": "\n", "map": MAP},
                },
            }
        ],
    )
    secret = shop.client.post(f"/api/connections/{shop.key}/secret").json()["secret"]
    shop.switch("on")
    hand_over(401, **{"X-Secret": "another"})
    found = hand_over(200, **{"X-Secret": secret})
    if kind == "plain":
        assert found["events"] == 1
        assert hand_over(200, **{"X-Secret": secret})["repeats"] == 1
    (one,) = shop.client.get(f"/api/connections/{shop.key}/messages").json()["items"][-1:]
    data = shop.client.get(f"/api/connections/{shop.key}/messages/{one['id']}").json()["data"]
    assert (data["from"], data["subject"]) == ("orders@shop.example", "Order 1007 – paid")
    assert data["lines"][:3] == ["Hello Ines,", "Buyer: Ana Reis <ana@example.org>", "Article: BEES"]


def test_firing_by_hand_says_what_it_posts_and_does_that_to_nobody_else(shop):
    shop.send(ORDER)
    shop.save()
    (kept,) = shop.client.get(f"/api/connections/{shop.key}/messages").json()["items"]
    address = f"/api/connections/{shop.key}/messages/{kept['id']}/pretend"
    told = shop.client.post(f"{address}/outlook", json={"email": "me@mallowlane.example"}).json()
    assert told.get("sentences", told) == ["Mei bought First Hive on Mon 2 Mar, 09:00."]
    assert told["follows"]["letters"] == [{"key": "access", "name": "Access", "number": 1}]
    assert shop.student("me").status_code == 404
    assert shop.client.post(address, json={"email": "me@mallowlane.example"}).status_code == 200
    assert len(shop.app.inbox("me")) == 1
    assert shop.student("mei").status_code == 404
    # The real order is no repeat of it, and it can be pretended again.
    shop.switch("on")
    assert shop.send(ORDER)["events"] == 1
    assert shop.client.post(address, json={"email": "you@mallowlane.example"}).status_code == 200
    assert shop.client.post(address, json={"email": "nobody"}).status_code == 422
