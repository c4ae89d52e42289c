"""A certificate as a credential that anybody can verify: Open Badges 3.0 (1EdTech, 2024), which is a Verifiable Credential (W3C VCDM 2.0)."""

from __future__ import annotations

import base64
import gzip
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote

from whenever import Instant

from patient_courier.certificates.signing import CREDENTIALS, MULTIKEY, OPEN_BADGES, second_text
from patient_courier.core.completion.certificates import learnt
from patient_courier.core.engine.fields import certificate_address
from patient_courier.core.school.certificates import Design

# How many places a list has at least, so that a lookup tells nobody whose credential is asked about
# (“Bitstring Status List v1.0”, sections 2.1 and 6.1).
PLACES = 131_072


# Terms of “Controlled Identifiers v1.0” (sections 2.2 and 2.3.2) that the other contexts lack, by their published names.
_SECURITY = "https://w3id.org/security#"
_CONTROLLER = {
    name: {"@id": f"{_SECURITY}{name}", "@type": "@id", "@container": "@set"}
    for name in ("verificationMethod", "assertionMethod")
}


@dataclass(frozen=True, slots=True)
class Issuer:
    """The school as the one who vouches: everything of it has a stable address under ``site``."""

    site: str
    name: str
    email: str

    @property
    def id(self) -> str:
        return f"{self.site}/issuer"

    def key(self, number: int) -> str:
        return f"{self.id}/keys/{number}"

    def status(self, number: int) -> str:
        return f"{self.id}/status/{number}"

    def achievement(self, course: str) -> str:
        return f"{self.id}/achievements/{quote(course, safe='')}"

    def profile(self) -> dict[str, Any]:
        """An Open Badges profile (section B.1.19)."""
        return {"id": self.id, "type": ["Profile"], "name": self.name, "url": self.site, "email": self.email}


@dataclass(frozen=True, slots=True)
class PublicKey:
    """The public half of a key; ``distrusted`` from when what it signed counts for nothing."""

    number: int
    public: str
    distrusted: Instant | None


def key_document(issuer: Issuer, key: PublicKey) -> dict[str, Any]:
    """A key at its address, a Multikey (“Controlled Identifiers v1.0”, section 2.2.2)."""
    revoked = {"revoked": second_text(key.distrusted)} if key.distrusted else {}
    return {
        "@context": MULTIKEY,
        "id": issuer.key(key.number),
        "type": "Multikey",
        "controller": issuer.id,
        "publicKeyMultibase": key.public,
        **revoked,
    }


def issuer_document(issuer: Issuer, keys: Iterable[PublicKey]) -> dict[str, Any]:
    """The issuer at its address: the profile, and every key it has ever vouched with, for checking old credentials.

    A key that is distrusted is no longer one it vouches with (``assertionMethod``); not every reader looks at ``revoked``.
    """
    keys = list(keys)
    methods = [
        {name: value for name, value in key_document(issuer, key).items() if name != "@context"}
        for key in keys
    ]
    return {
        "@context": [CREDENTIALS, OPEN_BADGES, MULTIKEY, _CONTROLLER],
        **issuer.profile(),
        "verificationMethod": methods,
        "assertionMethod": [issuer.key(key.number) for key in keys if key.distrusted is None],
    }


def achievement(issuer: Issuer, design: Design, course: str) -> dict[str, Any]:
    """What was achieved by whoever has a certificate of a course (Open Badges 3.0, section B.1.1)."""
    took = learnt(design)
    return {
        "id": issuer.achievement(course),
        "type": ["Achievement"],
        "achievementType": "CertificateOfCompletion",
        "name": design.title,
        "description": design.summary.strip() or f"The course “{design.title}” of {design.school}.",
        "criteria": {"narrative": f"Finish the course: {took}." if took else "Finish the course."},
    }


def credential(
    issuer: Issuer, design: Design, course: str, *, code: str, name: str, issued: Instant, place: int
) -> dict[str, Any]:
    """The credential of one certificate, unsigned. It says of the student what is printed: the name, nothing else."""
    list_address = issuer.status(place // PLACES)
    index = str(place % PLACES)
    return {
        "@context": [CREDENTIALS, OPEN_BADGES],
        "id": f"{certificate_address(issuer.site, code)}/credential.json",
        "type": ["VerifiableCredential", "OpenBadgeCredential"],
        "name": f"{design.rule.heading}: {design.title}",
        "issuer": issuer.profile(),
        "validFrom": second_text(issued),
        "credentialSubject": {
            "type": ["AchievementSubject"],
            "identifier": [
                {"type": "IdentityObject", "identityHash": name, "identityType": "name", "hashed": False}
            ],
            "achievement": achievement(issuer, design, course),
        },
        "credentialStatus": {
            "id": f"{list_address}#{index}",
            "type": "BitstringStatusListEntry",
            "statusPurpose": "revocation",
            "statusListIndex": index,
            "statusListCredential": list_address,
        },
    }


def status_list(issuer: Issuer, number: int, taken_back: Iterable[int], since: Instant) -> dict[str, Any]:
    """The list of what was taken back, unsigned: a bit for each place, the first one leftmost, packed (section 3.3)."""
    bits = bytearray(PLACES // 8)
    for place in taken_back:
        index = place - number * PLACES
        bits[index // 8] |= 0x80 >> index % 8
    packed = base64.urlsafe_b64encode(gzip.compress(bytes(bits), mtime=0)).decode().rstrip("=")
    address = issuer.status(number)
    return {
        "@context": [CREDENTIALS],
        "id": address,
        "type": ["VerifiableCredential", "BitstringStatusListCredential"],
        "issuer": issuer.id,
        "validFrom": second_text(since),
        "credentialSubject": {
            "id": f"{address}#list",
            "type": "BitstringStatusList",
            "statusPurpose": "revocation",
            "encodedList": f"u{packed}",
        },
    }
