"""Whatever is sent to the API, it is taken or refused with a sentence, and every place can still be opened.

The test client raises whatever the application would answer with 500.
"""

import csv
import io
import json
import random

import pytest

from tests.outside.second.schools import Maker
from tests.schools import send
from tests.spoilt import spoilt
from tests.web.conftest import NOW

PLACES = [
    "today",
    "courses",
    "courses/bees/line",
    "sequences",
    "sequences/wide",
    "letters",
    "students",
    "school/file",
]


def told(answer) -> None:
    assert answer.status_code in (200, 409, 422), answer.text
    if answer.status_code != 200:
        assert answer.json().get("detail") or answer.json().get("refused")


@pytest.mark.parametrize("seed", range(4))
def test_spoilt_sequences_rehearsals_letters_courses_and_events(app, seed):
    lot = random.Random(seed)
    for _ in range(12):
        school = Maker(lot.randrange(500)).school()
        sequence = {**lot.choice(school["sequences"]), "key": "wide", "status": "draft"}
        wrong = spoilt(lot, sequence)
        for place in ("check", "wide/effect"):
            told(app.client.post(f"/api/sequences/{place}", json=wrong))
        told(app.client.post("/api/rehearsals/paths", json=wrong))
        moves = [{"day": 1, "at": "10:00", "event": {"type": "purchased", "offer": "bees-once"}}]
        scene = {"made_up": {}, "moves": moves, "start": "2026-03-02", "days": 20, "sequence": sequence}
        told(app.client.post("/api/rehearsals", json=spoilt(lot, scene)))
        told(
            app.client.post(
                "/api/letters/preview", json={"letter": spoilt(lot, school["letters"][0]), "student": "ana"}
            )
        )
        told(app.client.put("/api/courses/bees", json=spoilt(lot, school["courses"][0])))
        told(app.client.put("/api/sequences/wide", json=lot.choice([sequence, wrong])))
        told(app.report(spoilt(lot, lot.choice(school["events"]))))
    for place in PLACES:
        found = app.client.get(f"/api/{place}").status_code
        assert found == 200 or (found == 404 and place == "sequences/wide"), place


def test_steps_behind_a_wait_that_never_passes_hang_nowhere(app):
    endless = {
        "id": "w",
        "do": "wait_for",
        "event": {"on": "signed_in"},
        "then": [send("year")],
        "else": [send("late", "year")],
    }
    body = {**app.client.get("/api/sequences/welcome").json()["body"], "steps": [endless]}
    told(app.client.put("/api/sequences/welcome", json=body))
    line = app.client.get("/api/courses/bees/line").json()
    hung = [one["step"] for stop in line["stops"] for one in stop["letters"]]
    assert "year" in hung
    assert "late" not in hung


HALF = '"\\ud83d"'


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("GET", f"/api/deliveries/{2**63}", None),
        ("POST", f"/api/needs-you/delivery/{2**63}", '{"action": "done"}'),
        ("POST", "/api/needs-you/letters", f'{{"ids": [{2**63}], "action": "post"}}'),
        ("GET", f"/api/replays/{2**64}", None),
        ("POST", f"/api/practice/mail/{2**63}/open", ""),
        ("DELETE", f"/api/sequences/welcome/rehearsals/{2**63}", None),
        ("GET", "/api/students?q=" + "a%20" * 1000, None),
        ("GET", "/api/deliveries?page=99999999999999999999", None),
        ("POST", "/api/clock", '{"to": "until", "until": "9999-12-31T23:59"}'),
        ("POST", "/api/clock", '{"to": "until", "until": "2262-04-12T00:00:00Z"}'),
        ("PUT", "/api/letters/deep", json.dumps({"name": "x", "purpose": "service", "subject": "{{ " + "(" * 3000})),
        ("PUT", "/api/letters/half", f'{{"name": {HALF}, "purpose": "service", "subject": "x"}}'),
        ("POST", "/api/students", f'{{"email": "x@example.org", "first_name": {HALF}}}'),
        ("POST", "/api/rehearsals", f'{{"made_up": {{"first_name": {HALF}}}}}'),
        ("POST", "/api/courses/bees/outline", '{"text": "module,title\\ra,b\\rc"}'),
        ("POST", "/api/courses/bees/outline", json.dumps({"text": "module,title\n" + "x" * 200_000 + ",b"})),
        ("GET", "/" + "a" * 5000, None),
        ("GET", "/%00", None),
        ("PUT", "/api/school", '{"body": {"name": "x", "timezone": "../../etc/passwd", "sender": {"email": "a@b.org"}}}'),
        ("PUT", "/api/school", json.dumps({"body": {"name": "x", "timezone": "Europe/Lisbon", "sender": {"email": "@." * 150}}})),
        ("PUT", "/api/school", json.dumps({"body": {"daily_limit": 10**30}})),
        ("POST", "/api/session", "[" * 100_000),
    ],
)  # fmt: skip
def test_odd_requests_are_refused_with_a_sentence(app, method, path, body):
    answer = app.client.request(method, path, content=body, headers={"content-type": "application/json"})
    assert answer.status_code in (200, 400, 404, 409, 414, 422), answer.text
    if answer.status_code != 200:
        assert answer.json()["detail"]


def test_an_outline_of_a_course_in_any_script_is_a_file_and_no_formula(app):
    lesson = {"key": "l1", "title": '=HYPERLINK("https://x.example")'}
    modules = [{"key": "m1", "title": "-1+1 пчёлы", "lessons": [lesson], "quizzes": []}]
    assert app.client.put("/api/courses/курс", json={"title": "Курс", "modules": modules}).status_code == 200
    file = app.client.get("/api/courses/курс/outline.csv")
    assert "filename*=UTF-8''%D0%BA%D1%83%D1%80%D1%81-outline.csv" in file.headers["content-disposition"]
    rows = list(csv.reader(io.StringIO(file.text)))
    assert not any(cell.startswith(("=", "-", "+", "@")) for row in rows for cell in row)
    back = app.client.post("/api/courses/курс/outline", json={"text": file.text}).json()["body"]
    assert back["modules"][0]["title"] == "-1+1 пчёлы"
    assert back["modules"][0]["lessons"][0]["title"] == lesson["title"]


def test_an_event_nobody_could_keep_is_refused_and_the_others_of_its_batch_are_in(app):
    good = {"type": "purchased", "at": NOW, "student": "ana", "offer": "bees-once"}
    parts = [
        json.dumps(good),
        json.dumps({**good, "student": {"email": "tamsin@example.net", "first_name": "T"}}).replace(
            '"T"', HALF
        ),
        json.dumps({**good, "at": "1600-01-01T00:00:00Z"}),
        json.dumps({**good, "student": "a\x00na"}),
        json.dumps({**good, "student": {"email": "x@example.org", "fields": {"a" * 500: 1}}}),
    ]
    answer = app.report(f"[{','.join(parts)}]")
    assert (answer.status_code, answer.json()["taken"]) == (422, 2)
    assert [found["index"] for found in answer.json()["refused"]] == [2, 3, 4]
    assert (
        app.client.get("/api/students", params={"q": "tamsin"}).json()["items"][0]["name"]
        == "tamsin@example.net"
    )
    for text in ("[" * 100_000, '{"amount": NaN}', "[" + "[" * 60 + "]" * 61, "\ufeff{}"):
        refused = app.report(text)
        assert refused.status_code == 422 and refused.json()["refused"][0]["reason"]
    assert app.client.get("/api/needs-you").status_code == 200
    assert app.client.get("/api/school/file").json()["events"][0]["offer"] == "bees-once"
