"""Needs you: what keeps the whole school from going on: its file, its mail server, its copies, its mailbox."""

from __future__ import annotations

import time

from patient_courier.core.telling import words
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.outbox import Trouble
from patient_courier.store.upkeep.failing import Failing, failing
from patient_courier.web.context import Session
from patient_courier.web.places.today.need import NeedsYou


def upkeep(session: Session, zone: str) -> list[NeedsYou]:
    """What keeps the school and fails: its copies, the mailbox for what comes back."""
    return [
        NeedsYou(
            kind="upkeep",
            id=number,
            ids=[],
            title=title,
            sentence=one.why,
            reason_code=None,
            at=words.moment(one.since, zone),
            student=None,
            students=[],
            letter=None,
            body={"place": place},
            can_post=False,
        )
        for number, (title, place, one) in enumerate(failing_now(session), 1)
    ]


def failing_now(session: Session) -> list[tuple[str, str, Failing]]:
    """What fails, with the place where it is mended."""
    found = (
        ("No good copy is made", "/school/copies", failing(session, "copies")),
        ("What comes back can't be read", "/school/mail", failing(session, "mailbox")),
    )
    return [(title, place, one) for title, place, one in found if one is not None]


def disk(post: Post, zone: str) -> list[NeedsYou]:
    """That the school's file can't be written, said from memory: it can't be kept."""
    trouble = post.database.trouble
    if trouble is None:
        return []
    since = real_now().subtract(seconds=int(time.monotonic() - trouble.since))
    return [
        NeedsYou(
            kind="disk",
            id=1,
            ids=[],
            title="Nothing can be taken in",
            sentence=trouble.sentence,
            reason_code="disk",
            at=words.moment(since, zone),
            student=None,
            students=[],
            letter=None,
            body=None,
            can_post=True,
        )
    ]


def carrier(post: Post, zone: str) -> list[NeedsYou]:
    trouble, refusing = post.outbox.trouble, post.servers.refusing
    if trouble is None and refusing is not None and post.servers.by_second():
        trouble = Trouble(
            f"Letters go by the second mail server, since the first one refuses: {refusing.why}",
            refusing.since,
        )
    if trouble is None:
        return []
    return [
        NeedsYou(
            kind="carrier",
            id=1,
            ids=[],
            title="Letters can't go out" if post.outbox.trouble else "Letters go by the second mail server",
            sentence=trouble.sentence,
            reason_code="carrier",
            at=words.moment(trouble.since, zone),
            student=None,
            students=[],
            letter=None,
            body=None,
            can_post=True,
        )
    ]
