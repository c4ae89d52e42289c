"""Helpers: every route as every role, invitations that work once, forgotten passwords, sessions."""

from __future__ import annotations

import re
from collections import Counter
from email import message_from_bytes
from email.policy import default

import pytest
from argon2 import PasswordHasher
from sqlalchemy import select

from patient_courier.core.helpers.places import browser_words, network_of
from patient_courier.core.helpers.rights import RIGHTS, ROLES, may, rights_of
from patient_courier.store.base.tables import MailRow, UserRow
from patient_courier.web.app import describe
from patient_courier.web.rights import NEEDED, OWN, needed
from patient_courier.web.sign_in import CSRF_HEADER
from tests.waiting import until
from tests.web.conftest import PASSWORD, App, purchase

# What strangers may ask: signing in, setting up, the links of letters.
OPEN = {
    "GET /api/session", "POST /api/session", "POST /api/session/forgotten", "POST /api/session/new-password",
    "POST /api/set-up", "POST /api/set-up/look", "POST /api/invitations", "POST /api/invitations/look",
    "POST /api/session/passkey", "POST /api/session/second",
}  # fmt: skip
ROUTES = sorted(
    f"{method.upper()} {path}"
    for path, methods in describe().openapi()["paths"].items()
    for method in methods
    if path.startswith("/api/") and not path.startswith("/api/v1/")
)


def sign_in_as(app: App, role: str) -> None:
    quick = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
    email = f"{role}@mallowlane.example"
    with app.post_office.database.writing() as session:
        session.add(
            UserRow(email=email, name=role.title(), role=role, password=quick.hash(PASSWORD), places=[])
        )
    app.client.cookies.clear()
    answer = app.client.post("/api/session", json={"email": email, "password": PASSWORD})
    app.client.headers[CSRF_HEADER] = answer.json()["csrf"]


def test_every_route_stands_in_the_table_once_and_the_table_names_no_other():
    assert {*NEEDED, *OWN} == set(ROUTES) - OPEN
    assert not OWN & NEEDED.keys()
    assert needed("GET", "/api/something/new") == "keep"


def test_roles_hold_what_they_are_for_and_an_unknown_one_nothing():
    assert rights_of("owner") == set(RIGHTS) and rights_of("somebody") == frozenset()
    assert not may("writer", "students") and not may("support", "run") and not may("reader", "care")


@pytest.mark.parametrize("role", ["writer", "support", "reader", "somebody"])
def test_every_route_as_every_role(app, role):
    """Whether it lets them in is what the table says; what it answers then is another matter."""
    sign_in_as(app, role)
    seen: Counter[bool] = Counter()
    for route in ROUTES:
        if route in OPEN or route == "DELETE /api/session":
            continue
        method, path = route.split(" ")
        there = re.sub(r"\{(id|number|index|version)\}", "999999", path)
        answer = app.client.request(method, re.sub(r"\{[a-z_]+\}", "nothing", there), json={})
        right = needed(method, path)
        let_in = right is None or may(role, right)
        refused = answer.status_code == 403 and "Your role does not include this" in answer.text
        assert refused == (not let_in), (route, answer.status_code, answer.text[:200])
        seen[let_in] += 1
    assert seen[False] > 50 and (role == "somebody" or seen[True] > 40)


def test_a_writer_writes_drafts_and_changes_nothing_that_goes_out(app):
    app.report(purchase("ana"))
    app.settle()
    access = app.client.get("/api/letters/access").json()["body"]
    welcome = app.client.get("/api/sequences/welcome").json()["body"]
    sign_in_as(app, "writer")
    client = app.client
    for answer in (
        client.put("/api/letters/access", json={**access, "subject": "Mine"}),
        client.put("/api/sequences/welcome", json=welcome),
        client.put("/api/sequences/mine", json={**welcome, "key": "mine", "name": "Mine"}),
    ):
        assert answer.status_code == 403 and "uplicate" in answer.text, answer.text
    draft = {**welcome, "name": "Mine", "status": "draft"}
    assert client.put("/api/sequences/mine", json=draft).status_code == 200
    assert client.put("/api/letters/mine", json={**access, "name": "Mine"}).status_code == 200
    assert client.post("/api/sequences/mine/status", json={"status": "running"}).status_code == 403
    # A test to oneself, and to nobody else; whoever's eyes it is seen with, no address stands in it.
    letter = {**access, "subject": "To {{ student.email }}"}
    body = {"student": "ana", "letter": letter}
    assert (
        client.post("/api/letters/mine/test", json={**body, "readers": ["kai@example.org"]}).status_code
        == 403
    )
    sent = client.post("/api/letters/mine/test", json=body).json()
    assert sent["to"] == ["writer@mallowlane.example"] and sent["subject"] == "Test: To student@example.org"
    shown = client.post("/api/letters/preview", json=body).json()
    assert shown["subject"] == "To student@example.org"
    for path in sorted(
        route.removeprefix("GET ") for route in ROUTES if route.startswith("GET ") and "{" not in route
    ):
        text = client.get(path).text
        assert "ana@example.org" not in text and "kai@example.org" not in text, path
    assert [one["email"] for one in client.get("/api/students", params={"q": "ana@"}).json()["items"]] == [
        "",
        "",
    ]


