"""Every starter belongs to whoever takes it: taken into a school of another trade, nothing of the demo's comes along."""

from __future__ import annotations

import json
import re

import pytest

from patient_courier.store.letters.starters import starters
from tests.web.broadcasts.test_broadcasts import ok

# What is the demo school's own: its trade, its people, its courses, its addresses.
DEMO = re.compile(
    r"\b(bees?|hives?|keepers?|mites?|varroa|queens?|honey|brood|veil|apiary|beekeep\w*|swarm|ines|lisbon|mallow\w*|kettle)\b",
    re.IGNORECASE,
)
COURSE = {
    "title": "Linocut from the kitchen table",
    "url": "https://prints.example/linocut",
    "access": "P60D",
    "certificate": {"approval": False},
    "modules": [
        {
            "key": "m1",
            "title": "Cutting",
            "lessons": [{"key": "l1", "title": "Your first block", "minutes": 12}],
        },
        {
            "key": "m2",
            "title": "Printing",
            "unlocks": "P28D",
            "lessons": [{"key": "l2", "title": "Ink", "minutes": 9}],
            "quizzes": [{"key": "q1", "title": "Papers", "pass_mark": 60}],
        },
    ],
}


@pytest.mark.parametrize("key", sorted(starters()))
@pytest.mark.parametrize("address", ["https://prints.example/linocut", None])
def test_a_starter_says_nothing_of_the_demo_and_lacks_only_what_its_owner_must_say(app, key, address):
    ok(app.client.put("/api/courses/linocut", json={**COURSE, "url": address}))
    before = {one["key"] for one in ok(app.client.get("/api/letters"))}
    made = ok(app.client.post(f"/api/starters/{key}", json={"course": "linocut"}))["key"]
    letters = [one["key"] for one in ok(app.client.get("/api/letters")) if one["key"] not in before]
    assert letters
    sequences = [x["key"] for x in ok(app.client.get("/api/sequences")) if x["status"] == "draft"]
    assert made in sequences
    texts = [json.dumps(ok(app.client.get(f"/api/letters/{one}"))["body"]) for one in letters]
    bodies = [ok(app.client.get(f"/api/sequences/{one}"))["body"] for one in sequences]
    assert [DEMO.findall(text) for text in [*texts, json.dumps(bodies)] if DEMO.search(text)] == []
    for text in texts:  # a letter to a student ends with the school's signature
        blocks = json.loads(text)["blocks"]
        assert blocks[-1]["kind"] == "signature" or "student.email" in text, text
    for body in bodies:
        checked = ok(app.client.post("/api/sequences/check", json=body))
        lacking = {one["code"] for one in checked["findings"] if one["level"] == "fault"}
        assert lacking <= {"note"}, checked["findings"]


def test_the_welcome_week_begins_with_the_whole_access_letter_and_live_dates_lie_ahead(app):
    ok(app.client.put("/api/courses/linocut", json=COURSE))
    for key in ("welcome-week", "live-session", "quiz-help"):
        ok(app.client.post(f"/api/starters/{key}", json={"course": "linocut"}))
    access = json.dumps(ok(app.client.get("/api/letters/linocut-access"))["body"])
    for part in (
        "course.title",
        "Sign in",
        "student.email",
        "Forgotten password",
        "A person reads it",
        "signature",
    ):
        assert part in access
    (live,) = [x["key"] for x in ok(app.client.get("/api/sequences")) if "live" in x["name"]]
    dates = [step["at"][:10] for step in ok(app.client.get(f"/api/sequences/{live}"))["body"]["steps"]]
    assert dates == ["2026-03-16", "2026-03-17", "2026-03-18"]
    (quiz,) = [x["key"] for x in ok(app.client.get("/api/sequences")) if "quiz" in x["name"]]
    arms = ok(app.client.get(f"/api/sequences/{quiz}"))["body"]["steps"][1]["arms"]
    assert arms[0]["if"] == {"is": "quiz", "quiz": "this", "result": "failed", "taken": 2}
