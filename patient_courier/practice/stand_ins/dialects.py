"""What the stand-ins say: messages in three invented dialects, as content type and body."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from whenever import Instant

JSON, FORM = "application/json", "application/x-www-form-urlencoded"


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody outside, as they wrote themselves down there."""

    mail: str
    given: str = ""
    family: str = ""
    country: str = ""


@dataclass(frozen=True, slots=True)
class Said:
    """A message ready to be sent."""

    type: str
    body: bytes


def order(
    number: str, buyer: Person, lines: list[tuple[str, str, str]], paid: Instant, topic: str = "order.paid"
) -> Said:
    """The shop's: an order with its lines (sku, title, price), paid or given back."""
    return _json(
        {
            "topic": topic,
            "shop": "mallow-lane-shop",
            "order": {
                "no": number,
                "paid_at": paid.format_iso(),
                "currency": "EUR",
                "buyer": {
                    "mail": buyer.mail,
                    "given": buyer.given,
                    "family": buyer.family,
                    "country": buyer.country,
                },
                "lines": [{"sku": sku, "title": title, "price": price} for sku, title, price in lines],
            },
        }
    )


def learnt(topic: str, learner: Person, at: Instant, **about: Any) -> Said:
    """The course site's: what a learner did, its time in seconds since 1970."""
    name = {"first": learner.given, "last": learner.family}
    said = {"topic": topic, "learner": {"email": learner.mail, "name": name}, "when": at.timestamp()}
    return _json(said | about)


def joined(person: Person, form: str, at: Instant, consent: str) -> Said:
    """The list's: somebody signed up with a form; not JSON, but a form of its own, its time in milliseconds."""
    fields = {
        "kind": "subscribe",
        "member[email]": person.mail,
        "member[name]": person.given,
        "list": form,
        "agrees": consent,
        "ts": str(at.timestamp(unit="millisecond")),
    }
    return Said(FORM, urlencode(fields).encode())


def _json(data: dict[str, Any]) -> Said:
    return Said(JSON, json.dumps(data, ensure_ascii=False).encode())
