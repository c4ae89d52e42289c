"""Certificates as anybody sees them: whether one is real, and for whoever it belongs to, all its forms and what to do with them."""

from __future__ import annotations

import json
from hmac import compare_digest
from html import escape
from typing import Annotated, Literal

from fastapi import APIRouter, HTTPException, Path, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse, RedirectResponse
from limits import RateLimitItemPerHour

from patient_courier.certificates.baking import baked
from patient_courier.certificates.drawing import Certificate, draw
from patient_courier.core.completion.certificates import day, design_of, learnt
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.credentials import signed_credential
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.completion import certificates, issuing
from patient_courier.store.completion.certificates import Print
from patient_courier.web.context import Reading, Session, ThePost, definitions_in
from patient_courier.web.drawings import Drawings, digest
from patient_courier.web.printed_certificate import (
    certificate_of,
    check_address,
    example,
    example_key,
    look_of_certificate,
    printed,
)
from patient_courier.web.public.found import plain_look
from patient_courier.web.public.pages import below, page

router = APIRouter(prefix="/certificate", include_in_schema=False)
Code = Annotated[str, Path(max_length=40, pattern=r"^[A-Za-z0-9 -]+$")]
# Numbers can't be guessed; whoever tries many is slowed down all the same.
MOST_UNKNOWN = RateLimitItemPerHour(100, 1, "certificate")
_EXAMPLE_DAY = parse_moment("2026-01-01T12:00:00Z")
_ASK = (
    '<form method="get"><label>The number, as it is printed on the certificate'
    '<input type="text" name="number" required maxlength="40" autocomplete="off" placeholder="ABCD-EFGH-JKLM"></label>'
    "<button>Check it</button></form>"
)


@router.get("")
def ask(post: ThePost, session: Reading, number: Annotated[str, Query(max_length=40)] = "") -> Response:
    """Asks for a number, and leads to its page."""
    plain = "".join(x for x in number.upper() if x.isascii() and x.isalnum())
    if plain:
        return RedirectResponse(f"{below(post.settings.address)}/certificate/{plain}", status_code=303)
    return page(plain_look(post, session), "Check a certificate", _ASK)


@router.get("/copy.js")
def copy_script() -> Response:
    """What makes a field's text go to the clipboard with one click."""
    headers = {"Cache-Control": "public, max-age=86400"}
    return Response(_COPY, media_type="text/javascript", headers=headers)


@router.get("/example/{course}.png")
async def example_picture(
    request: Request, course: str, key: Annotated[str, Query(max_length=40)] = ""
) -> Response:
    """What a course's certificates are like, for letters that are only looked at.

    A course that nobody is in yet is shown to whoever has the ``key``, which stands in the owner's letters.
    """
    drawn = await run_in_threadpool(_example, request.scope["served"].post, course, key)
    told = digest(drawn, "png")
    headers = {"Cache-Control": "private, max-age=60"}
    drawings: Drawings = request.scope["served"].drawings
    return await drawings.answer(request, told, lambda: draw(drawn, "png"), "image/png", headers)


def _example(post: Post, course: str, key: str) -> Certificate:
    with post.database.reading() as session:
        definitions = definitions_in(post, session)
        found = definitions.courses.get(course)
        if found is None or found.certificate is None:
            raise HTTPException(404)
        known = issuing.is_announced(session, course) or compare_digest(key, example_key(definitions, course))
        if not known:
            raise HTTPException(404)
        design = design_of(definitions, found)
        # A day of its own, so that it is the same picture until the design changes.
        return certificate_of(
            session, definitions, design, example(design, "The name of the student", _EXAMPLE_DAY)
        )


@router.get("/{code}.{form}")
async def as_file(request: Request, code: Code, form: Literal["png", "pdf"]) -> Response:
    """The picture, with the credential in it, or the PDF of a certificate that stands."""
    found = await run_in_threadpool(_stands, request, code, form)
    if isinstance(found, Response):
        return found
    number, drawn, credential = found
    headers = {"Cache-Control": "private, max-age=300", "X-Robots-Tag": "noindex"}
    if form == "pdf":
        headers["Content-Disposition"] = f'inline; filename="certificate-{number}.pdf"'

    def make() -> bytes:
        body = draw(drawn, form)
        return body if form == "pdf" else baked(body, credential)

    media = "image/png" if form == "png" else "application/pdf"
    told = digest(drawn, form, credential)
    drawings: Drawings = request.scope["served"].drawings
    return await drawings.answer(request, told, make, media, headers)


def _stands(
    request: Request, code: str, form: Literal["png", "pdf"]
) -> Response | tuple[str, Certificate, str]:
    """The number, what is drawn and the credential (for a picture) of a certificate that stands, or that there is none."""
    post: Post = request.scope["served"].post
    with post.database.reading() as session:
        found = certificates.by_code(session, code)
        if found is None or found.revoked:
            return _unknown(request, post, session)
        definitions = definitions_in(post, session)
        credential = _json(signed_credential(session, definitions, found)) if form == "png" else ""
        return found.code, printed(session, definitions, found), credential


