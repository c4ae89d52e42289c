"""The pages behind the links in letters: what they show, what they change, and what a machine that opens everything changes."""

import re

import pytest
from sqlalchemy import text

from patient_courier.core.letters import visits
from patient_courier.dispatch import visits as dispatched_visits
from tests.waiting import until
from tests.web.conftest import purchase

BLOCKS = [
    {"kind": "text", "html": "<p>See <a href='https://learn.example/a?b=1&amp;c=2'>the lesson</a> or <a href='mailto:x@example.org'>write</a>.</p>"},
    {"kind": "button", "label": "Open", "url": "{{ course.url }}"},
    {"kind": "button", "label": "Third", "url": "https://learn.example/third"},
    {"kind": "answers", "question": "Well?", "answers": [{"key": "yes", "label": "Yes", "add_tags": ["glad"]}]},
]  # fmt: skip


@pytest.fixture
def mail(app, monkeypatch):
    """The letter in Ana's inbox; a visit is settled at once, and no visit comes too soon."""
    monkeypatch.setattr("patient_courier.dispatch.visits.WAIT_SECONDS", 0.3)
    monkeypatch.setattr("patient_courier.core.letters.visits.TOO_SOON_SECONDS", 0)
    school = app.client.get("/api/school").json()["body"]
    app.client.put("/api/school", json={"body": {**school, "tracking": {"links": True, "openings": True}}})
    body = {
        **app.client.get("/api/letters/access").json()["body"],
        "purpose": "course_help",
        "blocks": BLOCKS,
    }
    saved = app.client.put("/api/letters/access", json=body)
    assert saved.status_code == 200, saved.text
    app.report(purchase())
    return app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()


def links(mail):
    return re.findall(r"http://127\.0\.0\.1:8484(/post/[^\s\"<>]+)", mail["html"])


def link(mail, place):
    return next(one for one in links(mail) if one.startswith(f"/post/{place}/"))


def settled(app, number):
    """The clicks in Ana's timeline, once there are so many."""

    def found():
        said = [x["text"] for x in app.client.get("/api/students/ana").json()["timeline"]]
        return [text for text in said if text.startswith("Clicked")]

    until(lambda: len(found()) >= number)
    return found()


def all_settled(app):
    """Wait until of every visit it is decided who made it."""

    def open_ones():
        with app.post_office.database.reading() as session:
            return session.execute(text("SELECT count(*) FROM visits WHERE NOT settled")).scalar_one()

    until(lambda: open_ones() == 0)


def test_what_is_ticked_is_what_comes_and_only_what_was_shown_can_change(app, mail):
    page = app.client.get(link(mail, "preferences")).text
    assert "a…@example.org" in page and "ana@example.org" not in page
    assert 'value="news" checked' in page and 'value="help:bees" checked' in page
    shown = {"shown": ["news", "help:bees", "visits"]}
    saved = app.client.post(link(mail, "preferences"), data={**shown, "wanted": ["help:bees"]}).text
    assert "Saved." in saved and 'value="news" checked' not in saved and 'value="visits" checked' not in saved
    said = [x["text"] for x in app.client.get("/api/students/ana").json()["timeline"]]
    assert "Stopped news letters" in said and not any("Stopped help" in one for one in said)
    app.client.post(link(mail, "preferences"), data={"shown": ["news"], "wanted": ["news"]})
    again = app.client.get(link(mail, "preferences")).text
    assert 'value="news" checked' in again and 'value="help:bees" checked' in again
    log = app.client.get("/api/students/ana/consents").json()
    assert [(one["words"], one["how"]) for one in log[:2]] == [
        ("wants news", "the page “Choose your post”"),
        ("stopped news", "the page “Choose your post”"),
    ]


def sent_to(app, address):
    """The newest mail to an address, with its long lines put together again."""
    with app.post_office.database.reading() as session:
        query = text("SELECT raw FROM mail WHERE recipient = :to ORDER BY id DESC")
        raw = session.execute(query, {"to": address}).scalars().first()
    return raw.decode().replace("=\r\n", "").replace("=3D", "=")


