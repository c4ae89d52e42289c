"""The page of a certificate, with its picture and PDF: whoever has its number can see whether it is real."""

from __future__ import annotations

from html import escape
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Response
from fastapi.responses import HTMLResponse

from patient_courier.certificates.drawing import draw
from patient_courier.store import prints
from patient_courier.web.context import Reading, ThePost, definitions_in
from patient_courier.web.printed_certificate import look_of_certificate, printed
from patient_courier.web.public.found import plain_look
from patient_courier.web.public.pages import page

router = APIRouter(prefix="/certificate", include_in_schema=False)
Code = Annotated[str, Path(max_length=40, pattern=r"^[A-Za-z0-9 -]+$")]


@router.get("/{code}.{form}")
def as_file(code: Code, form: Literal["png", "pdf"], post: ThePost, session: Reading) -> Response:
    """The picture or the PDF of a certificate that stands."""
    found = prints.by_code(session, code)
    if found is None or found.revoked:
        return _unknown(post, session)
    body = draw(printed(session, definitions_in(post, session), found), form)
    headers = {"Cache-Control": "private, max-age=300", "X-Robots-Tag": "noindex"}
    if form == "pdf":
        headers["Content-Disposition"] = f'inline; filename="certificate-{found.code}.pdf"'
    return Response(body, media_type="image/png" if form == "png" else "application/pdf", headers=headers)


@router.get("/{code}")
def certificate(code: Code, post: ThePost, session: Reading) -> HTMLResponse:
    """Says whether there is such a certificate: it stands, it was taken back, or nobody knows it."""
    found = prints.by_code(session, code)
    if found is None:
        return _unknown(post, session)
    definitions = definitions_in(post, session)
    look, said = look_of_certificate(definitions, found.course), printed(session, definitions, found)
    if found.revoked:
        body = f"<p>The certificate <b>{escape(found.code)}</b> was issued once and is no longer valid: the school has taken it back.</p>"
        return page(look, "Taken back", body)
    body = (
        f"<p>The certificate <b>{escape(found.code)}</b> was issued to <b><bdi>{escape(said.name)}</bdi></b> "
        f"on {escape(said.issued)} for finishing <b>{escape(said.course)}</b>. It is valid.</p>"
        f'<p><img src="/certificate/{found.code}.png" alt="The certificate" width="1170" style="width:100%;height:auto;border:1px solid #c6d3dc"></p>'
        f'<p><a href="/certificate/{found.code}.pdf">Open it as a PDF, for printing</a></p>'
    )
    return page(look, "Certificate", body)


def _unknown(post: ThePost, session: Reading) -> HTMLResponse:
    body = "<p>Look at the number again: it has twelve letters and digits, as printed at the foot of the certificate.</p>"
    return page(plain_look(post, session), "No such certificate", body, status=404)