@router.get("/{code}/credential.json")
def as_credential(request: Request, code: Code, post: ThePost, session: Reading) -> Response:
    """The credential of a certificate that stands, for reading by programs."""
    found = certificates.by_code(session, code)
    if found is None or found.revoked:
        return _unknown(request, post, session)
    headers = {
        "X-Robots-Tag": "noindex",
        "Access-Control-Allow-Origin": "*",
        "Content-Disposition": f'inline; filename="certificate-{found.code}.json"',
    }
    body = _json(signed_credential(session, definitions_in(post, session), found))
    return Response(body, media_type="application/vc+ld+json", headers=headers)


@router.get("/{code}")
def certificate(request: Request, code: Code, post: ThePost, session: Reading) -> HTMLResponse:
    """Says whether there is such a certificate: it stands, it was taken back, or nobody knows it."""
    found = certificates.by_code(session, code)
    if found is None:
        return _unknown(request, post, session)
    definitions = definitions_in(post, session)
    look = look_of_certificate(definitions, found.course)
    if found.revoked:
        body = f"<p>The certificate <b>{escape(found.code)}</b> was issued once and is no longer valid: the school has taken it back.</p>"
        return page(look, "Taken back", body)
    design, base = found.design, f"{below(definitions.site)}/certificate/{found.code}"
    took = learnt(design)
    modules = "".join(f"<li>{escape(title)}</li>" for title in design.modules)
    body = (
        f"<p><b><bdi>{escape(found.printed_name)}</bdi></b> has finished <b>{escape(design.title)}</b> at {escape(design.school)}. "
        f"The certificate <b>{escape(found.code)}</b> was issued on {escape(day(design, found.issued))}. It is valid.</p>"
        f"{_picture(base)}"
        + (f"<h2>What was learnt</h2><p>{escape(took)}.</p>" if took else "")
        + (f"<ul>{modules}</ul>" if len(design.modules) > 1 else "")
        + f'<p class="soft"><a href="{base}.pdf">As a PDF</a> · '
        f'<a href="{base}/credential.json">As a credential that programs can verify</a> · '
        f'<a href="{base}/yours">It is mine</a></p>'
    )
    head = (
        f'<meta property="og:title" content="{escape(design.title)}">'
        f'<meta property="og:description" content="A certificate of {escape(design.school)}">'
        f'<meta property="og:image" content="{escape(check_address(definitions, found.code))}.png">'
    )
    return page(look, "This certificate is valid", body, head=head)


@router.get("/{code}/yours")
def yours(request: Request, code: Code, post: ThePost, session: Reading) -> HTMLResponse:
    """For the student: every form of the certificate, the address to share, and what a professional profile asks for."""
    found = certificates.by_code(session, code)
    if found is None or found.revoked:
        return certificate(request, code, post, session)
    definitions = definitions_in(post, session)
    base = f"{below(definitions.site)}/certificate/{found.code}"
    body = (
        f"{_picture(base)}"
        f'<p class="forms"><a href="{base}.pdf" download="certificate-{found.code}.pdf">PDF, for printing</a> '
        f'<a href="{base}.png" download="certificate-{found.code}.png">Picture</a> '
        f'<a href="{base}/credential.json" download="certificate-{found.code}.json">Credential</a></p>'
        '<p class="soft">The picture has the credential in it as well: sites and programs that know Open Badges can read and verify it.</p>'
        f"<h2>Share it</h2>{_copied('An address where anybody can check it', check_address(definitions, found.code))}"
        f"<h2>For your professional profile</h2>{''.join(_copied(*field) for field in _profile(definitions, found))}"
        f'<script src="{below(definitions.site)}/certificate/copy.js"></script>'
    )
    return page(look_of_certificate(definitions, found.course), "Your certificate", body, scripts=True)


def _profile(definitions: Definitions, found: Print) -> list[tuple[str, str]]:
    """What profiles usually ask for, with its value."""
    return [
        ("Name", f"{found.design.title}"),
        ("Issued by", found.design.school),
        ("Date", day(found.design, found.issued)),
        ("Number", found.code),
        ("Web address", check_address(definitions, found.code)),
    ]


def _picture(base: str) -> str:
    return f'<p><img src="{base}.png" alt="The certificate" width="1403" style="width:100%;height:auto;border:1px solid #c6d3dc"></p>'


def _copied(label: str, value: str) -> str:
    said = escape(value)
    return f'<label class="copied">{escape(label)}<span><input type="text" readonly value="{said}"><button type="button" class="quiet" hidden>Copy</button></span></label>'


def _json(document: dict[str, object]) -> str:
    return json.dumps(document, ensure_ascii=False, indent=1)


def _unknown(request: Request, post: ThePost, session: Session) -> HTMLResponse:
    look = plain_look(post, session)
    if not request.scope["served"].limits.hit(MOST_UNKNOWN, request.client.host if request.client else ""):
        body = "<p>Many numbers were tried from here that nobody knows. Try again in an hour.</p>"
        return page(look, "A little later, please", body, status=429)
    body = (
        "<p>Look at the number again: it has twelve letters and digits, as printed at the foot of the certificate.</p>"
        + _ASK
    )
    return page(look, "No such certificate", body, status=404)


_COPY = """for (const label of document.querySelectorAll("label.copied")) {
  const field = label.querySelector("input"), button = label.querySelector("button");
  button.hidden = false;
  button.addEventListener("click", async () => {
    try { await navigator.clipboard.writeText(field.value); } catch { field.select(); document.execCommand("copy"); }
    button.textContent = "Copied";
    setTimeout(() => { button.textContent = "Copy"; }, 2000);
  });
}
"""
