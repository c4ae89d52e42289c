"""Messages of connections: mapped ones beside our own intake's batches, kept ones while listening, all kept ones tried again."""

from __future__ import annotations

import json
import multiprocessing
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from multiprocessing.queues import Queue
from multiprocessing.synchronize import Event
from pathlib import Path
from queue import Empty
from typing import Any

import httpx

from benchmarks.post import served
from benchmarks.report import Report, per_second
from benchmarks.scenes import START, opened
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.translate import translate
from patient_courier.dispatch.clock import real_now
from patient_courier.intake.signature import sign
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.base.tables import SecretRow
from patient_courier.store.connections import connections, messages
from patient_courier.store.school.users import add_user, begin_session, user_by_email
from patient_courier.web.sign_in import COOKIE, hash_password

FIVES, EACH, KEPT, SENDERS, TRIED, AIM = 200, 5, 1_000, 8, 10_000, 100
PAGES = ("/api/frame", "/api/today", "/api/needs-you", "/api/connections", "/api/students", "/api/deliveries")
FILE: dict[str, Any] = {
    "format": "patient-courier.connection",
    "version": 1,
    "name": "Shop",
    "proof": {"kind": "address"},
    "each": "$.order.lines[*]",
    "student": {"email": "/order/buyer/mail"},
    "at": {"place": "/order/paid_at", "as": "rfc3339"},
    "id": ["/order/no"],
    "rules": [
        {
            "when": [{"place": "/topic", "is": ["order.paid"]}],
            "event": {
                "type": "purchased",
                "offer": {"place": "item/sku", "map": {"FH-1": "first-hive-once"}},
                "order": "/order/no",
                "amount": "item/price",
            },
        }
    ],
}


def _order(number: int) -> bytes:
    """An order of five lines by one of the benchmark's students, as our own batch of five events is by one."""
    line = {"sku": "FH-1", "title": "First Hive", "price": "149.00"}
    buyer = {"mail": f"s{number}@example.org", "given": f"S{number}"}
    order = {"no": f"o{number}", "paid_at": START.format_iso(), "buyer": buyer, "lines": [line] * EACH}
    return json.dumps({"topic": "order.paid", "order": order}).encode()


def _connect(database: Database, key: str, state: connections.State) -> int:
    with database.writing() as session:
        id = connections.add(session, FILE | {"key": key}, START)
        connections.set_state(session, id, state)
        connections.give_secret(session, id, "address", f"{key}-for-the-benchmark", START)
    return id


def messages_over_http(report: Report, folder: Path) -> None:
    path = folder / "connections.db"
    database = opened(path, 2 * FIVES)
    with database.reading() as session:
        secret = session.get_one(SecretRow, "intake").value
    _connect(database, "on", "on")
    _connect(database, "listening", "listening")
    token = sign_in(database)
    database.close()

    def own(client: httpx.Client) -> None:
        for number in range(FIVES):
            body = [
                {"type": "purchased", "at": START.format_iso(), "student": f"s{number}", "offer": "first-hive-once", "id": f"e{number}/{n}"}
                for n in range(EACH)
            ]  # fmt: skip
            text = json.dumps(body)
            headers = sign(secret, f"m{number}", datetime.now(UTC), text)
            client.post("/intake/events", content=text, headers=headers).raise_for_status()

    def mapped(client: httpx.Client) -> None:
        for number in range(FIVES, 2 * FIVES):
            answer = client.post("/intake/on-for-the-benchmark", content=_order(number)).raise_for_status()
            assert answer.json()["events"] == EACH, answer.text

    def kept(client: httpx.Client) -> None:
        def one(number: int) -> None:
            client.post("/intake/listening-for-the-benchmark", content=_order(number)).raise_for_status()

        with ThreadPoolExecutor(SENDERS) as senders:
            list(senders.map(one, range(KEPT)))

    def paced(client: httpx.Client) -> None:
        """As many a second as the aim says, and no more."""
        began = time.perf_counter()

        def one(number: int) -> None:
            time.sleep(max(0.0, began + number / AIM - time.perf_counter()))
            client.post(
                "/intake/listening-for-the-benchmark", content=_order(KEPT + number)
            ).raise_for_status()

        with ThreadPoolExecutor(SENDERS) as senders:
            list(senders.map(one, range(KEPT)))

    with served(path) as address, httpx.Client(base_url=address, timeout=60) as client:
        floor = per_second(FIVES, lambda: own(client))
        report.add(
            "mapped messages of five items, beside our own intake's batches of five",
            per_second(FIVES, lambda: mapped(client)),
            floor,
        )
        report.add(
            f"messages kept while listening, {SENDERS} senders at once",
            per_second(KEPT, lambda: kept(client)),
            None,
        )
        with pages(address, token):
            time.sleep(3)  # every page once, as it is after the first minute of any day
        with pages(address, token) as took:
            came = per_second(KEPT, lambda: paced(client))
        report.note(
            f"{came:.0f} messages a second kept: the owner's pages meanwhile in {slowest_of_twenty(took) * 1000:.0f} ms "
            f"at the 95th percentile of {len(took)}"
        )


def sign_in(database: Database) -> str:
    """The token of an owner's session."""
    with database.writing() as session:
        add_user(
            session,
            email="ines@mallowlane.example",
            name="Ines",
            role="owner",
            password=hash_password("a long enough password"),
        )
        session.flush()
        found = user_by_email(session, "ines@mallowlane.example")
        assert found is not None
        return begin_session(session, found.id, real_now())


def _look(address: str, token: str, over: Event, took: Queue[float]) -> None:
    with httpx.Client(base_url=address, cookies={COOKIE: token}, timeout=60) as client:
        while not over.is_set():
            for page in PAGES:
                began = time.perf_counter()
                client.get(page).raise_for_status()
                took.put(time.perf_counter() - began)
            over.wait(0.1)


@contextmanager
def pages(address: str, token: str) -> Iterator[list[float]]:
    """How long the owner's pages take, one after the other, as long as this goes on; in seconds.

    Asked from a process of its own, so that the senders' work is not counted.
    """
    took: list[float] = []
    spawned = multiprocessing.get_context("spawn")
    over, told = spawned.Event(), spawned.Queue()
    looking = spawned.Process(target=_look, args=(address, token, over, told))
    looking.start()
    took.append(told.get())
    try:
        yield took
    finally:
        over.set()
        while looking.is_alive() or not told.empty():
            with suppress(Empty):
                took.append(told.get(timeout=0.2))
        looking.join()


def slowest_of_twenty(took: list[float]) -> float:
    """The 95th percentile, in seconds."""
    return sorted(took)[int(len(took) * 0.95)]


def tried_again(report: Report, folder: Path) -> None:
    path = folder / "tried.db"
    database = opened(path, 10)
    id = _connect(database, "on", "on")
    with database.writing() as session:
        for number in range(TRIED):
            body = json.loads(_order(number))
            body["order"]["lines"] = body["order"]["lines"][:1]
            messages.keep(session, id, Message(START, "application/json", json.dumps(body).encode()))
    with database.reading() as session:
        found = connections.get(session, id)
        assert found is not None
        connection, definitions = connections.ready(found.text), Library("https://post.example").load(session)
        began = time.perf_counter()
        heap = messages.newest(session, id, TRIED)
        assert all(translate(connection, definitions, one.message).items for one in heap)
        took = time.perf_counter() - began
    database.close()
    report.note(f"{len(heap):,} kept messages tried again: {took:.1f} s")
