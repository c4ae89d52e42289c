"""The command that shows what kept messages become, and the schema of the file that says so."""

from __future__ import annotations

import json

import pytest
from jsonschema_rs import validator_for
from typer.testing import CliRunner

from patient_courier.cli import app
from tests.core.translating.test_translate import BODY, FILE
from tests.schools import school

RUNNER = CliRunner()


def line(body: str, **more: str) -> str:
    return json.dumps({"received": "2026-03-03T14:10:00Z", "type": "application/json", "body": body} | more)


def run(folder, file, *lines: str):
    places = {
        "shop.json": json.dumps(file),
        "school.json": json.dumps(school([], [])),
        "m.jsonl": "\n".join(lines),
    }
    for name, text in places.items():
        (folder / name).write_text(text, encoding="utf-8")
    shop, about, messages = (str(folder / name) for name in places)
    return RUNNER.invoke(app, ["translate", shop, messages, "--school", about])


def test_a_line_is_printed_for_each_message_and_a_broken_one_stops_no_other(tmp_path):
    done = run(
        tmp_path, FILE, line(json.dumps(BODY)), "", "no message", line("{"), line("\ud800"), line("{}", received="noon")
    )  # fmt: skip
    said = [json.loads(one) for one in done.stdout.splitlines()]
    assert done.exit_code == 0 and [next(iter(one)) for one in said] == ["items", *["refused"] * 4]
    event, waits = said[0]["items"]
    assert event["event"]["offer"] == "bees-once" and waits["found"] == "FH-2"
    assert "UTF-8" in said[3]["refused"] and "/received" in said[4]["refused"]


def test_a_file_that_can_not_be_used_is_named_place_by_place(tmp_path):
    done = run(tmp_path, {**FILE, "id": [], "each": "$["}, line("{}"))
    assert done.exit_code == 2 and done.stdout == ""
    assert [one.partition(":")[0] for one in done.stderr.splitlines()] == ["/each", "/id"]


@pytest.mark.parametrize("wrong", [{"proof": {"kind": "trust"}}, {"id": []}, {"student": {}}, {"more": 1}])
def test_the_schema_takes_the_file_and_refuses_what_the_models_refuse(wrong):
    schema = json.loads(RUNNER.invoke(app, ["schema", "connection"]).stdout)
    takes = validator_for(schema)
    assert takes.is_valid(FILE) and not takes.is_valid({**FILE, **wrong})
