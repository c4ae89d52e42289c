"""The check-up of the whole over HTTP: what the tables hold becomes findings, with names, put aside, mended."""

from sqlalchemy import text

from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch import whole
from patient_courier.store.overview import kept_findings
from tests.waiting import until
from tests.web.conftest import finished, purchase


def look(app):
    """Look it over now, and give the findings by code."""
    app.post_office.overseer.look_now()
    return {one["code"]: one for one in app.client.get("/api/findings").json()["findings"]}


def names(app, one):
    page = app.client.get("/api/findings/students", params={"key": one["key"]}).json()
    assert page["total"] == one["students"]
    return {item["key"] for item in page["items"]}


def join(app, number, at="2026-03-02T09:00:00Z"):
    people = [{"email": f"s{n}@example.org", "first_name": f"S{n}"} for n in range(number)]
    app.report([purchase(one, at=at) for one in people])
    app.settle()
    return [
        one["key"] for one in app.client.get("/api/students").json()["items"] if one["email"].startswith("s")
    ]


def test_whoever_bought_and_never_began_is_found_named_nudged_and_then_reached(app):
    app.client.post("/api/sequences/welcome/status", json={"status": "paused"})
    people = set(join(app, 4))
    app.move(to="until", until="2026-03-20T12:00:00Z")
    found = look(app)
    stalled = found["stalled_unwritten"]
    assert names(app, stalled) == people and stalled["nudge"] == {"course": "bees", "stop": "enrolled"}
    assert "never_began" not in found, "who stands silent at the enrolment is told once"
    assert app.client.post("/api/courses/bees/nudge", json={"stop": "enrolled"}).status_code == 201
    # It is the letter that mends it, not its draft.
    assert "stalled_unwritten" in look(app)


LATE = {
    "key": "late", "name": "Late welcome", "status": "draft", "starts": [{"on": "enrolled", "course": "bees"}],
    "again": "once", "steps": [{"id": "s", "do": "send", "letter": "access"}],
}  # fmt: skip


def test_who_was_there_before_the_welcome_ran_can_be_taken_in_with_one_slip(app):
    app.client.post("/api/sequences/welcome/status", json={"status": "closed"})
    assert app.client.put("/api/sequences/late", json=LATE, headers={"If-None-Match": "*"}).status_code == 200
    people = set(join(app, 3))
    assert "before_switched_on" not in look(app), "what does not run misses nobody"
    app.client.post("/api/sequences/late/status", json={"status": "running"})
    app.move(to="until", until="2026-08-02T09:00:00Z")
    found = look(app)["before_switched_on"]
    assert names(app, found) == people and found["to"] == "/sequences/late?run"
    choices = app.client.get("/api/sequences/late/outset").json()["choices"]
    assert [(one["who"], one["number"]) for one in choices if one["number"]][-1] == ("ever", 3)


def test_certificates_bounces_silence_and_texts(app):
    for title in ("The Bee Course", "The Opening Year"):
        course = app.client.get("/api/courses/bees").json()
        body = {**course["body"], "title": title, "certificate": {"approval": True}}
        edition = {"If-Match": f'"{course["edition"]}"'}
        assert app.client.put("/api/courses/bees", json=body, headers=edition).status_code == 200
    letter = app.client.get("/api/letters/year").json()
    blocks = [
        {"kind": "text", "html": "<p>First Hive, once The Bee Course, costs EUR 129 until 1 March 2026.</p>"}
    ]
    saved = app.client.put("/api/letters/year", json={**letter["body"], "blocks": blocks},
                           headers={"If-Match": f'"{letter["edition"]}"'})  # fmt: skip
    assert saved.status_code == 200, saved.text
    app.report(finished("ana"))
    app.settle()
    app.report([{"type": "bounced", "at": "2026-03-02T09:00:00Z", "student": "kai", "hard": True}])
    app.move(to="until", until="2026-03-12T12:00:00Z")
    found = look(app)
    assert (
        names(app, found["certificate_waits"]) == {"ana"} and "10 days" in found["certificate_waits"]["why"]
    )
    assert names(app, found["address_bounces"]) == {"kai"}
    assert "“The Bee Course”" in found["old_title"]["title"] and found["old_title"]["to"] == "/letters/year"
    assert "EUR 129" in found["other_price"]["title"] and "1 Mar 2026" in found["past_date"]["title"]
    assert "hears_nothing" not in found, "nobody has been in a course for a month without a letter"


