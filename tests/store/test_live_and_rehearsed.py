"""The database-backed engine and the rehearsal play the same school to the same end."""

import tempfile
from pathlib import Path

from hypothesis import HealthCheck, given, settings

from patient_courier.core.rehearsal import rehearse
from patient_courier.core.school.values import parse_moment
from tests.generated import schools
from tests.live import LiveSchool, rehearsed
from tests.schools import read

START = parse_moment("2026-02-28T00:00:00Z")


@settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
@given(schools())
def test_every_letter_reason_tag_and_run_is_the_same(data):
    file = read(data)
    with tempfile.TemporaryDirectory() as folder:
        live = LiveSchool(Path(folder) / "school.db", file, START)
        live.live_through(file, file.until)
        found = live.outcome()
        live.database.close()
    assert found == rehearsed(rehearse(file))
