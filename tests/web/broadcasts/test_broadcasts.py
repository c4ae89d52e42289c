"""A broadcast through HTTP, from the draft to what became of it: nobody twice, nobody who stopped it, and what waits waits."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest
from sqlalchemy import select

from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.clock import move_clock, read_clock
from patient_courier.dispatch.taking import CHUNK, wake_due
from patient_courier.store.base.tables import DeliveryRow
from patient_courier.store.broadcasts.broadcasts import note
from tests.live import LiveSchool
from tests.schools import bought, letter, read, school, send, sequence, wait
from tests.waiting import until
from tests.web.conftest import NOW, App, purchase

NEWS = {"subject": "Spring, {{ student.first_name | default('friend') }}", "purpose": "news"}
BLOCKS = [{"kind": "text", "html": "<p>Hello</p>"}]


def ok(answer: Any) -> Any:
    assert answer.status_code < 300, answer.text
    return answer.json() if answer.content else None


def draft(app: App, **more: Any) -> dict[str, Any]:
    """A draft with a letter that can go out; returns its body."""
    key = ok(app.client.post("/api/broadcasts", json={"name": "Spring letter"}))["key"]
    body = ok(app.client.get(f"/api/broadcasts/{key}"))["body"]
    letter = {"name": "Spring", "key": body["letter"], **NEWS, "blocks": BLOCKS}
    ok(app.client.put(f"/api/letters/{body['letter']}", json=letter))
    return change(app, body, **more)


def change(app: App, body: dict[str, Any], pace: int | None = None, **more: Any) -> dict[str, Any]:
    answer = app.client.put(f"/api/broadcasts/{body['key']}", json={"body": {**body, **more}, "pace": pace})
    return ok(answer)["body"]


def stands(app: App, key: str = "spring-letter") -> dict[str, Any]:
    return ok(app.client.get(f"/api/broadcasts/{key}"))


def act(app: App, what: str, key: str = "spring-letter", **body: Any) -> dict[str, Any]:
    return ok(app.client.post(f"/api/broadcasts/{key}/{what}", json=body))


def many(app: App, number: int) -> None:
    """More students who want news."""
    for n in range(number):
        ok(app.client.post("/api/students", json={"email": f"s{n}@example.org", "news": True}))


def subjects(app: App, student: str) -> list[str]:
    return [mail["subject"] for mail in app.inbox(student)]


def test_from_the_draft_to_what_became_of_it(app):
    draft(app, at="2026-03-05T09:00:00", zone="student")
    assert act(app, "schedule")["status"] == "scheduled"
    refused = app.client.put("/api/broadcasts/spring-letter", json={"body": {}})
    assert refused.status_code == 409 and "no draft" in refused.json()["detail"]
    app.move(to="until", until="2026-03-04T19:59:59Z")
    assert subjects(app, "ana") == []  # in Auckland it is nine at 20:00 UTC
    app.move(to="until", until="2026-03-05T12:00:00Z")
    assert subjects(app, "ana") == ["Spring, Ana"] and subjects(app, "kai") == []
    until(lambda: stands(app)["status"] == "done")
    found = stands(app)
    assert found["recipients"] == 2
    assert (found["counts"]["delivered"], found["counts"]["not_posted"]) == (1, 1)
    assert [(x["reason"], x["number"]) for x in found["reasons"]] == [("news_off", 1)]
    delivered = ok(app.client.get("/api/broadcasts/spring-letter/outcome/delivered"))
    assert [one["key"] for one in delivered["items"]] == ["ana"]
    line = ok(app.client.get(f"/api/deliveries/{delivered['items'][0]['delivery']}"))
    assert line["delivery"]["broadcast"] == "spring-letter"
    assert line["delivery"]["sequence_name"] == "Spring letter"
    assert "was on the list of the broadcast “Spring letter”" in line["story"][0]
    assert "Nothing stood against it" in line["story"][-1]


def test_post_now_can_be_taken_back_for_a_minute_and_goes_out_when_the_clock_is_sent_on(app):
    draft(app)
    found = act(app, "schedule", at_once=True)
    assert 50 < found["take_back_seconds"] <= 60
    app.settle()
    assert subjects(app, "ana") == []
    assert act(app, "take-back")["status"] == "draft"
    app.move(to="hour")
    assert subjects(app, "ana") == []
    act(app, "schedule", at_once=True)
    app.move(to="hour")
    assert subjects(app, "ana") == ["Spring, Ana"]


def test_a_moment_that_has_passed_is_refused_and_so_is_a_field_that_a_broadcast_can_not_fill(app):
    body = draft(app, at="2026-03-01T09:00:00")
    answer = app.client.post("/api/broadcasts/spring-letter/schedule", json={})
    assert answer.status_code == 409 and "has passed" in answer.json()["detail"]
    change(app, body, at="2026-03-05T09:00:00")
    letter = {
        "name": "Spring",
        "key": "spring-letter",
        **NEWS,
        "subject": "{{ quiz.title }}",
        "blocks": BLOCKS,
    }
    ok(app.client.put("/api/letters/spring-letter", json=letter))
    answer = app.client.post("/api/broadcasts/spring-letter/schedule", json={})
    assert answer.status_code == 409 and "quiz title" in answer.json()["detail"]


def look_once_more(app: App) -> None:
    """The workers' own looks, when the pace has long made room for the next letter."""
    with app.post_office.database.writing() as session:
        note(session, "spring-letter", next_slot=None)
    app.post_office._wake()
    app.post_office._post()
    app.settle()


