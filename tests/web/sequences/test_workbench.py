"""The workbench through HTTP: course line, outlines, checks, rehearsals, looking back, versions, files in and out."""

import json

import pytest

from patient_courier.web.places.students import bulk
from tests.schools import send, wait
from tests.waiting import until
from tests.web.broadcasts.test_broadcasts import ok
from tests.web.conftest import NOW

DONE = {"on": "lesson_completed", "lesson": "bees/l1"}


def steps(app, key="welcome"):
    return app.client.get(f"/api/sequences/{key}").json()["body"]


def put(app, body):
    answer = app.client.put(f"/api/sequences/{body['key']}", json=body)
    assert answer.status_code == 200, answer.text
    return answer.json()


def done(app, work):
    """Work on many students, when it is over."""
    look = lambda: ok(app.client.get(f"/api/bulk/{work['id']}"))  # noqa: E731
    return until(lambda: (now := look())["state"] != "working" and now)


def enrol(app, *emails):
    for number, email in enumerate(emails):
        app.report(
            {
                "type": "purchased",
                "at": "2026-03-02T09:00:00Z",
                "offer": "bees-once",
                "id": f"o{number}{email}",
                "student": {"email": email, "first_name": "Ana"},
            }
        )
    app.settle()


def test_the_course_line_says_who_stands_where_and_drafts_a_nudge(app, monkeypatch):
    enrol(app, "a@example.org", "b@example.org", "c@example.org", "d@example.org")
    for who in "abcd":
        app.report(
            {
                "type": "lesson_completed",
                "at": "2026-03-02T09:00:00Z",
                "lesson": "bees/l1",
                "student": f"{who}@example.org",
            }
        )
    app.move(to="until", until="2026-03-12T09:00")
    app.report(
        {
            "type": "lesson_started",
            "at": "2026-03-12T09:00:00Z",
            "lesson": "bees/l2",
            "student": "d@example.org",
        }
    )
    line = app.client.get("/api/courses/bees/line").json()
    stops = {stop["id"]: stop for stop in line["stops"]}
    assert (stops["bees/l2"]["here"], stops["bees/l2"]["silent"], stops["bees/l1"]["passed"]) == (4, 3, 4)
    assert stops["bees/l2"]["gap"].startswith("3 students have stalled here")
    assert line["worst"] == "bees/l2"
    assert "access" in [one["letter"] for one in stops["enrolled"]["letters"]]
    names = app.client.get("/api/courses/bees/students", params={"stop": "bees/l2"}).json()
    assert sorted(one["email"][0] for one in names if one["silent"]) == ["a", "b", "c"]
    made = app.client.post("/api/courses/bees/nudge", json={"stop": "bees/l2"}).json()["key"]
    body = steps(app, made)
    assert body["starts"][0]["lesson"] == "bees/l1"
    assert [step["do"] for step in body["steps"]] == ["wait", "send", "waypoint"]
    checked = app.client.post("/api/sequences/check", json=body).json()
    assert [found for found in checked["findings"] if found["level"] == "fault"] == []
    # What it is about is known while a step can't be read yet, and not told of a course that is not there.
    unread = {**body, "steps": [{"id": "x", "do": "wait_for"}]}
    gone = {**body, "starts": [{"on": "enrolled", "course": "gone"}]}
    asked = [ok(app.client.post("/api/sequences/check", json=one)) for one in (body, unread, gone, {})]
    assert [(one["about"], one["readable"]) for one in asked] == [
        ("bees", True),
        ("bees", False),
        (None, True),
        (None, False),
    ]

    def gap():
        found = app.client.get("/api/courses/bees/line").json()["stops"]
        return next((stop["gap"], stop["reached"]) for stop in found if stop["id"] == "bees/l2")

    # A draft reaches nobody, nor does a sequence that runs for newcomers only: who stands there is taken in by hand.
    assert gap()[1] == 0 and "no letter reaches them" in gap()[0]
    outset = ok(app.client.get(f"/api/sequences/{made}/outset"))
    assert {one["who"]: one["number"] for one in outset["choices"]} == {"silent": 3, "standing": 3}
    look = ok(app.client.post(f"/api/sequences/{made}/outset", json={"who": "standing"}))["result"]
    assert (look["groups"][0]["number"], look["left_out"]) == (
        3,
        ["1 more have gone on since, so it is not for them."],
    )
    monkeypatch.setattr(bulk, "MINUTE_SECONDS", 0.0)
    ran = ok(
        app.client.post(f"/api/sequences/{made}/status", json={"status": "running", "take_in": "silent"})
    )
    done(app, ran["taking_in"])
    assert gap() == (None, 3)
    app.move(to="until", until="2026-03-16T12:00")
    assert gap() == (None, 3)
    posted = app.client.get("/api/deliveries", params={"sequence": made}).json()["items"]
    assert sorted((one["email"][0], one["status"]) for one in posted) == [(x, "sent") for x in "abc"]


