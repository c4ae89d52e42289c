"""A second step: an app's codes, recovery codes, being asked once more, and what is left when the telephone is lost."""

from __future__ import annotations

import pyotp
import pytest
from sqlalchemy import select, update

from patient_courier.store.base.tables import ChangeRow, MailRow, SessionRow, UserRow
from patient_courier.web.challenges import MOST, Challenges
from patient_courier.web.passkeys import work_at
from patient_courier.web.rights import NEEDED, OWN, wants_proof
from patient_courier.web.sign_in import CSRF_HEADER
from tests.waiting import until
from tests.web.conftest import PASSWORD, App
from tests.web.frame.test_commands import run
from tests.web.frame.test_helpers import newest_link, sign_in_as

INES = {"email": "ines@mallowlane.example", "password": PASSWORD}


def set_up_app(app: App) -> tuple[pyotp.TOTP, list[str]]:
    asked = app.client.post("/api/session/app").json()
    shown = pyotp.TOTP(asked["secret"])
    wrong = app.client.put("/api/session/app", json={"ticket": asked["ticket"], "code": "000000"})
    assert wrong.status_code == 422 and "clock" in wrong.text
    kept = app.client.put("/api/session/app", json={"ticket": asked["ticket"], "code": shown.now()})
    assert kept.status_code == 200
    return shown, kept.json()["codes"]


def used_code(app: App, shown: pyotp.TOTP) -> str:
    """The code that was used last."""
    with app.post_office.database.reading() as session:
        return shown.generate_otp(max(session.scalars(select(UserRow.app_step))))


def forget_the_last_step(app: App) -> None:
    """As when half a minute has passed."""
    with app.post_office.database.writing() as session:
        session.execute(update(UserRow).values(app_step=UserRow.app_step - 5))


def grow_stale(app: App) -> None:
    """As when a session was begun hours ago."""
    with app.post_office.database.writing() as session:
        session.execute(update(SessionRow).values(proved=None))


def test_the_password_alone_opens_nothing_any_more_and_each_code_works_once(app):
    client = app.client
    shown, recovery = set_up_app(app)
    assert len(set(recovery)) == 10
    client.cookies.clear()
    step = client.post("/api/session", json=INES).json()
    assert step["code"] and not step["passkey"] and "csrf" not in step
    assert client.get("/api/today").status_code == 401
    used = {"ticket": step["ticket"], "code": used_code(app, shown)}
    assert client.post("/api/session/second", json=used).status_code == 422  # the one that set it up
    forget_the_last_step(app)
    assert client.post("/api/session/second", json={**used, "code": shown.now()}).status_code == 200
    assert client.get("/api/today").status_code == 200
    assert client.post("/api/session/second", json=used).status_code == 403  # the ticket has done its work
    # A recovery code, typed as one reads it, once.
    for expected in (200, 422):
        ticket = client.post("/api/session", json=INES).json()["ticket"]
        typed = {"ticket": ticket, "code": recovery[3].upper().replace("-", " ")}
        assert client.post("/api/session/second", json=typed).status_code == expected
    assert client.get("/api/session/steps").json()["codes"] == 9


def test_codes_cannot_be_tried_through(app):
    set_up_app(app)
    ticket = app.client.post("/api/session", json=INES).json()["ticket"]
    answers = [
        app.client.post("/api/session/second", json={"ticket": ticket, "code": f"{n:06}"}).status_code
        for n in range(12)
    ]
    assert answers[-1] == 429 and 200 not in answers


def test_a_link_for_a_new_password_does_not_go_round_the_second_step(app):
    shown, _ = set_up_app(app)
    app.client.cookies.clear()
    app.client.post("/api/session/forgotten", json={"email": INES["email"]})
    key = newest_link(app, INES["email"])
    answer = app.client.post("/api/session/new-password", json={"key": key, "password": "another password"})
    assert answer.json()["code"] and app.client.get("/api/today").status_code == 401
    forget_the_last_step(app)
    with_code = {"ticket": answer.json()["ticket"], "code": shown.now()}
    assert app.client.post("/api/session/second", json=with_code).status_code == 200


