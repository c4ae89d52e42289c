"""The table of a benchmark run, printed and kept with the machine named."""

from __future__ import annotations

import os
import platform
import sqlite3
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

# What the same took on 2026-11-26, before statements were compiled once; on another machine.
BEFORE = {
    "events taken in over HTTP, one at a time": "44.1 ×",
    "events taken in over HTTP, in batches": "10.0 ×",
    "due runs woken, with 100,000": "10.6 ×",
    "letters rendered and handed over to the mailroom": "1.3 ×",
    "letters rendered and handed over to a bare far side": "1.8 ×",
    "letters through the whole outbox": "4.4 ×",
    "rehearsal": "3.6 ×",
    "due runs woken with 5,000": "0.8 ×",
}
ROOT = Path(__file__).parents[1]


class Report:
    """Rows of the table: what, ours per second, the floor per second, ours as a multiple of the floor's time."""

    def __init__(self) -> None:
        self.rows: list[tuple[str, float, float | None]] = []
        self.notes: list[str] = []

    def note(self, text: str) -> None:
        self.notes.append(text)
        print(text, flush=True)

    def add(self, what: str, ours: float, floor: float | None) -> None:
        self.rows.append((what, ours, floor))
        print(self.line(*self.rows[-1]), flush=True)

    @staticmethod
    def line(what: str, ours: float, floor: float | None) -> str:
        beside = f"{floor:,.0f} | {floor / ours:.1f} ×" if floor else "– | –"
        earlier = next((took for begin, took in BEFORE.items() if what.startswith(begin)), "–")
        return f"| {what} | {ours:,.0f} | {beside} | {earlier} |"


def per_second(number: int, work: Callable[[], None]) -> float:
    began = time.perf_counter()
    work()
    return number / (time.perf_counter() - began)


def save(report: Report) -> None:
    model = next(
        (
            line.partition(":")[2].strip()
            for line in Path("/proc/cpuinfo").read_text().splitlines()
            if "model name" in line
        ),
        platform.processor(),
    )
    lines = [
        "# Benchmarks",
        "",
        "Made by `make bench`; ratios matter, not the seconds of one machine. The floor beside each figure is measured",
        "in the same run: bare `sqlite3` inserts of the same rows into the same tables, with the same pragmas and as many",
        "to a transaction; a bare `smtplib` loop with a finished message; bare simpy; APScheduler with a SQLAlchemy job store.",
        "",
        f"Machine: {model}, {os.cpu_count()} cores, Python {platform.python_version()}, SQLite {sqlite3.sqlite_version}, {datetime.now(UTC):%Y-%m-%d}.",
        "",
        "| what | ours, per second | floor, per second | ours takes | it took |",
        "| --- | ---: | ---: | ---: | ---: |",
        *(report.line(*row) for row in report.rows),
        "",
        *(f"- {note}" for note in report.notes),
        "",
    ]
    # What stands below the first heading was measured at other times, and stays.
    path = ROOT / "docs/benchmarks.md"
    _, heading, rest = path.read_text().partition("\n## ")
    path.write_text("\n".join(lines) + heading + rest)
