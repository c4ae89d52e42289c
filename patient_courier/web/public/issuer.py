"""The school as the one who vouches for certificates, for programs: its profile, its public keys, what was taken back."""

from __future__ import annotations

import json
from typing import Annotated, Any

from fastapi import APIRouter, Path, Response

from patient_courier.certificates.credential import achievement, issuer_document, key_document
from patient_courier.certificates.signing import CREDENTIALS, OPEN_BADGES
from patient_courier.core.completion.certificates import design_of
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.credentials import issuer_of, public_keys, signed_status
from patient_courier.store.completion.issuing import is_announced
from patient_courier.web.context import Reading, ThePost, definitions_in

router = APIRouter(prefix="/issuer", include_in_schema=False)
Number = Annotated[int, Path(ge=0, le=1_000_000)]


@router.get("")
def issuer(post: ThePost, session: Reading) -> Response:
    """The profile of the school, with the keys it vouches with."""
    return _answer(issuer_document(issuer_of(definitions_in(post, session)), public_keys(session)))


@router.get("/keys/{number}")
def key(number: Number, post: ThePost, session: Reading) -> Response:
    """One public key; those that are in use no longer stay."""
    found = next((one for one in public_keys(session) if one.number == number), None)
    return _answer(key_document(issuer_of(definitions_in(post, session)), found) if found else None)


@router.get("/status/{number}")
def status(number: Number, post: ThePost, session: Reading) -> Response:
    """The signed list of what was taken back."""
    return _answer(signed_status(session, definitions_in(post, session), number, real_now()))


@router.get("/achievements/{course:path}")
def achieved(course: str, post: ThePost, session: Reading) -> Response:
    """What whoever has a certificate of this course has achieved."""
    definitions = definitions_in(post, session)
    found = definitions.courses.get(course)
    if found is None or found.certificate is None or not is_announced(session, course):
        return _answer(None)
    said = achievement(issuer_of(definitions), design_of(definitions, found), course)
    return _answer({"@context": [CREDENTIALS, OPEN_BADGES], **said})


def _answer(document: dict[str, Any] | None) -> Response:
    # Whoever verifies a credential does so from anywhere.
    headers = {"Access-Control-Allow-Origin": "*", "X-Robots-Tag": "noindex", "Cache-Control": "no-cache"}
    if document is None:
        return Response('{"detail": "There is nothing here."}', 404, headers, media_type="application/json")
    return Response(
        json.dumps(document, ensure_ascii=False, indent=1), 200, headers, media_type="application/ld+json"
    )
