"""Codes of a second step against RFC 6238."""

from __future__ import annotations

from base64 import b32encode

import pytest
from whenever import Instant

from patient_courier.core.helpers.codes import step_shown

SECRET = b32encode(b"12345678901234567890").decode()


# RFC 6238, appendix B, SHA-1 (from memory). A code of six figures is the last six of that of eight (RFC 4226, 5.3).
@pytest.mark.parametrize(
    ("seconds", "code"),
    [
        (59, "94287082"),
        (1111111109, "07081804"),
        (1111111111, "14050471"),
        (1234567890, "89005924"),
        (2000000000, "69279037"),
        (20000000000, "65353130"),
    ],
)
def test_codes_of_rfc_6238(seconds: int, code: str):
    at = Instant.from_timestamp(seconds)
    assert step_shown(SECRET, code[2:], at) == seconds // 30
    # A clock may differ by one step (RFC 6238, section 5.2), and by no more.
    assert step_shown(SECRET, code[2:], at.add(seconds=30)) == seconds // 30
    assert step_shown(SECRET, code[2:], at.add(seconds=61)) is None
    assert step_shown(SECRET, "١٢٣٤٥٦", at) is None and step_shown(SECRET, "", at) is None
