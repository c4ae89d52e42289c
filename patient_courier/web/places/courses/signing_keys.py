"""The keys that credentials of certificates are signed with: a new one, and one that is trusted no more."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from patient_courier.core.telling import words
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.credentials import change_key, ensure_key, issuer_of
from patient_courier.store.completion import signing_keys
from patient_courier.web.context import Reading, RowId, Session, SignedIn, ThePost, Writing, definitions_in

router = APIRouter(prefix="/api/signing-keys", tags=["school"])


class SigningKeyOut(BaseModel):
    """A key: ``public`` is its public half (a Multikey), at ``address`` for whoever checks; ``here``: it can sign.

    ``distrusted`` says since when what it signed counts for nothing.
    """

    number: int
    made: str
    public: str
    address: str
    in_use: bool
    here: bool
    distrusted: str | None


class SigningKeys(BaseModel):
    """The keys, the newest first, and the address of the school's profile as an issuer."""

    issuer: str
    items: list[SigningKeyOut]


@router.get("")
def list_keys(user: SignedIn, post: ThePost, session: Reading) -> SigningKeys:
    definitions = definitions_in(post, session)
    issuer, zone = issuer_of(definitions), definitions.school.timezone
    used = signing_keys.in_use(session)
    return SigningKeys(
        issuer=issuer.id,
        items=[
            SigningKeyOut(
                number=one.number,
                made=words.moment(one.made, zone),
                public=one.public,
                address=issuer.key(one.number),
                in_use=used is not None and one.number == used.number,
                here=one.private is not None,
                distrusted=words.moment(one.distrusted, zone) if one.distrusted else None,
            )
            for one in reversed(signing_keys.every(session))
        ],
    )


@router.post("")
def make_key(user: SignedIn, post: ThePost, session: Writing) -> SigningKeys:
    """Make a new key, which signs from now on; what older ones signed stays good."""
    change_key(session, real_now())
    return list_keys(user, post, session)


@router.post("/{number}/distrust")
def distrust(number: RowId, user: SignedIn, post: ThePost, session: Writing) -> SigningKeys:
    """Say that a key has fallen into other hands. Credentials fetched before are no longer good; new ones are signed with another key."""
    _known(session, number)
    signing_keys.distrust(session, number, real_now())
    ensure_key(session, real_now())
    return list_keys(user, post, session)


def _known(session: Session, number: int) -> None:
    if all(one.number != number for one in signing_keys.every(session)):
        raise HTTPException(404, "There is no such key.")
