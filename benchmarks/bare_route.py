"""The least that one signed event over HTTP can cost: a route that checks the signature and puts the same rows in.

Served as the application is, in a process of its own: ``python -m benchmarks.bare_route PORT SECRET SOURCE TARGET``.
"""

from __future__ import annotations

import json
import sqlite3
import sys
from pathlib import Path

from fastapi import FastAPI, Request

from patient_courier.intake.signature import verify
from patient_courier.web.serving import serve

TABLES = ("events", "event_ids", "enrolments", "purchases", "activity", "tags", "runs", "deliveries")
Rows = list[tuple[str, tuple[object, ...]]]


def rows_by_student(source: Path) -> dict[str, Rows]:
    """What our intake wrote for each student of a benchmark, as statements."""
    rows = sqlite3.connect(source)
    keys = {id: key for id, key in rows.execute("SELECT id, key FROM students")}
    found: dict[str, Rows] = {key: [] for key in keys.values()}
    for table in TABLES:
        columns = [column[1] for column in rows.execute(f"PRAGMA table_info({table})")]
        owner = columns.index("student_id") if "student_id" in columns else None
        for number, row in enumerate(rows.execute(f"SELECT * FROM {table}")):
            key = keys[row[owner]] if owner is not None else f"s{number}"
            found[key].append((f"INSERT INTO {table} VALUES ({','.join('?' * len(row))})", row))
    return found


def bare_tables(source: Path, target: Path) -> sqlite3.Connection:
    """Empty tables like ours, with the same pragmas."""
    rows = sqlite3.connect(source)
    made = sqlite3.connect(target, isolation_level=None, check_same_thread=False)
    made.execute("PRAGMA journal_mode=WAL")
    made.execute("PRAGMA synchronous=FULL")
    for table in TABLES:
        for (sql,) in rows.execute(
            "SELECT sql FROM sqlite_master WHERE tbl_name = ? AND sql IS NOT NULL", (table,)
        ):
            made.execute(sql)
    return made


def put(target: sqlite3.Connection, groups: list[Rows]) -> None:
    """The rows of some students in one transaction."""
    target.execute("BEGIN IMMEDIATE")
    for group in groups:
        for sql, row in group:
            target.execute(sql, row)
    target.execute("COMMIT")


def main(port: int, secret: str, source: Path, target: Path) -> None:
    found, tables = rows_by_student(source), bare_tables(source, target)
    app = FastAPI()

    @app.post("/intake/events")
    async def take(request: Request) -> dict[str, str]:
        body = await request.body()
        verify(secret, body, request.headers)
        put(tables, [found[json.loads(body)["student"]]])
        return {"status": "taken"}

    serve(app, "127.0.0.1", port, "")


if __name__ == "__main__":
    main(int(sys.argv[1]), sys.argv[2], Path(sys.argv[3]), Path(sys.argv[4]))
