"""Sessions that end, passwords that are changed, and tries that are counted."""

import pytest

from patient_courier.web import sign_in
from patient_courier.web.sign_in import COOKIE
from tests.web.conftest import PASSWORD


def attempt(app, password: str, email: str = "ines@mallowlane.example"):
    return app.client.post("/api/session", json={"email": email, "password": password})


def test_a_session_is_over_when_one_signs_out(app):
    kept = app.client.cookies[COOKIE]
    assert app.client.delete("/api/session").status_code == 204
    app.client.cookies.set(COOKIE, kept)
    assert app.client.get("/api/today").status_code == 401


def test_a_new_password_ends_every_session_and_begins_one_here(app):
    elsewhere = app.client.cookies[COOKIE]
    app.client.cookies.clear()
    app.sign_in()
    body = {"current": "not the one it is", "new": "a longer one than before"}
    assert app.client.put("/api/session/password", json=body).status_code == 422
    short = app.client.put("/api/session/password", json={"current": PASSWORD, "new": "short"})
    assert (short.status_code, "at least 10" in short.json()["detail"]) == (422, True)
    changed = app.client.put("/api/session/password", json={**body, "current": PASSWORD})
    assert changed.status_code == 200
    assert app.client.get("/api/today").status_code == 200
    app.client.cookies.clear()
    app.client.cookies.set(COOKIE, elsewhere)
    assert app.client.get("/api/today").status_code == 401
    app.client.cookies.clear()
    assert attempt(app, PASSWORD).status_code == 401
    assert attempt(app, "a longer one than before").status_code == 200


def test_after_ten_wrong_tries_the_right_one_has_to_wait_too(app):
    answers = [attempt(app, f"wrong {n}").status_code for n in range(14)]
    assert answers == [401] * 10 + [429] * 4
    refused = attempt(app, PASSWORD)
    assert refused.status_code == 429 and 0 < int(refused.headers["retry-after"]) <= 900
    assert "Wait 15 minutes" in refused.json()["detail"]
    # Others are not kept out by it.
    assert attempt(app, "x", "somebody@example.org").status_code == 401


def test_few_wait_for_a_password_to_be_checked(app, monkeypatch):
    monkeypatch.setattr(sign_in, "MOST_WAITING", 0)
    refused = attempt(app, PASSWORD)
    assert (refused.status_code, refused.headers["retry-after"]) == (429, "5")


@pytest.mark.parametrize("path", ["/openapi.json", "/docs", "/redoc"])
def test_strangers_get_no_map_of_the_api(app, path):
    assert "paths" not in app.client.get(path).text
