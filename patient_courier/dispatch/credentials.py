"""The school as the one who vouches for certificates: its keys, and what is signed with them."""

from __future__ import annotations

from base64 import urlsafe_b64decode
from collections.abc import Iterable
from typing import Any

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.certificates.credential import Issuer, PublicKey, credential, status_list
from patient_courier.certificates.signing import SigningKey, new_key, public_text, signed
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.certificates import SigningKeyInFile
from patient_courier.store.completion import issuing, signing_keys
from patient_courier.store.completion.certificates import Print


def ensure_key(session: Session, now: Instant) -> None:
    """Make the school's first key, or one in the place of those that came without their private half."""
    if signing_keys.in_use(session) is None:
        change_key(session, now)


def change_key(session: Session, now: Instant) -> None:
    """Make a new key, which signs from now on; what older ones signed can be checked as before."""
    private = new_key()
    signing_keys.keep(session, private, public_text(private), now)


def check_keys(keys: Iterable[SigningKeyInFile]) -> None:
    """Raises ValueError when the halves of a key do not belong together: what it signs could not be verified."""
    for key in keys:
        if key.private is not None and public_text(urlsafe_b64decode(key.private)) != key.public:
            raise ValueError(
                f"The halves of the signing key {key.number} do not belong together. Take its “private” out of the file; "
                "a new key is made then."
            )


def issuer_of(definitions: Definitions) -> Issuer:
    school = definitions.school
    return Issuer(definitions.site, school.name, school.sender.email)


def public_keys(session: Session) -> list[PublicKey]:
    """Every key the school has had, for checking."""
    return [PublicKey(one.number, one.public, one.distrusted) for one in signing_keys.every(session)]


def signed_credential(session: Session, definitions: Definitions, one: Print) -> dict[str, Any]:
    """The credential of a certificate, signed with the key in use. Raises RuntimeError without one."""
    issuer = issuer_of(definitions)
    document = credential(
        issuer,
        one.design,
        one.course,
        code=one.code,
        name=one.printed_name,
        issued=one.issued,
        place=one.place,
    )
    key, made = _key(session, issuer)
    return signed(document, key, max(one.changed, made))


def signed_status(
    session: Session, definitions: Definitions, number: int, now: Instant
) -> dict[str, Any] | None:
    """The list of what was taken back; None where no certificate has its place in it."""
    places, since = issuing.taken_back(session, number)
    if since is None:
        return None
    issuer = issuer_of(definitions)
    key, _ = _key(session, issuer)
    return signed(status_list(issuer, number, places, since), key, now)


def _key(session: Session, issuer: Issuer) -> tuple[SigningKey, Instant]:
    """The key in use, and when it was made."""
    key = signing_keys.in_use(session)
    if key is None or key.private is None:
        raise RuntimeError("this school has no key to sign with")
    return SigningKey(key.number, key.private, issuer.key(key.number)), key.made
