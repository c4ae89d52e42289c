"""Drafts that are saved however unfinished, what may be thrown away, and who is taken in when a sequence runs."""

from __future__ import annotations

import pytest

from patient_courier.web.places.students import bulk
from tests.schools import send, wait
from tests.web.broadcasts.test_broadcasts import ok
from tests.web.sequences.test_workbench import DONE, done, enrol, put, steps

DRAFT = {"key": "new", "name": "New", "status": "draft", "starts": [DONE], "steps": [send("a", "access")]}
HALF = {
    "id": "b",
    "do": "branch",
    "arms": [{"if": {"is": "tagged", "tag": ""}, "steps": []}],
    "otherwise": [],
}


def save(app, body):
    return ok(app.client.put(f"/api/sequences/{body['key']}", json=body))


@pytest.mark.parametrize(
    ("step", "says"),
    [
        (HALF, "No tag is chosen here yet."),
        ({"id": "b", "do": "send", "letter": ""}, "No letter is chosen here yet."),
        ({"id": "b", "do": "start_sequence", "sequence": ""}, "No sequence is chosen here yet."),
    ],
)
def test_a_draft_is_kept_as_it_is_and_says_what_is_missing(app, step, says):
    assert save(app, DRAFT)["missing"] == []
    half = {**DRAFT, "steps": [*DRAFT["steps"], step]}
    kept = save(app, half)
    assert (kept["version"], kept["missing"]) == (1, [says])
    found = ok(app.client.get("/api/sequences/new"))
    assert (found["unfinished"], found["body"]["steps"][1]) == (True, step)
    assert [x["unfinished"] for x in ok(app.client.get("/api/sequences")) if x["key"] == "new"] == [True]
    refused = app.client.post("/api/sequences/new/status", json={"status": "running"})
    assert refused.status_code == 409 and says in refused.json()["detail"]
    # The school goes on with what could be read, and so does its file.
    file = app.client.get("/api/school/file").json()
    assert [x["steps"] for x in file["sequences"] if x["key"] == "new"] == [
        [{"id": "a", "do": "send", "letter": "access", "versions": None}]
    ]
    # Mended, it is a version like any other.
    assert save(app, DRAFT)["missing"] == []
    assert ok(app.client.get("/api/sequences/new"))["unfinished"] is False
    assert ok(app.client.post("/api/sequences/new/status", json={"status": "running"}))["status"] == "running"


def test_what_runs_is_not_saved_unfinished_and_what_is_no_sequence_not_at_all(app):
    welcome = steps(app)
    refused = app.client.put("/api/sequences/welcome", json={**welcome, "steps": [HALF]})
    assert refused.status_code == 422 and "No tag is chosen" in refused.json()["detail"]
    save(app, DRAFT)
    for wrong in ({"steps": "none"}, {"name": ""}, {"name": 7}):
        assert (
            app.client.put("/api/sequences/new", json={**DRAFT, "steps": [HALF], **wrong}).status_code == 422
        )
    assert (
        app.client.put("/api/sequences/newer", json={**DRAFT, "key": "newer", "steps": [HALF]}).status_code
        == 422
    )


def away(app, place):
    answer = app.client.delete(place)
    return answer.status_code, answer.json()["detail"] if answer.status_code != 204 else ""


def test_what_nobody_uses_can_be_thrown_away_and_the_rest_names_what_hangs_on_it(app):
    save(app, DRAFT)
    hands_over = {"id": "s", "do": "start_sequence", "sequence": "new"}
    put(app, {**DRAFT, "key": "other", "name": "Other", "steps": [hands_over]})
    status, said = away(app, "/api/sequences/new")
    assert status == 409 and "the sequence “Other”" in said
    assert away(app, "/api/sequences/other") == (204, "")
    assert away(app, "/api/sequences/new") == (204, "")
    assert away(app, "/api/sequences/new")[0] == 404
    assert away(app, "/api/sequences/welcome")[0] == 409  # it runs
    enrol(app, "a@example.org")
    ok(app.client.post("/api/sequences/welcome/status", json={"status": "closed"}))
    assert "1 student came into it" in away(app, "/api/sequences/welcome")[1]
    status, said = away(app, "/api/courses/bees")
    assert status == 409 and "1 student" in said and "the offer “First Hive”" in said
    assert away(app, "/api/offers/bees-once")[0] == 409
    ok(app.client.put("/api/courses/wax", json={"title": "Wax", "modules": []}))
    offer = {"key": "wax-once", "title": "Wax", "courses": ["wax"]}
    ok(app.client.put("/api/courses/wax/offer", json={"body": offer}))
    assert "the offer “Wax”" in away(app, "/api/courses/wax")[1]
    assert away(app, "/api/offers/wax-once") == (204, "")
    assert away(app, "/api/courses/wax") == (204, "")
    assert "wax" not in app.client.get("/api/school/file").text


