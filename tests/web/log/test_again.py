"""A letter sent again by hand: through the refusals, past the owner's own rules, and never to someone who stopped it."""

from __future__ import annotations

import pytest

from tests.web.broadcasts.test_broadcasts import ok
from tests.web.sequences.test_workbench import enrol, put, steps


@pytest.fixture
def first(app):
    """The access letter of somebody who has just bought."""
    enrol(app, "a@example.org")
    (line,) = ok(app.client.get("/api/deliveries"))["items"]
    return line


def slip(app, id):
    return ok(app.client.get(f"/api/deliveries/{id}/again"))


def again(app, id):
    return app.client.post(f"/api/deliveries/{id}/again")


def test_it_goes_out_in_the_newest_text_beside_the_first_and_says_who_sent_it(app, first):
    letter = ok(app.client.get("/api/letters/access"))["body"]
    ok(app.client.put("/api/letters/access", json={**letter, "subject": "Here it is again"}))
    said = slip(app, first["id"])
    assert (said["subject"], said["against"], "a@example.org" in said["to"]) == (
        "Here it is again",
        None,
        True,
    )
    second = ok(again(app, first["id"]))["id"]
    third = ok(again(app, first["id"]))["id"]
    app.settle()
    lines = {one["id"]: one for one in ok(app.client.get("/api/deliveries"))["items"]}
    assert {id: one["subject"] for id, one in lines.items()} == {
        first["id"]: first["subject"],
        second: "Here it is again",
        third: "Here it is again",
    }
    assert [lines[id]["sent_by"] for id in (first["id"], second)] == [None, "Ines"]
    told = ok(app.client.get(f"/api/deliveries/{second}"))["story"]
    assert "Ines sent it again by hand" in told[0] and "(sent)" in told[0]
    key = lines[second]["student"]
    timeline = ok(app.client.get(f"/api/students/{key}"))["timeline"]
    assert sum("again, by Ines" in one["detail"] for one in timeline) == 2
    assert len(app.inbox(key)) == 3


def test_what_the_student_has_stopped_stays_stopped_and_the_owner_is_told_why(app, first):
    key = first["student"]
    app.report({"type": "complained", "at": "2026-03-02T09:00:00Z", "student": "a@example.org"})
    said = slip(app, first["id"])
    assert "reported an earlier letter" in said["against"]
    refused = again(app, first["id"])
    assert (refused.status_code, refused.json()["detail"]) == (409, said["against"])
    assert len(app.inbox(key)) == 1


def test_rules_the_owner_made_are_said_and_passed_over_by_hand(app, first):
    letter = ok(app.client.get("/api/letters/access"))["body"]
    ok(app.client.put("/api/letters/access", json={**letter, "min_gap": "P30D", "purpose": "course_help"}))
    school = ok(app.client.get("/api/school"))["body"]
    hours = {"from": "18:00", "to": "19:00", "days": ["mon"], "zone": "school"}
    ok(app.client.put("/api/school", json={"body": {**school, "posting_hours": hours}}))
    said = slip(app, first["id"])
    assert said["against"] is None
    remarks = " ".join(said["remarks"])
    assert "shorter while ago than you set" in remarks and "outside the posting hours" in remarks
    ok(again(app, first["id"]))
    assert len(app.inbox(first["student"])) == 2


def test_a_text_that_is_not_ready_is_not_sent_and_nothing_is_sent_twice_while_it_is_on_its_way(app, first):
    letter = ok(app.client.get("/api/letters/access"))["body"]
    note = {"kind": "note", "text": "still to be written"}
    ok(app.client.put("/api/letters/access", json={**letter, "blocks": [*letter["blocks"], note]}))
    assert "note to self" in slip(app, first["id"])["against"]
    assert again(app, first["id"]).status_code == 409
    assert app.client.get("/api/deliveries/999999/again").status_code == 404
    assert again(app, 999999).status_code == 409


def test_a_letter_told_to_the_owner_is_marked_so_and_asks_nothing_of_the_student(app):
    tell = {"id": "t", "do": "tell", "to": "owner", "letter": "access"}
    put(app, {**steps(app), "steps": [tell]})
    enrol(app, "b@example.org")
    (line,) = ok(app.client.get("/api/deliveries"))["items"]
    assert line["to"] == ["owner"]
    told = ok(app.client.get(f"/api/deliveries/{line['id']}"))["story"]
    assert any("goes to you, not to the student" in sentence for sentence in told)
    assert not any("not stopped" in sentence or "Asked at that moment" in sentence for sentence in told)
    (item,) = [x for x in ok(app.client.get(f"/api/students/{line['student']}"))["timeline"] if x["delivery"]]
    assert item["kind"] == "told" and item["detail"].startswith("to you")
