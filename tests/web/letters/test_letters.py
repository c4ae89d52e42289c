"""Letters over HTTP: layouts, pictures, versions, figures, proof copies, files in and out."""

import io
import json
import re
from email import message_from_bytes, policy
from urllib.parse import parse_qs, urlsplit

import pytest
from PIL import Image
from sqlalchemy import text

from tests.waiting import until
from tests.web.conftest import purchase

OWN = '<div><script>alert(1)</script>{{ content }}<p onclick="x()">{{ school.postal_address }} <a href="{{ links.stop }}">stop</a></p></div>'


def upload(app):
    raw = io.BytesIO()
    Image.new("RGB", (60, 30), "#46653f").save(raw, "PNG")
    answer = app.client.post("/api/pictures", params={"name": "hive.png"}, content=raw.getvalue())
    assert answer.status_code == 201
    return answer.json()


def save(app, **more):
    body = {**app.client.get("/api/letters/access").json()["body"], **more}
    return app.client.put("/api/letters/access", json=body)


def seen(app, **more):
    body = {**app.client.get("/api/letters/access").json()["body"], **more}
    return app.client.post(
        "/api/letters/preview", json={"letter": body, "student": "ana", "course": "bees"}
    ).json()


def test_letters_follow_their_layout_and_a_course_has_its_own(app):
    plain = app.client.get("/api/layouts").json()["plain"]
    first = app.client.put(
        "/api/layouts/school",
        json={**plain, "name": "School", "ground": "#112233", "footer": "From the garden"},
    )
    assert first.json()["school"] is True  # the first one is the school's
    assert "#112233" in seen(app)["html"] and "From the garden" in seen(app)["text"]
    app.client.put("/api/layouts/bees", json={**plain, "name": "Bees", "ground": "#445566"})
    used = app.client.put("/api/layouts/bees/use", json={"school": False, "courses": ["bees"]}).json()
    assert used["courses"] == ["bees"] and "#445566" in seen(app)["html"]
    assert app.client.delete("/api/layouts/bees").status_code == 409
    assert save(app, layout="school").status_code == 200
    assert "#112233" in seen(app)["html"]
    assert save(app, layout="none").status_code == 422
    wrong = app.client.put("/api/layouts/x", json={**plain, "name": "X", "ink": "red"})
    assert (wrong.status_code, wrong.json()["detail"].split(":")[0]) == (422, "ink")
    three = app.client.post(
        "/api/layouts/preview", json={"layout": {**plain, "ink": "#cccccc"}, "student": "ana"}
    ).json()
    assert len(three["letters"]) == 2 and three["findings"][0]["mend"]["target"] == "layout"


def test_a_pasted_frame_needs_its_places_and_loses_what_runs(app):
    plain = app.client.get("/api/layouts").json()["plain"]
    lacking = app.client.put(
        "/api/layouts/own", json={**plain, "name": "Own", "html": "<p>{{ content }}</p>"}
    )
    assert lacking.status_code == 422
    assert "the link to stop" in lacking.json()["detail"] and "postal address" in lacking.json()["detail"]
    assert app.client.put("/api/layouts/own", json={**plain, "name": "Own", "html": OWN}).status_code == 200
    html = seen(app)["html"]
    assert "Hello Ana" in html and "/stop" in html and "alert" not in html and "onclick" not in html
    # The letter's own text is no frame.
    assert save(app, blocks=[{"kind": "text", "html": "<p>{{ '{{ content }}' }}</p>"}]).status_code == 422


def test_a_picture_is_shown_to_everybody_exported_and_thrown_away_once_nothing_shows_it(app):
    picture = upload(app)
    save(app, blocks=[{"kind": "picture", "url": picture["path"], "alt": "A hive"}])
    assert f"http://127.0.0.1:8484{picture['path']}" in seen(app)["html"]
    assert app.client.delete(f"/api/pictures/{picture['key']}").status_code == 409
    cookies = app.client.cookies
    app.client.cookies = {}
    shown = app.client.get(picture["path"])
    assert (
        shown.headers["content-type"] in ("image/jpeg", "image/png")
        and "immutable" in shown.headers["cache-control"]
    )
    app.client.cookies = cookies
    file = app.client.get("/api/school/file").json()
    assert [one["key"] for one in file["pictures"]] == [picture["key"]]
    assert app.client.post("/api/pictures", content=b"<svg/>").status_code == 422
    other = app.client.get("/pictures/" + "0" * 32 + ".png")
    assert other.status_code == 404
    assert save(app, blocks=[{"kind": "picture", "url": "/etc/passwd", "alt": "x"}]).status_code == 200
    assert 'src="#"' in seen(app)["html"]


