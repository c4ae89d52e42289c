"""Lots and trials of the second engine, from the rule in plain words: SHA-256, its first eight bytes, a share of 100."""

from __future__ import annotations

import hashlib
from datetime import datetime
from typing import TYPE_CHECKING

from tests.outside.second.asking import picks
from tests.outside.second.moments import plus
from tests.outside.second.world import Plain

if TYPE_CHECKING:
    from tests.outside.second.run import Run


def lot(text: str) -> float:
    return int(hashlib.sha256(text.encode()).hexdigest()[:16], 16) * 100 / 2**64


def letter_of(what: Plain, name: str) -> str:
    """The letter of a send or a broadcast for one student; ``name`` is what the lot is drawn over."""
    if not what.get("versions"):
        return str(what["letter"])
    rest = lot(name)
    for version in what["versions"]:
        rest -= version["share"]
        if rest < 0:
            break
    return str(version["letter"])


def back(sequence: Plain, student: str) -> bool:
    trial = sequence["trial"]
    return lot(f"{trial['key']}/{student}") < trial["hold_back"]


def counts(sequence: Plain, runs: list[Run], now: datetime) -> Plain:
    trial = sequence["trial"]
    sides = {True: {"students": 0, "reached": 0, "open": 0}, False: {"students": 0, "reached": 0, "open": 0}}
    seen = set()
    for run in runs:
        if run.key != sequence["key"] or run.student in seen:
            continue
        seen.add(run.student)
        side = sides[back(sequence, run.student)]
        end = plus(run.began, trial["within"], run.facts.zone)
        side["students"] += 1
        if end > now:
            side["open"] += 1
            continue
        log = zip(run.world.log[run.student], run.world.log_at[run.student], strict=True)
        came = [
            at
            for (number, event), at in log
            if number > run.since and picks(trial["goal"], event, run.subject)
        ]
        side["reached"] += any(run.began <= at <= end for at in came)
    return {
        "sequence": sequence["key"],
        "trial": trial["key"],
        "written_to": sides[False],
        "held_back": sides[True],
    }
