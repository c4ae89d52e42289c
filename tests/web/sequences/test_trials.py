"""A trial over HTTP: planned, begun, answered with names behind the numbers, ended; and what it refuses."""

from tests.schools import letter
from tests.web.conftest import NOW

GOAL = {"on": "lesson_completed", "lesson": "bees/l1"}
TRIAL = {"hold_back": 50, "goal": GOAL, "within": "P2D"}
NUDGES = {
    "key": "nudges", "name": "Nudges", "status": "draft", "starts": [{"on": "enrolled", "course": "bees"}],
    "again": "once", "steps": [{"id": "s", "do": "send", "letter": "year"}],
}  # fmt: skip


def ask(app, method, path, body=None, edition=None):
    headers = {"If-Match": f'"{edition}"'} if edition else {}
    return app.client.request(method, f"/api/sequences/nudges{path}", json=body, headers=headers)


def page(app):
    return ask(app, "GET", "/trial").json()


def running(app):
    assert (
        app.client.put("/api/sequences/nudges", json=NUDGES, headers={"If-None-Match": "*"}).status_code
        == 200
    )
    assert ask(app, "POST", "/status", {"status": "running"}).status_code == 200


def enrol(app, number):
    people = [{"email": f"s{n}@example.org", "first_name": f"S{n}"} for n in range(number)]
    events = [
        {"type": "enrolled", "at": NOW, "student": one, "course": "bees", "via": "manual"} for one in people
    ]
    answer = app.report(events).json()
    assert answer["taken"] == number, answer
    app.settle()
    return people


def test_planned_begun_answered_and_ended(app):
    running(app)
    plan = ask(app, "POST", "/trial/plan", {**TRIAL, "hoped": 20}).json()
    assert plan["weekly"] == 0 and plan["usual"] is None and "nobody has come in" in plan["how_long"]
    assert (
        plan["words"]
        == "1 in 2 held back, to see whether a student has finished lesson “Before you buy” within 2 days."
    )
    assert ask(app, "POST", "/trial", TRIAL, page(app)["edition"]).status_code == 200
    people = enrol(app, 12)
    found = page(app)["now"]
    assert (
        found["written_to"]["open"] + found["held_back"]["open"] == 12
        and found["written_to"]["share"] is None
    )
    back = ask(app, "GET", f"/trials/{found['key']}/names?held_back=true").json()
    there = ask(app, "GET", f"/trials/{found['key']}/names?held_back=false&became=open").json()
    assert back["total"] == found["held_back"]["students"] > 0 and there["total"] == 12 - back["total"]
    # Only who is written to has the letter, and the other one's page says why.
    posted = {x["student"] for x in app.client.get("/api/deliveries?q=year").json()["items"]}
    assert posted and posted & {x["key"] for x in back["items"]} == set()
    student = app.client.get(f"/api/students/{back['items'][0]['key']}").json()
    run = next(one for one in student["runs"] if one["sequence"] == "nudges")
    assert run["outcome"] == "held_back" and run["words"] == "Held back by lot, as 1 in 2 is."
    app.move(to="until", until="2026-03-02T12:00:00Z")
    at = "2026-03-02T11:00:00Z"
    app.report(
        [{"type": "lesson_completed", "at": at, "student": one, "lesson": "bees/l1"} for one in people[:6]]
    )
    assert page(app)["now"]["written_to"]["reached"] == 0, "an open one counts nowhere"
    app.move(to="until", until="2026-03-05T12:00:00Z")
    found = page(app)["now"]
    assert found["written_to"]["reached"] + found["held_back"]["reached"] == 6
    assert found["verdict"] == "too_early" and found["answer"].startswith("Nothing can be said yet")
    assert found["once"]["low"] <= found["once"]["value"] <= found["once"]["high"]
    assert ask(app, "POST", "/trial/plan", {**TRIAL, "hoped": 20}).json()["of"] == 12
    assert ask(app, "POST", "/trial/end", {"how": "everybody"}, page(app)["edition"]).status_code == 200
    ended = page(app)
    assert ended["now"] is None and ended["before"][0]["written_to"] == found["written_to"]
    assert ask(app, "POST", "/trial", TRIAL, ended["edition"]).status_code == 200
    assert page(app)["now"]["key"] != found["key"], "another trial draws anew"


def test_what_has_begun_stays_and_nobody_is_held_back_from_what_they_need(app):
    running(app)
    assert ask(app, "POST", "/trial", TRIAL, page(app)["edition"]).status_code == 200
    enrol(app, 2)
    body = app.client.get("/api/sequences/nudges").json()
    changed = {**body["body"], "trial": {**body["body"]["trial"], "hold_back": 20}}
    answer = ask(app, "PUT", "", changed, body["edition"])
    assert answer.status_code == 409 and "its share, its goal and its time stay" in answer.json()["detail"]
    welcome = app.client.get("/api/sequences/welcome/trial").json()
    assert "service letter" in welcome["impossible"]
    answer = app.client.post(
        "/api/sequences/welcome/trial", json=TRIAL, headers={"If-Match": f'"{welcome["edition"]}"'}
    )
    assert answer.status_code == 409 and "Nobody is held back from what they need" in answer.json()["detail"]
    for wrong in (
        {"hold_back": 95},
        {"goal": {"on": "lesson_completed", "lesson": "bees/gone"}},
        {"within": "soon"},
    ):
        assert ask(app, "POST", "/trial/plan", {**TRIAL, **wrong}).status_code == 422
    assert ask(app, "POST", "/trial/end", {"how": "nobody"}, page(app)["edition"]).status_code == 200
    assert page(app)["status"] == "closed"
    assert ask(app, "POST", "/trial/end", {"how": "nobody"}, page(app)["edition"]).status_code == 409


