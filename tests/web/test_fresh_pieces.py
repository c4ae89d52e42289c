"""What the screens make anew with one click is something that the core can read."""

from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path

import pytest
from pydantic import TypeAdapter, ValidationError

from patient_courier.core.letters.merge_fields import FIELDS, field_words
from patient_courier.core.school.blocks import Block
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.events import Matcher
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.sequences import Step

UI = Path(__file__).parents[2] / "ui"
# What the owner has to choose or write before it is complete; everything else stands.
LEFT_EMPTY = {
    "letter",
    "sequence",
    "quiz",
    "tag",
    "name",
    "keys",
    "add",
    "remove",
    "url",
    "title",
    "text",
    "alt",
}


FIELD_NAMES = [*FIELDS, "student.fields.town_of_birth"]


@pytest.fixture(scope="module")
def made():
    command = ["npx", "vitest", "run", "src/fresh.test.ts", "--disable-console-intercept"]
    said = subprocess.run(
        command,
        cwd=UI,
        env=os.environ | {"VITE_FRESH": json.dumps(FIELD_NAMES)},
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    (line,) = [line for line in said.splitlines() if line.startswith("FRESH ")]
    return json.loads(line.removeprefix("FRESH "))


@pytest.mark.parametrize(
    ("what", "model", "fewest"),
    [("steps", Step, 28), ("blocks", Block, 13), ("conditions", Condition, 36), ("matchers", Matcher, 29)],
)
def test_every_kind_fits_the_core(made, what, model, fewest):
    reader = TypeAdapter(model)
    assert len(made[what]) >= fewest
    for one in made[what]:
        try:
            reader.validate_python(one)
        except ValidationError as error:
            wrong = {str(found["loc"][-1]) for found in error.errors()}
            assert wrong <= LEFT_EMPTY and all(not one.get(name) for name in wrong), (one, error)


def test_a_chip_names_a_merge_field_as_the_core_does(made):
    assert made["fields"] == [field_words(name) for name in FIELD_NAMES]


@pytest.mark.parametrize(
    ("name", "taken", "key"),
    [
        ("First Hive · Wélcome!", [], "first-hive-welcome"),
        ("A", ["a", "a-2"], "a-3"),
        ("ภาษา", [], "new"),
        ("This", [], "this-2"),
    ],
)
def test_a_key_of_a_name_is_the_one_that_the_screens_make(name, taken, key):
    """The same examples as in ui/src/sequences/words.test.ts."""
    assert free_key(name, taken) == key
