"""How a student wishes their name printed on a certificate: said once, by way of a link in the letter about it."""

from __future__ import annotations

from html import escape
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse

from patient_courier.core.school.text import clean_line
from patient_courier.store.completion import certificates
from patient_courier.store.completion.certificates import Print
from patient_courier.web.context import Reading, Session, ThePost, Writing
from patient_courier.web.public.found import Found, find
from patient_courier.web.public.pages import NoLink, below, page

router = APIRouter(prefix="/post", include_in_schema=False)
LONGEST = 120


@router.get("/name/{token}")
@router.get("/name/{token}/{course:path}")
def name_page(token: str, post: ThePost, session: Reading, course: str = "") -> HTMLResponse:
    found = find(post, session, "name", token)
    return _asked(found, _certificate(session, found, course))


@router.post("/name/{token}")
@router.post("/name/{token}/{course:path}")
def set_name(
    token: str,
    post: ThePost,
    session: Writing,
    name: Annotated[str, Form(max_length=1000)],
    course: str = "",
) -> HTMLResponse:
    """Print it so from now on, under the same number; later changes are the owner's."""
    found = find(post, session, "name", token)
    one = _certificate(session, found, course)
    wished = " ".join(clean_line(name).split())
    if one.own_name:
        return _asked(found, one)
    if not any(sign.isalpha() for sign in wished) or len(wished) > LONGEST:
        return _asked(found, one, f"Write your name, in at most {LONGEST} letters.")
    certificates.rename(session, one.code, wished, found.now)
    body = (
        f"<p>Your certificate is made out to <b><bdi>{escape(wished)}</bdi></b> from now on.</p>"
        f'<p><a href="{below(found.definitions.site)}/certificate/{one.code}/yours">Have a look at it</a></p>'
    )
    return page(found.look, "It is printed so", body)


def _certificate(session: Session, found: Found, course: str) -> Print:
    """The student's certificate of this course, or of the one the letter was about. Raises NoLink when none stands."""
    for one in certificates.of_student(session, found.student.id):
        if one.course == (course or found.course) and not one.revoked:
            return one
    raise NoLink(old=True)


def _asked(found: Found, one: Print, wrong: str = "") -> HTMLResponse:
    picture = f'<p><img src="{below(found.definitions.site)}/certificate/{one.code}.png" alt="Your certificate" width="1403" style="width:100%;height:auto;border:1px solid #c6d3dc"></p>'
    if one.own_name:
        said = f"<p>It is made out to <b><bdi>{escape(one.printed_name)}</bdi></b>, as was wished. If that is wrong, answer to our letter, and we put it right.</p>"
        return page(found.look, "Your name on the certificate", said + picture)
    note = f'<p class="said" role="alert">{escape(wrong)}</p>' if wrong else ""
    form = (
        f'<form method="post"><label>How should your name be printed? You can say it here once.<input type="text" name="name" required maxlength="{LONGEST}" '
        f'autocomplete="name" value="{escape(one.name)}"></label><button>Print it so</button></form>'
    )
    status = 422 if wrong else 200
    return page(found.look, "Your name on the certificate", note + picture + form, status=status)
