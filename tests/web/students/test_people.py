"""Students in the owner's hands through HTTP: the list, work on many, files in and out, tags, consent, erasing."""

from __future__ import annotations

import csv
import io
import time
from typing import Any

import pytest

from patient_courier.web.places.students import bulk
from tests.web.broadcasts.test_broadcasts import ok
from tests.web.conftest import App, purchase

GOOD = "name@example.net"
# Row by row: what is wrong, and what the reason says.
BAD = [
    ("", "Ada", "", "", "", "no address"),
    ("not-an-address", "Ada", "", "", "", "is not an e-mail address"),
    (GOOD, "Again", "", "", "", "the same address as in row 2"),
    ("b1@example.net", "x" * 300, "", "", "", "too long for first name"),
    ("b2@example.net", "Bo", "Lisbon Standard", "", "", "not a time zone"),
    ("b3@example.net", "Bo", "", "wax", "", "no course “wax”"),
    ("b4@example.net", "Bo", "", "bees", "31.02.2026", "no date that can be read"),
    ("b5@example.net", "Bo", "", "bees", "03/04/2026", "two dates"),
    ("b6@example.net", "Bo", "", "bees", "2027-01-01", "lies in the future"),
    ("b7@example.net", "Bo", "", "bees", "", "neither yes nor no"),
]


def file_of(rows: list[list[str]], delimiter: str = ",") -> bytes:
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter).writerows(rows)
    return out.getvalue().encode()


def done(app: App, work: dict[str, Any]) -> dict[str, Any]:
    while work["state"] == "working":
        time.sleep(0.02)
        work = ok(app.client.get(f"/api/imports/progress/{work['id']}"))
    assert work["state"] == "done", work
    return work


def tried(app: App, content: bytes, **plan: Any) -> tuple[dict[str, Any], dict[str, Any], dict[str, Any]]:
    """Read and try a file; returns the file, the plan and what it would do."""
    file = ok(app.client.post("/api/imports/read", params={"name": "people.csv"}, content=content))
    body = {"targets": [column["guess"] for column in file["columns"]], **plan}
    return file, body, done(app, ok(app.client.post(f"/api/imports/{file['id']}/try", json=body)))["tried"]


def take(app: App, file: dict[str, Any], body: dict[str, Any]) -> int:
    return done(app, ok(app.client.post(f"/api/imports/{file['id']}/take", json=body)))["taken"]


def listed(app: App, **asked: Any) -> list[str]:
    return [one["key"] for one in ok(app.client.post("/api/student-list", json=asked))["items"]]


HEAD = ["E-mail", "First name", "Time zone", "Course", "Enrolled", "Consent", "Tags", "Town"]


def test_ten_kinds_of_bad_rows_are_refused_with_their_reason_and_the_good_one_comes_in(app):
    rows = [HEAD, [GOOD, "Mia", "europe/berlin", "First Hive", "2026-02-01", "yes", "fair; keen", "Cascais"]]
    rows += [[*row[:5], "maybe" if "yes nor no" in row[5] else "", "", ""] for row in BAD]
    file, body, found = tried(app, file_of(rows))
    assert body["targets"] == [
        "email", "first_name", "timezone", "course", "enrolled", "consent", "tags", "field:Town",
    ]  # fmt: skip
    assert (found["new"], found["refused"], found["with_news"], found["enrolled"]) == (1, 10, 1, 1)
    for refusal, (*_, reason) in zip(found["refusals"], BAD, strict=True):
        assert reason in refusal["said"]
    assert [refusal["number"] for refusal in found["refusals"]] == list(range(3, 13))
    assert len(listed(app)) == 2  # nothing yet
    number = take(app, file, body)
    [key] = listed(app, q="mia")
    student = ok(app.client.get(f"/api/students/{key}"))
    assert (student["zone"], student["news"], student["tags"]) == ("Europe/Berlin", True, ["fair", "keen"])
    assert student["fields"] == {"Town": "Cascais"} and student["courses"][0]["status"] == "active"
    assert student["runs"] == []  # no running sequence starts for them unless it is wished
    log = ok(app.client.get(f"/api/students/{key}/consents"))
    assert log[0]["words"] == "wants news" and "people.csv" in log[0]["how"] and log[0]["by"] == "Ines"
    done(app, ok(app.client.post(f"/api/imports/{number}/undo")))
    assert len(listed(app)) == 2
    assert ok(app.client.get("/api/imports"))[0]["undone"]