def test_outlines_go_out_and_in_as_csv_and_what_is_needed_stays(app):
    text = app.client.get("/api/courses/bees/outline.csv").text
    assert text.splitlines()[1].startswith("Before the bees,lesson,l1,Before you buy,11")
    more = text + "Arrival day,lesson,,Installing a nucleus,50,,P14D,\r\nArrival day,quiz,,Smoke,,80,,\r\n"
    read = app.client.post("/api/courses/bees/outline", json={"text": more}).json()["body"]
    assert [(m["title"], m["unlocks"]) for m in read["modules"]][-1] == ("Arrival day", "P14D")
    assert read["modules"][-1]["lessons"][0] == {
        "key": "installing-a-nucleus",
        "title": "Installing a nucleus",
        "minutes": 50,
        "url": None,
    }
    assert app.client.put("/api/courses/bees", json=read).status_code == 200
    bad = app.client.post(
        "/api/courses/bees/outline", json={"text": "module,title,minutes\nA,B,soon\nA,,3\n"}
    )
    assert bad.status_code == 422
    assert "Line 2: “soon” in minutes" in bad.json()["detail"]
    assert "Line 3: the title is missing" in bad.json()["detail"]
    put(app, {**steps(app), "starts": [DONE]})
    gone = {**read, "modules": [{**read["modules"][0], "lessons": []}]}
    refused = app.client.put("/api/courses/bees", json=gone)
    assert (refused.status_code, "still needs what you took out" in refused.json()["detail"]) == (409, True)


def test_a_fault_keeps_a_sequence_from_running_and_says_why(app):
    body = {"key": "new", "name": "New", "steps": [send("a", "access")]}
    put(app, body)
    refused = app.client.post("/api/sequences/new/status", json={"status": "running"})
    assert (refused.status_code, "Nothing starts this sequence" in refused.json()["detail"]) == (409, True)
    put(app, {**body, "starts": [DONE]})
    assert app.client.post("/api/sequences/new/status", json={"status": "running"}).status_code == 200


def test_people_inside_are_counted_moved_held_and_let_in_when_asked(app, monkeypatch):
    enrol(app, "a@example.org")
    body = steps(app)
    change = {**body, "steps": [*body["steps"][:1], wait("w", "P9D"), *body["steps"][2:]]}
    effect = app.client.post("/api/sequences/welcome/effect", json=change).json()
    assert effect["inside"] == 1
    assert "as it is now" in effect["landings"][0]["sentence"]
    put(app, change)
    versions = app.client.get("/api/sequences/welcome/versions").json()
    assert [(one["version"], one["inside"]) for one in versions["versions"]] == [(2, 0), (1, 1)]
    on_first = app.client.get("/api/sequences/welcome/versions/1/students").json()
    assert [(one["name"], one["until"]) for one in on_first] == [("Ana", "Tue 3 Mar, 10:00")]
    assert app.client.get("/api/sequences/welcome/versions/2/students").json() == []
    monkeypatch.setattr(bulk, "MINUTE_SECONDS", 0.0)
    assert done(app, ok(app.client.post("/api/sequences/welcome/move")))["changed"] == 1
    app.client.post("/api/sequences/welcome/status", json={"status": "paused"})
    enrol(app, "b@example.org")
    (choice,) = [
        x for x in ok(app.client.get("/api/sequences/welcome/outset"))["choices"] if x["who"] == "missed"
    ]
    assert (choice["number"], "while it was paused" in choice["words"]) == (1, True)
    look = ok(app.client.post("/api/sequences/welcome/outset", json={"who": "missed"}))["result"]
    assert [(one["number"], one["posts"], one["names"][0]["name"]) for one in look["groups"]] == [
        (1, True, "Ana")
    ]
    before = app.client.get("/api/sequences/welcome").json()["inside"]
    ran = ok(
        app.client.post("/api/sequences/welcome/status", json={"status": "running", "take_in": "missed"})
    )
    assert ran["taking_in"]["total"] == 1
    done(app, ran["taking_in"])
    assert (before, app.client.get("/api/sequences/welcome").json()["inside"]) == (1, 2)


