"""The database-backed engine and the rehearsal play the same school to the same end."""

import tempfile
from pathlib import Path

import pytest
from hypothesis import given, settings

from patient_courier.core.rehearsing.rehearsal import rehearse
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.values import parse_moment
from tests.generated import schools
from tests.live import LiveSchool, rehearsed
from tests.outside.second.schools import Maker
from tests.schools import read

START = parse_moment("2026-02-28T00:00:00Z")


@pytest.mark.parametrize("seed", range(2000, 2016))
def test_wide_random_schools_live_as_they_were_rehearsed(tmp_path, seed):
    compare(read(Maker(seed).school()), tmp_path / "school.db")


@pytest.mark.long
@settings(max_examples=40)
@given(schools())
def test_every_letter_reason_tag_and_run_is_the_same(data):
    with tempfile.TemporaryDirectory() as folder:
        compare(read(data), Path(folder) / "school.db")


def compare(file: SchoolFile, path: Path) -> None:
    live = LiveSchool(path, file, START)
    live.live_through(file, file.until)
    found = live.outcome()
    live.database.close()
    assert found == rehearsed(rehearse(file))
