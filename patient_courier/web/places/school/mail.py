"""How letters leave: the mail servers, their pace, the addresses letters come from, a test letter, the sender's domain."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field, ValidationError

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.telling import words
from patient_courier.core.upkeep.mail_server import Account, Incoming, MailServer, Posting, Security
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.mail_servers import own_server
from patient_courier.store.outbox import outbox, replies
from patient_courier.store.upkeep import incoming, posting
from patient_courier.store.upkeep.failing import failing
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.refusals import not_valid
from patient_courier.web.written import changing

router = APIRouter(prefix="/api/school/mail", tags=["school"])


class AccountOut(BaseModel):
    """A server without its password; ``has_password``: one is kept."""

    host: str
    port: int
    security: Security
    user: str
    has_password: bool


class AccountIn(BaseModel):
    """A server as written on screen; ``password`` None: the one that is kept for this very server and user."""

    host: str = Field(max_length=300)
    port: int
    security: Security
    user: str = Field("", max_length=320)
    password: str | None = Field(None, max_length=1000)


class ServerOut(AccountOut):
    a_minute: int | None
    a_day: int | None


class ServerIn(AccountIn):
    a_minute: int | None = None
    a_day: int | None = None


class IncomingOut(AccountOut):
    """The mailbox that is read for what comes back."""

    folder: str
    move_to: str | None


class IncomingIn(AccountIn):
    folder: str = Field("INBOX", max_length=200)
    move_to: str | None = Field(None, max_length=200)


class PostingIn(BaseModel):
    server: ServerIn | None
    second: ServerIn | None = None
    senders: list[str] = Field([], max_length=20)
    incoming: IncomingIn | None = None


class PostingOut(BaseModel):
    """How letters leave now: by the ``environment``'s server, by the one kept on ``screen``, or to the ``mailroom``.

    ``refusing``: what the first server says, and since when, ``by_second``: so the second one is used. ``waiting``: how
    many letters wait in the outbox, ``pace``: what is said of them where a pace holds them back.
    """

    by: Literal["environment", "screen", "mailroom"]
    practice: bool
    server: ServerOut | None
    second: ServerOut | None
    senders: list[str]
    school_address: str
    refusing: str | None
    by_second: bool
    waiting: int
    pace: str | None
    incoming: IncomingOut | None
    unread: str | None
    replies: int


@router.get("")
def get_mail(user: SignedIn, post: ThePost, session: Reading) -> PostingOut:
    definitions, kept = definitions_in(post, session), posting.read_posting(session)
    own, practice = own_server(session, post.settings, kept.server), read_clock(session).practice
    by_environment = bool(post.settings.smtp_host)
    refusing, unread = post.servers.refusing, failing(session, "mailbox")
    zone = definitions.school.timezone
    return PostingOut(
        by="environment" if by_environment else "screen" if own is not None else "mailroom",
        practice=practice,
        server=_out(own if by_environment else kept.server),
        second=_out(kept.second),
        senders=kept.senders,
        school_address=definitions.school.sender.email,
        refusing=f"Since {words.moment(refusing.since, zone)}: {refusing.why}" if refusing else None,
        by_second=post.servers.by_second(),
        waiting=outbox.waiting(session),
        pace=pace_line(post, definitions, session),
        incoming=_incoming_out(incoming.read_incoming(session)),
        unread=f"Since {words.moment(unread.since, zone)}: {unread.why}" if unread else None,
        replies=replies.number(session),
    )


def pace_line(post: Post, definitions: Definitions, session: Session) -> str | None:
    """What waits for the pace the owner has set, and until when; None when nothing does."""
    waiting, now = outbox.waiting(session), real_now()
    if not waiting or post.servers.pace.free_at(now) == now:
        return None
    zone = definitions.school.timezone
    last = words.moment(post.servers.pace.last_of(waiting, now), zone)
    return (
        f"{words.counted(waiting, 'letter')} {'waits' if waiting == 1 else 'wait'} for the pace of your mail server. "
        f"The last goes out at about {last}."
    )


@router.put("")
def put_mail(body: PostingIn, user: SignedIn, post: ThePost) -> PostingOut:
    """Keep the servers and addresses. They hold from the next letter on; what waits is tried at once."""
    with changing(post, user.name) as session:
        kept = posting.read_posting(session)
        fields: dict[str, Any] = {
            "server": read_server(body.server, kept.server),
            "second": read_server(body.second, kept.second),
            "senders": [address.strip() for address in body.senders if address.strip()],
        }
        try:
            found = Posting.model_validate(fields)
        except ValidationError as error:
            raise not_valid(error, fields, _FIELDS) from error
        if found.second is not None and found.server is None and not post.settings.smtp_host:
            raise HTTPException(
                422, "A second server needs a first one: fill that in, or take the second away."
            )
        posting.keep_posting(session, found, real_now())
        incoming.keep_incoming(
            session, _read_incoming(body.incoming, incoming.read_incoming(session)), real_now()
        )
    post.use_servers()
    with post.database.reading() as session:
        return get_mail(user, post, session)


def _out(server: MailServer | None) -> ServerOut | None:
    if server is None:
        return None
    return ServerOut(**server.model_dump(exclude={"password"}), has_password=bool(server.password))


def read_server(body: ServerIn | None, kept: MailServer | None) -> MailServer | None:
    """The server that is written, with the password that is kept where none is written: for no other server than its own."""
    if body is None:
        return None
    fields = body.model_dump() | {"password": _password(body, kept)}
    try:
        return MailServer.model_validate(fields)
    except ValidationError as error:
        raise not_valid(error, fields, _FIELDS) from error


def _read_incoming(body: IncomingIn | None, kept: Incoming | None) -> Incoming | None:
    if body is None:
        return None
    fields = body.model_dump() | {
        "password": _password(body, kept),
        "move_to": (body.move_to or "").strip() or None,
    }
    try:
        return Incoming.model_validate(fields)
    except ValidationError as error:
        raise not_valid(error, fields, _FIELDS) from error


def _incoming_out(found: Incoming | None) -> IncomingOut | None:
    if found is None:
        return None
    return IncomingOut(**found.model_dump(exclude={"password"}), has_password=bool(found.password))


def _password(body: AccountIn, kept: Account | None) -> str:
    """The password that is written, or the one that is kept: for no other server and user than its own."""
    if body.password is not None:
        return body.password
    same = kept is not None and (kept.host, kept.user) == (body.host.strip().lower(), body.user)
    if kept is not None and kept.password and not same:
        raise HTTPException(422, "Write the password once more: it was kept for another server or user.")
    return kept.password if kept is not None and same else ""


_FIELDS = {"port": "The port", "a_minute": "Letters a minute", "a_day": "Letters a day", "host": "The server"}
