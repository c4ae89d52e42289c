"""The stand-in list as a destination: it takes, tells repeats, checks signatures, and behaves badly when told to."""

from __future__ import annotations

import json

import pytest
from starlette.testclient import TestClient

from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.outgoing import signed
from patient_courier.practice.stand_ins.pages import stand_in
from patient_courier.store.school.secrets import signing_key

BODY = json.dumps({"type": "purchased", "data": {"student": {"email": "<b>ana</b>@example.org"}}})


@pytest.fixture
def listener() -> TestClient:
    return TestClient(stand_in("list"))


def behave(listener: TestClient, manner: str, secret: str = "") -> None:
    assert listener.post("/manner", data={"manner": manner, "secret": secret}).status_code == 200


def hear(listener: TestClient, key: str = "msg_1", secret: str | None = None, body: str = BODY) -> int:
    headers = signed((secret or signing_key(),), key, real_now(), body)
    return listener.post("/hear", content=body, headers=headers).status_code


def test_it_takes_what_comes_and_tells_what_it_has_had_before(listener):
    assert [hear(listener), hear(listener), hear(listener, "msg_2")] == [204, 204, 204]
    page = listener.get("/").text
    assert page.count("had it before") == 1 and page.count("purchased: &lt;b&gt;ana") == 3
    assert hear(listener, "msg_3", body="[]") == 204 and "no message of a school" in listener.get("/").text


def test_with_a_secret_it_takes_only_what_is_signed_with_it(listener):
    secret = signing_key()
    behave(listener, "well", secret)
    assert (hear(listener, secret=secret), hear(listener, "msg_2")) == (204, 401)
    assert "signed well" in listener.get("/").text


@pytest.mark.parametrize(("manner", "status"), [("fails", 500), ("busy", 503), ("gone", 410)])
def test_it_behaves_badly_when_told_to(listener, manner, status):
    behave(listener, manner)
    assert hear(listener) == status
    behave(listener, "well")
    assert hear(listener) == 204 and "had it before" not in listener.get("/").text


def test_the_others_hear_nothing():
    assert TestClient(stand_in("shop")).post("/hear", content=BODY).status_code in (404, 405)
