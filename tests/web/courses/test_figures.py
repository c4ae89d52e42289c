"""Figures of a course over HTTP: how long it takes, side by side, as CSV; quizzes after a failure."""

from tests.schools import send, sequence
from tests.web.conftest import finished


def ask(app, path):
    answer = app.client.get(f"/api/courses/bees/figures/{path}")
    assert answer.status_code == 200, answer.text
    return answer


def event(type, student, at, **more):
    return {"type": type, "student": student, "at": at, **more}


def test_how_long_it_takes_with_its_groups_and_as_csv(app):
    assert ask(app, "finishing").json()["words"] == "Nobody has enrolled yet."
    app.report(finished("ana"))
    app.report(event("enrolled", "kai", "2026-03-02T09:00:00Z", course="bees", via="manual"))
    app.move(to="until", until="2026-04-02T09:00:00Z")
    found = ask(app, "finishing").json()
    assert found["words"].startswith("Half finish within 1 day; 50% have not after 31 days, the longest")
    assert "only 2, so it says little" in found["words"]
    (curve,) = found["curves"]
    assert (curve["students"], curve["finished"], curve["half"]) == (2, 1, 1)
    assert curve["points"][-1]["day"] == 31 and curve["points"][-1]["share"] == 0.5
    assert [one["label"] for one in ask(app, "finishing?by=month").json()["curves"]] == ["March 2026"]
    assert found["sequences"] == [{"key": "welcome", "name": "welcome"}]
    received = ask(app, "finishing?by=received&sequence=welcome").json()
    assert received["note"].startswith("No proof") and [one["label"] for one in received["curves"]] == [
        "Got it"
    ]
    lines = ask(app, "finishing.csv").text.splitlines()
    assert lines[0].endswith("group,day,share_finished,low,high,watched") and len(lines) == 1 + len(
        curve["points"]
    )
    assert app.client.get("/api/courses/gone/figures/finishing").status_code == 404


def test_who_passes_after_failing_with_a_letter_and_without(app):
    help_ = sequence("help", [send("s", "year")], {"on": "quiz_failed", "quiz": "bees/q1"})
    app.client.put("/api/sequences/help", json={**help_, "status": "draft"}, headers={"If-None-Match": "*"})
    app.client.post("/api/sequences/help/status", json={"status": "running"})
    at = "2026-03-02T09:00:00Z"
    for student in ("ana", "kai"):
        app.report(event("enrolled", student, at, course="bees", via="manual"))
        app.report(event("quiz_taken", student, at, quiz="bees/q1", score=10))
    app.report(event("course_help_stopped", "kai", at, course="bees"))
    app.move(to="until", until="2026-03-05T09:00:00Z")
    app.report(event("quiz_taken", "ana", "2026-03-04T09:00:00Z", quiz="bees/q1", score=90))
    assert ask(app, "quizzes").json()["items"] == [], "their two weeks are not over"
    app.move(to="until", until="2026-03-20T09:00:00Z")
    (quiz,) = ask(app, "quizzes").json()["items"]
    assert quiz["helped"]["part"] + quiz["alone"]["part"] == 1
    assert quiz["helped"]["whole"] + quiz["alone"]["whole"] == 2 and quiz["helped"]["whole"] >= 1
