"""What every route gets: the post, a database session, the definitions, the person who signed in."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

from fastapi import Depends, HTTPException, Request
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.definitions import Definitions
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.tables import UserRow
from patient_courier.web.sign_in import CSRF_HEADER, read_session


def post(request: Request) -> Post:
    found: Post = request.app.state.post
    return found


ThePost = Annotated[Post, Depends(post)]


def _reading(post: ThePost) -> Iterator[Session]:
    with post.database.reading() as session:
        yield session


def _writing(post: ThePost) -> Iterator[Session]:
    """A write transaction around the whole route; the dispatcher is told when it is committed."""
    with post.database.writing() as session:
        yield session
    post.nudge()


# Ends before the answer goes out, so that whoever reads next sees what was written.
Reading = Annotated[Session, Depends(_reading, scope="function")]
Writing = Annotated[Session, Depends(_writing, scope="function")]


def signed_in(request: Request, post: ThePost) -> UserRow:
    """The person who signed in. 401 without one; 403 for a change without the CSRF token."""
    found = read_session(request, post.secrets["sessions"])
    if found is not None:
        with post.database.reading() as session:
            user = session.get(UserRow, found.user)
        if user is not None:
            if request.method not in ("GET", "HEAD") and request.headers.get(CSRF_HEADER) != found.csrf:
                raise HTTPException(403, "This page is out of date. Reload it and try again.")
            return user
    raise HTTPException(401, "Please sign in.")


SignedIn = Annotated[UserRow, Depends(signed_in)]


def definitions_in(post: Post, session: Session) -> Definitions:
    return post.library.load(session)


def now_in(session: Session) -> Instant:
    return read_clock(session).now
