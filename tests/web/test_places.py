"""The owner's side over HTTP: signing in, the clock, sequences, letters, the log, and the links in letters."""

import json
import re
import subprocess
import sys
from pathlib import Path

from tests.web.conftest import PASSWORD, purchase

ROOT = Path(__file__).parents[2]


def test_nothing_is_shown_or_changed_without_signing_in_and_the_csrf_token(app):
    cookie = app.client.cookies.jar
    assert all(
        c.has_nonstandard_attr("HttpOnly") and c.get_nonstandard_attr("SameSite") == "lax" for c in cookie
    )
    token = app.client.headers.pop("x-csrf-token")
    assert app.client.post("/api/clock", json={"to": "day"}).status_code == 403
    app.client.headers["x-csrf-token"] = "0" * len(token)
    assert app.client.put("/api/letters/access", json={}).status_code == 403
    app.client.cookies.clear()
    for path in ("/api/today", "/api/students", "/api/school", "/api/practice/inbox/ana"):
        assert app.client.get(path).status_code == 401
    wrong = app.client.post("/api/session", json={"email": "ines@mallowlane.example", "password": "no"})
    assert wrong.status_code == 401
    right = app.client.post("/api/session", json={"email": "INES@mallowlane.example ", "password": PASSWORD})
    assert right.status_code == 200


def test_a_changed_letter_and_a_changed_wait_show_the_next_time_and_not_before(app):
    app.report(purchase("kai"))
    body = app.client.get("/api/letters/year").json()["body"]
    assert (
        app.client.put("/api/letters/year", json={**body, "subject": "New: {{ course.title }}"}).json()[
            "version"
        ]
        == 2
    )
    sequence = app.client.get("/api/sequences/welcome").json()["body"]
    sequence["steps"][1]["for"] = "P2D"
    saved = app.client.put("/api/sequences/welcome", json=sequence).json()
    assert (saved["version"], saved["staying"], saved["missing"]) == (2, 1, [])
    app.report(purchase("ana"))
    app.move(to="until", until="2026-03-03T11:00")
    # Kai was inside before: the old wait, but the letter as it is now.
    newest = app.inbox("kai")[0]
    assert (newest["subject"], newest["sent"]) == ("New: First Hive", "Tue 3 Mar, 10:00")
    assert len(app.inbox("ana")) == 1
    app.move(to="day")
    assert app.inbox("ana")[0]["sent"] == "Wed 4 Mar, 10:00"


def test_a_paused_sequence_takes_nobody_in(app):
    assert (
        app.client.post("/api/sequences/welcome/status", json={"status": "paused"}).json()["status"]
        == "paused"
    )
    app.report(purchase())
    assert app.inbox() == []


def test_pausing_holds_those_inside_and_running_again_lets_them_go_on(app):
    app.report(purchase())
    app.settle()
    app.client.post("/api/sequences/welcome/status", json={"status": "paused"})
    app.move(to="day")
    assert len(app.inbox()) == 1
    app.client.post("/api/sequences/welcome/status", json={"status": "running"})
    for _ in range(100):
        if len(app.inbox()) == 2:
            break
    assert app.inbox()[0]["sent"] == "Tue 3 Mar, 22:00"


def test_bad_input_gets_a_sentence_and_saves_nothing(app):
    letter = app.client.get("/api/letters/access").json()["body"]
    refused = app.client.put("/api/letters/access", json={**letter, "subject": "{{ student.shoe_size }}"})
    assert (refused.status_code, refused.json()["detail"]) == (
        422,
        "Subject, line 1: there is no merge field “student.shoe_size”.",
    )
    sequence = app.client.get("/api/sequences/welcome").json()["body"]
    sequence["steps"][0]["letter"] = "gone"
    checked = app.client.post("/api/sequences/check", json=sequence).json()
    [fault] = [found for found in checked["findings"] if found["level"] == "fault"]
    assert (fault["pointer"], fault["sentence"]) == (
        "/steps/0/letter",
        "There is no letter “gone” in this school.",
    )
    assert app.client.put("/api/sequences/welcome", json=sequence).status_code == 422
    assert app.client.get("/api/sequences/welcome").json()["version"] == 1
    assert app.client.post("/api/clock", json={"to": "until", "until": "2020-01-01T10:00"}).status_code == 409
    school = app.client.get("/api/school").json()["body"]
    bad = app.client.put("/api/school", json={"body": {**school, "timezone": "Mars/Base"}})
    assert (bad.status_code, "not a time zone" in bad.json()["detail"]) == (422, True)


