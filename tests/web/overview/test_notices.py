"""Notices and the weekly letter: at once and gathered, daily, weekly, once each, and never after an erasure."""

import sqlite3
from email import message_from_bytes
from email.policy import default

from sqlalchemy import select

from patient_courier.dispatch.clock import read_clock
from patient_courier.post.carriers import NotTaken
from patient_courier.store.base.tables import NoticeRow
from tests.waiting import until
from tests.web.conftest import purchase

INES = "ines@mallowlane.example"


def mine(app):
    """The owner's own post, the oldest first, as (subject, text)."""
    found = []
    for one in reversed(app.client.get(f"/api/practice/inbox/{INES}").json()):
        mail = app.client.post(f"/api/practice/mail/{one['id']}/open").json()
        found.append((mail["subject"], " ".join(mail["text"].split())))
    return found


def wish(app, *wishes, letter=False):
    id = app.client.get("/api/notices").json()["people"][0]["id"]
    body = {"letter": letter, "wishes": [{"kind": kind, "how": how} for kind, how in wishes]}
    return app.client.put(f"/api/notices/{id}", json=body)


def tell(app):
    """Let the notices be looked at now, as their worker does every half minute."""
    app.post_office.notices.look(app.post_office.signer)


def bought(app, student, at="2026-03-02T09:00:00Z"):
    app.report(purchase(student, at=at))
    app.settle()


def test_at_once_several_in_one_and_no_more_often_than_every_quarter_of_an_hour(app):
    wish(app, ("purchased", "at_once"))
    app.move(to="hour")
    bought(app, "ana")
    tell(app)
    assert [subject for subject, _ in mine(app)] == ["Ana bought First Hive"]
    bought(app, "kai")
    tell(app)
    assert len(mine(app)) == 1, "the quarter of an hour is not over"
    app.report({"type": "refunded", "at": "2026-03-02T10:00:00Z", "student": "ana", "offer": "bees-once"})
    app.move(to="hour")
    tell(app)
    assert [subject for subject, _ in mine(app)][1:] == ["kai@example.org bought First Hive"], (
        "refunds were not wished"
    )
    tell(app)
    assert len(mine(app)) == 2, "nothing is told twice"


def test_what_lies_before_a_wish_is_not_told_and_switched_off_nothing_is(app):
    bought(app, "ana")
    wish(app, ("purchased", "daily"))
    app.move(to="until", until="2026-03-04T09:00:00Z")
    tell(app)
    assert mine(app) == []
    bought(app, "kai", "2026-03-04T09:00:00Z")
    app.move(to="until", until="2026-03-05T07:59:00Z")
    tell(app)
    assert mine(app) == [], "not before eight"
    app.move(to="until", until="2026-03-05T08:00:00Z")
    tell(app)
    assert [subject for subject, _ in mine(app)] == ["kai@example.org bought First Hive"]
    wish(app, ("purchased", "off"))
    app.report({"type": "refunded", "at": "2026-03-05T08:00:00Z", "student": "kai", "offer": "bees-once"})
    app.move(to="until", until="2026-03-08T09:00:00Z")
    tell(app)
    assert len(mine(app)) == 1


def test_a_clock_sent_over_three_mondays_brings_three_letters_each_of_its_own_week(app):
    wish(app, letter=True)
    bought(app, "ana")
    app.move(to="until", until="2026-03-24T12:00:00Z")
    tell(app)
    letters = mine(app)
    subjects = ["Your week: 1 purchase", "Your week", "Your week: all quiet"]
    assert [subject for subject, _ in letters] == subjects
    assert "Bought: 1 Ana (First Hive)." in letters[0][1] and "Letters posted: 2" in letters[0][1]
    assert "Fell silent: 1 Ana." in letters[1][1], "a week after her last step"
    assert "nothing needs you" in letters[2][1]
    page = app.client.get("/api/weekly-letter").json()
    assert [one["until"] for one in page["past"]] == [
        "Mon 23 Mar, 08:00",
        "Mon 16 Mar, 08:00",
        "Mon 9 Mar, 08:00",
    ]
    assert {one["posted"] for one in page["past"]} == {"posted"} and page["wanted"]
    # They are no letters to students: nothing of them stands in the log, and they count as none.
    assert {one["student"] for one in app.client.get("/api/deliveries").json()["items"]} == {"ana"}


