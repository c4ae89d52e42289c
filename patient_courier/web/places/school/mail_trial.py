"""Whether mail works: a test letter with what the server said, and what the sender's domain says to receivers."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Request
from pydantic import BaseModel, Field

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import check_email
from patient_courier.core.upkeep.advice import advice_on
from patient_courier.core.upkeep.alignment import Shown, shown_in
from patient_courier.core.upkeep.domain import Found, look_at
from patient_courier.core.upkeep.mail_server import Posting
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.mail_servers import own_server
from patient_courier.post.carriers import NotTaken, SmtpCarrier, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.store.outbox.mailroom import find_by_message_id
from patient_courier.store.upkeep import posting
from patient_courier.web.asking import Asking
from patient_courier.web.context import SignedIn, ThePost, definitions_in
from patient_courier.web.places.school.mail import ServerIn, read_server
from patient_courier.web.public.own_letters import own_letter, own_mail

router = APIRouter(prefix="/api/school/mail", tags=["school"])


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
        server = read_server(body.server, kept.second if body.second else kept.server)
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


def asking_of(request: Request) -> Asking:
    found: Asking = request.scope["served"].asking
    return found


@router.post("/domain")
def domain(
    body: DomainIn, user: SignedIn, post: ThePost, asking: Annotated[Asking, Depends(asking_of)]
) -> DomainOut:
    """What the sender's domain says to receivers, asked now, and what to publish. What a letter's source says of the clocks is kept for the check-up."""
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
    if shown is not None and shown.clock_off is not None and not practice:
        with post.database.writing() as session:
            posting.note_mail_clock(session, shown.clock_off, real_now())
    return DomainOut(address=address, domain=address.rpartition("@")[2], found=found, shown=shown)


def _sender(definitions: Definitions, kept: Posting, wanted: str | None) -> str:
    known = [definitions.school.sender.email, *kept.senders]
    if wanted and wanted not in known:
        raise HTTPException(422, f"Letters do not come from {wanted}. Add it to the addresses first.")
    return wanted or known[0]