def test_the_log_tells_why(app):
    app.report(purchase())
    app.move(to="day")
    line = app.client.get("/api/deliveries").json()["items"][0]
    story = app.client.get(f"/api/deliveries/{line['id']}").json()["story"]
    assert story == [
        "Enrolled in First Hive by purchase, so “welcome” started (Mon 2 Mar, 22:00).",
        "Waited until Tue 3 Mar, 10:00.",
        "Its purpose is course help, which this student has not stopped.",
        "Asked at that moment: the address works, no letter was reported as unwanted, the student was still in "
        "the course, it was not sent too short a while ago, every merge field had a value or a fallback, posting "
        "hours were open, and the day’s limit was not reached.",
        "Nothing stood against it, so it went out (Tue 3 Mar, 10:00).",
    ]


def test_a_stuck_letter_waits_and_goes_out_once_when_it_is_mended(app):
    letter = app.client.get("/api/letters/access").json()["body"]
    app.client.put("/api/letters/access", json={**letter, "subject": "{{ student.first_name }}"})
    app.report(purchase("kai"))
    app.settle()
    (item,) = app.client.get("/api/needs-you").json()
    assert "“first name” has no value" in item["sentence"]
    place = f"/api/needs-you/delivery/{item['id']}"
    assert app.client.post(place, json={"action": "post"}).status_code == 409
    app.client.put("/api/letters/access", json={**letter, "subject": "Come in"})
    assert app.client.post(place, json={"action": "post"}).status_code == 204
    assert [mail["subject"] for mail in app.inbox("kai")] == ["Come in"]
    assert app.client.post(place, json={"action": "post"}).status_code == 409


def test_the_stop_link_asks_first_and_one_click_stops(app):
    app.report(purchase())
    app.move(to="day")
    mail = app.inbox()[0]
    opened = app.client.post(f"/api/practice/mail/{mail['id']}/open").json()
    headers, mail_html = dict(opened["headers"]), opened["html"]
    link = headers["List-Unsubscribe"].strip("<>").removeprefix("http://127.0.0.1:8484")
    app.client.cookies.clear()
    del app.client.headers["x-csrf-token"]
    assert "Stop these letters?" in app.client.get(link).text
    app.sign_in()
    assert not any("Stopped" in x["text"] for x in app.client.get("/api/students/ana").json()["timeline"])
    assert app.client.post(link, data={"List-Unsubscribe": "One-Click"}).status_code == 200
    assert app.client.post(link + "x").status_code == 404
    assert app.client.get("/api/students/ana").json()["timeline"][0]["text"] == "Stopped help with First Hive"
    view = dict(re.findall(r"/post/(view)/([^\s\"]+)", mail_html))["view"]
    assert "Hello Ana" in app.client.get(f"/post/view/{view}").text


def test_the_generated_types_are_current():
    made = subprocess.run(
        [sys.executable, "-m", "patient_courier.cli", "openapi"], capture_output=True, text=True, check=True
    )
    assert json.loads(made.stdout) == json.loads((ROOT / "ui/openapi.json").read_text()), "run: make types"


def test_rehearse_prints_one_object_or_names_every_fault(tmp_path):
    from tests.schools import bought, school, send, sequence

    def run(data):
        (tmp_path / "school.json").write_text(json.dumps(data))
        command = [
            sys.executable,
            "-m",
            "patient_courier.cli",
            "rehearse",
            str(tmp_path / "school.json"),
            "--json",
        ]
        return subprocess.run(command, capture_output=True, text=True)

    good = school([sequence("welcome", [send("access")])], [bought()])
    found = run(good)
    assert (found.returncode, len(json.loads(found.stdout)["letters"])) == (0, 1)
    del good["letters"][0]["purpose"], good["school"]["name"]
    bad = run(good)
    assert (bad.returncode, bad.stdout) == (2, "")
    assert (
        "/school: “name” is missing here" in bad.stderr
        and "/letters/0: “purpose” is missing here" in bad.stderr
    )
