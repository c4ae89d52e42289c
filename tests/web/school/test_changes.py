"""What was changed: who, when, before and after, by hand and by key; put back, searched, kept, and nothing of an erased student."""

from __future__ import annotations

import csv
import io

import pytest
from sqlalchemy import select, text
from sqlalchemy.exc import IntegrityError
from whenever import Date

from patient_courier.core.school.values import Money
from patient_courier.store.base.tables import ChangeRow, StudentRow
from patient_courier.web.written import write_down
from tests.web.conftest import App, purchase


def listed(app: App, **asked: str) -> list[dict]:
    return app.client.get("/api/changes", params=asked).json()["items"]


def lines(one: dict) -> list[tuple[str, str, str]]:
    return [(line["what"], line["before"], line["after"]) for line in one["lines"]]


def test_letters_sequences_settings_and_students_say_before_and_after(app):
    client = app.client
    body = client.get("/api/letters/access").json()["body"]
    client.put("/api/letters/access", json={**body, "subject": "Your <b>key</b>, come in"})
    (letter,) = listed(app)
    assert (letter["who"], letter["title"], letter["to"]) == ("Ines", "Letter “Access”", "/letters/access")
    assert lines(letter) == [("subject", body["subject"], "Your key , come in")]
    client.post("/api/sequences/welcome/status", json={"status": "paused"})
    assert lines(listed(app)[0]) == [("state", "running", "paused")]
    sequence = client.get("/api/sequences/welcome").json()["body"]
    steps = [{**step, "for": "P3D"} if step["id"] == "w" else step for step in sequence["steps"]]
    assert client.put("/api/sequences/welcome", json={**sequence, "steps": steps}).status_code == 200
    assert lines(listed(app)[0]) == [("steps · w · for", "1 day", "3 days")]
    # What is saved by taking all away and putting all back is told only where it differs.
    courses = client.get("/api/courses").json()
    key = courses[0]["key"] if isinstance(courses, list) else courses["items"][0]["key"]
    course = client.get(f"/api/courses/{key}").json()["body"]
    before = len(listed(app))
    client.put(f"/api/courses/{key}", json=course)
    assert len(listed(app)) == before
    client.put(f"/api/courses/{key}", json={**course, "title": "Bees, anew"})
    newest = listed(app)[0]
    assert newest["title"] == "Course “Bees, anew”" and lines(newest)[0][0] == "title"
    # A student: what is typed, and a tag.
    assert (
        client.put("/api/students/ana", json={"first_name": "Anna", "email": "ana@example.org"}).status_code
        == 200
    )
    assert ("first name", "Ana", "Anna") in lines(listed(app)[0]) and listed(app)[0]["to"] == "/students/ana"
    client.post("/api/students/ana/tags", json={"add": ["glad"]})
    newest = listed(app)[0]
    assert newest["title"] == "Student Anna" and lines(newest) == [("tag", "", "glad")]


def test_dates_in_a_students_own_fields_are_told_as_dates(app):
    """They are kept with a sign of what they are, which is nobody's business here."""
    with app.post_office.database.watching() as session:
        row = session.scalars(select(StudentRow).where(StudentRow.key == "ana")).one()
        row.fields = {"joined": Date(2026, 3, 2), "paid": Money(amount="12.50", currency="EUR"), "glad": True}
        write_down(session, "Ines")
    assert lines(listed(app)[0]) == [
        ("fields · joined", "", "2026-03-02"),
        ("fields · paid", "", "EUR 12.50"),
        ("fields · glad", "", "yes"),
    ]


def test_secrets_are_told_as_changed_and_never_shown(app):
    client = app.client
    server = {
        "host": "mail.example.org",
        "port": 587,
        "security": "starttls",
        "user": "ines",
        "password": "swordfish-4711",
    }
    assert (
        client.put("/api/school/mail", json={"server": server, "second": None, "senders": []}).status_code
        == 200
    )
    mail = listed(app)[0]
    assert mail["title"] == "Setting “Mail servers”" and "swordfish" not in str(mail)
    client.put(
        "/api/session/password", json={"current": "a long enough password", "new": "a new long password"}
    )
    client.post("/api/session", json={"email": "ines@mallowlane.example", "password": "a new long password"})
    assert lines(listed(app)[0]) == [("password", "", "another one")]
    with app.post_office.database.reading() as session:
        kept = str(session.execute(text("SELECT * FROM changes")).all())
    assert "swordfish" not in kept and "argon2" not in kept


def test_it_is_found_again_and_kept_as_a_table_that_no_spreadsheet_runs(app):
    client = app.client
    client.post("/api/students/ana/tags", json={"add": ["=1+1"]})
    client.post("/api/students/kai/tags", json={"add": ["glad"]})
    assert [one["title"] for one in listed(app, q="GLAD kai")] == ["Student kai@example.org"]
    assert listed(app, who="Nobody") == [] and listed(app, q="100%") == []
    rows = list(csv.reader(io.StringIO(client.get("/api/changes/csv").content.decode("utf-8-sig"))))
    assert rows[0] == ["when", "who", "what", "of it", "before", "after"]
    assert rows[2][1:] == ["Ines", "Student Ana", "tag", "", "'=1+1"]


