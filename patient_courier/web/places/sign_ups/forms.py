"""Sign-up forms: all of them with what came of each, one with its page and the HTML to paste, made, saved, taken away."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, ValidationError

from patient_courier.core.reading.school_file import as_data, validation_faults
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.sign_up import TEXTS, SignUpForm
from patient_courier.core.school.text import FilledLine
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.students import sign_ups
from patient_courier.store.students.sign_ups import KeptForm
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.editions import BegunFrom, edition_of, say
from patient_courier.web.public.found import plain_look
from patient_courier.web.public.joining import form_shown, to_paste

router = APIRouter(prefix="/api/sign-up-forms", tags=["sign-ups"])


class FormLine(BaseModel):
    """A form in the list: how many have signed up by it, and how many have not confirmed yet; ``runs`` are sequences it starts."""

    key: str
    name: str
    open: bool
    confirm: bool
    signed_up: int
    waiting: int
    runs: list[str]


class FormOut(BaseModel):
    """A form with its public address, the HTML for other pages, and the fixed texts as they are without the owner's."""

    body: dict[str, Any]
    edition: str
    version: int
    address: str
    html: str
    texts: dict[str, str]
    runs: list[str]


class MakeFormIn(BaseModel):
    name: FilledLine


class PageOut(BaseModel):
    """A whole page as HTML, to be shown in a frame of its own."""

    html: str


class FormIn(BaseModel):
    body: dict[str, Any]


@router.get("")
def list_forms(user: SignedIn, post: ThePost, session: Reading) -> list[FormLine]:
    done, waiting = sign_ups.signed_up(session), sign_ups.waiting(session)
    return [
        FormLine(
            key=one.form.key,
            name=one.form.name,
            open=one.form.open,
            confirm=one.form.confirm,
            signed_up=done.get(one.form.key, 0),
            waiting=waiting.get(one.form.key, 0),
            runs=_runs(post, session, one.form),
        )
        for one in sign_ups.forms(session)
    ]


def _runs(post: Post, session: Session, form: SignUpForm) -> list[str]:
    """The running sequences that begin with this form, what it gives included, by name."""
    found = []
    for plan in definitions_in(post, session).sequences.values():
        if plan.sequence.status != "running":
            continue
        for start in plan.sequence.starts:
            by_form = start.on == "signed_up" and start.form in (None, form.key)
            by_course = start.on == "enrolled" and form.course and start.course in (None, form.course)
            by_tag = start.on == "tag_added" and form.tag and start.tag in (None, form.tag)
            if by_form or by_course or by_tag:
                found.append(plan.sequence.called)
                break
    return found


@router.post("", status_code=201)
def make(body: MakeFormIn, user: SignedIn, post: ThePost, session: Writing) -> FormOut:
    """A new form with a page of its own, confirmed by letter. It is closed until the owner opens it."""
    taken = {one.form.key for one in sign_ups.forms(session)} | {"yes"}
    school = definitions_in(post, session).school.name
    form = SignUpForm.model_validate(
        {
            "key": free_key(body.name, taken),
            "name": body.name,
            "title": body.name,
            "asks": [{"name": "first_name", "label": "Your first name"}],
            "consent": f"I want to get letters with news from {school}. I can stop them at any time by a link in each.",
            "open": False,
        }
    )
    sign_ups.save(session, form)
    return _out(post, session, _the(session, form.key), Response())


def _the(session: Session, key: str) -> KeptForm:
    kept = sign_ups.form(session, key)
    if kept is None:
        raise HTTPException(404, "There is no such form any more.")
    return kept


@router.get("/{key}")
def get(key: str, user: SignedIn, post: ThePost, session: Reading, response: Response) -> FormOut:
    return _out(post, session, _the(session, key), response)


def _out(post: Post, session: Session, kept: KeptForm, response: Response) -> FormOut:
    address = f"{post.settings.address}/join/{kept.form.key}"
    body = as_data(kept.form)
    return FormOut(
        body=body,
        edition=say(response, edition_of(body)),
        version=kept.version,
        address=address,
        html=to_paste(kept.form, address),
        texts=TEXTS,
        runs=_runs(post, session, kept.form),
    )


@router.put("/{key}")
def save(
    key: str,
    body: FormIn,
    user: SignedIn,
    post: ThePost,
    session: Writing,
    begun: BegunFrom,
    response: Response,
) -> FormOut:
    """Save a form as a new version; people who sign up from now on agree to its words."""
    begun.check(edition_of(as_data(_the(session, key).form)))
    form = _read(key, body.body)
    if form.course is not None and form.course not in definitions_in(post, session).courses:
        raise HTTPException(422, f"There is no course “{form.course}” in this school.")
    sign_ups.save(session, form)
    return _out(post, session, _the(session, key), response)


def _read(key: str, body: dict[str, Any]) -> SignUpForm:
    try:
        return SignUpForm.model_validate(body | {"key": key})
    except ValidationError as error:
        fault = validation_faults(error, body)[0]
        place = fault.pointer.strip("/").replace("/", " ")
        raise HTTPException(422, f"{place}: {fault.sentence}" if place else fault.sentence) from error


@router.post("/{key}/page")
def preview(key: str, body: FormIn, user: SignedIn, post: ThePost, session: Reading) -> PageOut:
    """The form's page as it would be; nothing can be sent by it."""
    shown = form_shown(post, plain_look(post, session), _read(key, body.body))
    return PageOut(html=bytes(shown.body).decode())


@router.delete("/{key}", status_code=204)
def remove(key: str, user: SignedIn, session: Writing) -> None:
    """Take it away, with those who have not confirmed yet. Students stay, and so does what they agreed to."""
    sign_ups.remove(session, _the(session, key).form.key)
