"""Coming back from a copy: nothing is posted until the owner has said of each group whether it went out already."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.telling import words
from patient_courier.core.upkeep.coming_back import Group, groups, prints_in
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.drawing import Drawing
from patient_courier.dispatch.taking import next_due
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.connections import connections
from patient_courier.store.outbox import doubtful, outbox
from patient_courier.store.upkeep import progress
from patient_courier.store.upkeep.progress import ComingBack
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in

router = APIRouter(prefix="/api/coming-back", tags=["school"])
MOST_NAMES = 200


class GroupOut(BaseModel):
    """Letters decided on together: ``source`` is the key of their sequence or broadcast with its kind before it, ``day`` is
    local. ``answer``: they are to be posted, or nothing has been said yet. ``fresh``: they follow from what happened after
    the coming back, so nobody can have them yet."""

    source: str
    source_name: str
    letter: str
    letter_name: str
    day: str
    day_words: str
    number: int
    first: str
    last: str
    names: list[str]
    answer: Literal["post"] | None
    fresh: bool


class ShopOut(BaseModel):
    """A connection that may be able to send once more what it sent in the lost time."""

    key: str
    name: str


class ComingBackOut(BaseModel):
    """``busy``: what fell due in the lost time is still being worked out, so groups may grow."""

    open: bool
    since: str | None
    began: str | None
    busy: bool
    groups: list[GroupOut]
    connections: list[ShopOut]


class Answer(BaseModel):
    source: str = Field(max_length=300)
    letter: str = Field(max_length=300)
    day: str = Field(max_length=10)
    answer: Literal["post", "taken"]


class ProofIn(BaseModel):
    """The text of a folder of sent messages (mbox) or of a mail server's log; only Message-IDs are looked for."""

    text: str = Field(max_length=50_000_000)


class Proved(BaseModel):
    """How many letters that would go out have gone out already by this."""

    number: int


@router.get("")
def get_coming_back(user: SignedIn, post: ThePost, session: Reading) -> ComingBackOut:
    open_one = progress.coming_back(session)
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    if open_one is None:
        return ComingBackOut(open=False, since=None, began=None, busy=False, groups=[], connections=[])
    now, due = read_clock(session).now, next_due(session, real_now())
    called = broadcasts.names(session)
    return ComingBackOut(
        open=True,
        since=words.moment(open_one.since, zone),
        began=words.moment(open_one.began, zone),
        busy=due is not None and due <= now,
        groups=[_group(one, open_one, definitions, called) for one in _groups(session, open_one, zone)],
        connections=[
            ShopOut(key=one.key, name=one.name) for one in connections.every(session) if one.state != "off"
        ],
    )


@router.post("/groups")
def answer(body: Answer, user: SignedIn, post: ThePost, session: Writing) -> ComingBackOut:
    """Say of a group that it is to be posted, or that it has gone out already: then it counts as posted, and is not."""
    open_one = _open(session)
    zone = definitions_in(post, session).school.timezone
    key = (body.source, body.letter, body.day)
    group = next(
        (
            one
            for one in _groups(session, open_one, zone)
            if not one.fresh and (one.source, one.letter, one.day) == key
        ),
        None,
    )
    if group is None:
        raise HTTPException(404, "These letters do not wait any more.")
    others = tuple(one for one in open_one.posting if one != key)
    if body.answer == "taken":
        doubtful.take_as_posted(session, group.ids, doubtful.TAKEN)
    else:
        others += (key,)
    progress.keep_coming_back(session, ComingBack(open_one.since, open_one.began, others))
    session.flush()
    return get_coming_back(user, post, session)


@router.post("/proof")
def prove(body: ProofIn, user: SignedIn, post: ThePost, session: Writing) -> Proved:
    """Take as posted what a folder of sent messages or a log names: what waits now, and what would fall due later."""
    _open(session)
    prints = prints_in(body.text)
    doubtful.keep_proved(session, prints)
    drawing = Drawing(post.database, post.signer)
    proved = [one.id for one in outbox.all_waiting(session) if drawing.print_of(one) in prints]
    doubtful.take_as_posted(session, proved, doubtful.PROVED)
    return Proved(number=len(proved))


@router.post("/finish", status_code=204)
def finish(user: SignedIn, post: ThePost) -> None:
    """Let the post go on. 409 while there are letters of which nothing has been said."""
    with post.database.writing() as session:
        open_one = _open(session)
        zone = definitions_in(post, session).school.timezone
        left = [
            one
            for one in _groups(session, open_one, zone)
            if not one.fresh and _key(one) not in open_one.posting
        ]
        if left:
            raise HTTPException(
                409,
                f"Say first what is to happen to {words.counted(sum(len(one.ids) for one in left), 'letter')} that may have gone out.",
            )
        progress.end_coming_back(session)
    post.nudge()


def _open(session: Session) -> ComingBack:
    found = progress.coming_back(session)
    if found is None:
        raise HTTPException(409, "The school is not coming back from a copy; its post goes out as usual.")
    return found


def _key(group: Group) -> tuple[str, str, str]:
    return group.source, group.letter, group.day


def _groups(session: Session, open_one: ComingBack, zone: str) -> list[Group]:
    return groups(doubtful.doubtful(session, open_one.began), zone)


def _group(group: Group, open_one: ComingBack, definitions: Definitions, called: dict[str, str]) -> GroupOut:
    kind, _, key = group.source.partition(":")
    zone = definitions.school.timezone
    plan, ready = definitions.sequences.get(key), definitions.letters.get(group.letter)
    name = called.get(key, key) if kind == "broadcast" else plan.sequence.called if plan else key
    first, last = words.moment(group.first, zone), words.moment(group.last, zone)
    return GroupOut(
        source=group.source,
        source_name=name or "By hand",
        letter=group.letter,
        letter_name=ready.letter.called if ready else group.letter,
        day=group.day,
        day_words=first.rpartition(",")[0],
        number=len(group.ids),
        first=first,
        last=last,
        names=list(group.names[:MOST_NAMES]),
        answer="post" if _key(group) in open_one.posting and not group.fresh else None,
        fresh=group.fresh,
    )