@pytest.mark.parametrize("end", ["stop", "go-on"])
def test_it_is_paced_paused_stopped_or_goes_on_and_nobody_gets_it_twice(app, end):
    many(app, 5)
    draft(app, pace=60, at="2026-03-02T09:00:00")
    # Due at this very moment: the clock need not be moved, so the pace counts.
    act(app, "schedule")
    until(lambda: stands(app)["status"] == "going" and stands(app)["counts"]["delivered"] >= 1)
    act(app, "pause")
    app.settle()
    here = stands(app)["counts"]["delivered"]
    look_once_more(app)
    found = stands(app)
    assert found["status"] == "paused" and found["counts"]["delivered"] == here < 6
    act(app, end)
    if end == "stop":
        look_once_more(app)
        found = stands(app)
        assert found["status"] == "stopped" and found["counts"]["delivered"] == here
        assert {x["reason"] for x in found["reasons"]} <= {"broadcast_stopped", "news_off"}
        assert sum(x["number"] for x in found["reasons"]) == 7 - here
    else:
        ok(app.client.put("/api/broadcasts/spring-letter/pace", json={"pace": None}))
        until(lambda: stands(app)["status"] == "done")
        assert stands(app)["counts"]["delivered"] == 6
    for n in range(5):
        assert len(subjects(app, f"s{n}")) <= 1


def test_who_is_inside_a_sequence_waits_and_the_page_says_where(app):
    draft(app, at="2026-03-02T12:00:00", inside="wait", to={"is": "student", "keys": ["ana"]})
    plan = ok(app.client.get("/api/sequences/welcome"))["body"]
    ok(app.client.put("/api/sequences/welcome", json={**plan, "holds_broadcasts": True}))
    app.report(purchase())
    act(app, "schedule")
    look = ok(app.client.post("/api/broadcasts/spring-letter/outlook"))
    assert look["state"] == "done" and look["result"]["will"] == 1
    assert [(x["kind"], x["reason"]) for x in look["result"]["groups"]] == [("later", "inside_sequence")]
    other = ok(app.client.post("/api/broadcasts", json={"name": "Another"}))["key"]
    fates = {}
    for key in ("spring-letter", other):
        page = ok(app.client.get(f"/api/broadcasts/{key}/recipients", params={"outlook": look["id"]}))
        fates[key] = next(one["fate"] for one in page["items"] if one["key"] == "ana")
    assert fates == {"spring-letter": "later", other: None}, (
        "a look ahead is shown with its own broadcast alone"
    )
    app.move(to="until", until="2026-03-02T12:00:00Z")
    line = ok(app.client.get("/api/deliveries", params={"broadcast": "spring-letter"}))["items"][0]
    assert line["status"] == "held" and subjects(app, "ana")[0] != "Spring, Ana"
    story = ok(app.client.get(f"/api/deliveries/{line['id']}"))["story"]
    assert "inside “welcome”" in story[-1]
    app.move(to="until", until="2026-03-04T12:00:00Z")
    assert "Spring, Ana" in subjects(app, "ana")
    until(lambda: stands(app)["status"] == "done")
    story = ok(app.client.get(f"/api/deliveries/{line['id']}"))["story"]
    assert any("Kept back from" in sentence for sentence in story)


def test_the_look_ahead_names_who_will_not_get_it_who_later_and_what_is_to_be_mended(app):
    many(app, 1)
    draft(app, at="2026-03-02T23:00:00", posting_hours={"from": "09:00", "to": "18:00"})
    letter = {
        "name": "Spring",
        "key": "spring-letter",
        **NEWS,
        "subject": "{{ student.first_name }}",
        "blocks": BLOCKS,
    }
    ok(app.client.put("/api/letters/spring-letter", json=letter))
    found = ok(app.client.post("/api/broadcasts/spring-letter/outlook"))["result"]
    groups = {(x["kind"], x["reason"]): [one["key"] for one in x["students"]] for x in found["groups"]}
    # In Auckland it is noon of the next day; who has no first name waits for a mend, who wants no news gets none.
    assert groups == {("not", "news_off"): ["kai"], ("mend", "blank_field: student.first_name"): ["s0"]}
    assert (found["will"], found["matching"]) == (1, 3)
    assert found["slip"]["post"] == "“Spring letter” goes to one student."
    assert "One has no value for “first name”." in found["slip"]["without"]
    ok(app.client.put("/api/letters/spring-letter", json={**letter, "subject": "Spring"}))
    later = ok(app.client.post("/api/broadcasts/spring-letter/outlook"))["result"]["groups"][-1]
    assert (later["kind"], later["reason"], later["students"][0]["key"]) == ("later", "outside_hours", "s0")


