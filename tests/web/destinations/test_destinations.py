"""Destinations as their owner sees them, keys of programs and what they open, lists that tools fetch."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from typing import Any

import pytest
from standardwebhooks.webhooks import Webhook, WebhookVerificationError

from patient_courier.core.destinations.told import KINDS
from patient_courier.core.school.file import Student
from patient_courier.store.students.adding import add_student
from patient_courier.web.app import describe
from tests.receiver import Receiver, receiving
from tests.waiting import until
from tests.web.conftest import NOW, App, purchase


@pytest.fixture
def receiver() -> Iterator[Receiver]:
    with receiving() as found:
        yield found


def destination(app: App, url: str, *kinds: str, **more: Any) -> dict[str, Any]:
    body = {"name": "The list", "url": url, "kinds": kinds or list(KINDS), **more}
    answer = app.client.post("/api/destinations", json=body)
    assert answer.status_code == 201, answer.text
    return answer.json()


def log(app: App, key: str = "the-list", **query: Any) -> list[dict[str, Any]]:
    return app.client.get(f"/api/outgoing/{key}", params=query).json()


def test_a_purchase_is_told_signed_and_its_letter_too(app, receiver):
    secret = destination(app, receiver.url, "purchased", "letter_posted")["secret"]
    app.report(purchase())
    app.settle()
    until(lambda: len(receiver.got) >= 2)
    for headers, body in receiver.got:
        Webhook(secret).verify(body, {name.lower(): value for name, value in headers.items()})
    bought, letter = receiver.told()[:2]
    assert (bought["type"], bought["data"]["student"]["email"]) == ("purchased", "ana@example.org")
    assert letter["type"] == "letter_posted" and letter["data"]["letter"]["subject"]
    assert letter["data"]["course"] == {"key": "bees", "title": "First Hive"}
    found = until(lambda: [x for x in log(app) if x["status"] == "sent"])
    assert found[-1]["tries"][0]["status"] == 204 and found[-1]["message_id"] == receiver.ids()[0]


def test_a_sample_goes_out_like_the_others_and_both_secrets_sign_for_a_day(app, receiver):
    first = destination(app, receiver.url)["secret"]
    second = app.client.post("/api/destinations/the-list/secret").json()["secret"]
    for kind in KINDS:
        assert app.client.post("/api/destinations/the-list/sample", json={"kind": kind}).status_code == 201
    until(lambda: len(receiver.got) == len(KINDS))
    assert {x["type"] for x in receiver.told()} == set(KINDS)
    headers, body = receiver.got[0]
    for secret in (first, second):
        Webhook(secret).verify(body, {name.lower(): value for name, value in headers.items()})
    with pytest.raises(WebhookVerificationError):
        Webhook(app.post_office.secrets["calls"]).verify(body, {k.lower(): v for k, v in headers.items()})


def test_news_and_tags_are_told(app, receiver):
    destination(app, receiver.url, "news_on", "news_off", "tag_added", "tag_removed")
    app.client.post("/api/students/ana/tags", json={"add": ["keeper"], "remove": []})
    app.client.post("/api/students/ana/tags", json={"add": [], "remove": ["keeper"]})
    for on in (False, True):
        answer = app.client.post("/api/students/ana/consent", json={"what": "news", "on": on})
        assert answer.status_code == 200, answer.text
    until(lambda: len(receiver.got) == 4)
    assert [x["type"] for x in receiver.told()] == ["tag_added", "tag_removed", "news_off", "news_on"]


def test_a_refusal_stands_in_the_log_and_one_or_all_are_posted_again(app, receiver):
    receiver.answer = 500
    destination(app, receiver.url, "tag_added")
    app.client.post("/api/students/ana/tags", json={"add": ["keeper"], "remove": []})
    (line,) = until(lambda: [x for x in log(app) if x["tries"]])
    assert (line["status"], line["reason"]) == ("queued", "answered 500") and line["retry"]
    receiver.answer = 204
    assert app.client.post("/api/outgoing/the-list/again", json={"id": line["id"]}).json() == {"posted": 1}
    until(lambda: log(app)[0]["status"] == "sent")
    assert len(set(receiver.ids())) == 1
    assert app.client.post("/api/outgoing/the-list/again", json={"id": 999}).status_code == 404
    assert app.client.post("/api/outgoing/the-list/again", json={}).json() == {"posted": 0}
    assert app.client.get(f"/api/outgoing/the-list/{line['id']}").json()["student"] == "ana"


def test_one_that_is_gone_stands_in_needs_you_until_the_owner_has_said(app, receiver):
    receiver.answer = 410
    destination(app, receiver.url, "tag_added")
    app.client.post("/api/students/ana/tags", json={"add": ["keeper"], "remove": []})
    (item,) = until(
        lambda: [x for x in app.client.get("/api/needs-you").json() if x["kind"] == "destination"]
    )
    assert item["title"] == "“The list” takes nothing any more" and "410" in item["sentence"]
    before = app.client.get("/api/frame").json()["needs_you"]
    act = app.client.post(f"/api/needs-you/destination/{item['id']}", json={"action": "done"})
    assert act.status_code == 204 and app.client.get("/api/frame").json()["needs_you"] == before - 1
    assert (
        app.client.post(f"/api/needs-you/destination/{item['id']}", json={"action": "post"}).status_code
        == 409
    )
    receiver.answer = 204
    on = app.client.post("/api/destinations/the-list/state", json={"state": "on"}).json()
    assert (on["state"], on["aside"]) == ("on", 1)
    assert app.client.post("/api/outgoing/the-list/again", json={}).json() == {"posted": 1}
    until(lambda: log(app)[0]["status"] == "sent")


def test_nothing_is_posted_while_it_is_paused_and_nothing_promises_so(app, receiver):
    destination(app, receiver.url, "tag_added")
    paused = app.client.post("/api/destinations/the-list/state", json={"state": "paused"}).json()
    assert (paused["state"], paused["why"]) == ("paused", None)
    app.client.post("/api/students/ana/tags", json={"add": ["keeper"], "remove": []})
    (line,) = log(app)
    for path, body in (
        ("/api/destinations/the-list/sample", {"kind": "tag_added"}),
        ("/api/outgoing/the-list/again", {"id": line["id"]}),
    ):
        refused = app.client.post(path, json=body)
        assert refused.status_code == 409 and "Let it go on first" in refused.json()["detail"]
    assert [x for x in app.client.get("/api/needs-you").json() if x["kind"] == "destination"] == []
    assert app.client.get("/api/destinations").json()["items"][0]["waits"] == 1 and receiver.got == []
    app.client.post("/api/destinations/the-list/state", json={"state": "on"})
    until(lambda: log(app)[0]["status"] == "sent")
    assert app.client.delete("/api/destinations/the-list").status_code == 204
    assert app.client.get("/api/outgoing/the-list").status_code == 404


def test_what_is_set_up_can_be_changed_and_what_waits_goes_to_the_new_address(app, receiver):
    receiver.answer = 500
    destination(app, receiver.url, "tag_added")
    app.client.post("/api/students/ana/tags", json={"add": ["keeper"], "remove": []})
    (line,) = until(lambda: [x for x in log(app) if x["tries"]])
    with receiving() as other:
        body = {"name": "The list", "url": other.url, "kinds": ["tag_removed"], "courses": ["bees"]}
        saved = app.client.put("/api/destinations/the-list", json=body).json()
        assert (saved["kinds"], saved["courses"], saved["waits"]) == (["tag_removed"], ["bees"], 1)
        app.client.post("/api/outgoing/the-list/again", json={"id": line["id"]})
        until(lambda: len(other.got) == 1)
        app.client.post("/api/students/ana/tags", json={"add": ["more"], "remove": ["keeper"]})
        until(lambda: len(other.got) == 2)
        assert [x["type"] for x in other.told()] == ["tag_added", "tag_removed"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"url": "ftp://x"}, "web address"),
        ({"url": "http://..", "name": "x"}, "web address"),
        ({"kinds": []}, "kinds"),
        ({"kinds": ["opened"]}, "kinds"),
        ({"courses": ["none"]}, "no course “none”"),
        ({"name": "\x00"}, "name"),
    ],
)
def test_what_makes_no_destination_is_refused_with_words(app, change, words):
    body = {"name": "x", "url": "https://list.example/hear", "kinds": ["purchased"], "courses": [], **change}
    answer = app.client.post("/api/destinations", json=body)
    assert answer.status_code == 422 and words in answer.json()["detail"]
    assert app.client.get("/api/destinations").json()["items"] == []


def program(app: App, *scopes: str) -> dict[str, str]:
    """The header of a program with a key for this."""
    made = app.client.post("/api/api-keys", json={"name": "Dashboard", "scopes": list(scopes)}).json()
    return {"Authorization": f"Bearer {made['key']}"}


def ask(app: App, method: str, path: str, headers: dict[str, str], **more: Any) -> Any:
    """As a program does: with its key, and without the owner's cookie."""
    cookies, app.client.cookies = app.client.cookies, {}  # type: ignore[assignment]
    try:
        return app.client.request(method, f"/api/v1{path}", headers=headers, **more)
    finally:
        app.client.cookies = cookies


