"""Broadcasts and the list of students with 100,000 students and 2,000,000 events: counting, looking ahead, posting, importing."""

from __future__ import annotations

import os
import re
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx

from benchmarks.engine import AUDIENCE_STUDENTS, _fill
from benchmarks.far_side import bare_far_side
from benchmarks.post import bare_loop
from benchmarks.report import Report
from benchmarks.scenes import opened
from patient_courier.store.school.users import add_user
from patient_courier.web.sign_in import CSRF_HEADER, hash_password

EMAIL, PASSWORD = "ines@mallowlane.example", "a long enough password"
# So many letters of the broadcast go out; then it is paused, so that a run ends in a reasonable time.
POSTED = 20_000
LINES = [
    {"is": "enrolled", "course": "first-hive", "status": ["active"]},
    {"not": {"is": "bought", "offer": "queen-rearing-once"}},
    {"is": "inactive", "course": "first-hive", "for": "P7D"},
    {"is": "progress", "course": "first-hive", "at_least": 10},
]


class Served:
    """The application in a process of its own, with its owner signed in."""

    def __init__(self, address: str, pid: int) -> None:
        self.client = httpx.Client(base_url=address, timeout=120)
        self.pid = pid
        answer = self.client.post("/api/session", json={"email": EMAIL, "password": PASSWORD})
        self.client.headers[CSRF_HEADER] = answer.raise_for_status().json()["csrf"]

    def post(self, path: str, body: Any = None, **more: Any) -> Any:
        answer = self.client.post(path, json=body, **more).raise_for_status()
        return answer.json() if answer.content else None

    def get(self, path: str) -> Any:
        return self.client.get(path).raise_for_status().json()

    def peak_megabytes(self) -> float:
        """The most memory the process has held (VmHWM of proc(5))."""
        text = Path(f"/proc/{self.pid}/status").read_text()
        found = re.search(r"VmHWM:\s+(\d+) kB", text)
        return int(found[1]) / 1024 if found else 0.0


@contextmanager
def served(path: Path, smtp_port: int) -> Iterator[Served]:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        port = found.getsockname()[1]
    own = {
        "DATABASE": str(path),
        "PORT": str(port),
        "SMTP_HOST": "127.0.0.1",
        "SMTP_PORT": str(smtp_port),
        "SMTP_SECURITY": "none",
    }
    environment = os.environ | {f"PATIENT_COURIER_{name}": value for name, value in own.items()}
    command = [sys.executable, "-m", "patient_courier.cli", "serve"]
    server = subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL)
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(300):
            try:
                httpx.get(f"{address}/api/session")
                break
            except httpx.HTTPError:
                time.sleep(0.1)
        yield Served(address, server.pid)
    finally:
        server.terminate()
        server.wait()


