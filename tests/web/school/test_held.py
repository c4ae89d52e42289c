"""An older file put in place by hand: the running post notices and holds; links of lost letters lead to a kind page."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import pytest

from patient_courier.store.base.tables import DeliveryRow
from patient_courier.store.upkeep import progress
from tests.post.far_side import FarSide
from tests.waiting import until
from tests.web.school.test_running import SERVER, buy, opened, path, statuses

__all__ = ["path"]


def stop_link(raw: bytes) -> str:
    found = re.search(rb"List-Unsubscribe: <[^>]*(/post/stop/[^>]+)>", raw.replace(b"\r\n ", b""))
    assert found
    return found[1].decode()


def test_an_older_file_is_noticed_its_post_held_and_links_of_lost_letters_lead_nowhere_else(
    path: Path, tmp_path: Path
):
    far = FarSide()
    with opened(path) as app:
        app.client.put("/api/school/mail", json={"server": {**SERVER, "port": far.port}})
        buy(app)
        until(lambda: statuses(app) == ["sent"])
    older = Path(shutil.copy(path, tmp_path / "older.db"))
    with opened(path) as app:
        app.messages = 10  # the shop's own numbers go on
        buy(app, "kai")
        until(lambda: statuses(app) == ["sent", "sent"])
        lost = stop_link(far.taken[1][1])
        assert app.client.get(lost).status_code == 200
    shutil.copy(older, path)
    with opened(path) as app:
        client = app.client
        assert "Nothing is posted" in client.get("/api/frame").json()["coming_back"]
        # The lost letter's number is free; its link says so kindly, also when another letter has that number.
        answer = client.get(lost)
        assert answer.status_code == 410 and "This link is old" in answer.text
        assert client.get(stop_link(far.taken[0][1])).status_code == 200
        app.messages = 20
        buy(app, "kai")
        until(lambda: statuses(app).count("queued") == 1)
        assert client.get(lost).status_code == 410
        (group,) = client.get("/api/coming-back").json()["groups"]
        assert group["fresh"]  # bought after the coming back, so nobody can have it yet
        assert client.post("/api/coming-back/finish").status_code == 204
        until(lambda: statuses(app) == ["sent", "sent"])
        assert len(far.taken) == 3
        # Once is enough: the next start holds nothing back.
    with opened(path) as app:
        assert app.client.get("/api/frame").json()["coming_back"] is None
    far.close()


def test_what_a_log_proves_is_not_posted_and_reads_as_a_sentence(path: Path, tmp_path: Path):
    far = FarSide()
    with opened(path) as app:
        app.client.put("/api/school/mail", json={"server": {**SERVER, "port": far.port}})
        buy(app)
        until(lambda: statuses(app) == ["sent"])
        with app.post_office.database.writing() as session:
            # As it was before the letter went out, by which a copy would have been made.
            session.get_one(DeliveryRow, 1).status = "queued"
            row = session.get_one(DeliveryRow, 1)
            progress.begin_coming_back(session, row.at.subtract(hours=1), row.at.add(hours=1))
    with opened(path) as app:
        client = app.client
        (group,) = client.get("/api/coming-back").json()["groups"]
        assert (group["fresh"], group["answer"]) == (False, None)
        refused = client.post("/api/coming-back/finish")
        assert refused.status_code == 409 and "1 letter" in refused.json()["detail"]
        other = {"text": "status=sent <delivery-9.00000000000000000000@mallowlane.example>"}
        assert client.post("/api/coming-back/proof", json=other).json() == {"number": 0}
        log = far.taken[0][1].decode()
        assert client.post("/api/coming-back/proof", json={"text": log}).json() == {"number": 1}
        assert client.post("/api/coming-back/finish").status_code == 204
        line = client.get("/api/deliveries").json()["items"][0]
        assert line["status"] == "sent" and "the mail server's log names it" in line["reason"]
        assert len(far.taken) == 1
    far.close()


@pytest.mark.parametrize("wanted", ["bees@mallowlane.example", None])
def test_letters_about_a_course_come_from_its_own_address(path: Path, wanted: str | None):
    far = FarSide()
    with opened(path) as app:
        senders = ["bees@mallowlane.example"]
        app.client.put("/api/school/mail", json={"server": {**SERVER, "port": far.port}, "senders": senders})
        course = app.client.get("/api/courses/bees").json()["body"]
        saved = app.client.put("/api/courses/bees", json={**course, "sender_email": wanted})
        assert saved.status_code == 200, saved.text
        buy(app)
        until(lambda: statuses(app) == ["sent"])
        assert (
            app.client.put("/api/courses/bees", json={**course, "sender_email": "no address"}).status_code
            == 422
        )
    address = wanted or "ines@mallowlane.example"
    assert re.search(rf"From: [^\r]*<?{re.escape(address)}>?", far.taken[0][1].decode())
    far.close()
