"""Trouble of ours: what is sent meanwhile is asked to come again, the owner is told, and nothing is lost or blamed."""

from __future__ import annotations

from contextlib import contextmanager
from unittest.mock import patch

import pytest
from sqlalchemy import text

from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.only_one import InHand
from patient_courier.settings import Settings
from patient_courier.store.base import database as stored
from patient_courier.store.base.database import Database
from tests.waiting import until
from tests.web.conftest import purchase


@contextmanager
def trouble(app, pragma: str):
    """SQLite itself refuses to write: no page more (as on a full disk), or a file that may only be read."""
    database = app.post_office.database
    prepare = stored._prepare

    def prepare_so(connection, synchronous):
        prepare(connection, synchronous)
        connection.execute(f"PRAGMA {pragma}")

    with patch.object(stored, "_prepare", prepare_so):
        database.close()  # every connection is made anew
        yield
    database.close()


def full(app) -> str:
    with app.post_office.database.reading() as session:
        return f"max_page_count={session.execute(text('PRAGMA page_count')).scalar_one()}"


@pytest.mark.parametrize(("kind", "said"), [("full", "the disk is full"), ("read only", "may only be read")])
def test_what_comes_while_nothing_can_be_written_comes_again_and_the_owner_is_told(app, capsys, kind, said):
    app.settle()
    many = [purchase({"email": f"m{n}@example.org", "first_name": "M" * 500}) for n in range(60)]
    with trouble(app, full(app) if kind == "full" else "query_only=ON"):
        answer = app.report(many, message="lot")
        assert (answer.status_code, answer.headers["retry-after"]) == (503, "60")
        assert said in answer.json()["detail"]
        frame = app.client.get("/api/frame").json()
        assert said in frame["trouble"] and frame["needs_you"] >= 1
        (item,) = [one for one in app.client.get("/api/needs-you").json() if one["kind"] == "disk"]
        assert said in item["sentence"] and item["title"] == "Nothing can be taken in"
        answer = app.client.post("/api/students", json={"email": "x@example.org", "first_name": "X" * 200})
        assert answer.status_code in (201, 503), "a full disk may have room for a little"
    app.post_office.nudge()
    assert app.report(many, message="lot").json() == {"taken": 60, "known": 0, "refused": []}
    until(lambda: app.client.get("/api/frame").json()["trouble"] is None)
    assert not app.client.get("/api/needs-you").json(), "no event is blamed for it"
    assert "Traceback" not in capsys.readouterr().out


def test_a_file_that_is_taken_away_or_swapped_takes_nothing_in(app, tmp_path):
    path = app.post_office.database.path
    app.settle()
    away = path.rename(tmp_path / "elsewhere.db")
    answer = app.report(purchase(), message="one")
    assert answer.status_code == 503 and "no longer the one that was opened" in answer.json()["detail"]
    path.write_bytes(b"another school")
    assert app.report(purchase(), message="one").status_code == 503
    # Another school is not shown for this one either.
    answer = app.client.get("/api/frame")
    assert answer.status_code == 503 and "no longer the one" in answer.json()["detail"]
    away.rename(path)
    assert app.report(purchase(), message="one").json()["taken"] == 1
    assert len(app.inbox()) == 1


def test_one_file_has_one_dispatcher_and_the_second_says_who_it_is(app):
    path = app.post_office.database.path
    second = Database(path)
    other = Post(second, Settings(smtp_host=""))
    with pytest.raises(InHand, match=r"served already, by process \d+, since 20\d\d-"):
        other.start()
    app.report(purchase())
    assert len(app.inbox()) == 1
    app.post_office._hand.release()
    app.post_office._hand = None
    other.start()
    other.stop()
    second.close()


def test_mails_that_no_reader_can_bear_are_no_reports_and_no_letters(app):
    from tests.web.school.test_returns import post_report  # how a mail server hands one in

    for raw in (
        b"Content-Type: message/rfc822\n\n" * 30_000 + b"hello",
        b"Content-Type: " + b"[" * 200_000 + b"\n\nhello",
        b"Content-Type: text/plain" + b";a=b" * 250_000 + b"\n\nhello",
        b"Content-Type: multipart/mixed; boundary=a\n\n" + b"--a\n\n\n" * 70_000,
    ):
        assert post_report(app, raw).status_code == 422
        read = app.client.post("/api/letters/read", params={"name": "x.eml"}, content=raw)
        assert read.status_code in (200, 422) and app.client.get("/api/frame").status_code == 200


def test_a_spreadsheet_that_ends_its_reader_does_not_end_the_server(app):
    from tests.intake.test_apart import far_cells

    answer = app.client.post("/api/imports/read", params={"name": "x.xlsx"}, content=far_cells())
    assert answer.status_code == 422 and "save it as CSV" in answer.json()["detail"]
    good = app.client.post("/api/imports/read", params={"name": "x.csv"}, content=b"mail\na@example.org\n")
    assert good.json()["rows"] == 1
