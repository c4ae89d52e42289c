"""A sign-up form's public page, what is sent by it from wherever it stands, and the link in the confirming letter."""

from __future__ import annotations

from html import escape

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse
from limits import RateLimitItemPerDay, RateLimitItemPerHour
from limits.strategies import MovingWindowRateLimiter
from starlette.concurrency import run_in_threadpool

from patient_courier.core.people.signing_up import SignUp, read_sign_up
from patient_courier.core.school.sign_up import SignUpForm
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.signing_up import has_all, source_of, take_sign_up
from patient_courier.post.look import Look
from patient_courier.store.students import described, people, sign_ups
from patient_courier.store.students.sign_ups import KeptForm
from patient_courier.web.context import Limits, Reading, Session, ThePost, Writing, definitions_in, now_in
from patient_courier.web.public.found import plain_look
from patient_courier.web.public.own_letters import own_letter, post_own
from patient_courier.web.public.pages import NoLink, below, button, page, paragraphs

router = APIRouter(prefix="/join", include_in_schema=False)
# Against machines: by internet address, by form, and letters to one address.
BY_ORIGIN = RateLimitItemPerHour(20, 1, "join-origin")
BY_FORM = RateLimitItemPerHour(500, 1, "join-form")
TO_ADDRESS = RateLimitItemPerDay(3, 1, "join-address")
# Nobody fills in a form faster than this (signed times are whole seconds); one that was open for longer is shown once more.
FASTEST_SECONDS, SLOWEST_SECONDS = 2.0, 86_400.0
MOST_FIELDS = 40


@router.get("/{key}")
def form_page(key: str, post: ThePost, session: Reading) -> HTMLResponse:
    kept = _form(session, key)
    return form_shown(post, plain_look(post, session), kept.form)


def _form(session: Session, key: str) -> KeptForm:
    kept = sign_ups.form(session, key)
    if kept is None or not kept.form.open:
        raise NoLink(old=True)
    return kept


@router.post("/{key}")
async def send(key: str, request: Request, post: ThePost, limits: Limits) -> HTMLResponse:
    """Take a sign-up, from the form's own page or from anywhere else; the answer is a page either way."""
    form = await request.form(max_fields=MOST_FIELDS, max_files=0)
    sent = {name: value for name, value in form.items() if isinstance(value, str)}
    origin = request.client.host if request.client else "an unknown address"
    return await run_in_threadpool(_send, key, post, limits, sent, origin)


def _send(
    key: str, post: Post, limits: MovingWindowRateLimiter, sent: dict[str, str], origin: str
) -> HTMLResponse:
    with post.database.reading() as session:
        kept, look = _form(session, key), plain_look(post, session)
    form = kept.form
    age = post.signer.form_age(form.key, sent["when"], real_now()) if sent.get("when") else None
    if "when" in sent and (age is None or age > SLOWEST_SECONDS):
        return _shown(post, look, form, sent, {"": form.says("again")})
    if sent.get("website") or (age is not None and age < FASTEST_SECONDS):
        return _look(look, form)  # a machine is told what everybody is
    sign_up, wrong = read_sign_up(form, sent)
    if sign_up is None:
        return _shown(post, look, form, sent, wrong)
    if not (limits.hit(BY_ORIGIN, origin) and limits.hit(BY_FORM, form.key)):
        return _shown(post, look, form, sent, {"": form.says("too_often")}, 429)
    if form.confirm:
        return _ask(post, look, limits, kept, sign_up, origin)
    with post.database.writing() as session:
        source = source_of(form, kept.version, origin, form.consent if sign_up.agrees else "")
        take_sign_up(
            session, definitions_in(post, session), form, sign_up, source, now_in(session), confirmed=False
        )
    post.nudge()
    return _told(look, form, "done")


def _ask(
    post: Post,
    look: Look,
    limits: MovingWindowRateLimiter,
    kept: KeptForm,
    sign_up: SignUp,
    origin: str,
) -> HTMLResponse:
    """Write to the address. The page says the same to everybody: whether somebody is known is nobody's business."""
    form = kept.form
    with post.database.writing() as session:
        person = people.by_address(session, sign_up.email)
        definitions = definitions_in(post, session)
        known = person is not None and has_all(session, definitions, form, person, sign_up.agrees)
        silent = person is not None and described.never_write(session, person.id)
        id = 0 if known or silent else sign_ups.put(session, kept, sign_up, origin, now_in(session))
    if silent or not limits.hit(TO_ADDRESS, sign_up.email.lower()):
        return _look(look, form)
    if known:
        letter = own_letter(
            form.says("known_subject"), [{"kind": "text", "html": paragraphs(form.says("known"))}]
        )
    else:
        letter = own_letter(
            form.says("subject"),
            [
                {"kind": "text", "html": paragraphs(form.says("letter"))},
                {
                    "kind": "button",
                    "label": form.says("yes"),
                    "url": post.signer.sign_up_address(id, sign_up.email),
                },
                {"kind": "text", "html": paragraphs(form.says("ignore"))},
            ],
        )
    with post.database.reading() as session:
        posted = post_own(post, session, letter, sign_up.email)
    if not posted:
        return page(look, form.says("again"), paragraphs(form.says("trouble")), status=503)
    return _look(look, form)


def _look(look: Look, form: SignUpForm) -> HTMLResponse:
    return _told(look, form, "look")