def test_a_new_address_counts_once_it_is_confirmed_there_and_the_old_one_agrees(app, mail):
    move = re.search(r'action="\.\./(move/[^"]+)"', app.client.get(link(mail, "preferences")).text)[1]
    assert app.client.post(f"/post/{move}", data={"email": "no address"}).status_code == 422
    asked = app.client.post(f"/post/{move}", data={"email": "ana.new@example.net"}).text
    assert "a…@example.net" in asked and "ana.new" not in asked
    assert app.client.get("/api/students/ana").json()["email"] == "ana@example.org"
    token = re.search(r"/post/(moved/[^\s\"]+)", sent_to(app, "ana.new@example.net"))[1]
    assert "Your new address" in app.client.get(f"/post/{token}").text
    assert app.client.get("/api/students/ana").json()["email"] == "ana@example.org"
    assert app.client.post(f"/post/{token[:-2]}xx").status_code == 410
    # Whoever was forwarded the letter could have come so far: the old address has the word.
    assert "Nearly done" in app.client.post(f"/post/{token}").text
    assert app.client.get("/api/students/ana").json()["email"] == "ana@example.org"
    raw = sent_to(app, "ana@example.org")
    assert "Subject: Shall our letters go elsewhere?" in raw
    agree, keep = (re.search(rf"/post/({act}/[^\s\"]+)", raw)[1] for act in ("agree", "keep"))
    assert app.client.post(f"/post/agree/{keep.partition('/')[2]}").status_code == 410
    assert app.client.post(f"/post/agree/{token.partition('/')[2]}").status_code == 410
    assert "It is changed" in app.client.post(f"/post/{agree}").text
    assert app.client.get("/api/students/ana").json()["email"] == "ana.new@example.net"
    assert app.client.post(f"/post/{token}").status_code == 410  # used up
    assert app.client.post(f"/post/{agree}").status_code == 410


@pytest.mark.parametrize("says_no", [True, False])
def test_the_old_address_may_say_no_for_a_week(app, mail, says_no):
    move = re.search(r'action="\.\./(move/[^"]+)"', app.client.get(link(mail, "preferences")).text)[1]
    app.client.post(f"/post/{move}", data={"email": "ana.new@example.net"})
    token = re.search(r"/post/(moved/[^\s\"]+)", sent_to(app, "ana.new@example.net"))[1]
    app.client.post(f"/post/{token}")
    if says_no:
        keep = re.search(r"/post/(keep/[^\s\"]+)", sent_to(app, "ana@example.org"))[1]
        assert "Keep your address?" in app.client.get(f"/post/{keep}").text
        assert "stays as it is" in app.client.post(f"/post/{keep}").text
    app.move(to="until", until="2026-03-09T08:59:00Z")
    assert app.client.get("/api/students/ana").json()["email"] == "ana@example.org"
    app.move(to="until", until="2026-03-09T09:00:00Z")
    wanted = "ana@example.org" if says_no else "ana.new@example.net"
    until(lambda: app.client.get("/api/students/ana").json()["email"] == wanted)
    if says_no:  # nothing is left that could still come
        app.move(to="day")
        assert app.client.get("/api/students/ana").json()["email"] == wanted


def test_a_letter_in_the_browser_decides_nothing_for_its_student(app, mail):
    shown = app.client.get(link(mail, "view")).text
    for place in ("stop", "preferences", "move", "name", "claim"):
        assert f"/post/{place}/" not in shown
    assert "/post/from-the-letter" in shown
    assert "Only from the letter itself" in app.client.post("/post/from-the-letter").text