def test_consent_is_no_unless_somebody_says_where_it_comes_from_and_never_comes_back_by_a_file(app):
    app.report({"type": "news_stopped", "at": "2026-03-02T09:00:00Z", "student": "ana"})
    content = file_of([["mail", "name"], ["ana@example.org", "Ana Reis"], ["new@example.net", "Nuno Vaz"]])
    _, _, without = tried(app, content)
    assert (without["new"], without["changed"], without["with_news"]) == (1, 1, 0)
    file, body, found = tried(app, content, consent="They asked for it at the fair")
    assert found["with_news"] == 1 and "has stopped news" in str(found["examples"])
    take(app, file, body)
    assert ok(app.client.get("/api/students/ana"))["news"] is False
    assert ok(app.client.get("/api/students/ana"))["name"] == "Ana Reis"
    again = app.client.post(f"/api/imports/{file['id']}/take", json=body)
    assert again.status_code == 409


def test_running_sequences_start_for_those_who_come_in_when_that_is_wished(app):
    rows = [["e-mail", "course"], ["new@example.net", "bees"]]
    file, body, _ = tried(app, file_of(rows, ";"), starts=True)
    number = take(app, file, body)
    [key] = listed(app, q="new@")
    assert [mail["subject"] for mail in app.inbox(key)] == ["Hello, come in"]
    # Who has been written to stays when the import is undone.
    assert done(app, ok(app.client.post(f"/api/imports/{number}/undo")))["stay"] == 1
    assert listed(app, q="new@") == [key]


def bulk_work(app: App, **body: Any) -> dict[str, Any]:
    work = ok(app.client.post("/api/bulk", json=body))
    while work["state"] == "working" and not work["waits"]:
        work = ok(app.client.get(f"/api/bulk/{work['id']}"))
    return work


def test_many_are_tagged_found_by_it_and_untagged_within_the_minute(app):
    work = bulk_work(app, what="tag", name="fair", q="example.org")
    assert (work["state"], work["changed"], work["undo"] > 50) == ("done", 2, True)
    tagged = {"is": "tagged", "tag": "fair"}
    assert listed(app, condition=tagged) == ["ana", "kai"]
    assert listed(app, condition={"not": tagged}) == []
    assert listed(app, sort="address", down=True) == ["kai", "ana"]
    ok(app.client.post(f"/api/bulk/{work['id']}/take-back"))
    assert listed(app, condition=tagged) == []
    assert app.client.post(f"/api/bulk/{work['id']}/take-back").status_code == 409


def test_what_sets_letters_going_waits_a_minute_and_can_be_called_off(app, monkeypatch):
    work = bulk_work(app, what="enrol", name="bees", keys=["ana"])
    assert work["state"] == "working" and work["waits"] > 50
    assert ok(app.client.post(f"/api/bulk/{work['id']}/take-back"))["state"] == "stopped"
    assert ok(app.client.get("/api/students/ana"))["courses"] == []
    monkeypatch.setattr(bulk, "MINUTE_SECONDS", 0.0)
    assert bulk_work(app, what="enrol", name="bees", keys=["ana", "kai"])["changed"] == 2
    assert len(app.inbox("ana")) == 1
    stopped = bulk_work(app, what="stop", name="welcome", keys=["ana"])
    assert (
        stopped["changed"] == 1 and ok(app.client.get("/api/students/ana"))["runs"][0]["outcome"] == "stopped"
    )


def test_a_sequence_that_was_stopped_goes_on_where_it_stood_when_that_is_taken_back(app):
    app.report(purchase())
    work = bulk_work(app, what="stop", name="welcome", keys=["ana"])
    ok(app.client.post(f"/api/bulk/{work['id']}/take-back"))
    assert ok(app.client.get("/api/students/ana"))["runs"][0]["outcome"] == "open"
    app.move(to="until", until="2026-03-05T00:00:00Z")
    assert len(app.inbox("ana")) == 2


def test_an_export_opens_safely_in_a_spreadsheet_and_comes_back_as_it_was(app):
    body = {
        "email": "ana@example.org",
        "first_name": '=HYPERLINK("x")',
        "last_name": "O'Neil, \n",
        "fields": {"@n": "+1"},
    }
    ok(app.client.put("/api/students/ana", json=body))
    answer = app.client.post("/api/student-list/csv", json={})
    text = answer.content.decode("utf-8-sig")
    rows = list(csv.reader(io.StringIO(text)))
    assert answer.headers["content-disposition"].startswith("attachment") and len(rows) == 3
    assert not any(cell.startswith(("=", "+", "-", "@")) for row in rows for cell in row)
    _, _, found = tried(
        app, answer.content, targets=["ignore", "email", "first_name", *["ignore"] * 8, "field:@n"]
    )
    assert (found["same"], found["changed"], found["refused"]) == (2, 0, 0)