def test_who_is_taken_in_when_it_runs_and_who_is_left_out_with_the_reason(app, monkeypatch):
    """By the newest start of each; not who was in it, does not fit, or has gone on since what a waypoint waits for."""
    monkeypatch.setattr(bulk, "MINUTE_SECONDS", 0.0)
    enrol(app, "a@example.org", "b@example.org", "c@example.org", "d@example.org")
    for who, lesson in (("b", "bees/l1"), ("c", "bees/l3")):
        body = {"type": "lesson_completed", "lesson": lesson, "student": f"{who}@example.org"}
        app.report({**body, "at": "2026-03-02T09:00:00Z"})
    app.report(
        {"type": "tag_added", "tag": "guest", "student": "d@example.org", "at": "2026-03-02T09:00:00Z"}
    )
    app.settle()
    late = {
        "key": "late",
        "name": "Late",
        "status": "draft",
        "starts": [{"on": "enrolled", "course": "bees"}],
        "only_if": {"not": {"is": "tagged", "tag": "guest"}},
        "again": "once",
        "steps": [
            wait("w", "P2D", at="10:00"),
            send("s", "year"),
            {"id": "p", "do": "waypoint", "reach": {"on": "lesson_completed", "course": "bees"}},
        ],
    }
    save(app, late)
    before = ok(app.client.get("/api/sequences/late/outset"))
    assert {one["who"]: one["number"] for one in before["choices"]} == {"week": 1, "month": 1, "quarter": 1}
    assert "enrolled in First Hive" in before["starts"] and "guest" in before["only_if"]
    look = ok(app.client.post("/api/sequences/late/outset", json={"who": "week"}))["result"]
    assert [(one["number"], one["sentence"]) for one in look["groups"]] == [
        (1, "get “Year” first, on Wed 4 Mar.")
    ]
    assert any(line.startswith("1 more don’t fit") and "guest" in line for line in look["left_out"])
    assert "2 more have gone on since, so it is not for them." in look["left_out"]
    ran = ok(app.client.post("/api/sequences/late/status", json={"status": "running", "take_in": "week"}))
    assert done(app, ran["taking_in"])["changed"] == 1
    people = ok(app.client.get("/api/sequences/late/people", params={"group": "inside"}))
    assert people["total"] == 1 and "until Wed 4 Mar, 10:00" in people["items"][0]["where"]
    # Asked again, they have been in it before.
    again = ok(app.client.post("/api/sequences/late/outset", json={"who": "week"}))["result"]
    assert again["groups"] == [] and "1 more have been in it before." in again["left_out"]
    app.move(to="until", until="2026-03-05T12:00")
    finished = ok(app.client.get("/api/sequences/late/people", params={"group": "finished"}))
    assert finished["total"] == 1
    (letter,) = ok(app.client.get("/api/sequences/late/letters"))
    assert next(one["number"] for one in letter["figures"] if one["what"] == "posted") == 1
    # What is not known is said, and nothing else breaks.
    assert app.client.get("/api/sequences/nothing/outset").status_code == 404
    assert app.client.get("/api/sequences/outsets/987654").status_code == 404


def test_a_file_of_people_can_be_put_into_one_course_as_a_whole(app):
    text = "email,first name,course\nx@example.org,Xa,\ny@example.org,Ya,bees\n"
    ok(app.client.put("/api/courses/wax", json={"title": "Wax", "modules": []}))
    read = ok(
        app.client.post(
            "/api/imports/read",
            params={"name": "people.csv"},
            content=text,
            headers={"Content-Type": "application/octet-stream"},
        )
    )
    plan = {"targets": ["email", "first_name", "course"], "course": "wax"}
    refused = app.client.post(f"/api/imports/{read['id']}/try", json={**plan, "course": "none"})
    assert refused.status_code == 422 and "no such course" in refused.json()["detail"]
    tried = ok(app.client.post(f"/api/imports/{read['id']}/try", json=plan))["tried"]
    assert (tried["new"], tried["enrolled"]) == (2, 2)
    # What was tried is what is taken in.
    assert (
        app.client.post(f"/api/imports/{read['id']}/take", json={**plan, "course": None}).status_code == 409
    )
    ok(app.client.post(f"/api/imports/{read['id']}/take", json=plan))
    app.settle()
    courses = {
        one["email"]: [c["course"] for c in ok(app.client.get(f"/api/students/{one['key']}"))["courses"]]
        for one in ok(app.client.get("/api/students", params={"q": "example.org"}))["items"]
    }
    assert (courses["x@example.org"], courses["y@example.org"]) == (["wax"], ["bees"])
