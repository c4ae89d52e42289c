"""Letters of the school's own that are no deliveries: they ask something of whoever reads post at an address."""

from __future__ import annotations

import secrets
from dataclasses import replace

from patient_courier.core.school.letters import Letter
from patient_courier.dispatch.dispatcher import Post
from patient_courier.post.carriers import NotTaken, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.post.look import look_of
from patient_courier.post.message import Mail, message, message_id, render, sender_of
from patient_courier.web.context import Session, definitions_in, now_in


def own_letter(subject: str, blocks: list[dict[str, str]]) -> Letter:
    body = {"key": "address", "purpose": "service", "subject": subject, "blocks": blocks}
    return Letter.model_validate(body)


def own_mail(
    post: Post, session: Session, letter: Letter, to: str, sender: str | None = None
) -> tuple[Mail, str]:
    """A letter that is no delivery as a message, and its Message-ID; ``sender``: from this address. Raises Unfit."""
    definitions, now = definitions_in(post, session), now_in(session)
    school = sender_of(definitions, letter, None, None)
    whom = replace(school, email=sender or school.email)
    links = post.signer.nowhere()
    look = look_of(definitions, letter, None)
    rendered = render(letter, look, {}, definitions.school.timezone, links)
    id = message_id(0, whom.email).replace("delivery-0", f"address-{secrets.token_hex(8)}")
    return message(rendered, whom, links, message_id=id, to=[("", to)], date=now), id


def post_own(post: Post, session: Session, letter: Letter, to: str) -> bool:
    """Post a letter that is no delivery; False when it was not taken."""
    try:
        post.post_now(own_mail(post, session, letter, to)[0])
    except (NotTaken, Unsure, Unfit):
        return False
    return True
