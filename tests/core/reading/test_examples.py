"""The worked examples: what stands beside each school file is what comes out, and their checks find nothing wrong.

The expected output was gone through by hand, letter by letter, after the rules of the engine when it was written.
"""

import json
from pathlib import Path

import pytest

from patient_courier.core.checks import school_findings
from patient_courier.core.reading.school_file import read_school
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from patient_courier.printed import lacking_in

FILES = sorted(p for p in Path("examples").glob("*.json") if not p.name.endswith(".expected.json"))


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_an_example_comes_out_as_written_beside_it(path):
    file = read_school(path.read_bytes())
    expected = json.loads(path.with_suffix(".expected.json").read_text())
    assert rehearse(file).as_json() == expected
    assert school_findings(definitions_of(file), lacking_in(file)) == []
    assert len(file.about) > 80


def test_one_student_alone_fares_as_among_the_others():
    file = read_school(Path("examples/nudges.json").read_bytes())
    whole = rehearse(file).as_json()
    alone = rehearse(file, student="eva").as_json()
    assert len(alone["letters"]) == 2
    assert alone["letters"] == [letter for letter in whole["letters"] if letter["student"] == "eva"]