def test_a_test_goes_to_whoever_is_signed_in_and_counts_nowhere(app):
    draft(app)
    sent = ok(app.client.post("/api/broadcasts/spring-letter/test", json={"student": "ana"}))
    assert sent["to"] == ["ines@mallowlane.example"] and sent["subject"] == "Test: Spring, Ana"
    mail = ok(app.client.post(f"/api/practice/mail/{sent['mail']}/open"))
    assert mail["subject"] == "Test: Spring, Ana"
    assert stands(app)["tested"]
    assert ok(app.client.get("/api/deliveries"))["total"] == 0 and subjects(app, "ana") == []
    letter = {"name": "Spring", "key": "spring-letter", **NEWS, "subject": "Changed", "blocks": BLOCKS}
    ok(app.client.put("/api/letters/spring-letter", json=letter))
    assert stands(app)["tested"] is None


def test_a_letter_and_a_whole_sequence_are_tested_by_several_readers_and_count_nowhere(app):
    body = {
        "student": "ana",
        "readers": ["proof@example.net"],
        "letter": {"name": "X", "subject": "Unsaved", "purpose": "news", "blocks": BLOCKS},
    }
    sent = ok(app.client.post("/api/letters/fresh/test", json=body))
    assert sent["to"] == ["ines@mallowlane.example", "proof@example.net"]
    mail = ok(app.client.post(f"/api/practice/mail/{sent['mail']}/open"))
    assert ["Comments", "A test, as Ana would get it."] in mail["headers"]
    assert "/post/test/stop" in mail["html"]
    stop = app.client.post("/post/test/stop")
    assert stop.status_code == 200 and "Nothing has happened" in stop.text
    found = ok(app.client.post("/api/sequences/welcome/test", json={"student": "ana"}))
    assert [one["subject"] for one in found] == ["Test 1 of 2: Ana, come in", "Test 2 of 2: about year"]
    assert (
        app.client.post("/api/letters/fresh/test", json={**body, "readers": ["no address"]}).status_code
        == 422
    )
    assert ok(app.client.get("/api/deliveries"))["total"] == 0 and app.inbox("ana") == []


def test_the_second_letter_to_those_who_have_not_opened_the_first_is_drafted_once(app):
    many(app, 2)
    draft(app, at="2026-03-02T10:00:00")
    act(app, "schedule")
    app.move(to="until", until="2026-03-02T11:00:00Z")
    until(lambda: stands(app)["status"] == "done")
    mail = app.inbox("s0")[0]
    ok(app.client.post(f"/api/practice/mail/{mail['id']}/open"))
    found = stands(app)
    opened = next(x for x in found["figures"] if x["what"] == "opened")
    assert (opened["number"], opened["of"], opened["small"]) == (1, 3, True) and opened[
        "low"
    ] < 1 / 3 < opened["high"]
    again = act(app, "again")["key"]
    assert act(app, "again")["key"] == again
    names = ok(app.client.get(f"/api/broadcasts/{again}/recipients"))
    assert sorted(one["key"] for one in names["items"]) == ["ana", "s1"]


def test_lines_shrink_the_count_and_a_student_is_told_why(app):
    app.report(purchase())
    lines = [{"is": "news_on"}, {"not": {"is": "enrolled", "course": "this"}}]
    counted = ok(app.client.post("/api/audiences/counts", json={"lines": lines, "course": "bees"}))
    assert (counted["everyone"], [x["left"] for x in counted["lines"]]) == (2, [1, 0])
    # Of no course in particular it is said as it stands, not as what it comes to there.
    counted = ok(app.client.post("/api/audiences/counts", json={"lines": lines}))
    assert [x["words"] for x in counted["lines"]] == ["wants news", "not: is enrolled in this course"]
    names = ok(app.client.post("/api/audiences/names", json={"lines": lines[:1]}))
    assert [one["key"] for one in names["items"]] == ["ana"]
    kept = ok(app.client.post("/api/audiences", json={"name": "Keen", "condition": {"all": lines[:1]}}))
    assert (kept["students"], kept["lines"]) == (1, ["wants news"])
    cast = ok(app.client.post("/api/broadcasts", json={"name": "To them", "audience": kept["key"]}))["key"]
    assert stands(app, cast)["audience"] == {"key": "keen", "name": "Keen", "changed": False}
    ok(app.client.put("/api/audiences/keen", json={"name": "Keen", "condition": {"all": lines}}))
    assert stands(app, cast)["audience"]["changed"] and stands(app, cast)["body"]["to"] == {"all": lines[:1]}
    asked = {"condition": {"all": lines}, "student": "ana", "course": "bees"}
    why = ok(app.client.post("/api/audiences/why", json=asked))
    assert [(x["holds"], x["own"]) for x in why["lines"]] == [
        (True, "wants news"),
        (False, "active in First Hive"),
    ]
    bad = app.client.post("/api/audiences/counts", json={"lines": [{"is": "enrolled", "course": "wax"}]})
    assert bad.status_code == 422 and "no course “wax”" in bad.json()["detail"]