def median(ask: Callable[[], object], times: int = 7) -> float:
    """Milliseconds, the middle one of several; the first warms up."""
    ask()
    found = []
    for _ in range(times):
        began = time.perf_counter()
        ask()
        found.append(1000 * (time.perf_counter() - began))
    return sorted(found)[times // 2]


def broadcasts(report: Report, folder: Path) -> None:
    path = folder / "broadcasts.db"
    database = opened(path, 1)
    with database.writing() as session:
        _fill(session)
        add_user(session, email=EMAIL, name="Ines", role="owner", password=hash_password(PASSWORD))
    database.close()
    with bare_far_side() as port:
        floor = bare_loop(port, 2000, b"Subject: x\r\n\r\n" + b"x" * 8000)
        with served(path, port) as site:
            _school(site)
            _counting(report, site)
            key = _draft(site)
            _looking_ahead(report, site, key)
            _posting(report, site, key, floor)
            _importing(report, site)
            report.note(
                f"Most memory the server held in all this: {site.peak_megabytes():.0f} MB (aim: under 500)."
            )


def _school(site: Served) -> None:
    """At any hour and without a limit, so that everybody gets the letter at once."""
    body = site.get("/api/school")["body"]
    answer = site.client.put(
        "/api/school", json={"body": {**body, "posting_hours": None, "daily_limit": None}}
    )
    answer.raise_for_status()


def _counting(report: Report, site: Served) -> None:
    for number in range(1, len(LINES) + 1):
        lines = LINES[:number]
        took = median(lambda lines=lines: site.post("/api/audiences/counts", {"lines": lines}))
        report.note(f"Counts while editing, {number} lines: {took:.0f} ms in all (aim: 200 each).")
    took = median(lambda: site.post("/api/audiences/names", {"lines": LINES, "page": 3}))
    report.note(f"A page of the names behind a count: {took:.0f} ms (aim: under 100).")
    for sort in ("name", "address", "joined", "last_seen"):
        took = median(lambda sort=sort: site.post("/api/student-list", {"sort": sort, "page": 40}))
        report.note(f"A page of the list of students by {sort}: {took:.0f} ms (aim: under 100).")


def _draft(site: Served) -> str:
    clock = site.get("/api/frame")["clock"]["wall"]
    key = site.post("/api/broadcasts", {"name": "To everyone", "letter": "news-winter"})["key"]
    body = site.get(f"/api/broadcasts/{key}")["body"] | {"at": f"{clock}:00"}
    site.client.put(f"/api/broadcasts/{key}", json={"body": body}).raise_for_status()
    return str(key)


def _looking_ahead(report: Report, site: Served, key: str) -> None:
    began = time.perf_counter()
    look = site.post(f"/api/broadcasts/{key}/outlook")
    first = time.perf_counter() - began
    while look["state"] == "working":
        time.sleep(0.5)
        look = site.get(f"/api/broadcasts/outlooks/{look['id']}")
    took = time.perf_counter() - began
    report.note(
        f"Who will not get it, and why, of {AUDIENCE_STUDENTS:,}: {took:.0f} s, with progress from {first:.1f} s on; "
        f"{look['result']['will']:,} will."
    )


def _posting(report: Report, site: Served, key: str, floor: float) -> None:
    began = time.perf_counter()
    site.post(f"/api/broadcasts/{key}/schedule", {})
    while site.get(f"/api/broadcasts/{key}")["recipients"] is None:
        time.sleep(0.05)
    report.note(
        f"The list of {AUDIENCE_STUDENTS:,} frozen in {time.perf_counter() - began:.1f} s (aim: under 5)."
    )
    marks: list[tuple[float, int]] = []
    pages: list[float] = []
    while True:
        began = time.perf_counter()
        site.post("/api/student-list", {"page": 1 + len(pages) % 50})
        site.get("/api/deliveries?page=1")
        pages += [(time.perf_counter() - began) / 2] * 2
        found = site.get(f"/api/broadcasts/{key}")
        marks.append((time.perf_counter(), found["counts"]["delivered"]))
        if found["counts"]["delivered"] >= POSTED:
            site.post(f"/api/broadcasts/{key}/pause")
            break
        time.sleep(0.25)
    sent = marks[-1][1]
    report.add(
        f"letters of a broadcast to a bare far side, {sent:,} of them, guards asked",
        sent / (marks[-1][0] - marks[0][0]),
        floor,
    )
    tenth = sent // 10
    early = next(mark for mark in marks if mark[1] >= tenth)
    late = next(mark for mark in marks if mark[1] >= sent - tenth)
    first = early[1] / (early[0] - marks[0][0])
    last = (sent - late[1]) / max(marks[-1][0] - late[0], 0.001)
    ordered = sorted(pages)
    report.note(
        f"The first tenth went at {first:,.0f} a second, the last at {last:,.0f}; other pages meanwhile: "
        f"{1000 * ordered[len(ordered) // 2]:.0f} ms, {1000 * ordered[int(len(ordered) * 0.95)]:.0f} ms at p95 (aim: 300)."
    )


def _importing(report: Report, site: Served) -> None:
    rows = "".join(
        f"i{n}@example.net,Ida{n},Europe/Berlin,first-hive,2026-01-{1 + n % 28:02d},fair\n"
        for n in range(100_000)
    )
    content = ("mail,first name,time zone,course,enrolled,tags\n" + rows).encode()
    began = time.perf_counter()
    answer = site.client.post("/api/imports/read", content=content)
    file = answer.raise_for_status().json()
    plan = {"targets": [column["guess"] for column in file["columns"]]}
    _until_done(site, site.post(f"/api/imports/{file['id']}/try", plan))
    tried = time.perf_counter() - began
    _until_done(site, site.post(f"/api/imports/{file['id']}/take", plan))
    report.note(
        f"100,000 rows imported in {time.perf_counter() - began:.0f} s (aim: under 120), the trial before it {tried:.0f} s."
    )


def _until_done(site: Served, work: Any) -> None:
    while work["state"] == "working":
        time.sleep(0.3)
        work = site.get(f"/api/imports/progress/{work['id']}")
    assert work["state"] == "done", work