def test_a_key_stands_there_by_its_name_and_so_does_what_is_done_to_many(app, monkeypatch):
    client = app.client
    made = client.post("/api/api-keys", json={"name": "The shop", "scopes": ["change"]}).json()
    head = {"Authorization": f"Bearer {made['key']}"}
    assert client.put("/api/v1/students/kai/tags/vip", headers=head).status_code == 200
    one = listed(app)[0]
    assert one["who"] == "Key “The shop”" and lines(one) == [("tag", "", "vip")]
    body = {"keys": ["ana", "kai"], "what": "tag", "name": "warm"}
    answer = client.post("/api/bulk", json=body)
    assert answer.status_code in (200, 201, 202), answer.text
    both = listed(app)[:2]
    assert {one["title"] for one in both} == {"Student Ana", "Student kai@example.org"}
    assert [lines(one) for one in both] == [[("tag", "", "warm")]] * 2
    monkeypatch.setattr("patient_courier.web.places.students.bulk.MANY", 1)
    client.post("/api/bulk", json={**body, "what": "untag"})
    assert (listed(app)[0]["title"], lines(listed(app)[0])) == ("2 students", [("tag", "warm", "")])
    client.post("/api/bulk", json={**body, "what": "untag"})  # nobody has it any more
    assert [one["title"] for one in listed(app)].count("2 students") == 1


def test_a_change_is_put_back_unless_it_was_changed_again_and_what_was_removed_comes_back(app):
    client = app.client
    body = client.get("/api/letters/access").json()["body"]
    for subject in ("One", "Two"):
        client.put("/api/letters/access", json={**body, "subject": subject})
    two, one = listed(app)
    assert two["back"] and one["back"]
    refused = client.post(f"/api/changes/{one['id']}/put-back")
    assert refused.status_code == 409 and "changed again" in refused.text
    for change in (two, one):
        assert client.post(f"/api/changes/{change['id']}/put-back").status_code == 200
    assert client.get("/api/letters/access").json()["body"]["subject"] == body["subject"]
    client.put("/api/letters/spare", json={**body, "name": "Spare"})
    assert not listed(app)[0]["back"]
    client.delete("/api/letters/spare")
    gone = listed(app)[0]
    assert gone["title"] == "Letter “Spare” removed"
    assert client.post(f"/api/changes/{gone['id']}/put-back").status_code == 200
    assert client.get("/api/letters/spare").json()["body"]["name"] == "Spare"
    assert client.post("/api/changes/999/put-back").status_code == 404
    school = client.get("/api/school").json()["body"]
    client.put("/api/school", json={"body": {**school, "timezone": "Europe/Athens"}})
    assert client.post(f"/api/changes/{listed(app)[0]['id']}/put-back").status_code == 200
    assert client.get("/api/school").json()["body"]["timezone"] == school["timezone"]


def test_of_an_erased_student_nothing_is_left_but_that_one_was(app):
    app.client.post("/api/students/ana/tags", json={"add": ["glad"]})
    erased = app.client.post("/api/students/ana/erase", json={"sentence": "erase ana@example.org"})
    assert erased.status_code == 204, erased.text
    with app.post_office.database.reading() as session:
        rows = list(session.scalars(select(ChangeRow)))
    assert [row.title for row in rows] == ["A student erased"] and "ana" not in rows[0].words


def test_nothing_is_written_over_and_what_is_old_is_forgotten(app):
    app.client.post("/api/students/ana/tags", json={"add": ["glad"]})
    database = app.post_office.database
    with pytest.raises(IntegrityError, match="written down once"), database.writing() as session:
        session.execute(text("UPDATE changes SET who = 'Nobody'"))
    with database.writing() as session:
        session.execute(
            text(
                "INSERT INTO changes SELECT 99, at - 1, who, kind, key, title, lines, words, NULL, NULL, NULL FROM changes"
            )
        )
        session.execute(text("DROP TRIGGER changes_stay"))
        session.execute(text("UPDATE changes SET at = 1000 WHERE id = 99"))
    app.client.post("/api/students/kai/tags", json={"add": ["glad"]})
    assert len(listed(app)) == 2
    assert app.client.put("/api/changes/days", json={"days": 3}).status_code == 422
    assert app.client.put("/api/changes/days", json={"days": 400}).json()["days"] == 400


def test_what_students_do_themselves_is_no_change_by_hand(app):
    app.report(purchase("ana"))
    app.settle()
    assert listed(app) == []


def test_what_is_saved_as_one_types_is_one_change(app):
    client = app.client
    made = client.post("/api/broadcasts", json={"name": "Spring"})
    assert made.status_code in (200, 201), made.text
    key = made.json()["key"]
    body = client.get(f"/api/broadcasts/{key}").json()["body"]
    for name in ("Spring l", "Spring le", "Spring letter"):
        saved = client.put(f"/api/broadcasts/{key}", json={"body": {**body, "name": name}, "pace": None})
        assert saved.status_code == 200, saved.text
    found = [one for one in listed(app) if "Broadcast" in one["title"]]
    assert [one["title"] for one in found] == ["Broadcast “Spring letter”", "Broadcast “Spring” made"]
    assert lines(found[0]) == [("draft · name", "Spring", "Spring letter")]
