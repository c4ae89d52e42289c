"""What every route gets: the post, a database session, the definitions, the person who signed in."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from typing import Annotated

from fastapi import Depends, HTTPException, Path, Query, Request
from limits.strategies import MovingWindowRateLimiter
from pydantic import Field
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.helpers.rights import may
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.school.second_steps import proved_lately
from patient_courier.store.school.users import User, needs_noting, note_seen, user_of_session
from patient_courier.web.jobs import Board
from patient_courier.web.rights import needed, only_in_school, wants_proof
from patient_courier.web.sign_in import CSRF_HEADER, csrf_of, token_of
from patient_courier.web.written import write_down

__all__ = [
    "Limits",
    "PageNumber",
    "Reading",
    "RowId",
    "RowNumber",
    "Search",
    "Session",
    "SignedIn",
    "TheBoard",
    "ThePost",
    "Writing",
    "definitions_in",
    "now_in",
]


def post(request: Request) -> Post:
    found: Post = request.scope["served"].post
    return found


ThePost = Annotated[Post, Depends(post)]


def limits(request: Request) -> MovingWindowRateLimiter:
    found: MovingWindowRateLimiter = request.scope["served"].limits
    return found


def board(request: Request) -> Board:
    found: Board = request.scope["served"].board
    return found


TheBoard = Annotated[Board, Depends(board)]

# How often something was done, in memory.
Limits = Annotated[MovingWindowRateLimiter, Depends(limits)]


def _reading(post: ThePost) -> Iterator[Session]:
    with post.database.reading() as session:
        yield session


def _writing(request: Request, post: ThePost) -> Iterator[Session]:
    """A write transaction around the whole route; the dispatcher is told when it is committed.

    What somebody who signed in changes in it, or a key, is written down; what students do by their links is not.
    """
    with post.database.watching() as session:
        yield session
        who = request.scope.get("who")
        if who is not None:
            write_down(session, who)
    post.nudge()


# Ends before the answer goes out, so that whoever reads next sees what was written.
Reading = Annotated[Session, Depends(_reading, scope="function")]
Writing = Annotated[Session, Depends(_writing, scope="function")]


def signed_in(request: Request, post: ThePost) -> User:
    """The person who signed in. 401 without one; 403 for a change without the CSRF token, for what their role
    may not, and (with X-Prove) for what wants a proof when there was none lately."""
    people: Database = request.scope["served"].people
    token = token_of(request)
    user = None
    if token is not None:
        with people.reading() as session:
            user = user_of_session(session, token, real_now())
    if token is None or user is None:
        raise HTTPException(401, "Please sign in.")
    if request.method not in ("GET", "HEAD") and request.headers.get(CSRF_HEADER) != csrf_of(token):
        raise HTTPException(403, "This page is out of date. Reload it and try again.")
    request.scope["who"] = user.name
    _note_seen(people, token)
    if request.scope["served"].real is not None and only_in_school(request.scope["route"].path):
        raise HTTPException(409, "This is the practice copy. Do that in the school itself.")
    right = needed(request.method, request.scope["route"].path)
    if right is not None and not may(user.role, right):
        raise HTTPException(403, NOT_ALLOWED)
    # The demo's owner is signed in by itself and has no password that nobody knows.
    if wants_proof(request.method, request.scope["route"].path) and not post.settings.demo:
        with people.reading() as session:
            if not proved_lately(session, token, real_now()):
                raise HTTPException(403, ONCE_MORE, headers={PROVE_HEADER: "again"})
    return user


def _note_seen(people: Database, token: str) -> None:
    """Every ten minutes; whether it is time is asked without a lock, and nobody is refused since it can't be noted."""
    now = real_now()
    with people.reading() as session:
        due = needs_noting(session, token, now)
    if due:
        with suppress(Busy), people.writing() as session:
            note_seen(session, token, now)


PROVE_HEADER = "X-Prove"
ONCE_MORE = "Show once more that it is you, then it is done."
NOT_ALLOWED = "Your role does not include this. Ask the owner of the school."
SignedIn = Annotated[User, Depends(signed_in)]
# What a row of the database can be called by, in an address.
RowId = Annotated[int, Path(ge=1, le=2**63 - 1)]
RowNumber = Annotated[int, Field(ge=1, le=2**63 - 1)]
# What is searched for: a few words.
Search = Annotated[str, Query(max_length=200)]
PageNumber = Annotated[int, Query(ge=1, le=100_000)]


def definitions_in(post: Post, session: Session) -> Definitions:
    return post.library.load(session)


def now_in(session: Session) -> Instant:
    return read_clock(session).now
