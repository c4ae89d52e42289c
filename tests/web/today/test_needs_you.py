"""What waits for the owner: put together, mended once for all, and the mail server's troubles said at once."""

import re
import time

import pytest
from sqlalchemy import select, update

from patient_courier.dispatch.outbox import Outbox
from patient_courier.post.carriers import NotTaken
from patient_courier.store.base.tables import DeliveryRow
from tests.schools import letter
from tests.waiting import until
from tests.web.conftest import NOW, purchase

NAMELESS = letter("access", "service", "{{ student.first_name }}, come in", blocks=[])


def waiting(app):
    return app.client.get("/api/needs-you").json()


def nameless(app, number: int) -> None:
    assert app.client.put("/api/letters/access", json=NAMELESS).status_code == 200
    people = [{"email": f"n{n}@example.org"} for n in range(number)]
    assert app.report([purchase(who) for who in people]).status_code == 200
    app.settle()


def test_the_same_letter_without_a_name_is_one_thing_and_mended_for_all(app):
    nameless(app, 5)
    (item,) = waiting(app)
    assert (item["kind"], len(item["ids"]), item["title"]) == ("delivery", 5, "“Access” to 5 students")
    assert item["sentence"].startswith("5 students have no first name")
    assert item["reason_code"] == "blank_field: student.first_name"
    assert app.client.get("/api/frame").json()["needs_you"] == 1
    again = app.client.post("/api/needs-you/letters", json={"ids": item["ids"], "action": "post"}).json()
    assert again["posted"] == 0 and "no value" in again["waiting"][0]
    mended = {**NAMELESS, "subject": "{{ student.first_name | default('Hello') }}, come in"}
    app.client.put("/api/letters/access", json=mended)
    again = app.client.post("/api/needs-you/letters", json={"ids": item["ids"], "action": "post"}).json()
    assert again == {"posted": 5, "waiting": []}
    app.settle()
    assert waiting(app) == []
    assert {line["status"] for line in app.client.get("/api/deliveries").json()["items"]} == {"sent"}


def test_a_letter_to_come_that_could_not_go_out_is_told_before_and_not_once_it_is_mended(app):
    year = letter(
        "year", subject="{{ next_lesson.url }}, {{ student.first_name | default('you') }}", blocks=[]
    )
    assert app.client.put("/api/letters/year", json=year).status_code == 200
    app.report([purchase({"email": f"n{n}@example.org"}) for n in range(2)])
    app.settle()
    today = app.client.get("/api/today").json()
    (ahead,) = today["stuck"]
    assert (ahead["letter"], ahead["students"], ahead["first"][:3]) == ("year", 2, "Tue")
    assert ahead["reason"] == "2 students have no next lesson url, and the letter has no fallback for it."
    assert today["total"] == 0
    assert app.client.put("/api/letters/year", json={**year, "subject": "A year"}).status_code == 200
    today = app.client.get("/api/today").json()
    assert (today["stuck"], today["total"]) == ([], 2)


def test_letters_can_be_put_aside_together(app):
    nameless(app, 2)
    (item,) = waiting(app)
    app.client.post("/api/needs-you/letters", json={"ids": item["ids"], "action": "done"})
    assert waiting(app) == []


def test_a_mail_server_that_refuses_the_password_is_told_of_and_tried_again_when_the_owner_says_so(
    app, monkeypatch
):
    carrier, refused = app.post_office.outbox._carrier, [True]
    post = carrier.post

    def refusing(mail):
        if refused[0]:
            raise NotTaken("The mail server refuses the name and password.", "server")
        post(mail)

    monkeypatch.setattr(carrier, "post", refusing)
    app.report(purchase())
    (item,) = until(lambda: waiting(app))
    assert (item["kind"], item["title"]) == ("carrier", "Letters can't go out")
    assert "refuses the name and password" in item["sentence"]
    assert app.client.get("/api/frame").json()["needs_you"] == 1
    # Sequences go on meanwhile.
    assert app.client.get("/api/deliveries").json()["items"][0]["status"] == "queued"
    assert app.client.get("/api/students/ana").json()["runs"][0]["until_at"] == "2026-03-02T21:00:00Z"
    refused[0] = False
    assert app.client.post("/api/needs-you/carrier/1", json={"action": "post"}).status_code == 204
    assert len(app.inbox()) == 1
    assert waiting(app) == []


def test_a_letter_that_is_being_posted_is_not_called_sent(app):
    app.report(purchase())
    app.settle()
    with app.post_office.database.writing() as session:
        session.execute(update(DeliveryRow).values(status="posting"))
    line = app.client.get("/api/deliveries").json()["items"][0]
    assert line["status_words"] == "going out"
    assert app.client.get("/api/deliveries", params={"status": "sent"}).json()["total"] == 0
    assert app.client.get("/api/deliveries", params={"status": "going"}).json()["total"] == 1
    assert app.client.get("/api/students/ana").json()["timeline"][0]["kind"] == "going"


