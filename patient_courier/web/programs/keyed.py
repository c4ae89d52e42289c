"""Whether a program may do what it asks for: its key, what the key is for, how often; and changes that are asked for twice."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from hashlib import sha256
from typing import Annotated

from fastapi import Depends, Header, HTTPException, Request, Response
from fastapi.responses import JSONResponse
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer
from limits import RateLimitItemPerMinute
from pydantic import BaseModel

from patient_courier.dispatch.clock import real_now
from patient_courier.store.base.database import Busy
from patient_courier.store.destinations import api_keys
from patient_courier.store.destinations.api_keys import NOTED_SECONDS, Answered, ApiKey, Scope
from patient_courier.web.context import Limits, Session, ThePost

A_MINUTE = RateLimitItemPerMinute(120, 1, "program")
WRONG_A_MINUTE = RateLimitItemPerMinute(60, 1, "program-unknown")
_BEARER = HTTPBearer(auto_error=False, description="A key made in School, Destinations and keys.")
SAYS = {
    "read": "read students and figures",
    "report": "report events",
    "change": "change tags and enrolments",
}
# As in the draft “The Idempotency-Key HTTP Header Field” of the IETF, without its quotes being asked for.
IdempotencyKey = Annotated[
    str | None,
    Header(
        alias="Idempotency-Key",
        min_length=1,
        max_length=190,
        pattern=r"^[\x21-\x7e]+$",
        description="Sent again with the same key within a day, a change happens once and is answered the same.",
    ),
]


def may(scope: Scope) -> Callable[..., ApiKey]:
    """A dependency that lets in programs whose key is for this. 401, 403, 429 for the others."""

    def let_in(
        request: Request,
        post: ThePost,
        limits: Limits,
        bearer: Annotated[HTTPAuthorizationCredentials | None, Depends(_BEARER)],
    ) -> ApiKey:
        with post.database.reading() as session:
            found = api_keys.holding(session, bearer.credentials) if bearer is not None else None
        if found is None:
            origin = request.client.host if request.client else ""
            within(limits, WRONG_A_MINUTE, origin)
            raise HTTPException(
                401,
                "Send a key of this school as “Authorization: Bearer …”. One that has been ended opens nothing.",
                headers={"WWW-Authenticate": "Bearer"},
            )
        within(limits, A_MINUTE, str(found.id))
        if scope not in found.scopes:
            raise HTTPException(
                403, f"The key “{found.name}” may not {SAYS[scope]}. Make one that may, in School."
            )
        _note_use(post, found)
        request.scope["who"] = f"Key “{found.name}”"
        return found

    return let_in


def within(limits: Limits, rate: RateLimitItemPerMinute, who: str) -> None:
    """Count one more. 429 when that is too many."""
    if limits.hit(rate, who):
        return
    seconds = max(1, math.ceil(limits.get_window_stats(rate, who).reset_time - time.time()))
    raise HTTPException(
        429,
        f"That was more than {rate.amount} requests in a minute. Come again in {seconds} seconds.",
        headers={"Retry-After": str(seconds)},
    )


def _note_use(post: ThePost, key: ApiKey) -> None:
    real = real_now()
    if key.used is not None and (real - key.used).total("seconds") < NOTED_SECONDS:
        return
    try:
        with post.database.writing() as session:
            api_keys.note_use(session, key.id, real)
    except Busy:
        pass  # who reads is not turned away because nothing can be written


def digest_of(*asked: str) -> str:
    """What tells one request from another under the same Idempotency-Key."""
    return sha256("\n".join(asked).encode("utf-8", "surrogatepass")).hexdigest()


def before(session: Session, program: ApiKey, key: str | None, asked: str) -> Response | None:
    """What was answered to this request before. 422 when the key was used for another request."""
    found = api_keys.answered(session, program.id, key, real_now()) if key else None
    if found is None:
        return None
    if found.asked != asked:
        raise HTTPException(
            422, "This Idempotency-Key was used for another request. Take a new key for a new request."
        )
    return Response(found.body, status_code=found.status, media_type="application/json")


def answer(
    session: Session, program: ApiKey, key: str | None, asked: str, what: BaseModel, status: int = 200
) -> Response:
    """Answer a change, and remember the answer under its Idempotency-Key."""
    found = JSONResponse(what.model_dump(mode="json"), status_code=status)
    if key:
        text = bytes(found.body).decode()
        api_keys.keep_answer(session, program.id, key, Answered(asked, status, text), real_now())
    return found