def test_a_step_says_who_stands_there_in_which_round_and_how_many_opened_the_letter(app):
    weekly = {"id": "r", "do": "repeat", "times": 3, "steps": [send("ask", "access"), wait("week", "P7D")]}
    put(app, {**steps(app), "steps": [weekly]})
    enrol(app, "a@example.org", "b@example.org")
    app.move(to="until", until="2026-03-10T12:00")
    opened = {"type": "letter_opened", "letter": "access", "at": "2026-03-10T12:00:00Z"}
    app.report({**opened, "student": "a@example.org"})
    here = app.client.get("/api/sequences/welcome/steps/week/students").json()
    assert [(one["email"], one["round"], one["until"]) for one in here] == [
        ("a@example.org", "2", "Mon 16 Mar, 09:00"),
        ("b@example.org", "2", "Mon 16 Mar, 09:00"),
    ]
    figures = app.client.get("/api/sequences/welcome").json()["figures"]
    assert (figures["ask"]["sent"], figures["ask"]["opened"], figures["week"]["waiting"]) == (4, 1, 2)


def scene(app, **more):
    moves = [{"day": 0, "at": "23:40", "event": {"type": "purchased", "offer": "bees-once"}}]
    return {
        "made_up": {"first_name": "Tomás", "timezone": "Pacific/Auckland", "news": False},
        "moves": moves,
        "days": 20,
        "start": "2026-03-02",
        **more,
    }


def test_a_rehearsal_posts_nothing_and_tells_the_whole_story(app):
    played = app.client.post("/api/rehearsals", json=scene(app)).json()
    assert next((one["day"], one["clock"], one["status"]) for one in played["letters"]) == (
        0,
        "23:40",
        "sent",
    )
    assert "so “welcome” started" in played["letters"][0]["story"][0]
    assert app.client.get("/api/deliveries").json()["total"] == 0
    seen = app.client.post("/api/rehearsals/letters/0", json=scene(app)).json()
    assert "Hello Tomás" in seen["text"]
    wrong = scene(
        app, moves=[{"day": 0, "at": "10:00", "event": {"type": "lesson_completed", "lesson": "bees/l9"}}]
    )
    refused = app.client.post("/api/rehearsals", json=wrong)
    assert (refused.status_code, refused.json()["detail"]) == (
        422,
        "Move 1: there is no lesson “bees/l9” in this school.",
    )


def test_a_kept_rehearsal_says_when_it_comes_out_differently(app):
    kept = app.client.post(
        "/api/sequences/welcome/rehearsals", json={"name": "Tomás buys at night", "scene": scene(app)}
    )
    assert (kept.status_code, kept.json()["changes"]) == (201, [])
    body = steps(app)
    put(app, {**body, "steps": [*body["steps"][:1], wait("w", "P3D", at="11:00"), *body["steps"][2:]]})
    [found] = app.client.get("/api/sequences/welcome/rehearsals").json()
    assert {"was": None, "now": "Day 3, 11:00: Year"} in found["changes"]
    app.client.post(f"/api/sequences/welcome/rehearsals/{found['id']}/agree")
    assert app.client.get("/api/sequences/welcome/rehearsals").json()[0]["changes"] == []


def test_every_path_names_what_is_decided_and_what_goes_out(app):
    lane = {
        "id": "f",
        "do": "wait_for",
        "event": DONE,
        "within": "P2D",
        "then": [],
        "else": [send("n", "year")],
    }
    body = {**steps(app), "steps": [send("a", "access"), lane, {"id": "e", "do": "end"}, send("z", "year")]}
    found = app.client.post("/api/rehearsals/paths", json=body).json()
    assert [[one["name"] for one in path["letters"]] for path in found["paths"]] == [
        ["Access"],
        ["Access", "Year"],
    ]
    assert found["paths"][1]["choices"] == ["has not finished lesson “Before you buy” within 2 days"]
    assert found["unreached"] == ["z"]


def played(app, id):
    """A look back that is over."""
    job = app.client.get(f"/api/replays/{id}").json()
    return job if job["state"] != "working" else None


def test_the_last_days_again_count_what_a_draft_would_have_posted(app):
    enrol(app, "a@example.org", "b@example.org")
    app.move(to="until", until="2026-03-20T09:00")
    draft = {
        "key": "extra",
        "name": "Extra",
        "starts": [{"on": "enrolled", "course": "bees"}],
        "steps": [wait("w", "P1D", at="10:00"), send("x", "year")],
    }
    job = app.client.post("/api/replays", json={"sequence": draft, "days": 90}).json()
    job = until(lambda: played(app, job["id"]))
    result = job["result"]
    assert (job["state"], result["letters"], result["students"]) == ("done", 2, 2)
    assert result["busiest"]["date"] == "2026-03-03"
    assert app.client.delete(f"/api/replays/{job['id']}").status_code == 200