def test_a_key_opens_what_it_is_for_until_it_is_ended(app):
    reads = program(app, "read")
    assert ask(app, "GET", "/students/ana", reads).json()["email"] == "ana@example.org"
    refused = ask(app, "PUT", "/students/ana/tags/keeper", reads)
    assert refused.status_code == 403 and refused.headers["content-type"] == "application/problem+json"
    assert refused.json() == {
        "type": "about:blank",
        "title": "Forbidden",
        "status": 403,
        "detail": "The key “Dashboard” may not change tags and enrolments. Make one that may, in School.",
    }
    (key,) = app.client.get("/api/api-keys").json()
    assert key["used"] and reads["Authorization"].removeprefix("Bearer ").startswith(key["begins"])
    with app.post_office.database.reading() as session:
        kept = session.connection().exec_driver_sql("SELECT * FROM api_keys").all()
    assert reads["Authorization"][7:] not in str(kept)
    assert app.client.delete(f"/api/api-keys/{key['id']}").status_code == 204
    assert ask(app, "GET", "/students", reads).status_code == 401
    for wrong in ({}, {"Authorization": "Bearer x"}, {"Authorization": "Basic eDp5"}):
        assert ask(app, "GET", "/students", wrong).json()["title"] == "Unauthorized"
    assert ask(app, "GET", "/nowhere", reads).headers["content-type"] == "application/problem+json"


