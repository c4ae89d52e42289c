"""The page of a certificate, with its picture and PDF: whoever has its number can see that it is real."""

from __future__ import annotations

from html import escape
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Response
from fastapi.responses import HTMLResponse

from patient_courier.certificates.drawing import Certificate, draw
from patient_courier.core.definitions import Definitions
from patient_courier.core.merge import date_text
from patient_courier.core.school.letters import Letter
from patient_courier.post.look import Look, look_of
from patient_courier.store import certificates
from patient_courier.store.certificates import Issued
from patient_courier.web.context import Reading, Session, ThePost, definitions_in
from patient_courier.web.public.found import plain_look
from patient_courier.web.public.pages import page

router = APIRouter(prefix="/certificate", include_in_schema=False)
Code = Annotated[str, Path(max_length=40, pattern=r"^[A-Za-z0-9 -]+$")]


@router.get("/{code}.{form}")
def as_file(code: Code, form: Literal["png", "pdf"], post: ThePost, session: Reading) -> Response:
    found = _find(post, session, code)
    if found is None:
        return _unknown(plain_look(post, session))
    body = draw(_printed(*found), form)
    headers = {"Cache-Control": "private, max-age=3600", "X-Robots-Tag": "noindex"}
    if form == "pdf":
        headers["Content-Disposition"] = f'inline; filename="certificate-{found[1].code}.pdf"'
    return Response(body, media_type="image/png" if form == "png" else "application/pdf", headers=headers)


@router.get("/{code}")
def certificate(code: Code, post: ThePost, session: Reading) -> HTMLResponse:
    """Says whether there is such a certificate, for whom, and for what."""
    found = _find(post, session, code)
    if found is None:
        return _unknown(plain_look(post, session))
    definitions, one = found
    printed = _printed(definitions, one)
    body = (
        f"<p>The certificate <b>{escape(one.code)}</b> was issued to <b><bdi>{escape(printed.name)}</bdi></b> "
        f"on {escape(printed.issued)} for finishing <b>{escape(printed.course)}</b>. It is valid.</p>"
        f'<p><img src="/certificate/{one.code}.png" alt="The certificate" width="1170" style="width:100%;height:auto;border:1px solid #c6d3dc"></p>'
        f'<p><a href="/certificate/{one.code}.pdf">Open it as a PDF, for printing</a></p>'
    )
    return page(_look(definitions, one), "Certificate", body)


def _find(post: ThePost, session: Session, code: str) -> tuple[Definitions, Issued] | None:
    definitions = definitions_in(post, session)
    found = certificates.by_code(session, definitions.school.name, code)
    return (definitions, found) if found and found.course in definitions.courses else None


def _look(definitions: Definitions, one: Issued) -> Look:
    return look_of(definitions, Letter(key="page", purpose="service", subject=""), one.course)


def _printed(definitions: Definitions, one: Issued) -> Certificate:
    layout, school = _look(definitions, one).layout, definitions.school
    course = definitions.courses[one.course]
    name = one.student.full_name or "A student of the school"
    return Certificate(
        title=f"Certificate: {name}, {course.title}",
        school=school.name,
        name=name,
        course=course.title,
        issued=date_text(one.issued, school.timezone),
        signed=(school.signature.name if school.signature else "")
        or course.sender_name
        or school.sender.name,
        number=one.code,
        paper=layout.paper,
        ink=layout.ink,
        soft=layout.soft,
        accent=layout.accent,
    )


def _unknown(look: Look) -> HTMLResponse:
    body = "<p>Look at the number again: it has thirteen letters and digits, as printed at the foot of the certificate.</p>"
    return page(look, "No such certificate", body, status=404)