def newest_link(app: App, to: str) -> str:
    def look() -> str | None:
        with app.post_office.database.reading() as session:
            row = session.scalar(select(MailRow).where(MailRow.recipient == to).order_by(MailRow.id.desc()))
        if row is None:
            return None
        text = message_from_bytes(row.raw, policy=default).get_body(("html",)).get_content()
        found = re.search(r'href="[^"]*/(?:invited|new-password)#([^"]+)"', text)
        return found[1] if found else None

    return until(look)


def test_an_invitation_works_once_and_who_is_let_go_is_out_at_once(app):
    client = app.client
    made = client.post(
        "/api/helpers/invitations", json={"email": "rui@example.org", "role": "support"}
    ).json()
    assert not made["posted"]  # only to the mailroom
    assert newest_link(app, "rui@example.org") == made["link"].partition("#")[2]
    owner = dict(client.cookies), client.headers[CSRF_HEADER]
    client.cookies.clear()
    key = made["link"].partition("#")[2]
    assert client.post("/api/invitations/look", json={"key": key}).json()["role"] == "support"
    short = client.post("/api/invitations", json={"key": key, "name": "Rui", "password": "short"})
    assert short.status_code == 422
    session = client.post("/api/invitations", json={"key": key, "name": "Rui", "password": PASSWORD}).json()
    assert session["role"] == "support" and "run" not in session["rights"]
    again = client.post("/api/invitations", json={"key": key, "name": "Other", "password": PASSWORD})
    assert again.status_code == 403 and "used" in again.text
    theirs = dict(client.cookies)
    client.cookies.clear()
    client.cookies.update(owner[0])
    client.headers[CSRF_HEADER] = owner[1]
    people = client.get("/api/helpers").json()
    (rui,) = [one for one in people["helpers"] if one["name"] == "Rui"]
    assert client.put(f"/api/helpers/{rui['id']}", json={"role": "reader"}).status_code == 200
    mine = next(one["id"] for one in people["helpers"] if one["you"])
    assert client.delete(f"/api/helpers/{mine}").status_code == 409
    assert client.delete(f"/api/helpers/{rui['id']}").status_code == 200
    client.cookies.clear()
    client.cookies.update(theirs)
    assert client.get("/api/today").status_code == 401


def test_a_forgotten_password_is_replaced_by_a_link_that_works_once_and_the_answer_tells_a_stranger_nothing(
    app,
):
    client = app.client
    client.cookies.clear()
    known = client.post("/api/session/forgotten", json={"email": "INES@mallowlane.example"})
    unknown = client.post("/api/session/forgotten", json={"email": "nobody@example.org"})
    assert (known.status_code, known.text) == (unknown.status_code, unknown.text)
    key = newest_link(app, "ines@mallowlane.example")
    fresh = {"key": key, "password": "another long password"}
    assert client.post("/api/session/new-password", json={**fresh, "key": key[:-2]}).status_code == 403
    assert client.post("/api/session/new-password", json=fresh).status_code == 200
    assert (
        client.post("/api/session/new-password", json={**fresh, "password": "a third password"}).status_code
        == 403
    )
    for password, status in ((PASSWORD, 401), ("another long password", 200)):
        body = {"email": "ines@mallowlane.example", "password": password}
        assert client.post("/api/session", json=body).status_code == status
    with app.post_office.database.reading() as session:
        assert session.scalar(select(MailRow.id).where(MailRow.recipient == "nobody@example.org")) is None
    codes = [
        client.post("/api/session/forgotten", json={"email": "a@example.org"}).status_code for _ in range(12)
    ]
    assert 429 in codes


def test_own_sessions_are_listed_and_ended_and_another_place_is_told(app):
    client = app.client
    first = dict(client.cookies)
    agent = "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0"
    body = {"email": "ines@mallowlane.example", "password": PASSWORD}
    client.cookies.clear()
    client.headers[CSRF_HEADER] = client.post(
        "/api/session", json=body, headers={"user-agent": agent}
    ).json()["csrf"]
    listed = client.get("/api/session/all").json()
    assert [one["this"] for one in listed] == [True, False] and listed[0]["program"] == "Firefox on Linux"
    assert client.delete(f"/api/session/all/{listed[1]['id']}").status_code == 204
    here = dict(client.cookies)
    client.cookies.clear()
    client.cookies.update(first)
    assert client.get("/api/today").status_code == 401
    client.cookies.clear()
    client.cookies.update(here)
    with app.post_office.database.writing() as session:
        session.scalars(select(UserRow)).one().places = ["192.0.2.0/24"]
    client.post("/api/session", json=body, headers={"user-agent": agent})

    def told() -> bool:
        with app.post_office.database.reading() as session:
            return "Somebody signed in as you" in list(session.scalars(select(MailRow.subject)))

    until(told)


def test_places_in_words():
    assert network_of("192.0.2.77") == "192.0.2.0/24" and network_of("2001:db8:1:2::3") == "2001:db8:1::/48"
    assert network_of("testclient") == "testclient" and browser_words("curl/8") == "" and len(ROLES) == 4
