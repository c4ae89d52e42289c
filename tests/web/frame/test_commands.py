"""A school at the command line: begun, copied, lost, back, looked at; and what is refused with a sentence."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
from typer.testing import CliRunner, Result

from patient_courier.cli import app
from patient_courier.core.upkeep.copies import Copying
from patient_courier.core.upkeep.recovery import fresh_phrase, key_of
from patient_courier.store.base.database import Database
from patient_courier.store.upkeep.copying import keep_copying
from patient_courier.store.upkeep.progress import is_coming_back
from tests.schools import event, school, send, sequence

NEW = [
    "new", "--school", "Mallow Lane Apiary School", "--email", "ines@mallowlane.example", "--name", "Ines Valadares",
    "--timezone", "Europe/Lisbon", "--password", "a long enough password",
]  # fmt: skip


@pytest.fixture
def path(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Where the school of the settings is to be; nothing is there."""
    found = tmp_path / "var" / "school.db"
    monkeypatch.setenv("PATIENT_COURIER_DATABASE", str(found))
    monkeypatch.setenv("PATIENT_COURIER_NAME_SERVER", "127.0.0.1:1")
    monkeypatch.setenv("COLUMNS", "300")
    return found


def run(*words: str, given: str = "") -> Result:
    return CliRunner().invoke(app, list(words), input=given)


def one_line(result: Result) -> str:
    return " ".join(result.output.split())


def test_what_is_answered_wrongly_is_asked_again_and_the_zone_of_the_machine_is_offered(path):
    answers = "Mallow Lane\nines\nines@mallowlane.example\nInes\nAtlantis\nEurope/Lisbon\nshort\na long enough password\n"
    done = run("new", given=answers)
    assert done.exit_code == 0 and "is ready" in done.output
    assert "e-mail address" in done.output and "Atlantis" in done.output and "10 characters" in done.output
    again = run(*NEW)
    assert again.exit_code == 2 and "There is a school at" in one_line(again)


def test_a_beginning_that_fails_leaves_nothing_and_can_be_begun_again(path, tmp_path):
    (tmp_path / "bad.json").write_text('{"format": "patient-courier.school", "version": 1}')
    failed = run(*NEW, "--from", str(tmp_path / "bad.json"))
    assert failed.exit_code == 2 and "school" in failed.output and not path.exists()
    assert run(*NEW).exit_code == 0 and [one.name for one in path.parent.iterdir() if "new" in one.name] == []


def test_copied_lost_and_back_with_the_phrase(path, tmp_path):
    assert run(*NEW).exit_code == 0
    phrase = fresh_phrase()
    with closing(Database(path)) as database, database.writing() as session:
        keep_copying(session, Copying(recipient=str(key_of(phrase).to_public())))
    copy = Path(run("copy").output.strip())
    assert copy.name.endswith("by-hand.db.age")
    refused = run("restore", str(copy), "--phrase", phrase)
    assert refused.exit_code == 2 and "--replace" in refused.output
    path.unlink()
    wrong = run("restore", str(copy), "--phrase", "one two three")
    assert wrong.exit_code == 2 and "twelve words" in one_line(wrong) and not path.exists()
    back = run("restore", str(copy), given=f"{phrase}\n")
    assert back.exit_code == 0 and "Mallow Lane Apiary School is back" in one_line(back)
    with closing(Database(path)) as database, database.reading() as session:
        assert is_coming_back(session)
    aside = run("restore", str(copy), "--phrase", phrase, "--replace")
    assert aside.exit_code == 0 and "What was there before lies at" in one_line(aside)


def test_the_check_up_ends_with_one_when_something_is_serious(path):
    assert run(*NEW).exit_code == 0
    found = run("check-up")
    assert found.exit_code == 1 and "There is no copy of the school." in found.output
    assert (
        "Letters go to the built-in mailroom" in found.output
        and "The school's file is whole." in found.output
    )


@pytest.mark.parametrize("command", [["serve"], ["copy"], ["export"], ["check-up"]])
def test_a_newer_school_is_left_alone_by_every_command(path, command):
    assert run(*NEW).exit_code == 0
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    said = run(*command)
    assert said.exit_code == 2 and "newer Patient Courier" in one_line(said)
    assert not (path.parent / "copies").exists()


def test_half_a_certificate_is_refused_before_anything_is_served(path, monkeypatch, tmp_path):
    monkeypatch.setenv("PATIENT_COURIER_TLS_CERTIFICATE", str(tmp_path / "cert.pem"))
    said = run("serve")
    assert said.exit_code == 2 and "go together" in one_line(said)
    monkeypatch.setenv("PATIENT_COURIER_TLS_KEY", str(tmp_path / "key.pem"))
    said = run("serve")
    assert said.exit_code == 2 and "certificate's files" in one_line(said)


def test_a_rehearsal_as_a_person_reads_it_says_who_was_held_back(tmp_path):
    trial = {"key": "spring", "hold_back": 20, "goal": {"on": "signed_in"}, "within": "P7D"}
    people = [{"key": key, "email": f"{key}@example.org"} for key in ("mei", "ana")]  # the lot holds mei back
    events = [event("2026-03-02", "enrolled", one["key"], course="bees", via="manual") for one in people]
    events.append(event("2026-03-03", "signed_in", "ana"))
    file = tmp_path / "school.json"
    file.write_text(
        json.dumps(school([sequence("nudges", [send("s")], trial=trial)], events, students=people))
    )
    said = one_line(run("rehearse", str(file)))
    assert "→ nudges (bees): held back by lot" in said and "1 letter to 1 student" in said
    assert "Trial of “nudges”: 1 written to of whom 1 reached it, 0 still open, 1 held back of whom 0" in said