def test_versions_say_what_changed_and_lead_back(app):
    first = app.client.get("/api/letters/access").json()["body"]
    save(app, subject="{{ student.first_name | default('Hello') }}, please come in")
    versions = app.client.get("/api/letters/access/versions").json()
    assert [one["version"] for one in versions] == [2, 1]
    pieces = versions[0]["changes"][0]["pieces"]
    assert ("added", "please ") in [(piece["how"], piece["text"]) for piece in pieces]
    assert app.client.put("/api/letters/access", json=versions[1]["body"]).json()["version"] == 3
    assert app.client.get("/api/letters/access").json()["body"] == first


def test_whom_a_change_reaches_is_played_ahead(app):
    app.report(purchase("ana"))
    app.report(purchase("kai"))
    found = app.client.get("/api/letters/year/next").json()
    assert (found["total"], found["inside"]) == (2, 2)
    assert [(one["name"], one["at"]) for one in found["first"]] == [
        ("Ana", "Mon 2 Mar, 21:00"),
        ("kai@example.org", "Tue 3 Mar, 10:00"),
    ]


def test_what_became_of_it_by_link_version_and_step_with_names(app, monkeypatch):
    monkeypatch.setattr("patient_courier.dispatch.visits.WAIT_SECONDS", 0.2)
    monkeypatch.setattr("patient_courier.core.letters.visits.TOO_SOON_SECONDS", 0)
    save(
        app,
        blocks=[
            {"kind": "button", "label": "Go", "url": "{{ school.name }}"},
            {"kind": "button", "label": "Go", "url": "https://learn.example/a"},
        ],
    )
    app.report(purchase("ana"))
    app.report(purchase("kai"))
    html = app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()["html"]
    go = re.findall(r"http://127\.0\.0\.1:8484(/post/go/[^\s\"<>]+)", html)
    assert len(go) == 1  # what is no address leads nowhere
    app.client.get(go[0], follow_redirects=False)
    app.client.head(go[0], follow_redirects=False)
    found = until(lambda: clicked(app))
    assert found["links"] == [{"link": "https://learn.example/a", "students": 1, "machines": 1}]
    figures = {one["what"]: one for one in found["figures"]}
    assert (figures["posted"]["number"], figures["clicked"]["number"], figures["clicked"]["small"]) == (
        2,
        1,
        True,
    )
    assert [(one["version"], one["posted"]) for one in found["versions"]] == [(2, 2)]
    step = found["steps"][0]
    names = app.client.get(
        "/api/letters/access/figures/clicked", params={"sequence": step["sequence"], "step": step["step"]}
    ).json()
    assert [one["key"] for one in names["items"]] == ["ana"]
    followed = {"link": "https://learn.example/a", "week": found["weeks"][0]["begins"]}
    names = app.client.get("/api/letters/access/figures/clicked", params=followed).json()
    assert [one["key"] for one in names["items"]] == ["ana"]
    assert app.client.get("/api/letters/access/figures", params={"week": "soon"}).status_code == 422
    none = app.client.get("/api/letters/access/figures", params={"version": 1}).json()
    assert none["counts"]["posted"] == 0


def clicked(app):
    """A letter's figures, once a click is among them."""
    found = app.client.get("/api/letters/access/figures").json()
    return found if found["links"] and found["links"][0]["students"] else None


def copies(app):
    """What a proofreader has in their inbox, once the outbox has noted that nobody is shown more."""
    if app.client.get("/api/letters/access/proofs").json()["left"]:
        return None
    query = text("SELECT raw FROM mail WHERE recipient = 'proof@example.net'")
    with app.post_office.database.reading() as session:
        return session.execute(query).scalars().all()