def test_a_change_under_one_idempotency_key_happens_once_and_is_answered_the_same(app):
    headers = program(app, "change", "report") | {"Idempotency-Key": "one"}
    first = ask(app, "PUT", "/students/ana/tags/keeper", headers)
    assert first.json()["tags"] == ["keeper"]
    app.client.post("/api/students/ana/tags", json={"add": [], "remove": ["keeper"]})
    again = ask(app, "PUT", "/students/ana/tags/keeper", headers)
    assert again.content == first.content
    assert app.client.get("/api/students/ana").json()["tags"] == []
    other = ask(app, "DELETE", "/students/ana/tags/keeper", headers)
    assert other.status_code == 422 and "another request" in other.json()["detail"]
    event = {"type": "tag_added", "student": "ana", "tag": "told", "at": NOW}
    reports = headers | {"Idempotency-Key": "two"}
    answers = [ask(app, "POST", "/events", reports, json=[event]).json() for _ in range(2)]
    assert answers[0] == answers[1] == {"taken": 1, "known": 0, "refused": []}


def test_programs_enrol_and_end_and_report_what_cannot_be_used(app):
    headers = program(app, "change", "report", "read")
    enrolled = ask(app, "POST", "/students/ana/enrolments", headers, json={"course": "bees"}).json()
    assert [(x["course"], x["status"]) for x in enrolled["courses"]] == [("bees", "active")]
    figures = {x["course"]: x for x in ask(app, "GET", "/courses", headers).json()}
    assert (figures["bees"]["active"], figures["bees"]["finished"]) == (1, 0)
    ended = ask(app, "DELETE", "/students/ana/enrolments/bees", headers).json()
    assert ended["courses"][0]["status"] == "expired"
    assert ask(app, "POST", "/students/ana/enrolments", headers, json={"course": "no"}).status_code == 404
    assert ask(app, "PUT", "/students/nobody/tags/x", headers).status_code == 404
    told = ask(
        app, "POST", "/events", headers, json={"events": [{"type": "nothing"}, purchase("kai")]}
    ).json()
    assert (told["taken"], [x["index"] for x in told["refused"]]) == (1, [0])


