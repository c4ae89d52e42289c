"""Signatures of reported events against the Standard Webhooks reference.

Source: the reference library ``standardwebhooks`` and the signing scheme of the
specification, version 1.0: base64 of HMAC-SHA256 over ``id.timestamp.body``.
The vector below is computed here from that sentence with the standard library.
"""

import base64
import hashlib
import hmac
from datetime import UTC, datetime, timedelta

import pytest
from standardwebhooks.webhooks import Webhook

from patient_courier.intake.signature import BadSignature, sign, verify

SECRET = "whsec_" + base64.b64encode(b"an invented secret of 32 bytes..").decode()
BODY = '{"type": "signed_in"}'


def by_hand(message: str, timestamp: int, body: str) -> str:
    key = base64.b64decode(SECRET.removeprefix("whsec_"))
    digest = hmac.new(key, f"{message}.{timestamp}.{body}".encode(), hashlib.sha256).digest()
    return "v1," + base64.b64encode(digest).decode()


def test_what_we_sign_is_what_the_specification_says_and_the_reference_accepts():
    now = datetime.now(UTC)
    headers = sign(SECRET, "msg_1", now, BODY)
    assert headers["webhook-signature"] == by_hand("msg_1", int(now.timestamp()), BODY)
    assert Webhook(SECRET).verify(BODY, headers) == {"type": "signed_in"}


def test_what_others_sign_is_accepted_with_any_case_of_headers_and_several_signatures():
    at = int(datetime.now(UTC).timestamp())
    headers = {"Webhook-Id": "msg_2", "Webhook-Timestamp": str(at)}
    headers["Webhook-Signature"] = f"v1,{base64.b64encode(b'x' * 32).decode()} {by_hand('msg_2', at, BODY)}"
    assert verify(SECRET, BODY.encode(), headers) == "msg_2"


@pytest.mark.parametrize("spoil", ["body", "id", "old", "ahead", "missing"])
def test_anything_changed_too_old_or_missing_is_refused(spoil):
    shift = {"old": timedelta(minutes=-6), "ahead": timedelta(minutes=6)}.get(spoil, timedelta())
    headers = sign(SECRET, "msg_3", datetime.now(UTC) + shift, BODY)
    if spoil == "id":
        headers["webhook-id"] = "msg_4"
    if spoil == "missing":
        del headers["webhook-signature"]
    with pytest.raises(BadSignature):
        verify(SECRET, (BODY + (" " if spoil == "body" else "")).encode(), headers)
