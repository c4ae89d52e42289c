"""How letters leave: the mail servers, their pace, the addresses letters come from, a test letter, the sender's domain."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, HTTPException, Request
from pydantic import BaseModel, Field, ValidationError

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import check_email
from patient_courier.core.telling import words
from patient_courier.core.upkeep.advice import advice_on
from patient_courier.core.upkeep.domain import Found, Shown, look_at, shown_in
from patient_courier.core.upkeep.mail_server import MailServer, Posting, Security
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.mail_servers import own_server
from patient_courier.post.carriers import NotTaken, SmtpCarrier, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.store.outbox import outbox
from patient_courier.store.outbox.mailroom import find_by_message_id
from patient_courier.store.upkeep import posting
from patient_courier.web.asking import Asking
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.public.own_letters import own_letter, own_mail

router = APIRouter(prefix="/api/school/mail", tags=["school"])


class ServerOut(BaseModel):
    """A server without its password; ``has_password``: one is kept."""

    host: str
    port: int
    security: Security
    user: str
    has_password: bool
    a_minute: int | None
    a_day: int | None


class ServerIn(BaseModel):
    """A server as written on screen; ``password`` None: the one that is kept for this very server and user."""

    host: str = Field(max_length=300)
    port: int
    security: Security
    user: str = Field("", max_length=320)
    password: str | None = Field(None, max_length=1000)
    a_minute: int | None = None
    a_day: int | None = None


class PostingIn(BaseModel):
    server: ServerIn | None
    second: ServerIn | None = None
    senders: list[str] = Field([], max_length=20)


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


class TrialIn(BaseModel):
    """A test letter to an address: by the server as it stands on screen, or without one as letters leave now."""

    to: str = Field(max_length=320)
    sender: str | None = Field(None, max_length=320)
    server: ServerIn | None = None
    second: bool = False


class TalkLine(BaseModel):
    who: str
    words: str


class TrialOut(BaseModel):
    """What came of it: ``lines`` is the talk with the server word by word; ``why`` and ``do`` what a refusal probably
    means and what to do; ``mail`` opens it, where the mailroom has it."""

    taken: bool
    said: str
    lines: list[TalkLine]
    why: str | None
    do: str | None
    mail: int | None


class DomainIn(BaseModel):
    """An address letters come from; ``selector`` as the provider names it, or the ``source`` of a letter that arrived."""

    address: str | None = Field(None, max_length=320)
    selector: str | None = Field(None, max_length=100)
    source: str | None = Field(None, max_length=500_000)


class DomainOut(BaseModel):
    address: str
    domain: str
    found: list[Found]
    shown: Shown | None


@router.get("")
def get_mail(user: SignedIn, post: ThePost, session: Reading) -> PostingOut:
    definitions, kept = definitions_in(post, session), posting.read_posting(session)
    own, practice = own_server(session, post.settings, kept.server), read_clock(session).practice
    by_environment = bool(post.settings.smtp_host)
    refusing = post.servers.refusing
    zone = definitions.school.timezone
    return PostingOut(
        by="environment" if by_environment else "screen" if own is not None else "mailroom",
        practice=practice,
        server=_out(own if by_environment else kept.server),
        second=_out(kept.second),
        senders=kept.senders,
        school_address=definitions.school.sender.email,
        refusing=f"Since {words.moment(refusing.since, zone)}: {refusing.said}" if refusing else None,
        by_second=post.servers.by_second(),
        waiting=outbox.waiting(session),
        pace=pace_line(post, definitions, session),
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
    with post.database.writing() as session:
        kept = posting.read_posting(session)
        fields: dict[str, Any] = {
            "server": _read(body.server, kept.server),
            "second": _read(body.second, kept.second),
            "senders": [address.strip() for address in body.senders if address.strip()],
        }
        try:
            found = Posting.model_validate(fields)
        except ValidationError as error:
            raise HTTPException(422, _sentence(error)) from error
        if found.second is not None and found.server is None and not post.settings.smtp_host:
            raise HTTPException(
                422, "A second server needs a first one: fill that in, or take the second away."
            )
        posting.keep_posting(session, found)
    post.use_servers()
    with post.database.reading() as session:
        return get_mail(user, post, session)


@router.post("/test")
def try_mail(body: TrialIn, user: SignedIn, post: ThePost) -> TrialOut:
    """Post a test letter and tell what the server said, word by word. Takes as long as the server does."""
    lines: list[TalkLine] = []
    try:
        to = check_email(body.to.strip())
    except ValueError as error:
        raise HTTPException(422, str(error)) from error
    with post.database.reading() as session:
        definitions, kept = definitions_in(post, session), posting.read_posting(session)
        server = _read(body.server, kept.second if body.second else kept.server)
        sender = _sender(definitions, kept, body.sender)
        letter = own_letter(
            "A test letter",
            [{"kind": "text", "html": f"<p>{_TEST.format(name=definitions.school.name)}</p>"}],
        )
        try:
            mail, id = own_mail(post, session, letter, to, sender)
        except Unfit as error:
            raise HTTPException(422, str(error)) from error

    def heard(who: str, said: str) -> None:
        lines.append(TalkLine(who=who, words=said))

    try:
        if server is None:
            post.servers.once(mail, heard)
        else:
            with_carrier = SmtpCarrier(post.servers.settings_of(server), heard)
            try:
                with_carrier.post(mail)
            finally:
                with_carrier.close()
    except (NotTaken, Unsure) as error:
        said = str(error)
        heard_last = next(
            (line.words for line in reversed(lines) if line.who == "server" and line.words[:1] in "45"), ""
        )
        advice = advice_on(f"{said} {heard_last}")
        return TrialOut(taken=False, said=said, lines=lines, why=advice.why, do=advice.do, mail=None)
    with post.database.reading() as session:
        mailed = find_by_message_id(session, id)
    said = f"The server has taken it. Look into the mailbox of {to}, also among the unwanted mail."
    return TrialOut(taken=True, said=said, lines=lines, why=None, do=None, mail=mailed)


_TEST = (
    "This is a test letter of {name}. If you can read it, letters leave the school. "
    "Its source, which your mail program can show, tells how the domain of the school stands."
)


def _asking(request: Request) -> Asking:
    found: Asking = request.scope["served"].asking
    return found


@router.post("/domain")
def domain(
    body: DomainIn, user: SignedIn, post: ThePost, asking: Annotated[Asking, Depends(_asking)]
) -> DomainOut:
    """What the sender's domain says to receivers, asked now, and what to publish. Changes nothing."""
    shown = None
    if body.source and body.source.strip():
        shown = shown_in(body.source)
        if shown is None:
            raise HTTPException(
                422,
                "This is not the source of a letter: it begins with lines such as “Received:” and “From:”. Copy all of it.",
            )
    with post.database.reading() as session:
        definitions, kept = definitions_in(post, session), posting.read_posting(session)
        practice = read_clock(session).practice
        own = own_server(session, post.settings, kept.server)
        address = _sender(definitions, kept, body.address)
    host = own.host if own else "smtp.post.example" if practice else None
    try:
        ask = asking.names(practice=practice)
        found = look_at(address, host, ask, selector=(body.selector or "").strip() or None, shown=shown)
    except (ValueError, UnicodeError) as error:
        raise HTTPException(422, str(error)) from error
    return DomainOut(address=address, domain=address.rpartition("@")[2], found=found, shown=shown)


