"""xAPI spoken to a running school by clients that nobody here wrote: npm @xapi/xapi (1.0.3) and tincanjs (1.0.2), PyPI tincan.

What is answered to whom is that of IEEE 9274.1.1 and of xAPI 1.0.3, part 3 (about, statements, conflicts, versions).
"""

from __future__ import annotations

import json
import shutil
import subprocess
import uuid
from base64 import b64encode
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from tincan import Activity, Agent, RemoteLRS, Result, Score, Verb
from tincan import Statement as Said

from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.web.app import create_app
from patient_courier.web.sign_in import CSRF_HEADER
from tests.browser.serving import free_port, served
from tests.web.conftest import PASSWORD

ROOT = Path(__file__).parents[2]
MAPS = {
    "quiz": {"https://course.example/quiz/1": "bees/q1"},
    "lesson": {"https://course.example/lesson/1": "bees/l1"},
}
VERSION = {"X-Experience-API-Version": "1.0.3"}


class Site:
    """A course site that speaks xAPI to the school: the endpoint, its password, and the owner who looks."""

    def __init__(self, owner: httpx.Client) -> None:
        self.owner = owner
        made = owner.post("/api/connections", json={"name": "Course site", "speaks": "xapi"}).json()
        self.key, self.endpoint = made["key"], made["address"] + "/xapi"
        self.password = owner.post(f"/api/connections/{self.key}/secret").json()["secret"]
        file = made["file"]
        for rule in file["rules"]:
            for field, names in MAPS.items():
                if field in rule["event"]:
                    rule["event"][field]["map"] = names
        assert owner.put(f"/api/connections/{self.key}", json={"file": file}).status_code == 200
        assert owner.post(f"/api/connections/{self.key}/state", json={"state": "on"}).status_code == 200

    def send(self, method: str, body: Any, **more: Any) -> httpx.Response:
        sign = b64encode(f"any:{self.password}".encode()).decode()
        headers = {"Authorization": f"Basic {sign}", **VERSION, **more.pop("headers", {})}
        return httpx.request(method, f"{self.endpoint}/statements", json=body, headers=headers, **more)

    def line(self) -> dict[str, Any]:
        (found,) = self.owner.get("/api/connections").json()
        return found

    def ana(self) -> list[str]:
        """What is known that Ana did, in words, the newest first."""
        timeline = self.owner.get("/api/students/ana").json()["timeline"]
        return [one["text"] for one in timeline]


@pytest.fixture
def site(school_file: Path, tmp_path: Path) -> Iterator[Site]:
    database, port = Database(Path(shutil.copy(school_file, tmp_path))), free_port()
    post = Post(database, Settings(smtp_host="", port=port))
    with served(create_app(post), port) as address, httpx.Client(base_url=address, timeout=60) as owner:
        who = {"email": "ines@mallowlane.example", "password": PASSWORD}
        owner.headers[CSRF_HEADER] = owner.post("/api/session", json=who).json()["csrf"]
        yield Site(owner)
    database.close()


def statement(verb: str = "completed", thing: str = "lesson/1", **more: Any) -> dict[str, Any]:
    return {
        "id": str(uuid.uuid4()),
        "actor": {"mbox": "mailto:ana@example.org"},
        "verb": {"id": f"http://adlnet.gov/expapi/verbs/{verb}"},
        "object": {"id": f"https://course.example/{thing}"},
        "timestamp": "2026-03-02T08:45:00Z",
        **more,
    }


def test_two_clients_from_npm(site):
    asked = json.dumps({"endpoint": site.endpoint, "password": site.password})
    found = json.loads(
        subprocess.run(
            ["node", "checks/statements.mjs"],
            cwd=ROOT / "ui",
            input=asked,
            capture_output=True,
            text=True,
            check=True,
        ).stdout
    )
    assert found == {
        "versions": ["1.0.3", "2.0.0"],
        "passed": {"status": 200, "ids": 1},
        "wrong": 401,
        "put": {"error": None, "status": 204},
        "again": {"error": None, "status": 204},
        "other": 409,
    }
    assert (site.line()["events"], site.line()["waits"], site.line()["refused"]) == (2, 0, 1)


def test_a_client_from_pypi(site):
    lrs = RemoteLRS(endpoint=f"{site.endpoint}/", username="any", password=site.password, version="1.0.3")
    agent = Agent(mbox="mailto:ana@example.org")
    one = Said(
        actor=agent,
        verb=Verb(id="http://adlnet.gov/expapi/verbs/scored"),
        object=Activity(id="https://course.example/quiz/1"),
        result=Result(score=Score(raw=14, min=4, max=14)),
    )
    assert lrs.save_statement(one).success
    assert lrs.save_statements(
        [Said(actor=agent, verb=one.verb, object=Activity(id="https://course.example/new"))]
    ).success
    # Its “about” knows versions up to 1.0.3 only and refuses any other, so it is not asked here.
    assert (site.line()["events"], site.line()["waits"]) == (1, 1)
    (group,) = site.owner.get("/api/waiting").json()["groups"]
    assert group["title"] == "1 report of a quiz of something called https://course.example/new"


@pytest.mark.parametrize(
    ("change", "status", "says"),
    [
        ({"verb": {"id": "http://adlnet.gov/expapi/verbs/voided"}}, 400, "can't be voided"),
        ({"actor": None}, 400, "“actor”"),
        ({"verb": {}}, 400, "“verb”"),
        ({"id": "not one"}, 400, "UUID"),
    ],
)
def test_what_is_no_statement_is_refused_with_all_that_came_with_it(site, change, status, says):
    answer = site.send("POST", [statement(), statement() | change])
    assert (answer.status_code, says in answer.json()["detail"]) == (status, True)
    assert site.line()["events"] == 0


def test_versions_ids_and_what_is_not_given_out(site):
    assert site.send("POST", statement(), headers={"X-Experience-API-Version": ""}).status_code == 400
    one = statement()
    other = {"statementId": str(uuid.uuid4())}
    assert site.send("PUT", one, params=other).status_code == 400
    put = site.send(
        "PUT", one, params={"statementId": one["id"]}, headers={"X-Experience-API-Version": "2.0.0"}
    )
    assert (put.status_code, put.headers["X-Experience-API-Version"]) == (204, "2.0.0")
    # Of a batch with a known id that says something else, nothing is taken (409).
    clash = site.send(
        "POST", [statement("passed", "quiz/1"), one | {"object": {"id": "https://course.example/x"}}]
    )
    assert clash.status_code == 409 and site.line()["events"] == 1
    assert site.send("GET", None).status_code == 405


@pytest.mark.parametrize(
    ("result", "score"),
    [
        ({"score": {"scaled": 0.7}}, "70"),
        ({"score": {"raw": 7, "min": 2, "max": 12}}, "50"),
        ({"score": {"raw": 7, "max": 8}}, "87.5"),
        ({"score": {"raw": 7}}, None),
        ({"score": {"scaled": -0.5}}, None),
        ({}, None),
    ],
)
def test_scores_as_xapi_has_them(site, result, score):
    """``scaled`` times a hundred, or ``raw`` between ``min`` and ``max``; without a whole to measure by it waits."""
    site.send("POST", statement("failed", "quiz/1", result=result))
    assert (site.line()["events"], site.line()["waits"]) == ((1, 0) if score else (0, 1))
    if score:
        assert any(one.endswith(f"with {score}%") for one in site.ana())
