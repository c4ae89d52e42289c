"""Making the HTTP calls that steps ask for, signed after Standard Webhooks, again and again until they are taken.

A practice school calls nobody: its calls are kept, to be looked at. The message
id of a call is always the same, so that a receiver can tell a repetition. Calls
are made beside each other, so that a slow receiver holds up few others, and no letter.
"""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC

import structlog
from whenever import Instant

from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.intake.signature import sign
from patient_courier.post.outward import TOTAL_SECONDS, NotReached, post
from patient_courier.store.base.database import Database
from patient_courier.store.connections import calls as stored

log = structlog.get_logger()
AT_ONCE = 4
MOST_TRIES = 12
FIRST_RETRY_SECONDS, LONGEST_RETRY_SECONDS = 60, 6 * 3600


class Caller:
    """Makes what calls are queued."""

    def __init__(
        self, database: Database, secret: str, *, inside: bool, total: float = TOTAL_SECONDS
    ) -> None:
        """``inside``: calls may go to this machine and its networks too. ``total``: the longest a call may take, in s."""
        self._database = database
        self._secret = secret
        self._inside = inside
        self._total = total

    def empty(self) -> Instant | None:
        """Make every call that is queued; returns when one that was not taken is to be made again (real time)."""
        while True:
            with self._database.reading() as session:
                ids = stored.queued(session, real_now())
                if not ids:
                    return stored.next_retry(session)
            with ThreadPoolExecutor(AT_ONCE, thread_name_prefix="call") as beside:
                list(beside.map(self._make, ids))

    def _make(self, id: int) -> None:
        with self._database.writing() as session:
            call = stored.begin(session, id, practice=read_clock(session).practice)
        if call is None:
            return
        body = json.dumps(call.body, ensure_ascii=False)
        headers = sign(self._secret, f"call_{id}", real_now().to_stdlib().astimezone(UTC), body)
        try:
            status = post(call.url, body.encode(), headers, inside=self._inside, total=self._total)
            reason = None if 200 <= status < 300 else f"answered {status}"
        except NotReached as error:
            reason = str(error)
        except Exception as error:
            log.exception("a call failed", call=id)
            reason = f"not made: {type(error).__name__}"
        retry = None
        if reason is not None:
            log.warning("call not taken", call=id, reason=reason, tries=call.tries)
            if call.tries < MOST_TRIES:
                pause = min(FIRST_RETRY_SECONDS * 2 ** (call.tries - 1), LONGEST_RETRY_SECONDS)
                retry = real_now().add(seconds=pause)
        with self._database.writing() as session:
            stored.settle(session, id, reason, retry)
