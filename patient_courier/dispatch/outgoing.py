"""Posting what goes out to other programs, destinations and calls of steps alike: signed, again and again, in lanes.

Each lane has a thread of its own while something is ready in it, so that a receiver that is slow or dead holds up no other.
In a lane several lines post beside each other, each student's messages in one of them, so that theirs keep their order. What
became of a lot is noted together: after a crash some go out a second time, under the same id (Standard Webhooks 1.0).
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import UTC
from ipaddress import ip_address
from urllib.parse import urlsplit

import structlog
from whenever import Instant

from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.intake.signature import sign
from patient_courier.post.outward import TOTAL_SECONDS, NotReached, Outward
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.destinations import outgoing as stored
from patient_courier.store.destinations.outgoing import Ready, Tried

log = structlog.get_logger()
LANES_AT_ONCE, LINES, LOT = 16, 4, 48
# So many failures one after the other, with nothing taken in between: the lane rests before it tries more.
MOST_MISSES = 5
STOP_SECONDS = 5.0
FIRST_REST_SECONDS, LONGEST_REST_SECONDS = 30.0, 3600.0


@dataclass(slots=True)
class _Lane:
    """How a lane stands: whether its thread is at work, and until when (monotonic) it rests, the receiver taking nothing."""

    busy: bool = False
    misses: int = 0
    rests: int = 0
    until: float = 0.0


@dataclass(slots=True)
class _Lot:
    """What became of a lot so far; ``over`` when the lane is to rest, or the application stops."""

    tried: list[Tried] = field(default_factory=list)
    over: bool = False


class Outgoing:
    """Posts what is queued, lane by lane."""

    def __init__(
        self, database: Database, secret: str, *, inside: bool, total: float = TOTAL_SECONDS
    ) -> None:
        """``secret`` signs the calls of steps. ``inside``: addresses of this machine and its networks may be reached too.
        ``total``: the longest a call may take, in s."""
        self._database = database
        self._secret = secret
        self._inside = inside
        self._total = total
        self._lanes: dict[str, _Lane] = {}
        self._changed = threading.Condition()
        self._pool: ThreadPoolExecutor | None = None
        self._stopping = False
        self.on_idle: Callable[[], None] = lambda: None

    def look(self) -> float | None:
        """Set every lane going in which something is ready; returns in how many seconds to look again, if nothing happens."""
        real = real_now()
        with self._database.reading() as session:
            ready = stored.lanes(session, real)
            retry = stored.next_retry(session, real)
        rests = []
        with self._changed:
            if self._stopping:
                return None
            for name in ready:
                lane = self._lanes.setdefault(name, _Lane())
                rest = lane.until - time.monotonic()
                if rest > 0:
                    rests.append(rest)
                elif not lane.busy:
                    lane.busy = True
                    self._pool = self._pool or ThreadPoolExecutor(
                        LANES_AT_ONCE, thread_name_prefix="outgoing"
                    )
                    self._pool.submit(self._run, name, lane)
        if retry is not None:
            rests.append((retry - real).total("seconds"))
        return min(rests, default=None)

    def empty(self) -> None:
        """Post everything that is ready, and wait until that is done."""
        while True:
            self.look()
            with self._changed:
                if not any(lane.busy for lane in self._lanes.values()):
                    return
                self._changed.wait_for(lambda: not any(lane.busy for lane in self._lanes.values()))

    def try_now(self, lane: str) -> None:
        """The owner has mended something: do not wait for the end of a rest."""
        with self._changed:
            if found := self._lanes.get(lane):
                found.misses, found.rests, found.until = 0, 0, 0.0

    def stop(self) -> None:
        """Begin nothing more; what is being posted is waited for a moment, and goes out again where it was not noted."""
        with self._changed:
            self._stopping = True
            pool, self._pool = self._pool, None
            self._changed.wait_for(lambda: not any(lane.busy for lane in self._lanes.values()), STOP_SECONDS)
        if pool is not None:
            pool.shutdown(wait=False, cancel_futures=True)

    def _run(self, name: str, lane: _Lane) -> None:
        """Empty a lane until nothing is ready in it or it rests."""
        try:
            while not self._stopping and lane.until <= time.monotonic() and self._post_lot(name, lane):
                pass
        except Busy:
            log.warning("what was posted could not be noted", lane=name)
            lane.until = time.monotonic() + FIRST_REST_SECONDS
        except Exception:
            log.exception("a lane of outgoing messages broke", lane=name)
            lane.until = time.monotonic() + FIRST_REST_SECONDS
        finally:
            with self._changed:
                lane.busy = False
                self._changed.notify_all()
            self.on_idle()

    def _post_lot(self, name: str, lane: _Lane) -> bool:
        """The next of a lane; whether there were any."""
        with self._database.writing() as session:
            practice = read_clock(session).practice
            lot = stored.ready(session, name, real_now(), LOT)
            kept = [one.id for one in lot if practice and not _on_this_machine(one.url)]
            if kept:
                stored.keep(session, kept)
        lot = [one for one in lot if one.id not in set(kept)]
        if not lot:
            return bool(kept)
        lines: list[list[Ready]] = [[] for _ in range(LINES)]
        for one in lot:
            lines[(one.student or one.id) % LINES].append(one)
        became = _Lot()
        with ThreadPoolExecutor(LINES, thread_name_prefix="outgoing-line") as beside:
            list(beside.map(lambda line: self._post_line(line, lane, became, practice), lines))
        if became.tried:
            with self._database.writing() as session:
                stored.settle(
                    session, sorted(became.tried, key=lambda one: one.at.timestamp(unit="nanosecond"))
                )
                stored.forget_old(session, real_now())
        return True

    def _post_line(self, line: Sequence[Ready], lane: _Lane, became: _Lot, practice: bool) -> None:
        """Some of a lot, one after the other; what comes after one that was not taken, about the same student, waits."""
        # In a practice school only what runs on this machine is reached, and that always may be.
        outward = Outward(
            inside=_is_loopback if practice and not self._inside else self._inside, total=self._total
        )
        held: set[int] = set()
        try:
            for one in line:
                if became.over or self._stopping:
                    return
                if one.student in held:
                    continue
                tried = self._try(outward, one)
                with self._changed:
                    became.tried.append(tried)
                    became.over = self._count(lane, tried.reason is None) or became.over
                if tried.reason is not None:
                    log.warning("a message was not taken", message=one.key, reason=tried.reason)
                    if one.student is not None:
                        held.add(one.student)
        finally:
            outward.close()

    def _try(self, outward: Outward, one: Ready) -> Tried:
        began, real = time.monotonic(), real_now()
        status, answer, asked = None, "", None
        try:
            headers = signed(one.secrets or (self._secret,), one.key, real, one.body)
            got = outward.post(one.url, one.body.encode(), headers)
            status, answer, asked = got.status, got.text, got.asked
            reason = None if 200 <= status < 300 else f"answered {status}"
        except NotReached as error:
            reason = str(error)
        except Exception as error:
            log.exception("a message failed", message=one.key)
            reason = f"not made: {type(error).__name__}"
        took = round((time.monotonic() - began) * 1000)
        return Tried(one.id, real_now(), status, answer, took, reason, asked)

    def _count(self, lane: _Lane, taken: bool) -> bool:
        """Whether the lane is to rest from now on."""
        if taken:
            lane.misses = lane.rests = 0
            return False
        lane.misses += 1
        if lane.misses < MOST_MISSES:
            return False
        pause = min(FIRST_REST_SECONDS * 2.0**lane.rests, LONGEST_REST_SECONDS)
        # After a rest a single failure is enough for the next one.
        lane.misses, lane.rests, lane.until = (
            MOST_MISSES - 1,
            min(lane.rests + 1, 20),
            time.monotonic() + pause,
        )
        return True


def signed(secrets: Sequence[str], key: str, at: Instant, body: str) -> dict[str, str]:
    """The headers of a message, with a signature by each of the secrets (Standard Webhooks 1.0, “Signature scheme”)."""
    every = [sign(secret, key, at.to_stdlib().astimezone(UTC), body) for secret in secrets]
    return {**every[0], "webhook-signature": " ".join(one["webhook-signature"] for one in every)}


def _is_loopback(address: str) -> bool:
    return ip_address(address.partition("%")[0]).is_loopback


def _on_this_machine(url: str) -> bool:
    """Whether an address is written as one of this machine; what a name leads to is looked at when it is reached."""
    try:
        host = urlsplit(url).hostname or ""
        return host == "localhost" or _is_loopback(host)
    except ValueError:
        return False
