"""Who is told what over HTTP: the page, notes of what the site sends, and one student played by the engine."""

from patient_courier.core.overview.happenings import OCCASIONS
from patient_courier.store.letters.starters import starters
from tests.schools import COURSE
from tests.web.conftest import NOW, purchase


def cell(app, kind, column="student", course=""):
    found = app.client.get("/api/who-is-told", params={"course": course}).json()
    return next(row for row in found["rows"] if row["occasion"]["kind"] == kind)["cells"][column]


def try_it(app, do, object="", student="ana"):
    return app.client.post("/api/who-is-told/student", json={"student": student, "do": do, "object": object})


def test_the_page_says_what_goes_out_and_a_pause_is_seen_there_at_once(app):
    there = cell(app, "enrolled")
    assert [(one["what"], one["when"]) for one in there["heard"]] == [
        ("Access", "at once"),
        ("Year", "day 1, 10:00"),
    ]
    assert not there["missing"] and cell(app, "course_completed")["missing"]
    app.client.post("/api/sequences/welcome/status", json={"status": "paused"})
    paused = cell(app, "enrolled", course="bees")
    assert {one["state"] for one in paused["heard"]} == {"paused"} and paused["missing"]
    assert app.client.get("/api/who-is-told", params={"course": "nowhere"}).status_code == 404


def test_what_the_site_sends_is_noted_seen_as_twice_and_taken_away(app):
    body = {"kind": "enrolled", "course": "bees", "words": "its own welcome"}
    assert app.client.post("/api/who-is-told/site-notes", json=body).status_code == 204
    there = cell(app, "enrolled")
    note = next(one for one in there["heard"] if one["source"] == "site")
    assert there["twice"] and note["what"] == "its own welcome" and note["only"] == COURSE["title"]
    written = app.client.get("/api/changes").json()["items"]
    assert any("What the course site sends" in one["title"] for one in written)
    assert app.client.delete(f"/api/who-is-told/site-notes/{note['key']}").status_code == 204
    assert app.client.delete(f"/api/who-is-told/site-notes/{note['key']}").status_code == 404
    for wrong in ({**body, "kind": "day"}, {**body, "kind": "nothing"}, {**body, "words": ""}):
        assert app.client.post("/api/who-is-told/site-notes", json=wrong).status_code == 422


def test_one_student_is_told_what_the_engine_then_really_posts(app):
    told = try_it(app, "buy", "bees-once").json()
    assert (
        told["happens"][0] == "Bought First Hive" and "Enrolled in First Hive by purchase" in told["happens"]
    )
    assert [(one["letter"], one["why_not"]) for one in told["follows"]] == [("Access", ""), ("Year", "")]
    assert told["instead"] == told["anyway"] == []
    assert app.client.get("/api/deliveries").json()["items"] == [], "nothing was posted by asking"
    app.report(purchase(at=NOW))
    app.settle()
    again = try_it(app, "nothing").json()
    assert [one["letter"] for one in again["anyway"]] == ["Year"], "what waits comes in any case"
    assert again["anyway"][0]["at"] == told["follows"][1]["at"]
    assert try_it(app, "enrol", "bees").json()["happens"] == [], "that is so already"
    passing = try_it(app, "pass_quiz", "bees/q1").json()
    assert not passing["follows"] and [one["letter"] for one in passing["anyway"]] == ["Year"]
    refund = try_it(app, "refund", "bees-once").json()
    assert [(one["letter"], bool(one["why_not"])) for one in refund["follows"]] == [("Year", True)]
    assert [one["letter"] for one in refund["instead"]] == ["Year"]


def test_who_is_held_back_by_lot_is_told_so(app):
    trial = {"key": "lot", "hold_back": 90, "goal": {"on": "signed_in"}, "within": "P1D"}
    body = {
        "key": "nudges", "name": "Nudges", "status": "running", "starts": [{"on": "lesson_completed"}], "again": "once",
        "trial": trial, "steps": [{"id": "s", "do": "send", "letter": "year"}],
    }  # fmt: skip
    made = app.client.put("/api/sequences/nudges", json=body, headers={"If-None-Match": "*"})
    assert made.status_code == 200, made.text
    app.client.post("/api/sequences/nudges/status", json={"status": "running"})
    said = {
        one for who in ("ana", "kai") for one in try_it(app, "complete", "bees/l1", who).json()["not_begun"]
    }
    assert "“Nudges” holds them back by lot." in said


def test_a_whole_module_or_course_is_finished_as_a_site_would_report_it(app):
    app.report(purchase(at=NOW))
    app.settle()
    module = try_it(app, "finish_module", "bees/m1").json()["happens"]
    assert module[-1] == "Finished module “Before the bees”" and len(module) == 3
    course = try_it(app, "finish_course", "bees").json()["happens"]
    assert {"Finished First Hive", "Got the certificate for First Hive"} <= set(course)
    assert "Got the tag “vip”" in try_it(app, "tag", "vip").json()["happens"]
    for do, object in (("finish_module", "bees/m9"), ("buy", ""), ("complete", "bees/l9"), ("tag", "")):
        answer = try_it(app, do, object)
        assert answer.status_code == 422 and answer.json()["detail"], do
    assert try_it(app, "nothing", student="nobody").status_code == 404


def test_every_starter_that_is_offered_at_something_begins_there():
    for one in OCCASIONS:
        if one.starter:
            begins = {start.on for plan in starters()[one.starter].sequences for start in plan.starts}
            # Who buys is enrolled by it.
            assert one.kind in begins or (one.kind == "purchased" and "enrolled" in begins), one.kind
