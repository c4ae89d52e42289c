"""Keys and signatures of credentials: W3C Data Integrity 1.0 with the suite eddsa-rdfc-2022 (“Data Integrity EdDSA Cryptosuites v1.0”, section 3.2)."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import base58
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from pyld import jsonld
from whenever import Instant

from patient_courier.core.school.values import moment_text

CREDENTIALS = "https://www.w3.org/ns/credentials/v2"
OPEN_BADGES = "https://purl.imsglobal.org/spec/ob/v3p0/context-3.0.3.json"
MULTIKEY = "https://w3id.org/security/multikey/v1"
# The published contexts ship with us: nothing is fetched, and what a signature covers can't change.
_CONTEXTS = {
    CREDENTIALS: "credentials-v2.json",
    OPEN_BADGES: "open-badges-3.0.3.json",
    MULTIKEY: "multikey-v1.json",
}
# The mark of an Ed25519 public key (Multicodec 0xed as a varint), and of base58btc (Multibase “z”).
_ED25519 = b"\xed\x01"
_BASE58 = "z"


@dataclass(frozen=True, slots=True)
class SigningKey:
    """A key of the school: its ``number``, the 32 bytes of it (RFC 8032), and where its public half is found."""

    number: int
    private: bytes
    address: str


def new_key() -> bytes:
    """A fresh private key."""
    return Ed25519PrivateKey.generate().private_bytes_raw()


def public_text(private: bytes) -> str:
    """The public half as a Multikey has it (“Controlled Identifiers v1.0”, section 2.2.2)."""
    public = Ed25519PrivateKey.from_private_bytes(private).public_key().public_bytes_raw()
    return _BASE58 + base58.b58encode(_ED25519 + public).decode()


def signed(document: dict[str, Any], key: SigningKey, at: Instant) -> dict[str, Any]:
    """The document with its proof. The same document, key and time give the same proof. Raises ValueError for undefined terms."""
    proof = {
        "type": "DataIntegrityProof",
        "cryptosuite": "eddsa-rdfc-2022",
        "created": second_text(at),
        "verificationMethod": key.address,
        "proofPurpose": "assertionMethod",
    }
    config = _digest({"@context": document["@context"], **proof})
    signature = Ed25519PrivateKey.from_private_bytes(key.private).sign(config + _digest(document))
    return {**document, "proof": {**proof, "proofValue": _BASE58 + base58.b58encode(signature).decode()}}


def second_text(at: Instant) -> str:
    """A moment to the second, rounded down, as XML Schema's dateTimeStamp has it: not every reader takes a fraction."""
    return moment_text(at.round("second", mode="floor"))


def _digest(document: dict[str, Any]) -> bytes:
    # RDF Dataset Canonicalization 1.0, which this library has under its earlier name.
    options = {"algorithm": "URDNA2015", "format": "application/n-quads", "documentLoader": _load}
    return hashlib.sha256(jsonld.normalize(document, options).encode()).digest()


@cache
def _context(address: str) -> Any:
    return json.loads((Path(__file__).parent / "contexts" / _CONTEXTS[address]).read_text("utf-8"))


def _load(address: str, options: Any) -> dict[str, Any]:
    if address not in _CONTEXTS:
        raise ValueError(f"the context {address} is not one of ours")
    return {"contextUrl": None, "documentUrl": address, "document": _context(address)}