def test_news_is_stopped_and_resumed_with_a_note_and_the_log_says_who_and_how(app):
    asked = {"what": "news", "on": False, "note": "told me on the phone"}
    assert ok(app.client.post("/api/students/ana/consent", json=asked))["news"] is False
    assert ok(app.client.post("/api/students/ana/consent", json={**asked, "on": True}))["news"] is True
    log = ok(app.client.get("/api/students/ana/consents"))
    assert [(x["words"], x["by"], x["note"]) for x in log[:2]] == [
        ("wants news", "Ines", "told me on the phone"), ("stopped news", "Ines", "told me on the phone"),
    ]  # fmt: skip
    file = ok(app.client.get("/api/school/file"))
    assert file["students"][0]["news"] is True and file["events"] == []
    app.report({"type": "complained", "at": "2026-03-02T09:00:00Z", "student": "ana"})
    ok(app.client.post("/api/students/ana/consent", json=asked))
    assert app.client.post("/api/students/ana/consent", json={**asked, "on": True}).status_code == 409


def test_another_answer_to_the_same_letter_is_told_as_a_change_of_mind(app):
    for hour, answer in ((9, "yes"), (10, "yes"), (11, "no")):
        at = f"2026-03-01T{hour:02d}:00:00Z"
        app.report({"type": "answered", "at": at, "student": "ana", "letter": "year", "answer": answer})
    told = [x["text"] for x in ok(app.client.get("/api/students/ana"))["timeline"]]
    assert told == [
        "Answered “no” to “Year”, after another answer before", "Answered “yes” to “Year”", "Answered “yes” to “Year”",
    ]  # fmt: skip


def test_enrolments_and_sequences_by_hand(app):
    assert (
        ok(app.client.post("/api/students/kai/enrolments", json={"course": "bees", "preview": True}))[
            "courses"
        ][0]["status"]
        == "preview"
    )
    assert (
        ok(app.client.post("/api/students/kai/enrolments", json={"course": "bees"}))["courses"][0]["status"]
        == "active"
    )
    assert app.client.post("/api/students/kai/enrolments", json={"course": "bees"}).status_code == 409
    assert (
        ok(app.client.post("/api/students/kai/sequences", json={"sequence": "welcome", "act": "stop"}))[
            "runs"
        ][0]["outcome"]
        == "stopped"
    )
    assert ok(app.client.delete("/api/students/kai/enrolments/bees"))["courses"][0]["status"] == "expired"


def test_erasing_takes_the_sentence_and_leaves_numbers_without_a_person(app):
    app.report(purchase())
    app.settle()
    everything = ok(app.client.get("/api/students/ana/everything"))
    assert everything["student"]["email"] == "ana@example.org" and everything["deliveries"]
    assert app.client.post("/api/students/ana/erase", json={"sentence": "yes"}).status_code == 409
    ok(app.client.post("/api/students/ana/erase", json={"sentence": "Erase ana@example.org"}))
    assert app.client.get("/api/students/ana").status_code == 404
    assert ok(app.client.get("/api/deliveries"))["total"] == 0
    assert "ana@example" not in app.client.get("/api/school/file").text


def test_tags_know_their_uses_are_renamed_everywhere_and_removed(app):
    bulk_work(app, what="tag", name="fair", keys=["ana"])
    cast = ok(app.client.post("/api/broadcasts", json={"name": "B", "to": {"is": "tagged", "tag": "fair"}}))[
        "key"
    ]
    [tag] = ok(app.client.get("/api/tags"))
    assert (tag["tag"], tag["students"], [x["key"] for x in tag["asks"]]) == ("fair", 1, [cast])
    ok(app.client.post("/api/tags/rename", json={"tag": "fair", "to": "market"}))
    assert ok(app.client.get(f"/api/broadcasts/{cast}"))["body"]["to"] == {"is": "tagged", "tag": "market"}
    assert ok(app.client.get("/api/students/ana"))["tags"] == ["market"]
    ok(app.client.post("/api/tags/remove", json={"tag": "market"}))
    assert ok(app.client.get("/api/students/ana"))["tags"] == []


def test_of_those_who_got_a_tag_how_many_bought(app):
    bulk_work(app, what="tag", name="fair", keys=["ana", "kai"])
    app.report(purchase("kai"))
    asked = {"tag": "fair", "since": "2026-03-01", "days": 30}
    found = ok(app.client.get("/api/tags/bought", params=asked))
    assert (found["got"], found["bought"], [x["key"] for x in found["students"]]) == (2, 1, ["kai"])
    assert found["low"] < 0.5 < found["high"] and found["small"]
    assert app.client.get("/api/tags/bought", params={**asked, "since": "soon"}).status_code == 422


@pytest.mark.parametrize(
    "junk",
    [b"", b"\x00\x01\x02", b"PK\x03\x04nothing", b"only a head\n", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"],
)
def test_a_file_that_is_no_table_is_refused_with_what_to_do(app, junk):
    answer = app.client.post("/api/imports/read", content=junk)
    assert answer.status_code == 422 and answer.json()["detail"]
