"""Proofs of messages, made here by other libraries than those that check them: openssl for digests, httpx for Basic."""

from __future__ import annotations

import base64
import subprocess
from datetime import datetime

import httpx
import pytest
from standardwebhooks.webhooks import Webhook
from starlette.datastructures import Headers
from whenever import Instant

from patient_courier.core.translating.connection import Basic, Header, Hmac, StandardWebhooks
from patient_courier.intake.proofs import NotProven, new_secret, prove

BODY = '{"né": 1}'.encode()
NOW = Instant.from_timestamp(1_772_460_300)
SECRET = "it's a secret, ünlike others"


def digest(algorithm: str, signed: bytes) -> bytes:
    command = [
        "openssl",
        "dgst",
        f"-{algorithm}",
        "-mac",
        "HMAC",
        "-macopt",
        f"hexkey:{SECRET.encode().hex()}",
        "-binary",
    ]
    return subprocess.run(command, input=signed, capture_output=True, check=True).stdout


def proven(proof, headers: dict[str, str] | list[tuple[str, str]], *valid: str, body: bytes = BODY) -> bool:
    pairs = headers.items() if isinstance(headers, dict) else headers
    raw = [(name.lower().encode(), value.encode("utf-8")) for name, value in pairs]
    try:
        prove(proof, valid or (SECRET,), body, Headers(raw=raw), NOW)
    except NotProven:
        return False
    return True


@pytest.mark.parametrize("algorithm", ["sha1", "sha256", "sha512"])
@pytest.mark.parametrize("encoding", ["hex", "base64"])
def test_a_keyed_digest_as_openssl_makes_it(algorithm, encoding):
    proof = Hmac(kind="hmac", header="X-Sign", algorithm=algorithm, encoding=encoding, prefix=f"{algorithm}=")
    made = digest(algorithm, BODY)
    text = made.hex() if encoding == "hex" else base64.b64encode(made).decode()
    assert proven(proof, {"X-Sign": f"{algorithm}={text}"})
    assert proven(proof, {"x-sign": f"{algorithm}={text}"}, "another", SECRET)
    assert not proven(proof, {"X-Sign": text})
    assert not proven(proof, {"X-Sign": f"{algorithm}={text}"}, body=BODY + b" ")
    assert not proven(proof, {"X-Sign": f"{algorithm}={text}"}, "another")
    assert not proven(proof, [("X-Sign", f"{algorithm}={text}"), ("X-Sign", "x")])
    assert not proven(proof, {})


@pytest.mark.parametrize(("off", "fits"), [(0, True), (-60, True), (60, True), (-61, False), (61, False)])
def test_a_time_that_is_signed_must_be_near(off, fits):
    proof = Hmac(kind="hmac", header="S", timestamp_header="T", join=":", tolerance=60)
    time = str(int(NOW.timestamp()) + off)
    assert proven(proof, {"S": digest("sha256", time.encode() + b":" + BODY).hex(), "T": time}) is fits
    assert not proven(proof, {"S": digest("sha256", b"1e9:" + BODY).hex(), "T": "1e9"})


def test_a_secret_in_a_header_and_a_password_as_httpx_sends_it():
    bearer = Header(kind="header", prefix="Bearer ")
    assert proven(bearer, {"Authorization": f"Bearer {SECRET}"})
    assert not proven(bearer, {"Authorization": SECRET})
    request = httpx.Request("POST", "https://post.example")
    sent = next(httpx.BasicAuth("any:one".replace(":", ""), SECRET).auth_flow(request)).headers[
        "authorization"
    ]
    assert proven(Basic(kind="basic"), {"Authorization": sent})
    assert not proven(Basic(kind="basic"), {"Authorization": sent}, "another")
    assert not proven(Basic(kind="basic"), {"Authorization": "Basic !!"})
    assert not proven(Basic(kind="basic"), {"Authorization": sent.replace("Basic", "Bearer")})


def test_standard_webhooks_by_their_own_library():
    proof = StandardWebhooks(kind="standard_webhooks")
    old, new = new_secret(proof), new_secret(proof)
    at = datetime.now().astimezone()
    sign = Webhook(old).sign("msg_1", at, BODY.decode())
    headers = {
        "webhook-id": "msg_1",
        "webhook-timestamp": str(int(at.timestamp())),
        "webhook-signature": sign,
    }
    assert proven(proof, headers, new, old)
    assert not proven(proof, headers, new)
    assert not proven(proof, headers | {"webhook-id": "msg_2"}, old)