def test_the_letter_counts_what_waits_as_the_menu_does(app):
    app.report(
        [{"type": "lesson_completed", "at": "2026-03-02T09:00:00Z", "student": "ana", "lesson": "bees/l99"}]
    )
    waits = app.client.get("/api/frame").json()["needs_you"]
    letter = app.client.get("/api/weekly-letter").json()["now"]
    assert waits == 1 and letter["subject"] == "Your week: 1 thing needs you"


def test_one_that_is_not_taken_waits_and_one_whose_end_is_unknown_is_not_posted_again(app, monkeypatch):
    wish(app, ("purchased", "at_once"))
    app.move(to="hour")
    bought(app, "ana")

    def refuses(mail):
        raise NotTaken("451 later", "now")

    with monkeypatch.context() as patch:
        patch.setattr(app.post_office.notices, "_post", refuses)
        tell(app)
    assert mine(app) == []
    database = app.post_office.database
    with database.writing() as session:
        (waiting,) = session.execute(select(NoticeRow)).scalars()
        assert waiting.status == "queued" and waiting.tries == 1 and waiting.retry is not None
        waiting.status, waiting.retry = "posting", None
    # The application stopped just there: nobody knows, so it is not posted a second time.
    app.post_office.notices.recover()
    tell(app)
    assert mine(app) == []
    with database.reading() as session:
        assert session.scalar(select(NoticeRow.status)) == "unsure"
        assert read_clock(session).practice


def test_nothing_of_an_erased_student_stays_in_a_notice(app):
    wish(app, letter=True)
    bought(app, "ana")
    app.move(to="until", until="2026-03-10T12:00:00Z")
    until(lambda: app.client.get("/api/weekly-letter").json()["past"])
    with sqlite3.connect(app.post_office.database.path) as raw:
        assert raw.execute("SELECT 1 FROM notices WHERE sections LIKE '%Ana%'").fetchall(), (
            "else this would say nothing"
        )
    erased = app.client.post("/api/students/ana/erase", json={"sentence": "erase ana@example.org"})
    assert erased.status_code == 204
    with sqlite3.connect(app.post_office.database.path) as raw:
        assert not raw.execute("SELECT 1 FROM notices WHERE sections LIKE '%Ana%'").fetchall()


def test_names_of_students_are_text_in_what_is_posted(app):
    wish(app, ("purchased", "at_once"))
    app.move(to="hour")
    evil = {"email": "x@example.org", "first_name": "{{ 7 }}<img src=x onerror=alert(1)>"}
    app.report(purchase(evil))
    app.settle()
    tell(app)
    (id,) = [one["id"] for one in app.client.get(f"/api/practice/inbox/{INES}").json()]
    with sqlite3.connect(app.post_office.database.path) as raw:
        mail = message_from_bytes(
            raw.execute("SELECT raw FROM mail WHERE id = ?", [id]).fetchone()[0], policy=default
        )
    html = mail.get_body(("html",)).get_content()
    assert "<img src=x" not in html and "{{ 7 }}" in mail.get_body(("plain",)).get_content()


def test_wishes_that_mean_nothing_are_refused(app):
    id = app.client.get("/api/notices").json()["people"][0]["id"]

    def put(*wishes, who=id):
        return app.client.put(
            f"/api/notices/{who}", json={"letter": True, "wishes": list(wishes)}
        ).status_code

    assert put({"kind": "purchased", "how": "daily"}, {"kind": "purchased", "how": "weekly"}) == 422
    assert put({"kind": "purchased", "course": "nowhere", "how": "daily"}) == 422
    assert put({"kind": "lesson_started", "how": "daily"}) == 422
    assert put(who=999) == 404
    assert app.client.get("/api/notices").json()["people"][0]["wishes"]["letter"] is True, (
        "the owner has it unasked"
    )
