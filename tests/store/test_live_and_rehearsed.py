"""The database-backed engine and the rehearsal play the same school to the same end."""

import tempfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings

from patient_courier.core.rehearsal import rehearse
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.values import parse_moment
from tests.generated import schools
from tests.live import LiveSchool, rehearsed
from tests.outside.second.schools import Maker
from tests.schools import read, school, send, sequence

START = parse_moment("2026-02-28T00:00:00Z")


@pytest.mark.parametrize("seed", range(2000, 2012))
def test_wide_random_schools_live_as_they_were_rehearsed(tmp_path, seed):
    # Broadcasts are rehearsed only; a school refuses a file with them.
    compare(read({**Maker(seed).school(), "broadcasts": []}), tmp_path / "school.db")


@settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
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


def test_a_file_with_broadcasts_is_refused_rather_than_half_taken_in(tmp_path):
    cast = {"key": "b", "letter": "help", "at": "2026-03-05T09:00", "status": "scheduled"}
    file = read(school([sequence("s", [send("help")])], [], broadcasts=[cast]))
    with pytest.raises(ValueError, match="broadcasts"):
        LiveSchool(tmp_path / "school.db", file, START)
