"""Letters of the school's own that are no deliveries: to whoever reads post at an address, or to those who sign in."""

from __future__ import annotations

from dataclasses import replace

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.letters import Letter
from patient_courier.post.links import LinkSigner
from patient_courier.post.look import look_of
from patient_courier.post.message import Mail, message, message_id, render, sender_of


def own_letter(subject: str, blocks: list[dict[str, str]]) -> Letter:
    body = {"key": "address", "purpose": "service", "subject": subject, "blocks": blocks}
    return Letter.model_validate(body)


def drawn(
    definitions: Definitions,
    signer: LinkSigner,
    letter: Letter,
    to: str,
    now: Instant,
    name: str,
    sender: str | None = None,
) -> tuple[Mail, str]:
    """The message and its Message-ID, which begins with ``name``; ``sender``: from this address. Raises Unfit."""
    school = sender_of(definitions, letter, None, None)
    whom = replace(school, email=sender or school.email)
    links = signer.nowhere()
    rendered = render(letter, look_of(definitions, letter, None), {}, definitions.school.timezone, links)
    id = message_id(0, whom.email).replace("delivery-0", name)
    return message(rendered, whom, links, message_id=id, to=[("", to)], date=now), id