def test_put_aside_with_a_reason_it_comes_back_when_it_touches_more(app):
    people = join(app, 3)
    app.report([{"type": "bounced", "at": "2026-03-02T09:00:00Z", "student": people[0], "hard": True}])
    one = look(app)["address_bounces"]
    assert app.client.post("/api/findings/aside", json={"key": one["key"], "reason": ""}).status_code == 422
    put = {"key": one["key"], "reason": "My own tests"}
    assert app.client.post("/api/findings/aside", json=put).status_code == 204
    assert "address_bounces" not in look(app)
    (aside,) = app.client.get("/api/findings").json()["aside"]
    assert aside["reason"] == "My own tests"
    app.report([{"type": "bounced", "at": "2026-03-02T09:00:00Z", "student": people[1], "hard": True}])
    back = look(app)["address_bounces"]
    assert back["came_back"] and back["students"] == 2 and not app.client.get("/api/findings").json()["aside"]
    assert app.client.post("/api/findings/back", json={"key": back["key"]}).status_code == 204
    assert not look(app)["address_bounces"]["came_back"]
    assert app.client.post("/api/findings/back", json={"key": back["key"]}).status_code == 404
    gone = {"key": "hears_nothing:", "reason": "x"}
    assert app.client.post("/api/findings/aside", json=gone).status_code == 404


def test_one_look_that_fails_hides_none_of_the_others(app, monkeypatch):
    def fails(session, definitions, now):
        raise RuntimeError("this look is broken")

    monkeypatch.setattr(whole, "LOOKS", (fails, *whole.LOOKS))
    people = join(app, 1)
    app.report([{"type": "bounced", "at": "2026-03-02T09:00:00Z", "student": people[0], "hard": True}])
    assert "address_bounces" in look(app)


def test_it_is_looked_over_in_the_background_when_somebody_asks(app):
    app.move(to="hour")
    assert app.client.post("/api/findings/look").status_code == 202
    until(lambda: app.client.get("/api/findings").json()["at"] == "Mon 2 Mar, 10:00")
    until(lambda: app.client.get("/api/findings").json()["done"] is None)


def test_the_weightiest_finding_is_the_one_thing_worth_doing_of_the_weekly_letter(app):
    app.client.post("/api/sequences/welcome/status", json={"status": "paused"})
    join(app, 4)
    app.move(to="until", until="2026-03-20T12:00:00Z")
    one = look(app)["stalled_unwritten"]
    sections = app.client.get("/api/weekly-letter").json()["now"]["sections"]
    worth = next(one for one in sections if one["title"] == "One thing worth doing")
    assert one["title"] in worth["lines"][0] and worth["to"] == "/courses/bees"


def test_links_are_asked_one_by_one_as_the_owner_wishes_and_never_inside(app):
    overseer, database = app.post_office.overseer, app.post_office.database
    letter = app.client.get("/api/letters/year").json()
    blocks = [{"kind": "button", "label": "Go", "url": "http://127.0.0.1:9/x"}]
    saved = app.client.put("/api/letters/year", json={**letter["body"], "blocks": blocks},
                           headers={"If-Match": f'"{letter["edition"]}"'})  # fmt: skip
    assert saved.status_code == 200, saved.text
    overseer.look()
    with database.reading() as session:
        assert kept_findings.wrong_links(session) == {}, "not unless the owner wishes it"
    assert app.client.put("/api/findings/links", json={"look": True}).status_code == 204
    overseer.look()
    with database.reading() as session:
        assert kept_findings.wrong_links(session) == {}, "a practice school asks nobody"
    with database.writing() as session:
        session.execute(text("DELETE FROM clock"))
    overseer.look()
    with database.reading() as session:
        (said,) = kept_findings.wrong_links(session).values()
        assert "inside this machine's network" in said
        later = parse_moment("2126-01-01T00:00:00Z")
        assert kept_findings.next_link(session, ["http://a.example"], later) == "http://a.example"
    assert "can't be opened" in look(app)["broken_link"]["title"]
