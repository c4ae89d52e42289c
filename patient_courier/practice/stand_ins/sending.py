"""How a stand-in sends: with its proof, and with the bad habits that real senders have."""

from __future__ import annotations

import hashlib
import hmac
import random
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import httpx

from patient_courier.practice.stand_ins.dialects import Said

Proof = Literal["address", "hmac", "bearer"]
Habit = Literal["once", "twice", "shuffled", "flood", "empty"]
FLOOD = 500
TIMEOUT_SECONDS = 20.0


@dataclass(frozen=True, slots=True)
class Answer:
    """What the other side said: a status (0 when it was not reached) and its words."""

    status: int
    words: str


def headers(proof: Proof, secret: str, said: Said, at: float) -> dict[str, str]:
    """The headers of a message: HMAC in hex over time, full stop and body; a bearer secret; or nothing but its type."""
    found = {"content-type": said.type}
    if proof == "hmac":
        time = str(int(at))
        signed = f"{time}.".encode() + said.body
        found["X-Shop-Time"] = time
        found["X-Shop-Signature"] = "v1=" + hmac.new(secret.encode(), signed, hashlib.sha256).hexdigest()
    elif proof == "bearer":
        found["Authorization"] = f"Bearer {secret}"
    return found


def by_habit(messages: list[Said], habit: Habit, seed: int = 0) -> Iterator[Said]:
    """The messages as they really go out: once, each twice, in any order, five hundred times in a row, or without a body."""
    match habit:
        case "once":
            yield from messages
        case "twice":
            for one in messages:
                yield from (one, one)
        case "shuffled":
            yield from random.Random(seed).sample(messages, len(messages))
        case "flood":
            for one in messages:
                yield from (one for _ in range(FLOOD))
        case "empty":
            for one in messages:
                yield Said(one.type, b"")


def send(client: httpx.Client, to: str, said: Said, with_headers: dict[str, str]) -> Answer:
    """Post one message. Never raises: what goes wrong is the answer."""
    try:
        answer = client.post(to, content=said.body, headers=with_headers, timeout=TIMEOUT_SECONDS)
    except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
        return Answer(0, f"not reached: {error}")
    return Answer(answer.status_code, answer.text[:500])
