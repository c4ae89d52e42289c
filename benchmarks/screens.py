"""What the workbench answers, over HTTP in one process: a long sequence being edited, a rehearsal, the last days again."""

from __future__ import annotations

import gzip
import time
from pathlib import Path
from typing import Any

from fastapi.testclient import TestClient

from benchmarks.engine import big_school
from benchmarks.report import Report
from patient_courier.demo.loading import load_demo
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.history import play_history
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import load_definitions
from patient_courier.store.school.opening import open_school
from patient_courier.store.school.users import add_user
from patient_courier.web.app import STATIC, create_app

SETTINGS = Settings(demo=True, smtp_host="")


def long_sequence() -> dict[str, Any]:
    """Sixty steps: letters, waits, waits for an event, and branches four lanes deep."""

    def lanes(depth: int, name: str) -> list[dict[str, Any]]:
        inner = lanes(depth - 1, f"{name}i") if depth else []
        condition = {"is": "completed", "lesson": "first-hive/l1"}
        return [
            {"id": f"{name}w", "do": "wait", "for": "P1D", "at": "10:00"},
            {
                "id": f"{name}b",
                "do": "branch",
                "arms": [{"if": condition, "steps": inner}],
                "otherwise": [{"id": f"{name}s", "do": "send", "letter": "fh-week"}],
            },
        ]

    steps = [step for n in range(4) for step in lanes(4, f"t{n}")]
    return {
        "key": "long",
        "name": "Long",
        "starts": [{"on": "enrolled", "course": "first-hive"}],
        "steps": steps,
    }


def screens(report: Report, folder: Path) -> None:
    database = load_demo(folder / "screens.db", SETTINGS)
    with TestClient(create_app(Post(database, SETTINGS)), base_url="http://127.0.0.1") as client:
        client.headers["x-csrf-token"] = client.get("/api/session").json()["csrf"]
        body = long_sequence()
        milliseconds = _best(lambda: client.post("/api/sequences/check", json=body))
        report.note(
            f"Editing a sequence of {_count(body['steps'])} steps, four lanes deep: days and findings in {milliseconds:.0f} ms (aim: under 100)."
        )
        welcome = client.get("/api/sequences/fh-welcome").json()["body"]
        moves = [{"day": 0, "at": "21:40", "event": {"type": "purchased", "offer": "first-hive-once"}}]
        moves += [
            {"day": 3 * n, "at": "20:00", "event": {"type": "lesson_completed", "lesson": f"first-hive/l{n}"}}
            for n in range(1, 29)
        ]
        scene = {"moves": moves, "days": 90, "sequence": welcome}
        milliseconds = _best(lambda: client.post("/api/rehearsals", json=scene))
        report.note(
            f"A rehearsal of one student over 90 days, all running sequences: {milliseconds:.0f} ms (aim: under 200)."
        )
        report.note(f"The last 90 days again, 386 students: {_replay(client, welcome):.1f} s (aim: under 5).")
        report.note(f"Today, with its forecast: {_best(lambda: client.get('/api/today')):.0f} ms.")
    database.close()
    _big(report, folder)
    html = (STATIC / "index.html").read_text()
    loaded = [path for path in (STATIC / "assets").glob("*.js") if path.name in html]
    size = sum(len(gzip.compress(path.read_bytes())) for path in loaded)
    report.note(
        f"First load: {size / 1000:.0f} kB of compressed script ({len(loaded)} files; aim: under 350)."
    )


def _big(report: Report, folder: Path) -> None:
    """Ten thousand students with half a year behind them."""
    file = big_school()
    database = Database(folder / "big.db")
    database.migrate()
    until = max(event.at for event in file.events)
    with database.writing() as session:
        open_school(session, file, until, practice=True)
        play_history(session, load_definitions(session, "https://post.example"), file.events, until)
        add_user(session, email="ines@mallowlane.example", name="Ines", role="owner", password="-")
    with TestClient(create_app(Post(database, SETTINGS)), base_url="http://127.0.0.1") as client:
        client.headers["x-csrf-token"] = client.get("/api/session").json()["csrf"]
        welcome = client.get("/api/sequences/fh-welcome").json()["body"]
        report.note(
            f"The last 90 days again, 10,000 students: {_replay(client, welcome):.0f} s (aim: under 60)."
        )
    database.close()


def _replay(client: TestClient, sequence: dict[str, Any]) -> float:
    began = time.perf_counter()
    job = client.post("/api/replays", json={"sequence": sequence, "days": 90}).json()
    while job["state"] == "playing":
        time.sleep(0.05)
        job = client.get(f"/api/replays/{job['id']}").json()
    assert job["state"] == "done", job
    return time.perf_counter() - began


def _best(ask: Any, times: int = 5) -> float:
    """The median of a few answers, in milliseconds; the first warms up."""
    ask()
    found = []
    for _ in range(times):
        began = time.perf_counter()
        answer = ask()
        found.append(1000 * (time.perf_counter() - began))
        assert answer.status_code == 200, answer.text
    return sorted(found)[times // 2]


def _count(steps: list[dict[str, Any]]) -> int:
    inner = [
        lane
        for step in steps
        for lane in (step.get("otherwise", []), *(arm["steps"] for arm in step.get("arms", [])))
    ]
    return len(steps) + sum(_count(lane) for lane in inner)
