"""How the school runs, over HTTP: its mail servers and the test letter, its copies, coming back from one."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from patient_courier.core.upkeep.pace import Pace
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.restoring import restore
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import ClockRow, DeliveryRow
from patient_courier.store.upkeep.failing import note_failing
from patient_courier.web.app import create_app
from tests.post.far_side import FarSide
from tests.waiting import until
from tests.web.conftest import App

SERVER: dict[str, Any] = {"host": "127.0.0.1", "port": 1, "security": "none", "user": "", "password": ""}


@contextmanager
def opened(path: Path) -> Iterator[App]:
    database = Database(path)
    post = Post(database, Settings(database=path, smtp_host=""))
    with TestClient(create_app(post)) as client:
        app = App(client, post)
        app.sign_in()
        yield app
    database.close()


@pytest.fixture
def path(school_file: Path, tmp_path: Path) -> Path:
    """A real school: without a clock of its own."""
    found = Path(shutil.copy(school_file, tmp_path / "school.db"))
    database = Database(found)
    with database.writing() as session:
        session.delete(session.get_one(ClockRow, 1))
    database.close()
    return found


@pytest.fixture
def app(path: Path) -> Iterator[App]:
    with opened(path) as found:
        yield found


def buy(app: App, student: str = "ana", **more: Any) -> None:
    at = real_now().format_iso()
    assert app.report(
        [{"type": "purchased", "at": at, "student": student, "offer": "bees-once", **more}]
    ).is_success


def statuses(app: App) -> list[str]:
    return [line["status"] for line in app.client.get("/api/deliveries").json()["items"]]


def test_a_server_is_kept_without_showing_its_password_and_takes_letters_from_the_next_one_on(app):
    far = FarSide()
    server = {**SERVER, "port": far.port, "user": "", "password": "", "a_minute": 60}
    found = app.client.put(
        "/api/school/mail", json={"server": server, "senders": ["bees@mallowlane.example"]}
    ).json()
    assert found["by"] == "screen" and found["server"]["a_minute"] == 60
    buy(app)
    until(lambda: statuses(app) == ["sent"])
    assert [to for to, _ in far.taken] == [["ana@example.org"]]
    # A password is written, and never shown again: not on screen, not in the file of the school.
    secret = {**server, "user": "ines", "password": "a secret of the server"}
    app.client.put("/api/school/mail", json={"server": secret})
    assert "a secret" not in app.client.get("/api/school/mail").text
    assert "a secret" not in app.client.get("/api/school/file").text
    kept = app.client.put("/api/school/mail", json={"server": {**secret, "password": None}}).json()
    assert kept["server"]["has_password"]
    # It goes to no other server than the one it was written for.
    elsewhere = {**secret, "host": "mail.example.net", "password": None}
    for answer in (
        app.client.put("/api/school/mail", json={"server": elsewhere}),
        app.client.post("/api/school/mail/test", json={"to": "ines@example.org", "server": elsewhere}),
    ):
        assert answer.status_code == 422 and "once more" in answer.json()["detail"]
    far.close()


def test_a_test_letter_tells_what_the_server_said_word_by_word_but_never_the_password(app):
    far = FarSide(
        lambda asked, count: "535 5.7.8 no such user" if asked == "AUTH" else "", extensions=("AUTH PLAIN",)
    )
    server = {**SERVER, "port": far.port, "user": "ines", "password": "wrong-word"}
    found = app.client.post("/api/school/mail/test", json={"to": "ines@example.org", "server": server}).json()
    assert not found["taken"] and "Copy both once more" in found["do"]
    assert {"who": "server", "words": "535 5.7.8 no such user"} in found["lines"]
    assert "wrong-word" not in str(found) and "AGluZXMAd3Jvbmctd29yZA" not in str(found)
    far.close()
    good = FarSide()
    found = app.client.post(
        "/api/school/mail/test", json={"to": "ines@example.org", "server": {**SERVER, "port": good.port}}
    ).json()
    assert found["taken"] and found["lines"][0] == {"who": "server", "words": "220 far side"}
    assert [to for to, _ in good.taken] == [["ines@example.org"]] and statuses(app) == []
    good.close()


def test_what_waits_for_the_pace_is_said_on_today_and_goes_out_in_its_time(app):
    far = FarSide()
    server = {**SERVER, "port": far.port, "a_minute": 1}
    app.client.put("/api/school/mail", json={"server": server})
    buy(app)
    until(lambda: len(far.taken) == 1)
    buy(app, "kai")
    until(lambda: sorted(statuses(app)) == ["queued", "sent"])
    assert "1 letter waits for the pace" in app.client.get("/api/today").json()["pace"]
    app.post_office.servers.pace = Pace(None, None)  # a minute later
    app.post_office.nudge()
    until(lambda: len(far.taken) == 2)
    assert app.client.get("/api/today").json()["pace"] is None
    far.close()


def test_after_a_day_of_refusing_letters_go_by_the_second_server_and_none_twice(app):
    first = FarSide(lambda asked, count: "550 5.7.1 not you" if asked == "MAIL" else "")
    second = FarSide()
    both = {"server": {**SERVER, "port": first.port}, "second": {**SERVER, "port": second.port}}
    app.client.put("/api/school/mail", json=both)
    buy(app)
    until(lambda: app.client.get("/api/school/mail").json()["refusing"] is not None)
    assert second.taken == [] and statuses(app) == ["queued"]
    with app.post_office.database.writing() as session:
        since = real_now().subtract(hours=25)
        note_failing(session, "server", None, since)
        note_failing(session, "server", "550 5.7.1 not you", since)
    app.post_office.use_servers()
    until(lambda: statuses(app) == ["sent"])
    assert len(second.taken) == 1 and first.taken == []
    titles = [one["title"] for one in app.client.get("/api/needs-you").json()]
    assert titles == ["Letters go by the second mail server"]
    first.close(), second.close()


def test_the_domain_is_asked_about_and_the_source_of_an_arrived_letter_read(app):
    app.post_office.settings.name_server = "127.0.0.1:1"  # nobody listens there
    found = app.client.post("/api/school/mail/domain", json={}).json()
    assert found["domain"] == "mallowlane.example" and {one["state"] for one in found["found"]} == {"unknown"}
    refused = app.client.post("/api/school/mail/domain", json={"source": "Dear Ines, hello"})
    assert refused.status_code == 422 and "Copy all of it" in refused.json()["detail"]
    assert app.client.post("/api/school/mail/domain", json={"address": "a@other.example"}).status_code == 422
    # The mail server's time stands in it: the check-up holds this machine's clock against it.
    source = "Received: by b; Mon, 30 Nov 2026 09:07:00 +0000\nFrom: a@bees.example\nDate: Mon, 30 Nov 2026 09:00:00 +0000\n\nHi"
    app.client.post("/api/school/mail/domain", json={"source": source})
    (clock,) = [one for one in app.client.get("/api/check-up").json() if one["about"] == "Clock"]
    assert clock["how"] == "serious" and "7 minutes slow" in clock["sentence"]


def test_copies_are_made_encrypted_and_downloaded(app, path):
    client = app.client
    until(
        lambda: len(client.get("/api/school/copies").json()["items"]) == 1
    )  # the first night's, at the start
    phrase = client.post("/api/school/copies/phrase").json()["phrase"]
    other = "legal winner thank year wave sausage worth useful legal winner thank yellow"
    for wrong in (other, " ".join(phrase.split()[:-1])):
        assert client.put("/api/school/copies/encryption", json={"phrase": wrong}).status_code == 422
    assert client.put("/api/school/copies/encryption", json={"phrase": phrase}).json()["encrypted"]
    assert client.post("/api/school/copies").status_code == 202
    until(lambda: len(client.get("/api/school/copies").json()["items"]) == 2)
    newest = client.get("/api/school/copies").json()["items"][0]
    assert newest["encrypted"] and newest["why"] == "by hand"
    assert client.get(f"/api/school/copies/{newest['name']}/file").content.startswith(
        b"age-encryption.org/v1"
    )
    assert client.get("/api/school/copies/..%2Fschool.db/file").status_code == 404
    wrong = client.put("/api/school/copies/places", json={"second": "copies"})
    assert wrong.status_code == 422 and "whole path" in wrong.json()["detail"]
    client.put("/api/school/copies/places", json={"second": str(path / "nowhere")})
    until(lambda: client.post("/api/school/copies").status_code == 202)
    until(lambda: client.get("/api/school/copies").json()["failing"] is not None)
    assert "was made, but not in" in client.get("/api/school/copies").json()["failing"]


def test_coming_back_holds_the_post_until_the_owner_has_said_of_each_group(path, tmp_path):
    with opened(path) as app:
        buy(app)
        until(lambda: statuses(app) == ["sent"])
        until(
            lambda: app.client.post("/api/school/copies").status_code == 202
        )  # the night's own may be on its way
        copy = until(lambda: next((tmp_path / "copies").glob("*by-hand.db"), None))
        buy(app, "kai")
        until(lambda: statuses(app) == ["sent", "sent"])
    restore(copy, Settings(database=path, smtp_host=""), lambda: "", replace=True)
    with opened(path) as app:
        client = app.client
        assert "Nothing is posted" in client.get("/api/frame").json()["coming_back"]
        # The shop sends once more what is lost; another purchase is new.
        database = app.post_office.database
        began = client.get("/api/coming-back").json()["began"]
        at = real_now().subtract(minutes=10).format_iso(unit="second")
        sale = [{"type": "purchased", "at": at, "student": "kai", "offer": "bees-once"}]
        assert app.report(sale, message="sent once more").is_success
        until(lambda: len(client.get("/api/coming-back").json()["groups"]) == 1)
        (group,) = client.get("/api/coming-back").json()["groups"]
        assert (group["number"], group["names"], group["fresh"]) == (1, ["kai@example.org"], False) and began
        assert client.post("/api/coming-back/finish").status_code == 409
        assert statuses(app).count("queued") == 1
        names = {name: group[name] for name in ("source", "letter", "day")}
        assert (
            client.post("/api/coming-back/groups", json={**names, "answer": "post"}).json()["groups"][0][
                "answer"
            ]
            == "post"
        )
        with database.reading() as session:
            known = session.get_one(DeliveryRow, 1)
            assert known.status == "sent"
        left = client.post("/api/coming-back/groups", json={**names, "answer": "taken"}).json()["groups"]
        assert left == [] and statuses(app) == ["sent", "sent"]
        assert client.post("/api/coming-back/finish").status_code == 204
        assert client.get("/api/frame").json()["coming_back"] is None
        inbox = client.get("/api/practice/inbox/kai")
        assert inbox.json() == []


def test_the_check_up_looks_at_the_school_and_needs_you_shows_what_fails(app, path):
    app.post_office.settings.name_server = "127.0.0.1:1"
    until(lambda: app.client.get("/api/school/copies").json()["items"])
    path.chmod(0o644)
    found = {one["about"]: one for one in app.client.get("/api/check-up").json()}
    assert found["Files"]["how"] == "serious" and str(path) in found["Files"]["sentence"]
    assert found["Mail"]["how"] == "serious" and found["Copies"]["how"] == "mend"
    assert (found["Database"]["how"], found["Disk"]["how"]) == ("good", "good")
    assert found["The school's address"]["how"] == "serious"  # nothing listens at its address here
    app.client.put("/api/school/copies/places", json={"second": str(path / "nowhere")})
    until(lambda: app.client.post("/api/school/copies").status_code == 202)
    needs = until(lambda: [one for one in app.client.get("/api/needs-you").json() if one["kind"] == "upkeep"])
    assert needs[0]["title"] == "No good copy is made" and needs[0]["body"] == {"place": "/school/copies"}


def test_a_school_in_which_nothing_is_due_rests(app):
    """Every worker says how long it may sleep: one that says not at all looks without end, and takes a processor for it."""
    app.settle()
    post = app.post_office
    for work in (post._wake, post._post, post._call, post._read_reports, post._keep_up):
        assert until(lambda work=work: work() >= 1)