def test_proof_copies_show_the_next_ones_without_the_students_address(app):
    asked = app.client.put(
        "/api/letters/access/proofs", json={"readers": ["proof@example.net", "no"], "number": 1}
    )
    assert asked.status_code == 422
    asked = app.client.put("/api/letters/access/proofs", json={"readers": ["proof@example.net"], "number": 1})
    assert asked.json() == {"readers": ["proof@example.net"], "left": 1}
    app.report(purchase("ana"))
    app.report(purchase("kai"))
    app.settle()
    raws = until(lambda: copies(app))
    (copy,) = [message_from_bytes(raw, policy=policy.default) for raw in raws]
    assert copy["Subject"] == "Copy: Ana, come in" and "/post/test/" in copy["List-Unsubscribe"]
    assert not any("ana@example.org" in str(value) for value in copy.values())
    assert app.client.get("/api/letters/access/proofs").json()["left"] == 0
    assert len(app.inbox("ana")) == len(app.inbox("kai")) == 1


EML = b"From: a@example.org\r\nSubject: =?utf-8?q?Caf=C3=A9?=\r\nMIME-Version: 1.0\r\nContent-Type: multipart/alternative; boundary=x\r\n\r\n--x\r\nContent-Type: text/plain\r\n\r\nplain\r\n--x\r\nContent-Type: text/html; charset=utf-8\r\n\r\n<html><head><style>p{}</style></head><body><table><tr><td>One</td><td><b onclick=x>Two</b></td></tr></table><hr><p>Three</p><script>x</script></body></html>\r\n--x--\r\n"


@pytest.mark.parametrize(
    ("name", "raw", "subject", "html"),
    [
        ("a.eml", EML, "Café", ["One", "<b>Two</b>", "<p>Three</p>"]),
        ("a.html", b"<title>Hello</title><p>One <i>two</i></p>", "Hello", ["<p>One <i>two</i></p>"]),
        ("a.md", "# Ol\u00e1\n\nOne **two**, <script>x</script>\n\n* a\n* b\n\n---\n\nlast".encode(), "Olá", ["<strong>two</strong>", "<li>a</li>", "<p>last</p>"]),
        ("a.md", "Gr\u00fc\u00dfe aus dem Garten, sch\u00f6ne Gr\u00fc\u00dfe".encode("latin-1"), "", ["Grüße"]),
    ],
)  # fmt: skip
def test_a_letter_comes_in_from_a_file_clean(app, name, raw, subject, html):
    found = app.client.post("/api/letters/read", params={"name": name}, content=raw).json()
    whole = json.dumps(found["blocks"], ensure_ascii=False)
    assert found["subject"] == subject and all(piece in whole for piece in html)
    assert "onclick" not in whole and "<script" not in whole and "p{}" not in whole
    body = {"name": "From a file", "purpose": "news", "subject": found["subject"], "blocks": found["blocks"]}
    assert app.client.put("/api/letters/from-a-file", json=body).status_code == 200


@pytest.mark.parametrize(
    ("name", "raw"),
    [
        ("a.doc", b"x"),
        ("a.eml", b""),
        ("a.html", b"<p> </p>"),
        ("a.eml", b"Content-Type: text/plain; charset=nonsense\r\n\r\n\xff"),
    ],
)
def test_what_is_no_letter_is_refused(app, name, raw):
    assert app.client.post("/api/letters/read", params={"name": name}, content=raw).status_code == 422


def test_a_letter_goes_out_as_a_file_is_doubled_begun_from_a_starter_and_thrown_away(app):
    starters = app.client.get("/api/letters/starters").json()
    assert {"access", "nudge", "live-session", "refund"} <= {one["key"] for one in starters}
    key = app.client.post(
        "/api/letters/starters", json={"starter": "live-session", "name": "Evening"}
    ).json()["key"]
    file = app.client.get(f"/api/letters/{key}/file", params={"form": "eml", "student": "ana"})
    mail = message_from_bytes(file.content, policy=policy.default)
    assert (
        mail["To"] == "ines@mallowlane.example"
        and [part.get_content_type() for part in mail.walk()][-1] == "text/calendar"
    )
    assert (
        "<html" in app.client.get(f"/api/letters/{key}/file", params={"form": "html", "student": "ana"}).text
    )
    twin = app.client.post(f"/api/letters/{key}/duplicate", json={"name": ""}).json()["key"]
    assert twin != key and app.client.get(f"/api/letters/{twin}").json()["body"]["name"] == "Evening (copy)"
    assert app.client.delete(f"/api/letters/{twin}").status_code == 204
    assert app.client.get(f"/api/letters/{twin}").status_code == 404
    used = app.client.delete("/api/letters/access")
    assert used.status_code == 409 and "welcome" in used.json()["detail"]


