"""Codes of a second step at signing in: those that an app shows, by the time (RFC 6238), and recovery codes on paper."""

from __future__ import annotations

import secrets
from hmac import compare_digest
from typing import Final

import pyotp
from whenever import Instant

PERIOD: Final = 30  # seconds; RFC 6238, section 5.2
RECOVERY_CODES: Final = 10
# Without letters and figures that look alike on paper.
_ALPHABET: Final = "abcdefghjkmnpqrstuvwxyz23456789"


def fresh_secret() -> str:
    """A secret for an app that shows codes, in Base32 (RFC 4648)."""
    return pyotp.random_base32()


def app_address(secret: str, email: str, school: str) -> str:
    """What the app reads from the picture: an ``otpauth`` address."""
    return pyotp.TOTP(secret).provisioning_uri(name=email, issuer_name=school)


def step_shown(secret: str, code: str, at: Instant) -> int | None:
    """The time step (30 s each, from 1970) whose code this is: that of ``at`` or one beside it, since clocks differ.

    None when it is the code of none of them. Whoever calls refuses a step that was used before (RFC 6238, section 5.2).
    """
    totp, now = pyotp.TOTP(secret), at.timestamp() // PERIOD
    typed = code.replace(" ", "")
    for step in (now, now - 1, now + 1):
        if compare_digest(totp.generate_otp(step).encode(), typed.encode("utf-8", "replace")):
            return step
    return None


def fresh_recovery_codes() -> list[str]:
    """Ten codes to keep on paper, each good for once; nearly 60 bits of chance in each."""
    return ["-".join(_four() for _ in range(3)) for _ in range(RECOVERY_CODES)]


def _four() -> str:
    return "".join(secrets.choice(_ALPHABET) for _ in range(4))


def plain_code(code: str) -> str:
    """A recovery code as it is compared: without what is typed between."""
    return "".join(sign for sign in code.lower() if sign.isalnum())
