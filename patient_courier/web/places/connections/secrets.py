"""What a connection is reached and proves itself by: new addresses and secrets, each with a day's overlap."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, Field

from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.connecting import proof_of
from patient_courier.intake.proofs import new_secret
from patient_courier.store.connections import connections
from patient_courier.web.context import SignedIn, ThePost, Writing
from patient_courier.web.places.connections.connections import ConnectionOut, connection_out, new_address, the

router = APIRouter(prefix="/api/connections", tags=["connections"])


class SecretOut(BaseModel):
    """A new secret, shown this once; the one before holds for another day."""

    secret: str


@router.post("/{key}/secret")
def renew_secret(key: str, user: SignedIn, session: Writing) -> SecretOut:
    """A new secret for its proof, shown this once; the one before holds for another day."""
    kept = the(session, key)
    proof = proof_of(kept)
    if proof.kind == "address":
        raise HTTPException(409, "This connection proves itself by its address alone, which is its secret.")
    secret = new_secret(proof)
    connections.give_secret(session, kept.id, "proof", secret, real_now())
    return SecretOut(secret=secret)


class GivenSecret(BaseModel):
    """A secret that the other side has made."""

    secret: Annotated[str, Field(min_length=8, max_length=500, pattern=r"^[\x21-\x7e]+$")]


@router.put("/{key}/secret", status_code=204)
def give_secret(key: str, body: GivenSecret, user: SignedIn, session: Writing) -> None:
    """Take a secret that the other side has made; the one before holds for another day."""
    kept = the(session, key)
    if proof_of(kept).kind == "address":
        raise HTTPException(409, "This connection proves itself by its address alone, which is its secret.")
    if body.secret in connections.secrets_of(session, kept.id, "proof", real_now()):
        return
    connections.give_secret(session, kept.id, "proof", body.secret, real_now())


class MailboxIn(BaseModel):
    """The owner's word that only they get what comes to the connection as mail."""

    own: bool


@router.put("/{key}/mailbox", status_code=204)
def say_own_mailbox(key: str, body: MailboxIn, user: SignedIn, session: Writing) -> None:
    """With it, mails need no other proof; without, they need a secret or a signature."""
    connections.say_own_mailbox(session, the(session, key).id, body.own)


@router.post("/{key}/address")
def renew_address(
    key: str, user: SignedIn, post: ThePost, session: Writing, response: Response
) -> ConnectionOut:
    """A new address; the one before holds for another day."""
    kept = the(session, key)
    connections.give_secret(session, kept.id, "address", new_address(kept.key), real_now())
    session.flush()
    return connection_out(session, post, kept, response)
