"""Events from a course site: signed, idempotent, and never lost when they can't be used."""

from patient_courier.dispatch import arriving
from tests.web.conftest import NOW, purchase


def test_a_purchase_posts_the_access_letter_and_the_next_one_at_ten_where_the_student_lives(app):
    assert app.report(purchase()).json() == {"taken": 1, "known": 0, "refused": []}
    (access,) = app.inbox()
    assert access["subject"] == "Ana, come in"
    app.move(to="day")
    assert [mail["sent"] for mail in app.inbox()] == ["Tue 3 Mar, 10:00", "Mon 2 Mar, 22:00"]


def test_a_message_sent_again_changes_nothing_with_or_without_event_ids(app):
    for body in (purchase(id="order-1"), [purchase("kai"), purchase("ana")]):
        first = app.report(body, message="msg_same" if isinstance(body, list) else None)
        again = app.report(body, message="msg_same" if isinstance(body, list) else None)
        assert (again.status_code, again.json()["taken"]) == (200, 0), first.json()
    assert len(app.inbox()) == 1


def test_the_good_events_of_a_batch_go_in_and_the_bad_ones_wait_for_the_owner(app):
    bad = {"type": "lesson_completed", "at": NOW, "student": "ana", "lesson": "bees/l99"}
    worse = {"type": "lesson_finished", "at": "yesterday", "student": "ana"}
    answer = app.report({"events": [bad, purchase(), worse, purchase("nobody")]})
    assert answer.status_code == 422
    receipt = answer.json()
    assert receipt["taken"] == 1
    assert [found["index"] for found in receipt["refused"]] == [0, 2, 3]
    assert "no lesson “bees/l99”" in receipt["refused"][0]["reason"]
    assert len(app.inbox()) == 1
    app.report({"events": [bad]})  # the same one again is the same problem
    waiting = app.client.get("/api/needs-you").json()
    assert sorted(item["body"]["type"] for item in waiting) == [
        "lesson_completed",
        "lesson_finished",
        "purchased",
    ]
    app.client.post(f"/api/needs-you/event/{waiting[0]['id']}", json={"action": "done"})
    assert len(app.client.get("/api/needs-you").json()) == 2


def test_a_student_who_is_described_becomes_known(app):
    who = {"email": "tamsin@example.net", "first_name": "Tamsin", "timezone": "Europe/London"}
    assert app.report(purchase(who)).status_code == 200
    assert app.inbox("tamsin")[0]["subject"] == "Tamsin, come in"
    app.report({"type": "signed_in", "at": NOW, "student": "TAMSIN@example.net"})
    assert app.client.get("/api/students", params={"q": "tamsin"}).json()["total"] == 1


def test_without_the_right_signature_nothing_goes_in(app):
    answer = app.report(purchase(), secret="whsec_" + "A" * 44)
    assert answer.status_code == 401
    assert app.client.post("/intake/events", json=purchase()).status_code == 401
    assert app.client.get("/api/needs-you").json() == []


def test_what_is_no_event_at_all_is_kept_too(app):
    assert app.report("nonsense {").status_code == 422
    assert app.report([]).status_code == 422
    assert len(app.client.get("/api/needs-you").json()) == 2


def test_an_event_from_the_future_is_refused(app):
    answer = app.report({**purchase(), "at": "2026-04-01T12:00:00Z"})
    assert "future" in answer.json()["refused"][0]["reason"]


def test_an_event_that_breaks_something_of_ours_is_kept_and_the_others_of_its_message_go_in(app, monkeypatch):
    receive = arriving.receive

    def broken(session, definitions, reports, now):
        if any(report.student == "kai" for report in reports):
            raise RuntimeError
        return receive(session, definitions, reports, now)

    monkeypatch.setattr(arriving, "receive", broken)
    answer = app.report([purchase("ana"), purchase("kai")])
    assert (answer.status_code, answer.json()["taken"]) == (422, 1)
    assert [found["index"] for found in answer.json()["refused"]] == [1]
    assert len(app.inbox()) == 1
    (kept,) = app.client.get("/api/needs-you").json()
    assert (kept["body"]["student"], "could not be taken in" in kept["sentence"]) == ("kai", True)


def test_a_report_sends_nobodys_post_elsewhere_and_gives_no_two_students_one_address(app):
    def address(key):
        return app.client.get(f"/api/students/{key}").json()["email"]

    app.report(purchase({"key": "ana", "email": "stranger@example.com", "last_name": "Reis"}))
    assert address("ana") == "ana@example.org" and app.inbox()[0]["subject"] == "Ana, come in"
    refused = app.report(purchase({"key": "other", "email": "KAI@example.org"}))
    assert refused.status_code == 422 and "belongs to another student" in refused.text
    assert app.client.get("/api/students/other").status_code == 404
