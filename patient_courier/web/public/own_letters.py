"""Letters of the school's own that are no deliveries: they ask something of whoever reads post at an address."""

from __future__ import annotations

import secrets

from patient_courier.core.school.letters import Letter
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.own_letters import drawn, own_letter
from patient_courier.post.carriers import NotTaken, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.post.message import Mail
from patient_courier.web.context import Session, definitions_in, now_in

__all__ = ["own_letter", "own_mail", "post_own"]


def own_mail(
    post: Post, session: Session, letter: Letter, to: str, sender: str | None = None
) -> tuple[Mail, str]:
    """A letter that is no delivery as a message, and its Message-ID; ``sender``: from this address. Raises Unfit."""
    name = f"address-{secrets.token_hex(8)}"
    return drawn(definitions_in(post, session), post.signer, letter, to, now_in(session), name, sender)


def post_own(post: Post, session: Session, letter: Letter, to: str) -> bool:
    """Post a letter that is no delivery; False when it was not taken."""
    try:
        post.post_now(own_mail(post, session, letter, to)[0])
    except (NotTaken, Unsure, Unfit):
        return False
    return True