def test_the_picker_says_what_would_be_printed_and_why_some_can_not_be_filled(app):
    fields = {
        one["name"]: one
        for one in app.client.get("/api/letters/access/fields", params={"student": "ana"}).json()
    }
    assert fields["student.first_name"]["value"] == "Ana" and fields["student.first_name"]["lacking"] == 1
    assert "welcome" in fields["quiz.score"]["why"] and fields["course.title"]["why"] is None
    someone = app.client.post("/api/letters/someone", json={"condition": {"is": "news_on"}}).json()
    assert someone == {"students": 1, "student": "ana"}
    assert app.client.get("/api/letters/examples").json()["nameless"] == "kai"


def test_a_sender_for_a_course_and_where_answers_go(app):
    course = app.client.get("/api/courses/bees").json()["body"]
    app.client.put("/api/courses/bees", json={**course, "sender_name": "Ines of the bees"})
    plan = app.client.get("/api/sequences/welcome").json()["body"]
    app.client.put("/api/sequences/welcome", json={**plan, "reply_to": "help@mallowlane.example"})
    app.report(purchase("ana"))
    mail = app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()
    headers = dict(mail["headers"])
    assert headers["From"] == "Ines of the bees <ines@mallowlane.example>"
    assert headers["Reply-To"] == "help@mallowlane.example"
    save(app, reply_to="desk@mallowlane.example")
    app.report(purchase("kai"))
    headers = dict(app.client.post(f"/api/practice/mail/{app.inbox('kai')[0]['id']}/open").json()["headers"])
    assert headers["Reply-To"] == "desk@mallowlane.example"


def test_visits_tell_the_owners_own_statistics_where_they_come_from(app):
    """What is there already in an address stays; read back by urllib (RFC 3986 section 3.4)."""
    school = app.client.get("/api/school").json()["body"]
    campaign = {"source": "letters & more", "medium": "email", "campaign": None}
    app.client.put("/api/school", json={"body": {**school, "campaign": campaign}})
    save(
        app,
        blocks=[{"kind": "button", "label": "Go", "url": "https://learn.example/a?x=1&utm_medium=own#top"}],
    )
    app.report(purchase("ana"))
    html = app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()["html"]
    go = re.search(r"http://127\.0\.0\.1:8484(/post/go/[^\s\"<>]+)", html)[1]
    url = urlsplit(app.client.get(go, follow_redirects=False).headers["location"])
    assert parse_qs(url.query) == {
        "x": ["1"],
        "utm_medium": ["own"],
        "utm_source": ["letters & more"],
        "utm_campaign": ["access"],
    }
    assert (url.path, url.fragment) == ("/a", "top")


def test_a_new_layout_changes_nothing_about_where_the_links_of_a_posted_letter_lead(app):
    blocks = [{"kind": "button", "label": "One", "url": "https://learn.example/1"}, {"kind": "signature"}, {"kind": "button", "label": "Two", "url": "https://learn.example/2"}]  # fmt: skip
    save(app, blocks=blocks)
    app.report(purchase("ana"))
    html = app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()["html"]
    go = re.findall(r"http://127\.0\.0\.1:8484(/post/go/[^\s\"<>]+)", html)
    leads = [app.client.get(one, follow_redirects=False).headers["location"] for one in go]
    assert leads == ["https://learn.example/1", "https://learn.example/2"]
    school = app.client.get("/api/school").json()["body"]
    links = [{"label": "Garden", "url": "https://garden.example/"}]
    signature = {"name": "Ines", "text": "", "picture": None, "links": links}
    app.client.put("/api/school", json={"body": {**school, "signature": signature}})
    plain = app.client.get("/api/layouts").json()["plain"]
    app.client.put("/api/layouts/new", json={**plain, "name": "New", "links": links})
    assert [app.client.get(one, follow_redirects=False).headers["location"] for one in go] == leads
    assert 'href="https://garden.example/"' in seen(app)["html"]
