"""Who is told what and the check-up of a large school, and what the check-up leaves for whoever looks at pages meanwhile."""

from __future__ import annotations

import threading
import time
from pathlib import Path

from fastapi.testclient import TestClient

from benchmarks.connections import sign_in
from benchmarks.copies import EVENTS_EACH, STUDENTS, filled
from benchmarks.figures import lived
from benchmarks.report import Report
from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.web.app import create_app
from patient_courier.web.sign_in import COOKIE

LOOKED_AT = ("/api/students", "/api/frame", "/api/sequences", "/api/findings", "/api/who-is-told")


def overview(report: Report, folder: Path) -> None:
    database = filled(folder / "overview.db")
    token = sign_in(database)
    lived(database)
    post = Post(database, Settings(database=database.path, smtp_host=""))
    with TestClient(create_app(post), base_url="http://127.0.0.1") as client:
        client.cookies.set(COOKIE, token)
        while post.overseer.progress is not None:
            time.sleep(0.1)  # the one of the start
        school = f"{STUDENTS:,} students with {EVENTS_EACH} events each"
        for page in (
            "/api/who-is-told",
            "/api/who-is-told?course=first-hive",
            "/api/weekly-letter",
            "/api/findings",
        ):
            took = [_asked(client, page) for _ in range(5)]
            report.note(f"{page}, {school}: {took[0]:.2f} s the first time, {min(took[1:]):.2f} s after.")
        _check_up(report, client, post, school)
    database.close()


def _asked(client: TestClient, page: str) -> float:
    began = time.perf_counter()
    answer = client.get(page)
    assert answer.status_code == 200, answer.text
    return time.perf_counter() - began


def _check_up(report: Report, client: TestClient, post: Post, school: str) -> None:
    quiet = sorted(_asked(client, page) for _ in range(20) for page in LOOKED_AT)
    looking = threading.Thread(target=post.overseer.look_now)
    began = time.perf_counter()
    looking.start()
    meanwhile = []
    while looking.is_alive():
        meanwhile += [_asked(client, page) for page in LOOKED_AT]
    took = time.perf_counter() - began
    meanwhile.sort()
    p95, before = (times[int(0.95 * (len(times) - 1))] * 1000 for times in (meanwhile, quiet))
    report.note(
        f"The check-up of the whole, {school}: {took:.1f} s in the background (aim: under 30); pages meanwhile, p95 of "
        f"{len(meanwhile)}: {p95:.0f} ms (aim: under 300), without it {before:.0f} ms."
    )
