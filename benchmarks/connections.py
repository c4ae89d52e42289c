"""Messages of connections: mapped ones beside our own intake's batches, kept ones while listening, all kept ones tried again."""

from __future__ import annotations

import json
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx

from benchmarks.post import served
from benchmarks.report import Report, per_second
from benchmarks.scenes import START, opened
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.translate import translate
from patient_courier.intake.signature import sign
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.base.tables import SecretRow
from patient_courier.store.connections import connections, messages

FIVES, EACH, KEPT, SENDERS, TRIED = 200, 5, 1_000, 8, 10_000
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
