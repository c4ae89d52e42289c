"""How a message shows who sent it: a signature, a secret in a header, a name and a secret, or the address alone."""

from __future__ import annotations

import base64
import binascii
import hashlib
import hmac
import secrets
from base64 import b64encode
from collections.abc import Sequence
from typing import assert_never

from starlette.datastructures import Headers
from whenever import Instant

from patient_courier.core.translating.connection import Address, Basic, Header, Hmac, Proof, StandardWebhooks
from patient_courier.intake.signature import BadSignature, verify_any


class NotProven(ValueError):
    """The message does not show that it comes from the connection; the text says what is wrong with it."""


def new_secret(proof: Proof) -> str:
    """A secret of the form that a proof needs: Standard Webhooks has one of its own."""
    if isinstance(proof, StandardWebhooks):
        return "whsec_" + b64encode(secrets.token_bytes(32)).decode()
    return secrets.token_urlsafe(32)


def prove(proof: Proof, valid: Sequence[str], body: bytes, headers: Headers, now: Instant) -> None:
    """Check a message by its proof. ``valid`` are the secrets that hold at ``now`` (real time); one of them must fit.

    Everything is compared in constant time. Raises NotProven.
    """
    match proof:
        case Address():
            return
        case StandardWebhooks():
            try:
                verify_any(valid, body, headers)
            except BadSignature as error:
                raise NotProven(str(error)) from error
        case Hmac():
            _hmac(proof, valid, body, headers, now)
        case Header():
            given = _one(headers, proof.header)
            _same(_bytes(given), [proof.prefix + secret for secret in valid], f"The secret in {proof.header}")
        case Basic():
            _same(_password(_one(headers, "Authorization")).encode(), valid, "The password")
        case _:
            assert_never(proof)


def _hmac(proof: Hmac, valid: Sequence[str], body: bytes, headers: Headers, now: Instant) -> None:
    given, signed = _one(headers, proof.header), body
    if proof.timestamp_header is not None:
        time = _one(headers, proof.timestamp_header)
        if not time.isascii() or not time.isdigit() or len(time) > 12:
            raise NotProven(f"The time in {proof.timestamp_header} is not a number of seconds.")
        if abs(now.timestamp() - int(time)) > proof.tolerance:
            raise NotProven(
                f"The time in {proof.timestamp_header} is more than {proof.tolerance} seconds off."
            )
        signed = time.encode() + proof.join.encode() + body
    digests = [hmac.new(secret.encode(), signed, getattr(hashlib, proof.algorithm)) for secret in valid]
    texts = [
        one.hexdigest() if proof.encoding == "hex" else b64encode(one.digest()).decode() for one in digests
    ]
    # Digits of a hexadecimal number are the same in capital letters.
    said = given.lower() if proof.encoding == "hex" else given
    prefix = proof.prefix.lower() if proof.encoding == "hex" else proof.prefix
    _same(_bytes(said), [prefix + text for text in texts], f"The signature in {proof.header}")


def _one(headers: Headers, name: str) -> str:
    found = headers.getlist(name)
    if len(found) != 1:
        raise NotProven(f"The header {name} is {'missing' if not found else 'there several times'}.")
    return found[0]


def _bytes(given: str) -> bytes:
    """A header's own bytes: it is read as Latin-1, whatever it was written in (ASGI specification, HTTP)."""
    return given.encode("latin-1", "replace")


def _password(given: str) -> str:
    """The password of a header of RFC 7617; whatever the name is."""
    scheme, _, rest = given.partition(" ")
    try:
        text = base64.b64decode(rest.strip(), validate=True).decode()
    except (binascii.Error, ValueError) as error:
        raise NotProven("The header Authorization can't be read.") from error
    if scheme.lower() != "basic" or ":" not in text:
        raise NotProven("The header Authorization is not Basic.")
    return text.partition(":")[2]


def _same(given: bytes, valid: Sequence[str], what: str) -> None:
    fits = [hmac.compare_digest(given, one.encode("utf-8", "replace")) for one in valid]
    if not any(fits):
        raise NotProven(f"{what} does not fit.")
