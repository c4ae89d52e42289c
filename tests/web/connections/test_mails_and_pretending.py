"""Mails of a connection by its owner's word and from a folder, and what is pretended of one student."""

from __future__ import annotations

from tests.waiting import until
from tests.web.conftest import purchase

MAIL = b"""From: The shop <orders@shop.example>\r
Subject: Order 1007\r
Content-Type: text/plain; charset=utf-8\r
\r
New order\r
Buyer: mei@example.org\r
Item: BEES\r
"""


def connect(app) -> tuple[str, str]:
    """A connection that takes mails: its key and its address."""
    made = app.client.post("/api/connections", json={"name": "Mailer"}).json()
    file = made["file"] | {
        "student": {"email": {"place": "/lines/1", "after": "Buyer: "}},
        "id": ["/subject"],
        "rules": [
            {"event": {"type": "purchased", "offer": {"place": "/lines/2", "after": "Item: ", "map": {"BEES": "bees-once"}}}}
        ],
    }  # fmt: skip
    answer = app.client.put(f"/api/connections/{made['key']}", json={"file": file})
    assert answer.status_code == 200, answer.text
    body = {"state": "on"}
    assert app.client.post(f"/api/connections/{made['key']}/state", json=body).status_code == 200
    return made["key"], "/" + made["address"].split("/", 3)[3]


def own(app, key: str, yes: bool) -> None:
    assert app.client.put(f"/api/connections/{key}/mailbox", json={"own": yes}).status_code == 204


def test_mails_need_a_proof_or_the_owner_s_word_that_the_mailbox_is_theirs_alone(app):
    key, address = connect(app)
    assert app.client.post(f"{address}/mail", content=MAIL).status_code == 403
    own(app, key, True)
    assert app.client.post(f"{address}/mail", content=MAIL).json()["events"] == 1
    assert app.client.post(f"{address}/mail", content=MAIL).json()["repeats"] == 1
    own(app, key, False)
    assert app.client.post(f"{address}/mail", content=MAIL).status_code == 403
    assert [x["subject"] for x in app.inbox("mei")] == ["Hello, come in"]


def test_a_folder_of_mails_is_read_once_and_what_is_none_is_put_aside(app, tmp_path):
    key, _ = connect(app)
    folder = tmp_path / "mails" / key
    (folder / "new").mkdir(parents=True)
    (folder / "new" / "1").write_bytes(MAIL)
    (folder / "2").write_bytes(b"\r\n\r\n")
    (folder / "3").write_bytes(b"x" * 1_000_001)
    app.post_office.settings = app.post_office.settings.model_copy(
        update={"mails_folder": tmp_path / "mails"}
    )
    app.post_office._reading.nudge()
    assert app.client.get(f"/api/connections/{key}").json()["mail_folder"] == str(folder)
    own(app, key, True)
    app.post_office._reading.nudge()
    until(lambda: (folder / "taken" / "1").exists() and (folder / "not-taken" / "3").exists())
    assert not (folder / "new" / "1").exists() and (folder / "not-taken" / "2").exists()
    assert [x["subject"] for x in app.inbox("mei")] == ["Hello, come in"]


def test_what_is_pretended_of_a_student_says_first_what_it_posts_and_then_happens(app):
    body = {"do": "buy", "object": "bees-once"}
    seen = app.client.post("/api/students/ana/pretend/outlook", json=body).json()
    assert seen["sentences"] == ["Ana: bought First Hive."]
    assert [x["key"] for x in seen["follows"]["letters"]] == ["access"]
    assert app.inbox() == []
    assert app.client.post("/api/students/ana/pretend", json=body).json() == seen["sentences"]
    assert len(app.inbox()) == 1
    for wrong, words in (
        ({"do": "buy", "object": "no"}, "no offer “no”"),
        ({"do": "take_quiz", "object": "bees/q1"}, "score"),
        ({"do": "enrol", "object": ""}, ""),
    ):
        answer = app.client.post("/api/students/ana/pretend", json=wrong)
        assert answer.status_code == 422 and words in answer.json()["detail"]
    assert app.client.post("/api/students/nobody/pretend", json=body).status_code == 404
    assert app.report(purchase()).json()["taken"] == 1
