"""A practice copy beside a real school: it reaches nobody, opens nothing, forgets whom it should, and is taken over as a draft."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator
from email import message_from_bytes
from email.policy import default
from pathlib import Path
from types import SimpleNamespace

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text, update

from patient_courier.core.helpers.made_up import made_up
from patient_courier.demo.loading import load_demo
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.practice_copy import PREFIX, path_of
from patient_courier.dispatch.practice_copy import make as make_file
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import SchoolRow, SettingRow
from patient_courier.web.app import create_app
from tests.browser.conftest import demo_file as demo_file
from tests.waiting import until
from tests.web.conftest import App, purchase


@pytest.fixture
def real(school_file, tmp_path) -> Iterator[App]:
    """A school on real time, whose letters would go to a mail server."""
    path = Path(shutil.copy(school_file, tmp_path / "school.db"))
    database = Database(path)
    with database.writing() as session:
        session.execute(text("DELETE FROM clock"))
        session.execute(update(SchoolRow).values(practice=False))
        server = {"host": "127.0.0.1", "port": 1, "security": "none", "user": "", "password": "swordfish"}
        session.add(SettingRow(name="posting", body={"server": server, "senders": [], "ever": True}))
    post = Post(database, Settings(smtp_host="", database=path))
    with TestClient(create_app(post)) as client:
        found = App(client, post)
        found.sign_in()
        yield found
    database.close()


def make(app: App, names: str = "real") -> str:
    app.client.post("/api/practice-copy", json={"names": names})
    made = until(lambda: (one := app.client.get("/api/practice-copy").json())["state"] != "making" and one)
    assert made["state"] == "ready", made
    return made["address"]


def copied(app: App) -> Database:
    return app.client.app.copy.open.served.post.database


def test_what_is_done_in_it_reaches_nobody_and_changes_nothing_in_the_school(real):
    client = real.client
    assert client.get(f"{PREFIX}/api/session").status_code == 404
    assert (
        client.post("/api/practice/do", json={"student": "ana", "do": "buy", "object": "bees"}).status_code
        == 409
    )
    copy = make(real)
    session = client.get(f"{copy}/api/session").json()
    assert session["copy_of_school"] and session["practice"] and session["role"] == "owner"
    with copied(real).reading() as inside:
        opens = "SELECT count(*) FROM settings WHERE name = 'posting' UNION ALL SELECT sum(password != '') FROM users"
        assert inside.execute(text(opens)).scalars().all() == [0, 0]
    offer = client.get(f"{copy}/api/practice/classroom/ana").json()["offers"][0]["key"]
    bought = {"student": "ana", "do": "buy", "object": offer}
    assert client.post(f"{copy}/api/practice/do", json=bought).json()["taken"] == 1
    inbox = until(lambda: client.get(f"{copy}/api/practice/inbox/ana").json())
    assert inbox[0]["subject"] == "Ana, come in"
    # Its links lead into the copy, and into nothing else.
    with copied(real).reading() as inside:
        raw = inside.execute(text("SELECT raw FROM mail")).scalars().one()
    told = message_from_bytes(raw, policy=default).get_body(("html",)).get_content()
    links = [link for link in re.findall(r'href="(http[^"]+)"', told) if "8484" in link]
    assert links and all(f":8484{PREFIX}/" in link for link in links)
    own = links[0].partition(PREFIX)[2]
    assert client.get(f"{copy}{own}").status_code == 200 and client.get(own).status_code in (404, 410)
    assert client.post(f"{copy}/api/clock", json={"to": "day"}).status_code == 200
    # The school knows nothing of it.
    assert client.get("/api/deliveries").json()["total"] == 0
    assert (
        client.get("/api/practice/inbox/ana").status_code == 409
        or client.get("/api/practice/inbox/ana").json() == []
    )
    for path in (
        "/api/helpers",
        "/api/school/mail",
        "/api/school/copies",
        "/api/practice-copy",
        "/api/api-keys",
    ):
        assert client.get(f"{copy}{path}").status_code == 409, path
    # Whoever signs out there has signed out.
    assert client.delete(f"{copy}/api/session").status_code == 204
    assert client.get("/api/today").status_code == 401


def test_with_made_up_names_nobody_is_found_in_it(real):
    real.report(purchase("ana"))
    until(lambda: real.client.get("/api/deliveries").json()["total"])
    real.client.put(
        "/api/students/ana", json={"first_name": "Anabela", "last_name": "Reis", "email": "ana@example.org"}
    )
    copy = make(real, "made_up")
    with copied(real).reading() as inside:
        tables = inside.execute(text("SELECT name FROM sqlite_master WHERE type = 'table'")).scalars().all()
        dump = "\n".join(
            str(inside.execute(text(f'SELECT * FROM "{one}"')).all()) for one in tables if one != "users"
        )
    for told in ("Anabela", "Reis", "ana@example.org", "kai@example.org", "swordfish"):
        assert told not in dump, told
    people = real.client.get(f"{copy}/api/students").json()["items"]
    assert len({one["email"] for one in people}) == 2
    # The letter that had gone out greets whom it is now for.
    (line,) = real.client.get(f"{copy}/api/deliveries").json()["items"]
    shown = real.client.get(f"{copy}/api/deliveries/{line['id']}").text
    assert "Ana," not in shown


def test_a_letter_and_a_sequence_are_taken_over_as_drafts_with_what_differs(real):
    client = real.client
    copy = make(real)
    assert client.get(f"{copy}/api/take-over/sequence/welcome").json() == {"parts": [], "faults": []}
    assert client.post(f"{copy}/api/take-over/sequence/welcome").status_code == 409
    body = client.get("/api/letters/year").json()["body"]
    client.put(f"{copy}/api/letters/year", json={**body, "subject": "Your year"})
    sequence = client.get("/api/sequences/welcome").json()["body"]
    steps = [{**step, "for": "P3D"} if step["id"] == "w" else step for step in sequence["steps"]]
    assert client.put(f"{copy}/api/sequences/welcome", json={**sequence, "steps": steps}).status_code == 200
    found = client.get(f"{copy}/api/take-over/sequence/welcome").json()
    assert [(part["title"], [tuple(line.values()) for line in part["lines"]]) for part in found["parts"]] == [
        ("Sequence “welcome”", [("steps · w · for", "1 day", "3 days")]),
        ("Letter “Year”", [("subject", body["subject"], "Your year")]),
    ]
    taken = client.post(f"{copy}/api/take-over/sequence/welcome").json()
    assert taken["to"] == "/sequences/welcome-2"
    draft = client.get("/api/sequences/welcome-2").json()
    assert draft["status"] == "draft" and draft["body"]["name"].endswith("(from practice)")
    letters = [step["letter"] for step in draft["body"]["steps"] if step["do"] == "send"]
    assert letters == ["access", "year-2"]
    assert client.get("/api/letters/year").json()["body"]["subject"] == body["subject"]
    assert client.get("/api/sequences/welcome").json()["body"] == sequence
    assert {one["title"] for one in client.get("/api/changes").json()["items"]} >= {
        "Letter “Year (from practice)” made"
    }
    # What the school lacks is said, and nothing is made.
    more = {"key": "spare", "title": "Spare", "modules": []}
    assert client.put(f"{copy}/api/courses/spare", json=more).status_code == 200
    added = client.put(
        f"{copy}/api/sequences/other",
        json={
            **sequence,
            "key": "other",
            "name": "Other",
            "starts": [{"on": "enrolled", "course": "spare"}],
            "status": "draft",
        },
    )
    assert added.status_code == 200, added.text
    refused = client.post(f"{copy}/api/take-over/sequence/other")
    assert refused.status_code == 409 and "spare" in refused.text
    assert client.get("/api/take-over/letter/year").status_code == 409


def test_it_is_thrown_away_by_a_click_with_the_next_one_and_after_two_weeks(real, monkeypatch):
    client, path = real.client, path_of(real.post_office.settings.database)
    make(real)
    first = copied(real)
    make(real)
    assert copied(real) is not first and path.exists()
    # One that can't be made leaves the one that is there.
    there = copied(real)
    with monkeypatch.context() as full:
        full.setattr("shutil.disk_usage", lambda where: SimpleNamespace(free=0))
        client.post("/api/practice-copy", json={"names": "real"})
        until(lambda: client.get("/api/practice-copy").json()["state"] != "making")
    told = client.get("/api/practice-copy").json()
    assert told["state"] == "ready" and "0 MB are free" in told["refused"]
    assert copied(real) is there and client.get(f"{PREFIX}/api/today").status_code == 200
    assert client.delete("/api/practice-copy").status_code == 200 and client.app.copy.open is None
    assert [one.name for one in path.parent.iterdir() if "practice" in one.name] == []
    make(real)
    copy = client.app.copy
    with copied(real).writing() as session:
        session.execute(
            text(
                "UPDATE settings SET body = replace(body, '\"made\":\"20', '\"made\":\"19') WHERE name = 'practice-copy'"
            )
        )
    copy.close()
    copy.begin()
    assert copy.open is None and not path.exists()
    # Also while it is being served: it is looked at every hour.
    make(real)
    copy._look()
    assert copy.open is not None
    monkeypatch.setattr("patient_courier.dispatch.practice_copy.DAYS", -1)
    copy._look()
    assert copy.open is None and not path.exists()
    titles = [one["title"] for one in client.get("/api/changes").json()["items"]]
    assert titles.count("Practice copy made") == 4 and "Practice copy thrown away" in titles


def test_a_damaged_copy_keeps_no_school_from_opening(real):
    path = path_of(real.post_office.settings.database)
    path.write_bytes(b"no school")
    real.client.app.copy.begin()
    assert real.client.app.copy.open is None and real.client.get("/api/today").status_code == 200
    make(real)


def test_of_the_demo_schools_students_nothing_is_left_with_made_up_names(demo_file, tmp_path):
    """Names, addresses, words, orders and numbers of certificates, in every table."""
    database = Database(Path(shutil.copy(demo_file, tmp_path / "school.db")))
    make_file(
        database, Settings(database=database.path, smtp_host=""), "made_up", load_demo, lambda more: None
    )
    with database.reading() as session:
        people = session.execute(text("SELECT key, email, last_name FROM students")).all()
        words = session.execute(text("SELECT words FROM words WHERE words != ''")).scalars().all()
        codes = session.execute(text("SELECT code FROM prints")).scalars().all()
        orders = (
            session.execute(text('SELECT "order" FROM purchases WHERE "order" IS NOT NULL')).scalars().all()
        )
    database.close()
    copied = Database(path_of(database.path))
    with copied.reading() as inside:
        tables = inside.execute(text("SELECT name FROM sqlite_master WHERE type = 'table'")).scalars().all()
        dump = "\n".join(str(inside.execute(text(f'SELECT * FROM "{one}"')).all()) for one in tables)
    copied.close()
    assert len(people) > 300 and len(codes) > 10 and words
    invented = {made_up(n).last_name for n in range(700)} | {made_up(n).first_name for n in range(30)}
    told = {
        one
        for row in people
        for one in (row.email, row.last_name)
        if one and one not in invented and len(one) > 4
    }
    assert not {one for one in {*told, *words, *codes} if one in dump}
    assert not {one for one in orders if len(one) > 6 and one in dump}
