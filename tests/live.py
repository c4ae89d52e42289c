"""A school on a real database, with its clock in the test's hands."""

from __future__ import annotations

from itertools import groupby
from pathlib import Path
from typing import Any

from sqlalchemy import select, update
from whenever import Instant

from patient_courier.core.engine.trials import Side, results, side
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.values import moment_text
from patient_courier.dispatch.clock import read_clock, set_clock
from patient_courier.dispatch.taking import take_events, wake_due
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.base.tables import (
    BroadcastRow,
    ClockRow,
    DeliveryRow,
    EventRow,
    ProblemRow,
    RunRow,
    StudentRow,
)
from patient_courier.store.school.opening import open_school
from patient_courier.store.sequences.trials import counted


class LiveSchool:
    """The database-backed engine, without a web server and without a carrier."""

    def __init__(self, path: Path, file: SchoolFile, now: Instant) -> None:
        self.database = Database(path)
        self.database.migrate()
        self.library = Library("https://post.example")
        with self.database.writing() as session:
            open_school(session, file, now, practice=True)

    def move_to(self, moment: Instant) -> None:
        """Let everything happen up to a moment, inclusive, in as many transactions as it takes."""
        with self.database.writing() as session:
            session.execute(update(ClockRow).values(moving_to=moment))
        busy = True
        while busy:
            with self.database.writing() as session:
                busy = wake_due(session, self.library.load(session))

    def live_through(self, file: SchoolFile, until: Instant) -> None:
        """Report the events at their own time; what falls due between them happens in between."""
        events = sorted((event for event in file.events if event.at <= until), key=lambda event: event.at)
        for at, together in groupby(events, key=lambda event: event.at):
            self.move_to(at.subtract(nanoseconds=1))
            with self.database.writing() as session:
                take_events(session, self.library.load(session), list(together), at)
                set_clock(session, at, arrived=True)
        self.move_to(until)

    def outcome(self) -> dict[str, Any]:
        """What a rehearsal would print, read from the tables, sorted."""
        with self.database.reading() as session:
            keys = dict(session.execute(select(StudentRow.id, StudentRow.key)).all())
            letters = [
                (moment_text(d.at), keys[d.student_id])
                + ((d.broadcast, "", "1") if d.broadcast else (d.sequence, d.step, d.round))
                + (d.subject,)
                + ({"queued": "sent"}.get(d.status, d.status), d.reason, len(d.holds))
                for d in session.scalars(
                    select(DeliveryRow).where(DeliveryRow.status.not_in(("held", "dropped")))
                )
            ]
            tags = [
                (moment_text(e.at), keys[e.student_id], e.names["tag"], e.type)
                for e in session.scalars(
                    select(EventRow).where(EventRow.type.in_(("tag_added", "tag_removed")))
                )
            ]
            runs = [
                (
                    keys[r.student_id],
                    r.sequence,
                    r.subject["key"] if r.subject else None,
                    moment_text(r.started),
                )
                + (moment_text(r.ended) if r.ended else None, r.outcome or "open", r.step)
                for r in session.scalars(select(RunRow))
            ]
            papers = [
                (keys[e.student_id], e.names["course"], moment_text(e.at))
                for e in session.scalars(select(EventRow).where(EventRow.type == "certificate_issued"))
            ]
            casts = [
                (b.key, moment_text(b.started), b.recipients)
                for b in session.scalars(select(BroadcastRow))
                if b.started is not None
            ]
            definitions, now = self.library.load(session), read_clock(session).now
            trials = [
                (plan.key, trial.key, side(found, held_back=False), side(found, held_back=True))
                for plan in definitions.sequences.values()
                if (trial := plan.sequence.trial)
                for found in [list(results(trial, counted(session, definitions, plan.key, trial), now))]
            ]
            warnings = list(session.scalars(select(ProblemRow.reason).where(ProblemRow.kind == "circles")))
        everything: dict[str, list[Any]] = {
            "letters": letters,
            "tags": tags,
            "runs": runs,
            "certificates": papers,
            "broadcasts": casts,
            "trials": trials,
            "warnings": warnings,
        }
        return {name: sorted(rows, key=repr) for name, rows in everything.items()}


def rehearsed(outcome: Any) -> dict[str, Any]:
    """A rehearsal's outcome in the same form."""
    found = outcome.as_json()
    rounds = [letter.round for letter in outcome.letters]
    everything = {
        "letters": [
            (
                x["at"],
                x["student"],
                x["broadcast"] or x["sequence"],
                x["step"] or "",
                round,
                x["subject"],
                x["status"],
                x["reason"],
                len(x["held"]),
            )
            for x, round in zip(found["letters"], rounds, strict=True)
        ],
        "tags": [(x["at"], x["student"], x["tag"], f"tag_{x['change']}") for x in found["tags"]],
        "runs": [
            (x["student"], x["sequence"], x["subject"], x["started"], x["ended"], x["outcome"], x["step"])
            for x in found["runs"]
        ],
        "certificates": [(x["student"], x["course"], x["at"]) for x in found["certificates"]],
        "broadcasts": [(x["broadcast"], x["started"], x["recipients"]) for x in found["broadcasts"]],
        "trials": [
            (x["sequence"], x["trial"], Side(**x["written_to"]), Side(**x["held_back"]))
            for x in found["trials"]
        ],
        "warnings": found["warnings"],
    }
    return {name: sorted(rows, key=repr) for name, rows in everything.items()}