def test_a_dead_address_can_be_lifted_and_does_not_come_back_with_an_import(app):
    app.report({"type": "bounced", "at": NOW, "student": "ana", "hard": True})
    app.report(purchase())
    app.settle()
    assert app.client.get("/api/deliveries").json()["items"][0]["reason_code"] == "address_bounced"
    assert app.client.get("/api/students/ana").json()["address_works"] is False
    assert app.client.post("/api/students/ana/address-works").json()["address_works"] is True
    file = app.client.get("/api/school/file").json()
    assert [event["type"] for event in file["events"]] == ["purchased"]


def arrived(app):
    """The school's clock, once it has come where it was sent."""
    clock = app.client.get("/api/frame").json()["clock"]
    return None if clock["moving"] else clock


@pytest.mark.parametrize("moment", ["2026-03-03T10:00:00+01:00", "2026-03-03T09:00:00Z", "2026-03-03T09:00"])
def test_the_clock_takes_moments_with_an_offset_and_has_arrived_when_all_is_posted(app, moment):
    app.report([purchase({"email": f"c{n}@example.org"}) for n in range(40)])
    assert app.client.post("/api/clock", json={"to": "until", "until": moment}).status_code == 200
    clock = until(lambda: arrived(app))
    assert clock["now"] == "2026-03-03T09:00:00Z"
    with app.post_office.database.reading() as session:
        assert set(session.scalars(select(DeliveryRow.status))) == {"sent"}


def test_the_owner_tags_approves_and_looks_at_calls(app):
    tagged = app.client.post("/api/students/ana/tags", json={"add": ["keeper", "keeper"], "remove": ["none"]})
    assert tagged.json()["tags"] == ["keeper"]
    assert [x["text"] for x in tagged.json()["timeline"]] == ["Got the tag “keeper”"]
    refused = app.client.post("/api/students/ana/certificates/bees/approve")
    assert refused.status_code == 409
    course = app.client.get("/api/courses/bees").json()["body"] | {"certificate": {"approval": True}}
    app.client.put("/api/courses/bees", json=course)
    app.report(purchase())
    for lesson in ("l1", "l2", "l3"):
        app.report({"type": "lesson_completed", "at": NOW, "student": "ana", "lesson": f"bees/{lesson}"})
    app.report({"type": "quiz_taken", "at": NOW, "student": "ana", "quiz": "bees/q1", "score": 90})
    approved = app.client.post("/api/students/ana/certificates/bees/approve").json()
    assert "Got the certificate for First Hive" in [x["text"] for x in approved["timeline"]]
    for status in (200, 409):
        assert app.client.post("/api/students/ana/certificates/bees/revoke").status_code == status
    body = app.client.get("/api/sequences/welcome").json()["body"]
    call = {"id": "c", "do": "call", "url": "https://hooks.example.org/x"}
    app.client.put("/api/sequences/welcome", json={**body, "steps": [call]})
    app.report(purchase("kai"))
    app.settle()
    (kept,) = until(lambda: [x for x in app.client.get("/api/outgoing/this").json() if x["status"] == "kept"])
    assert (kept["status"], kept["student"], kept["body"]["step"]) == ("kept", "kai", "c")


def test_stopping_again_and_again_is_one_event(app):
    app.report(purchase())
    mail = app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()
    link = dict(mail["headers"])["List-Unsubscribe"].strip("<>").partition("/post/")[2]
    for _ in range(5):
        assert app.client.post(f"/post/{link}").status_code == 200
    timeline = app.client.get("/api/students/ana").json()["timeline"]
    assert sum(line["text"].startswith("Stopped") for line in timeline) == 2  # news, and help with the course


def test_the_outbox_says_when_a_server_has_been_silent_for_long(app, monkeypatch):
    outbox: Outbox = app.post_office.outbox
    monkeypatch.setattr(outbox, "_handing_since", time.monotonic() - 25)
    (item,) = waiting(app)
    assert re.search(r"has not answered for (2[5-9]|3\d) seconds", item["sentence"])


def test_a_student_in_circles_is_named_as_the_owner_knows_them(app):
    again = {"id": "again", "do": "start_sequence", "sequence": "welcome"}
    body = app.client.get("/api/sequences/welcome").json()["body"]
    looped = {**body, "name": "First days", "again": "every_time", "steps": [again]}
    answer = app.client.put("/api/sequences/welcome", json=looped)
    assert answer.status_code == 200, answer.text
    app.report(purchase())
    (item,) = [x for x in until(lambda: waiting(app)) if x["kind"] == "circles"]
    assert item["sentence"].startswith("Ana took more than a hundred steps of “First days” in one instant")
    assert "oing_in_circles" not in str(item) and item["student"] == "ana"