def test_keys_exports_erasing_and_helpers_are_asked_for_once_more(app):
    client = app.client
    wanting = {line for line in {*NEEDED, *OWN} if wants_proof(*line.split(" "))}
    assert {
        "GET /api/school/file", "POST /api/students/{key}/erase", "POST /api/api-keys", "POST /api/helpers/invitations",
        "GET /api/students/{key}/everything", "POST /api/signing-keys", "GET /api/school/copies/{name}/file",
    } <= wanting  # fmt: skip
    assert not {"GET /api/today", "GET /api/helpers", "PUT /api/letters/{key}"} & wanting
    assert client.get("/api/school/file").status_code == 200
    grow_stale(app)
    refused = client.get("/api/school/file")
    assert refused.status_code == 403 and refused.headers["X-Prove"] == "again"
    assert client.post("/api/students/ana/erase").status_code == 403
    assert client.get("/api/session/proved").status_code == 403
    # Without a second step, the password.
    assert client.get("/api/session/proof").json() == {"password": True, "code": False, "passkey": False}
    assert client.post("/api/session/proof", json={"password": "not the password"}).status_code == 422
    assert client.post("/api/session/proof", json={"password": PASSWORD}).status_code == 204
    assert client.get("/api/session/proved").status_code == 204
    # With one, that: the password is no proof any more.
    recovery = set_up_app(app)[1]
    grow_stale(app)
    assert client.get("/api/session/proof").json()["password"] is False
    assert client.post("/api/session/proof", json={"password": PASSWORD}).status_code == 422
    assert client.post("/api/session/proof", json={"code": recovery[0]}).status_code == 204
    assert client.get("/api/school/file").status_code == 200


def test_what_is_taken_away_is_told_and_codes_end_with_the_last_step(app):
    set_up_app(app)
    assert app.client.delete("/api/session/app").status_code == 204
    assert app.client.get("/api/session/steps").json()["codes"] == 0
    assert app.client.post("/api/session/recovery-codes").status_code == 409
    assert "csrf" in app.client.post("/api/session", json=INES).json()

    def told() -> bool:
        with app.post_office.database.reading() as session:
            return "The codes of your app are not asked for any more" in list(
                session.scalars(select(MailRow.subject))
            )

    until(told)  # fmt: skip


def test_who_has_lost_everything_is_helped_by_the_owner_or_at_a_shell(app, monkeypatch):
    client = app.client
    owner = dict(client.cookies), client.headers[CSRF_HEADER]
    sign_in_as(app, "support")
    set_up_app(app)
    client.cookies.clear()
    client.cookies.update(owner[0])
    client.headers[CSRF_HEADER] = owner[1]
    (other,) = [one for one in client.get("/api/helpers").json()["helpers"] if not one["you"]]
    assert other["second_step"]
    after = client.delete(f"/api/helpers/{other['id']}/second-step").json()
    assert not any(one["second_step"] for one in after["helpers"])
    theirs = {"email": "support@mallowlane.example", "password": PASSWORD}
    assert "csrf" in client.post("/api/session", json=theirs).json()
    client.cookies.clear()
    client.cookies.update(owner[0])
    set_up_app(app)
    monkeypatch.setenv("PATIENT_COURIER_DATABASE", str(app.post_office.database.path))
    assert run("second-step-off", "--help").exit_code == 0
    done = run("second-step-off", given=f"{INES['email']}\n")
    assert done.exit_code == 0 and "password alone" in done.output
    with app.post_office.database.reading() as session:
        assert "At the command line" in list(session.scalars(select(ChangeRow.who)))
    assert "csrf" in client.post("/api/session", json=INES).json()


@pytest.mark.parametrize(
    ("address", "works"),
    [
        ("https://post.mallowlane.example", True),
        ("http://localhost:8484", True),
        ("http://post.mallowlane.example", False),
        ("https://192.0.2.7", False),
        ("http://[::1]:8484", False),
    ],
)
def test_where_passkeys_can_be(address, works):
    assert work_at(address) is works


def test_strangers_who_ask_without_end_are_forgotten_the_oldest_first():
    asked = Challenges()
    first = asked.ask("sign in", None, b"x")
    tickets = [asked.ask("sign in", 1) for _ in range(MOST)]
    assert asked.look(first, "sign in") is None and asked.look(tickets[0], "sign in") is not None
    assert asked.take(tickets[0], "prove") is None and asked.take(tickets[0], "sign in") is not None
    assert asked.take(tickets[0], "sign in") is None


def test_a_new_password_gives_a_session_no_proof_that_it_had_not(app):
    set_up_app(app)
    grow_stale(app)
    changed = app.client.put(
        "/api/session/password", json={"current": PASSWORD, "new": "another long password"}
    )
    assert changed.status_code == 200
    app.client.headers[CSRF_HEADER] = changed.json()["csrf"]
    for asked in (app.client.get("/api/school/file"), app.client.delete("/api/session/app")):
        assert asked.status_code == 403 and asked.headers["X-Prove"] == "again"
