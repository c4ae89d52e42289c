"""Signatures of reported events, after the Standard Webhooks specification 1.0."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from standardwebhooks.webhooks import Webhook, WebhookVerificationError


class BadSignature(ValueError):
    """The request does not come from a site that knows the intake key, or is too old."""


def verify(secret: str, body: bytes, headers: Mapping[str, str]) -> str:
    """Check the signature; returns the message's id. Raises BadSignature."""
    lower = {name.lower(): value for name, value in headers.items()}
    try:
        Webhook(secret).verify(body, lower, json_parse=False)
    except (WebhookVerificationError, ValueError) as error:
        raise BadSignature(f"The signature does not fit: {error}") from error
    return lower["webhook-id"]


def verify_any(keys: Sequence[str], body: bytes, headers: Mapping[str, str]) -> str:
    """Check the signature by the keys that hold; returns the message's id. Raises BadSignature, of the first key."""
    wrong = BadSignature("The signature does not fit: there is no key.")
    for place, key in enumerate(keys):
        try:
            return verify(key, body, headers)
        except BadSignature as error:
            wrong = error if place == 0 else wrong
    raise wrong


def sign(secret: str, message_id: str, at: datetime, body: str) -> dict[str, str]:
    """The headers a course site sends along with a body."""
    return {
        "webhook-id": message_id,
        "webhook-timestamp": str(int(at.timestamp())),
        "webhook-signature": Webhook(secret).sign(message_id, at, body),
        "content-type": "application/json",
    }
