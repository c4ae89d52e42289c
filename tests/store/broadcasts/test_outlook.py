"""The look ahead to a broadcast says what then happens, when nobody does anything more."""

from __future__ import annotations

import pytest
from sqlalchemy import select, update

from patient_courier.core.rehearsing.outlook import LOOKS_AHEAD_DAYS
from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch import outlook
from patient_courier.store.base.tables import DeliveryRow, StudentRow
from patient_courier.store.broadcasts.broadcasts import in_status
from patient_courier.store.letters.outcomes import of_everyone
from patient_courier.store.school.erasing import erase
from patient_courier.store.sequences.counts import step_figures
from tests.live import LiveSchool
from tests.outside.second.schools import Maker
from tests.schools import read

START = parse_moment("2026-02-28T00:00:00Z")


def lived(path, seed: int, until) -> LiveSchool:
    """A random school, up to a moment, with all its broadcasts scheduled."""
    data = Maker(seed).school()
    for broadcast in data.get("broadcasts", []):
        broadcast["status"] = "scheduled"
    file = read(data)
    live = LiveSchool(path, file, START)
    live.live_through(file, until)
    return live


# Schools whose broadcasts reach somebody after that moment, or are refused in many ways.
SEEDS = (3003, 3007, 3008, 3010, 3017, 3022, 3028, 3029, 3030, 3031, 3035)


@pytest.mark.parametrize("seed", SEEDS)
def test_what_was_foreseen_is_what_becomes_of_each_letter(tmp_path, seed):
    now = parse_moment("2026-03-03T12:00:00Z")
    live = lived(tmp_path / "school.db", seed, now)
    foreseen = {}
    with live.database.reading() as session:
        definitions = live.library.load(session)
        for kept in in_status(session, "scheduled"):
            ids = outlook.candidates(session, definitions, kept.broadcast, now)
            found = outlook.look(session, definitions, kept.broadcast, ids, now, lambda number: None)
            foreseen[kept.key] = {
                student: (fate.status, fate.reason, fate.at)
                for student, fate in found.fates.items()
                if fate.status != "held"
            }
            assert set(found.crowds) == set(found.fates)
    assert any(foreseen.values())
    live.move_to(now.add(hours=24 * (LOOKS_AHEAD_DAYS + 90)))
    with live.database.reading() as session:
        keys = dict(session.execute(select(StudentRow.id, StudentRow.key)).all())
        for key, fates in foreseen.items():
            rows = session.scalars(select(DeliveryRow).where(DeliveryRow.broadcast == key))
            became = {
                keys[row.student_id]: ({"queued": "sent"}.get(row.status, row.status), row.reason, row.at)
                for row in rows
            }
            assert {student: became[student] for student in fates} == fates
    live.database.close()


def went(session, sequence: str) -> dict[str, tuple[int, int, int]]:
    """What became of the letters of each step, where anything did."""
    found = step_figures(session, sequence)
    return {step: (x.sent, x.skipped, x.stuck) for step, x in found.items() if x.sent or x.skipped or x.stuck}


def test_erasing_somebody_changes_no_figure_of_what_they_were_sent(tmp_path):
    live = lived(tmp_path / "school.db", 3037, parse_moment("2026-05-01T00:00:00Z"))
    with live.database.writing() as session:
        session.execute(update(DeliveryRow).where(DeliveryRow.status == "queued").values(status="sent"))
        keys = {row.broadcast for row in session.scalars(select(DeliveryRow)) if row.broadcast}
        sequences = set(session.scalars(select(DeliveryRow.sequence))) - {""}
        before = {key: of_everyone(session, key) for key in keys}
        steps = {key: went(session, key) for key in sequences}
        for id in session.scalars(select(StudentRow.id)).all():
            erase(session, id)
        assert session.scalars(select(DeliveryRow)).all() == []
        session.flush()
        after = {key: of_everyone(session, key) for key in keys}
        assert any(sent for found in steps.values() for sent, _, _ in found.values())
        assert {key: went(session, key) for key in sequences} == steps
    settled = ("posted", "delivered", "opened", "clicked", "answered", "stopped", "bounced", "not_posted")
    assert keys and any(before[key]["delivered"] for key in keys)
    assert [[after[key][what] for what in settled] for key in keys] == [
        [before[key][what] for what in settled] for key in keys
    ]
    live.database.close()
