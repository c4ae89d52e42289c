"""The whole engine against a second one, written apart from it, on random schools.

The second engine (``tests/outside/second``) reads the school file as plain JSON, keeps its place in Python generators and
its time with the standard library's zoneinfo and python-dateutil. It shares no line with the first. Every letter with
its moment, subject, reason and holds, every tag, certificate, run and warning must come out the same, in order.
"""

from __future__ import annotations

import json
from collections import Counter
from datetime import datetime
from typing import Any

import pytest

from patient_courier.core.reading.school_file import read_school
from patient_courier.core.rehearsing.rehearsal import rehearse
from tests.outside.second.engine import Second
from tests.outside.second.schools import Maker

SCHOOLS = 400
BATCH = 50


def comparable(outcome: dict[str, Any]) -> dict[str, Any]:
    """The subject of a letter that was not posted is left open."""
    letters = [
        {"to": None, **found, "subject": found["subject"] if found["status"] == "sent" else None}
        for found in outcome["letters"]
    ]
    return {**outcome, "letters": letters}


def first_and_second(seed: int) -> tuple[dict[str, Any], dict[str, Any]]:
    file = Maker(seed).school()
    until = datetime.fromisoformat(file["until"].replace("Z", "+00:00"))
    first = rehearse(read_school(json.dumps(file))).as_json()
    return comparable(first), comparable(Second(file).play(until))


@pytest.mark.parametrize("begin", range(0, SCHOOLS, BATCH))
def test_both_engines_say_the_same_of_random_schools(begin: int):
    for seed in range(begin, begin + BATCH):
        first, second = first_and_second(seed)
        for part in ("letters", "tags", "certificates", "runs", "broadcasts", "trials", "warnings"):
            assert first[part] == second[part], f"school {seed}: {part}"


def test_the_random_schools_reach_every_guard_and_every_outcome():
    """Else the comparison above would say little."""
    seen: Counter[str] = Counter()
    for seed in range(120):
        found = Second(Maker(seed).school()).play(datetime.fromisoformat("2026-05-10T00:00:00+00:00"))
        seen.update((letter["reason"] or letter["status"]).partition(":")[0] for letter in found["letters"])
        seen.update(hold["reason"] for letter in found["letters"] for hold in letter["held"])
        seen.update(run["outcome"] for run in found["runs"])
        sides = [trial[side] for trial in found["trials"] for side in ("written_to", "held_back")]
        seen.update(f"trial: {name}" for side in sides for name, number in side.items() if number)
        seen.update(warning.partition(":")[0] for warning in found["warnings"])
    assert set(seen) == {
        "sent", "address_bounced", "complained", "news_off", "course_help_off", "not_enrolled", "min_gap", "blank_field",
        "outside_hours", "daily_limit", "inside_sequence", "finished", "left", "stopped", "stuck", "open", "going_in_circles",
        "held_back", "trial: students", "trial: reached", "trial: open",
    }  # fmt: skip