def _sender(definitions: Definitions, kept: Posting, wanted: str | None) -> str:
    known = [definitions.school.sender.email, *kept.senders]
    if wanted and wanted not in known:
        raise HTTPException(422, f"Letters do not come from {wanted}. Add it to the addresses first.")
    return wanted or known[0]


def _out(server: MailServer | None) -> ServerOut | None:
    if server is None:
        return None
    return ServerOut(**server.model_dump(exclude={"password"}), has_password=bool(server.password))


def _read(body: ServerIn | None, kept: MailServer | None) -> MailServer | None:
    """The server that is written, with the password that is kept where none is written: for no other server than its own."""
    if body is None:
        return None
    fields = body.model_dump()
    if body.password is None:
        same = kept is not None and (kept.host, kept.user) == (body.host.strip().lower(), body.user)
        if kept is not None and kept.password and not same:
            raise HTTPException(422, "Write the password once more: it was kept for another server or user.")
        fields["password"] = kept.password if kept is not None and same else ""
    try:
        return MailServer.model_validate(fields)
    except ValidationError as error:
        raise HTTPException(422, _sentence(error)) from error


def _sentence(error: ValidationError) -> str:
    first = error.errors()[0]
    said = str(first["msg"]).removeprefix("Value error, ")
    return (
        said if first["type"] == "value_error" else f"{_FIELDS.get(str(first['loc'][-1]), 'This')}: {said}."
    )


_FIELDS = {"port": "The port", "a_minute": "Letters a minute", "a_day": "Letters a day", "host": "The server"}