def test_a_sequence_is_duplicated_for_another_course_with_its_parts(app):
    other = {
        "key": "wax",
        "title": "Wax",
        "modules": [{"key": "m", "title": "One", "lessons": [{"key": "w1", "title": "Melt"}]}],
    }
    assert app.client.put("/api/courses/wax", json=other).status_code == 200
    put(app, {**steps(app), "starts": [DONE]})
    parts = app.client.get("/api/sequences/welcome/parts", params={"course": "wax"}).json()
    assert [(part["title"], part["guess"]) for part in parts] == [("Before you buy", "wax/w1")]
    made = app.client.post("/api/sequences/welcome/duplicate", json={"course": "wax"}).json()["key"]
    copy = steps(app, made)
    assert (copy["starts"][0]["lesson"], copy["status"]) == ("wax/w1", "draft")
    assert copy["steps"][0]["letter"] == "wax-access"
    starter = app.client.post("/api/starters/welcome-week", json={"course": "wax"}).json()["key"]
    assert steps(app, starter)["starts"][0]["course"] == "wax"


def test_a_school_file_goes_out_and_comes_into_an_empty_school_only(app):
    enrol(app, "a@example.org")
    text = app.client.get("/api/school/file").text
    assert json.loads(text)["events"][0]["offer"] == "bees-once"
    assert app.client.post("/api/school/file", content=text).status_code == 409
    bad = app.client.post("/api/school/file", content=b'{"format": "x"}')
    assert (bad.status_code, "/format" in bad.json()["detail"]) == (422, True)


def test_what_comes_after_an_answer(app):
    """A page with the student's name, an address to go on to; a GET changes nothing, a second answer is a change of mind."""
    answers = [
        {"key": "a/b", "label": "Yes", "add_tags": ["glad"], "page": "Good, {{ student.first_name }}!{{ quiz.score }}", "url": "https://x.example/r?a=1&b=2"},
        {"key": "no", "label": "No", "remove_tags": ["glad"], "leaves": True, "url": "https://x.example/help"},
    ]  # fmt: skip
    block = {"kind": "answers", "question": "Glad?", "answers": answers}
    body = {**app.client.get("/api/letters/access").json()["body"], "blocks": [block]}
    assert app.client.put("/api/letters/access", json=body).status_code == 200
    wrong = {**body, "blocks": [{**block, "answers": [{**answers[0], "url": "javascript:alert(1)"}]}]}
    assert app.client.put("/api/letters/access", json=wrong).status_code == 422
    app.report({"type": "purchased", "at": NOW, "student": "ana", "offer": "bees-once"})
    mail = app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()
    yes, no = (line.partition("/post/")[2] for line in mail["text"].splitlines() if "/post/answer/" in line)
    assert app.client.get(f"/post/{yes}").status_code == 200
    assert app.client.get("/api/students/ana").json()["tags"] == []
    page = app.client.post(f"/post/{yes}").text
    assert "Good, Ana!</p>" in page and 'href="https://x.example/r?a=1&amp;b=2"' in page
    assert app.client.get("/api/students/ana").json()["tags"] == ["glad"]
    onward = app.client.post(f"/post/{no}", follow_redirects=False)
    assert (onward.status_code, onward.headers["location"]) == (303, "https://x.example/help")
    student = app.client.get("/api/students/ana").json()
    assert (student["tags"], student["runs"][0]["outcome"]) == ([], "left")
    assert app.client.get("/api/deliveries").json()["total"] == 1


@pytest.mark.parametrize("answer", ["well", "stuck"])
def test_an_answer_link_asks_once_and_then_counts(app, answer):
    block = {
        "kind": "answers",
        "question": "How?",
        "answers": [
            {"key": "well", "label": "Well"},
            {"key": "stuck", "label": "I am stuck", "add_tags": ["needs a hand"]},
        ],
    }
    body = {**app.client.get("/api/letters/access").json()["body"], "blocks": [block]}
    assert app.client.put("/api/letters/access", json=body).status_code == 200
    enrol(app, "a@example.org")
    mail = app.client.post(f"/api/practice/mail/{app.inbox('a')[0]['id']}/open").json()
    link = next(line.split(": ")[1] for line in mail["text"].splitlines() if f"/{answer}" in line)
    path = link.partition("/post/")[2]
    assert "Send it" in app.client.get(f"/post/{path}").text
    assert "got your answer" in app.client.post(f"/post/{path}").text
    student = app.client.get("/api/students/a").json()
    assert "Opened “Access”" in [item["text"] for item in student["timeline"]]
    assert ("needs a hand" in student["tags"]) is (answer == "stuck")
    assert app.client.get(f"/post/{path}x").status_code == 404


def test_a_call_in_a_practice_school_is_kept_and_not_made(app):
    put(
        app,
        {
            **steps(app),
            "steps": [
                {"id": "c", "do": "call", "url": "https://hooks.example.org/never"},
                send("a", "access"),
            ],
        },
    )
    enrol(app, "a@example.org")
    with app.post_office.database.reading() as session:
        rows = session.connection().exec_driver_sql("SELECT status, tries FROM outgoing").all()
    assert rows == [("kept", 0)]