def test_two_letters_are_drawn_live_and_their_shares_stay(app):
    other = letter("other", "news")
    app.client.put("/api/letters/other", json=other, headers={"If-None-Match": "*"})
    versions = [{"letter": "year", "share": 50}, {"letter": "other", "share": 50}]
    NUDGED = {**NUDGES, "status": "draft", "steps": [{"id": "s", "do": "send", "versions": versions}]}
    app.client.put("/api/sequences/nudges", json=NUDGED, headers={"If-None-Match": "*"})
    answer = ask(app, "POST", "/status", {"status": "running"})
    assert answer.status_code == 409 and "letters of one purpose" in answer.json()["detail"]
    was = app.client.get("/api/letters/other").json()
    help = {**was["body"], "purpose": "course_help"}
    app.client.put("/api/letters/other", json=help, headers={"If-Match": f'"{was["edition"]}"'})
    assert ask(app, "POST", "/status", {"status": "running"}).status_code == 200
    enrol(app, 12)
    lines = ask(app, "GET", "/letters").json()
    numbers = {one["letter"]: one["figures"][0]["number"] for one in lines}
    assert numbers["year"] and numbers["other"] and sum(numbers.values()) == 12
    body = app.client.get("/api/sequences/nudges").json()
    body["body"]["steps"][0]["versions"][0]["share"], body["body"]["steps"][0]["versions"][1]["share"] = (
        60,
        40,
    )
    answer = ask(app, "PUT", "", body["body"], body["edition"])
    assert answer.status_code == 409 and "the shares stay as they are" in answer.json()["detail"]
    # Of the two, the second one is opened by everybody who got it.
    app.move(to="until", until="2026-03-02T12:00:00Z")
    got = [x["student"] for x in app.client.get("/api/deliveries").json()["items"] if x["letter"] == "other"]
    at = "2026-03-02T11:00:00Z"
    app.report([{"type": "letter_opened", "at": at, "student": one, "letter": "other"} for one in got])
    (opened,) = ask(app, "GET", "/steps/s/versions").json()["items"]
    assert [(x["letter"], x["number"], x["of"]) for x in opened["versions"]] == [
        ("year", 0, numbers["year"]), ("other", numbers["other"], numbers["other"]),
    ]  # fmt: skip
    assert opened["against"][0]["verdict"] == "too_early" and opened["against"][0]["once"]["value"] == 1


def test_a_sequence_in_figures_says_who_began_finished_and_left_and_where(app):
    leaves = {**NUDGES, "leaves": [{"on": "course_help_stopped"}], "steps": [
        {"id": "s", "do": "send", "letter": "year"}, {"id": "w", "do": "wait", "for": "P5D"}, {"id": "e", "do": "send", "letter": "year"},
    ]}  # fmt: skip
    app.client.put("/api/sequences/nudges", json=leaves, headers={"If-None-Match": "*"})
    ask(app, "POST", "/status", {"status": "running"})
    assert ask(app, "GET", "/figures").json()["started"] == 0
    people = enrol(app, 4)
    app.report([{"type": "course_help_stopped", "at": NOW, "student": people[0], "course": "bees"}])
    found = ask(app, "GET", "/figures").json()
    assert (found["started"], found["inside"], found["left"], found["finished"]) == (4, 3, 1, 0)
    assert found["share"]["value"] == 0
    letter, wait, last = found["steps"]
    assert (letter["sent"], wait["waiting"], wait["left"], last["sent"]) == (4, 3, 1, 0)
    assert (letter["day"], letter["words"], last["day"]) == ("Day 0", "Year", "Day 5")


def test_a_letter_that_a_trial_holds_back_does_not_become_a_service_letter(app):
    running(app)
    assert ask(app, "POST", "/trial", TRIAL, page(app)["edition"]).status_code == 200
    kept = app.client.get("/api/letters/year").json()

    def purpose(now):
        edition = app.client.get("/api/letters/year").json()["edition"]
        return app.client.put(
            "/api/letters/year",
            json={**kept["body"], "purpose": now},
            headers={"If-Match": f'"{edition}"'},
        )

    refused = purpose("service")
    assert (
        refused.status_code == 409 and "nobody is held back from a service letter" in refused.json()["detail"]
    )
    assert app.client.get("/api/letters/year").json()["body"]["purpose"] == kept["body"]["purpose"]
    assert ask(app, "POST", "/trial/end", {"how": "everybody"}, page(app)["edition"]).status_code == 200
    assert purpose("service").status_code == 200
