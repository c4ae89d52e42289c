"""The beginning over HTTP: a start without a school serves the page that makes one, and then that school."""

from __future__ import annotations

from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from patient_courier.settings import Settings
from patient_courier.web import beginning as beginnings
from patient_courier.web.app import create_beginning

ANSWERS = {
    "school": "Mallow Lane Apiary School",
    "name": "Ines Valadares",
    "email": "ines@mallowlane.example",
    "postal_address": "Rua das Abelhas 4\nCascais",
    "timezone": "Europe/Lisbon",
    "password": "a long enough password",
}


@pytest.fixture
def settings(tmp_path: Path) -> Settings:
    return Settings(database=tmp_path / "inside" / "school.db", smtp_host="")


def test_the_link_makes_a_school_signs_its_owner_in_and_has_then_done_its_work(settings):
    made = create_beginning(settings)
    key = made.link.partition("#")[2]
    with TestClient(made) as client:
        assert client.get("/today").status_code == 503 and "no school here yet" in client.get("/").text
        assert client.post("/intake/events", content="[]").status_code == 503
        assert client.post("/api/set-up/look", json={"key": "guessed"}).status_code == 403
        assert "Europe/Lisbon" in client.post("/api/set-up/look", json={"key": key}).json()["zones"]
        for wrong, said in (
            ({"email": "ines"}, "e-mail address"),
            ({"timezone": "Atlantis"}, "Atlantis"),
            ({"password": "short"}, "10 characters"),
            ({"school": "  "}, "empty"),
        ):
            answer = client.post("/api/set-up", json={"key": key, **ANSWERS, **wrong})
            assert answer.status_code == 422 and said in answer.json()["detail"], answer.text
        assert not settings.database.exists()
        assert client.post("/api/set-up", json={"key": "guessed", **ANSWERS}).status_code == 403
        session = client.post("/api/set-up", json={"key": key, **ANSWERS}).json()
        assert session["school"] == ANSWERS["school"] and not session["practice"]
        # The same program serves the school now, and its owner is signed in.
        school = client.get("/api/school").json()["body"]
        assert (
            school["postal_address"] == ANSWERS["postal_address"]
            and school["sender"]["email"] == ANSWERS["email"]
        )
        assert client.post("/api/set-up", json={"key": key, **ANSWERS}).status_code == 409
        # Somebody else is not signed in by it.
        client.cookies.clear()
        assert client.get("/api/school").status_code == 401
    assert not list(settings.database.parent.glob("*.new*"))


def test_an_hour_later_the_link_has_ended(settings, monkeypatch):
    made = create_beginning(settings)
    real = beginnings.time.monotonic
    monkeypatch.setattr(beginnings.time, "monotonic", lambda: real() + beginnings.LINK_SECONDS + 1)
    with TestClient(made) as client:
        answer = client.post("/api/set-up", json={"key": made.link.partition("#")[2], **ANSWERS})
    assert answer.status_code == 403 and "prints a new one" in answer.json()["detail"]


def test_a_folder_that_can_not_be_written_is_said_and_can_be_mended(tmp_path):
    (tmp_path / "wall").write_text("a file")
    made = create_beginning(Settings(database=tmp_path / "wall" / "school.db", smtp_host=""))
    key = made.link.partition("#")[2]
    with TestClient(made) as client:
        answer = client.post("/api/set-up", json={"key": key, **ANSWERS})
        assert answer.status_code == 503 and "can't be written here" in answer.json()["detail"]
        (tmp_path / "wall").unlink()
        assert client.post("/api/set-up", json={"key": key, **ANSWERS}).status_code == 200