def test_links_lead_only_to_what_stood_in_the_letter_and_a_persons_click_counts_once(app, mail):
    go = [one for one in links(mail) if one.startswith("/post/go/")]
    assert len(set(go)) == 3 and 'href="mailto:x@example.org"' in mail["html"]
    first = app.client.get(go[0], follow_redirects=False)
    assert (first.status_code, first.headers["location"]) == (302, "https://learn.example/a?b=1&c=2")
    assert first.headers["referrer-policy"] == "no-referrer"
    app.client.get(go[0], follow_redirects=False)
    path, _, _ = go[0].rpartition("/")
    assert app.client.get(f"{path}/3", follow_redirects=False).status_code == 404
    assert app.client.get(f"{path}/-1", follow_redirects=False).status_code == 404
    assert app.client.get(f"{path}x/0", follow_redirects=False).status_code == 404
    assert settled(app, 1) == ["Clicked a link in “Access”"]
    all_settled(app)
    assert len(settled(app, 1)) == 1


def test_a_scanner_that_opens_everything_changes_nothing_and_counts_as_a_machine(app, mail, monkeypatch):
    before = app.client.get("/api/students/ana").json()
    # However slow this machine is, what the scanner does is one burst: nothing of it is settled before its end.
    monkeypatch.setattr(visits, "MANY_SECONDS", 600)
    monkeypatch.setattr(dispatched_visits, "WAIT_SECONDS", 600)
    for one in links(mail):
        app.client.get(one, follow_redirects=False)
        app.client.head(one, follow_redirects=False)
    monkeypatch.setattr(dispatched_visits, "WAIT_SECONDS", 0)
    app.post_office.nudge()
    all_settled(app)
    after = app.client.get("/api/students/ana").json()
    assert settled(app, 0) == []
    assert (after["tags"], after["news"]) == (before["tags"], before["news"])
    with app.post_office.database.reading() as session:
        rows = session.execute(text("SELECT link IS NULL, machine FROM visits WHERE settled")).all()
    assert {machine for _, machine in rows} == {"many_links", "head"}


def test_nothing_is_noted_of_whoever_does_not_wish_it_and_links_still_lead_on(app, mail):
    app.client.post(link(mail, "preferences"), data={"shown": ["visits"], "wanted": []})
    go = link(mail, "go")
    assert app.client.get(go, follow_redirects=False).headers["location"] == "https://learn.example/a?b=1&c=2"
    assert app.client.get(link(mail, "seen")).headers["content-type"] == "image/gif"
    with app.post_office.database.reading() as session:
        assert session.execute(text("SELECT count(*) FROM visits")).scalar_one() == 0


def test_a_link_of_an_erased_student_is_old_and_every_link_has_one_purpose(app, mail):
    stop = link(mail, "stop")
    for place in ("preferences", "view", "answer", "go", "move"):
        crossed = stop.replace("/stop/", f"/{place}/") + ("/0" if place in ("go", "answer") else "")
        assert app.client.get(crossed, follow_redirects=False).status_code in (404, 405)
    erased = app.client.post("/api/students/ana/erase", json={"sentence": "erase ana@example.org"})
    assert erased.status_code == 204
    old = app.client.get(stop)
    assert (old.status_code, "This link is old" in old.text) == (410, True)


def test_the_same_answer_to_a_letter_that_was_posted_anew_is_an_answer_of_its_own(app, mail):
    def answered():
        with app.post_office.database.reading() as session:
            return session.scalar(text("SELECT count(*) FROM events WHERE type = 'answered'"))

    def say_yes(opened):
        assert app.client.post(link(opened, "answer")).status_code == 200
        return answered()

    assert (say_yes(mail), say_yes(mail)) == (1, 1), "twice to one delivery is once"
    app.move(to="day")
    first = min(app.client.get("/api/deliveries").json()["items"], key=lambda one: one["id"])
    assert app.client.post(f"/api/deliveries/{first['id']}/again").status_code == 201
    newest = max((one for one in app.inbox() if one["subject"] == mail["subject"]), key=lambda one: one["id"])
    anew = app.client.post(f"/api/practice/mail/{newest['id']}/open").json()
    assert (say_yes(anew), say_yes(anew)) == (2, 2)
