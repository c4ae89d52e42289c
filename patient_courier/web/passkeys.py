"""Passkeys (Web Authentication, W3C Recommendation): what a browser is asked, and whether what it answers holds."""

from __future__ import annotations

import hashlib
import ipaddress
import json
import secrets
from typing import Any
from urllib.parse import urlsplit

from webauthn import (
    generate_authentication_options,
    generate_registration_options,
    options_to_json,
    verify_authentication_response,
    verify_registration_response,
)
from webauthn.helpers import base64url_to_bytes
from webauthn.helpers.exceptions import WebAuthnException
from webauthn.helpers.structs import (
    AuthenticatorSelectionCriteria,
    PublicKeyCredentialDescriptor,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)


class NotThatKey(ValueError):
    """What the browser answered does not hold; the message says what to do."""


def work_at(address: str) -> bool:
    """Whether browsers offer passkeys for a site: one with a name, by https or on this machine."""
    found = urlsplit(address)
    host = found.hostname or ""
    try:
        ipaddress.ip_address(host)
    except ValueError:
        return found.scheme == "https" or host == "localhost" or host.endswith(".localhost")
    return False


def to_make(
    address: str, school: str, user: tuple[int, str, str], known: list[bytes]
) -> tuple[bytes, dict[str, Any]]:
    """What a browser is asked to make a passkey with, and the challenge in it. ``user``: id, address, name."""
    id, email, name = user
    # Two schools of one machine differ by their ports alone, and a key is kept once for each handle.
    handle = hashlib.sha256(f"{address} {id} {email}".encode()).digest()
    challenge = secrets.token_bytes(32)
    options = generate_registration_options(
        rp_id=_host(address),
        rp_name=school,
        user_id=handle,
        user_name=email,
        user_display_name=name,
        challenge=challenge,
        authenticator_selection=AuthenticatorSelectionCriteria(
            resident_key=ResidentKeyRequirement.PREFERRED,
            user_verification=UserVerificationRequirement.PREFERRED,
        ),
        exclude_credentials=[PublicKeyCredentialDescriptor(id=one) for one in known],
    )
    return challenge, json.loads(options_to_json(options))


def made(address: str, credential: dict[str, Any], challenge: bytes) -> tuple[bytes, bytes, int]:
    """The credential's id, public key (COSE) and count of a passkey that was made. Raises NotThatKey."""
    try:
        found = verify_registration_response(
            credential=credential,
            expected_challenge=challenge,
            expected_rp_id=_host(address),
            expected_origin=address,
        )
    except (WebAuthnException, ValueError, KeyError, TypeError) as error:
        raise NotThatKey("Your browser's passkey could not be taken. Try once more.") from error
    return found.credential_id, found.credential_public_key, found.sign_count


def to_show(address: str, known: list[bytes], *, alone: bool) -> tuple[bytes, dict[str, Any]]:
    """What a browser is asked to show a passkey with, and the challenge in it.

    ``alone``: nothing else is asked for, so the machine has to see to it that it is its owner (by a finger or a PIN).
    """
    needs = UserVerificationRequirement.REQUIRED if alone else UserVerificationRequirement.PREFERRED
    challenge = secrets.token_bytes(32)
    options = generate_authentication_options(
        rp_id=_host(address),
        challenge=challenge,
        allow_credentials=[PublicKeyCredentialDescriptor(id=one) for one in known],
        user_verification=needs,
    )
    return challenge, json.loads(options_to_json(options))


def credential_of(credential: dict[str, Any]) -> bytes:
    """Which passkey a browser shows, by its own word. Raises NotThatKey."""
    try:
        return base64url_to_bytes(str(credential["rawId"]))
    except (KeyError, ValueError) as error:
        raise NotThatKey("Your browser showed no passkey. Try once more.") from error


def shown(
    address: str, credential: dict[str, Any], challenge: bytes, key: bytes, uses: int, *, alone: bool
) -> int:
    """The passkey's new count, when it is the one with this public key. Raises NotThatKey."""
    try:
        found = verify_authentication_response(
            credential=credential,
            expected_challenge=challenge,
            expected_rp_id=_host(address),
            expected_origin=address,
            credential_public_key=key,
            credential_current_sign_count=uses,
            require_user_verification=alone,
        )
    except (WebAuthnException, ValueError, KeyError, TypeError) as error:
        raise NotThatKey("This passkey does not open this school. Try another way.") from error
    return found.new_sign_count


def _host(address: str) -> str:
    return urlsplit(address).hostname or ""