def test_today_the_student_and_the_export_know_it(app):
    draft(app, at="2026-03-05T09:00:00", without=["kai"])
    act(app, "schedule")
    days = ok(app.client.get("/api/today"))["days"]
    assert [(x["broadcast"], x["letters"]) for day in days for x in day["lines"]] == [("spring-letter", 1)]
    file = ok(app.client.get("/api/school/file"))
    assert file["broadcasts"][0]["without"] == ["kai"] and file["broadcasts"][0]["status"] == "scheduled"
    app.move(to="until", until="2026-03-05T10:00:00Z")
    line = ok(app.client.get("/api/students/ana"))["timeline"][0]
    assert (line["text"], line["detail"]) == ("Spring, Ana", "Spring letter")
    assert file["broadcasts"][0]["at"] > NOW


@pytest.mark.parametrize("zone", ["student", "school"])
def test_taken_back_after_post_now_it_has_the_day_and_zone_of_the_draft(app, zone):
    draft(app, at="2026-03-09T10:30:00", zone=zone)
    now = act(app, "schedule", at_once=True)
    assert (now["body"]["at"], now["body"]["zone"]) != ("2026-03-09T10:30:00", zone)
    back = act(app, "take-back")
    assert (back["status"], back["body"]["at"][:16], back["body"]["zone"]) == (
        "draft",
        "2026-03-09T10:30",
        zone,
    )
    act(app, "schedule")
    again = act(app, "take-back")
    assert (again["body"]["at"][:16], again["body"]["zone"]) == ("2026-03-09T10:30", zone)


def test_a_correction_while_it_is_paused_is_what_the_others_get(app):
    many(app, 5)
    draft(app, pace=60, at="2026-03-02T09:00:00")
    act(app, "schedule")
    until(lambda: stands(app)["status"] == "going" and stands(app)["counts"]["delivered"] >= 1)
    act(app, "pause")
    app.settle()
    before = stands(app)["counts"]["delivered"]
    body = app.client.get("/api/letters/spring-letter").json()["body"]
    ok(app.client.put("/api/letters/spring-letter", json={**body, "subject": "Corrected"}))
    ok(app.client.put("/api/broadcasts/spring-letter/pace", json={"pace": None}))
    act(app, "go-on")
    until(lambda: stands(app)["status"] == "done")
    app.settle()
    subjects = [
        x["subject"] for x in app.client.get("/api/deliveries").json()["items"] if x["status"] == "sent"
    ]
    assert subjects.count("Corrected") == stands(app)["counts"]["delivered"] - before > 0


def test_the_clock_has_arrived_when_all_letters_due_then_are_decided(tmp_path):
    """More letters, and more runs, fall due at one instant than are handled at a time."""
    people = [{"key": f"s{n}", "email": f"s{n}@example.org", "news": True} for n in range(CHUNK + 5)]
    file = read(
        school(
            [sequence("s", [wait("w", "P1D", at="10:00", zone="school"), send("help")])],
            [bought("2026-03-02T12:00:00Z", one["key"]) for one in people],
            letter("spring", "news"),
            students=people,
            broadcasts=[{"key": "b", "letter": "spring", "status": "scheduled", "at": "2026-03-03T10:00:00"}],
        )
    )
    live = LiveSchool(tmp_path / "many.db", file, parse_moment("2026-03-01T00:00:00Z"))
    due = parse_moment("2026-03-03T10:00:00Z")
    live.live_through(file, due.subtract(seconds=1))
    with live.database.writing() as session:
        move_clock(session, due)
    moving = True
    while moving:
        with live.database.writing() as session:
            wake_due(session, live.library.load(session))
        with live.database.reading() as session:
            moving = read_clock(session).moving_to is not None
    with live.database.reading() as session:
        decided = Counter(session.scalars(select(DeliveryRow.letter).where(DeliveryRow.at == due)))
    assert decided == {"help": CHUNK + 5, "spring": CHUNK + 5}
    live.database.close()