def test_too_often_says_when_to_come_again(app):
    headers = program(app, "read")
    answers = [ask(app, "GET", "/courses", headers) for _ in range(121)]
    assert [x.status_code for x in answers] == [200] * 120 + [429]
    assert 1 <= int(answers[-1].headers["retry-after"]) <= 60 and answers[-1].json()["status"] == 429


@pytest.mark.parametrize("limit", [1, 2, 3])
def test_paging_tells_everybody_once_however_many_come_and_go_meanwhile(app, limit):
    headers, seen, after = program(app, "read"), [], {}
    add(app, *(f"early-{number}" for number in range(5)))
    while True:
        found = ask(app, "GET", "/students", headers, params={"limit": limit, **after}).json()
        seen += [x["key"] for x in found["items"]]
        if found["next"] is None:
            break
        after = {"after": found["next"]}
        if len(seen) < 9:
            add(app, f"late-{len(seen)}")
        if seen[-1] == "early-0":
            for gone in ("ana", "early-0"):
                app.client.post(f"/api/students/{gone}/erase", json={"sentence": f"erase {gone}@example.org"})
    assert len(seen) == len(set(seen)) and seen[0] == "ana"
    assert {"kai", *(f"early-{number}" for number in range(5)), "late-2" if limit == 2 else "late-3"} <= set(
        seen
    )


def add(app: App, *keys: str) -> None:
    with app.post_office.database.writing() as session:
        for key in keys:
            add_student(session, Student(key=key, email=f"{key}@example.org"))


def test_every_example_in_the_description_is_taken(app):
    headers = program(app, "read", "report", "change")
    found = describe().openapi()
    asked = 0
    for path, methods in found["paths"].items():
        for method, operation in methods.items():
            body = operation.get("requestBody", {}).get("content", {}).get("application/json", {})
            if not path.startswith("/api/v1/"):
                continue
            for example in body.get("examples", {}).values():
                given_here = json.loads(
                    json.dumps(example["value"])
                    .replace("first-hive/choosing/sunny-side", "bees/l1")
                    .replace("first-hive", "bees")
                )
                address = path.removeprefix("/api/v1").replace("{key}", "ana")
                answer = ask(app, method.upper(), address, headers, json=given_here)
                assert answer.status_code == 200 and not answer.json().get("refused"), answer.text
                asked += 1
    assert asked == 2


def test_a_list_is_fetched_by_its_address_and_says_who_is_on_it_now(app):
    made = app.client.post("/api/fetched-lists", json={"what": "tag", "of": "keeper"}).json()
    address = made["address"].partition("/lists/")[2]
    assert fetched(app, address) == []
    app.client.post("/api/students/ana/tags", json={"add": ["keeper"], "remove": []})
    app.client.put("/api/students/ana", json={})
    assert [row["email"] for row in fetched(app, address)] == ["ana@example.org"]
    (line,) = app.client.get("/api/fetched-lists").json()
    assert (line["students"], line["name"]) == (1, "Tagged keeper") and line["fetched"]
    for wrong in ({"what": "finished", "of": "no"}, {"what": "audience", "of": "no"}):
        assert app.client.post("/api/fetched-lists", json=wrong).status_code == 422
    assert app.client.get("/lists/guess.csv").status_code == 404
    app.client.delete(f"/api/fetched-lists/{line['id']}")
    assert app.client.get(f"/lists/{address}").status_code == 404


def fetched(app: App, address: str) -> list[dict[str, str]]:
    answer = app.client.get(f"/lists/{address}")
    assert answer.status_code == 200 and answer.headers["content-type"].startswith("text/csv")
    return list(csv.DictReader(io.StringIO(answer.text.lstrip("\ufeff"))))