def _told(look: Look, form: SignUpForm, what: str, status: int = 200) -> HTMLResponse:
    """A page of a title and a few words, both the form's."""
    more = paragraphs(form.says(f"{what}_more"))
    return page(look, form.says(what), more, status=status, language=form.language)


@router.get("/yes/{token}")
def confirm_page(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    """Mail programs open links by themselves, so the yes is one click more."""
    found = _pending(post, session, token)
    look = plain_look(post, session)
    if isinstance(found, HTMLResponse):
        return found
    kept, _ = found
    return page(look, kept.form.says("confirm"), button(kept.form.says("yes")), language=kept.form.language)


@router.post("/yes/{token}")
def confirm(token: str, post: ThePost, session: Writing) -> HTMLResponse:
    """It holds from now on, once."""
    found = _pending(post, session, token)
    if isinstance(found, HTMLResponse):
        return found
    kept, waiting = found
    source = source_of(kept.form, waiting.version, waiting.origin, waiting.consent)
    take_sign_up(
        session,
        definitions_in(post, session),
        kept.form,
        waiting.sign_up,
        source,
        now_in(session),
        confirmed=True,
    )
    sign_ups.done(session, waiting.id)
    return _told(plain_look(post, session), kept.form, "done")


def _pending(post: Post, session: Session, token: str) -> tuple[KeptForm, sign_ups.Pending] | HTMLResponse:
    """The sign-up that a link confirms; a kind page when it is too old, or done already. Raises NoLink."""
    signed = post.signer.sign_up(token)
    if signed is None:
        raise NoLink
    waiting = sign_ups.pending(session, signed[0], now_in(session))
    kept = sign_ups.form(session, waiting.form) if waiting is not None else None
    if waiting is None or kept is None or waiting.sign_up.email != signed[1]:
        person = people.by_address(session, signed[1])
        texts = SignUpForm(key="gone", name="gone")
        if person is not None:
            return page(plain_look(post, session), texts.says("done"), paragraphs(texts.says("done_more")))
        return page(
            plain_look(post, session), texts.says("old"), paragraphs(texts.says("old_more")), status=410
        )
    return kept, waiting


def form_shown(post: Post, look: Look, form: SignUpForm) -> HTMLResponse:
    """The form's page as it is when it is opened."""
    return _shown(post, look, form, {}, {})


def _shown(
    post: Post, look: Look, form: SignUpForm, sent: dict[str, str], wrong: dict[str, str], status: int = 0
) -> HTMLResponse:
    """The page with the form, what was typed still in it, and what is wrong beside each field."""
    said = f'<p class="said" role="alert">{escape(wrong[""])}</p>' if "" in wrong else ""
    intro = paragraphs(form.sentence) if form.sentence else ""
    fields = form_fields(form, sent, wrong)
    when = f'<input type="hidden" name="when" value="{escape(post.signer.form_time(form.key))}">'
    body = f'{said}{intro}<form method="post" action="{below(post.settings.address)}/join/{form.key}">{fields}{when}<button>{escape(form.says("button"))}</button></form>'
    status = status or (422 if wrong else 200)
    return page(look, form.title or form.name, body, status=status, head=_HIDDEN, language=form.language)


# The field that only machines fill in: out of sight, out of reach of the keyboard, and unread by screen readers.
_HIDDEN = "<style>.leave{position:absolute;left:-9999px}.wrong{color:#b5382a;display:block}</style>"


def form_fields(form: SignUpForm, sent: dict[str, str], wrong: dict[str, str]) -> str:
    """The fields as HTML, the same on the form's page and to be pasted elsewhere."""
    rows = [_field("email", form.says("address"), "email", sent, wrong, needed=True)]
    rows += [_field(one.name, one.label, "text", sent, wrong, needed=one.needed) for one in form.asks]
    if form.consent and form.consent_box:
        ticked = " checked" if sent.get("agrees") == "yes" else ""
        rows.append(
            f'<label class="line"><input type="checkbox" name="agrees" value="yes"{ticked}><span>{escape(form.consent)}</span></label>'
        )
    elif form.consent:
        rows.append(f"<p><small>{escape(form.consent)}</small></p>")
    rows.append(
        '<div class="leave" aria-hidden="true"><label>Website<input type="text" name="website" tabindex="-1" autocomplete="off"></label></div>'
    )
    return "".join(rows)


def _field(
    name: str, label: str, kind: str, sent: dict[str, str], wrong: dict[str, str], *, needed: bool
) -> str:
    said = f'<span class="wrong" role="alert">{escape(wrong[name])}</span>' if name in wrong else ""
    fills = {"email": "email", "first_name": "given-name", "last_name": "family-name"}.get(name, "off")
    must = " required" if needed else ""
    value = escape(sent.get(name, ""))
    return f'<label>{escape(label)}<input type="{kind}" name="{name}" value="{value}" maxlength="254" autocomplete="{fills}"{must}>{said}</label>'


def to_paste(form: SignUpForm, address: str) -> str:
    """The form as plain HTML for another page: no script, and it comes back with a page of ours."""
    fields = form_fields(form, {}, {}).replace(
        '<div class="leave" aria-hidden="true">',
        '<div style="position:absolute;left:-9999px" aria-hidden="true">',
    )
    return f'<form method="post" action="{escape(address)}">\n{fields}\n<button>{escape(form.says("button"))}</button>\n</form>'
