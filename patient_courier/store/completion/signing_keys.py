"""The keys that credentials are signed with: one in use, older ones kept so that what they signed can be checked."""

from __future__ import annotations

from base64 import urlsafe_b64decode, urlsafe_b64encode
from dataclasses import dataclass

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.certificates import SigningKeyInFile
from patient_courier.store.base.tables import SigningKeyRow


@dataclass(frozen=True, slots=True)
class KeptKey:
    """A key; ``private`` None where only its public half is here, ``distrusted`` from when it counts for nothing."""

    number: int
    made: Instant
    private: bytes | None
    public: str
    distrusted: Instant | None


def every(session: Session) -> list[KeptKey]:
    """All keys, the oldest first."""
    rows = session.scalars(select(SigningKeyRow).order_by(SigningKeyRow.number))
    return [_kept(row) for row in rows]


def in_use(session: Session) -> KeptKey | None:
    """The newest key that can sign and is trusted."""
    return next((k for k in reversed(every(session)) if k.private and k.distrusted is None), None)


def keep(session: Session, private: bytes, public: str, now: Instant) -> None:
    """Keep a new key, which signs from now on. Older ones stay for checking."""
    kept = urlsafe_b64encode(private).decode()
    session.add(SigningKeyRow(made=now, private=kept, public=public, distrusted=None))
    session.flush()


def distrust(session: Session, number: int, now: Instant) -> None:
    """Say that a key has fallen into other hands: what it signed counts for nothing, and it signs no more."""
    changed = update(SigningKeyRow).where(SigningKeyRow.number == number, SigningKeyRow.distrusted.is_(None))
    session.execute(changed.values(distrusted=now))


def exported(session: Session, *, private: bool) -> list[SigningKeyInFile]:
    """The keys as the school file has them; their private halves only when asked for."""
    return [
        SigningKeyInFile(
            number=row.number,
            made=row.made,
            public=row.public,
            private=row.private if private else None,
            distrusted=row.distrusted,
        )
        for row in session.scalars(select(SigningKeyRow).order_by(SigningKeyRow.number))
    ]


def replace(session: Session, keys: list[SigningKeyInFile]) -> None:
    """Keep the keys of a school file, under their numbers, in a school that has signed nothing: addresses stay as they were."""
    if keys:
        session.execute(delete(SigningKeyRow))
    for key in keys:
        session.add(SigningKeyRow(**{name: getattr(key, name) for name in SigningKeyInFile.model_fields}))
    session.flush()


def _kept(row: SigningKeyRow) -> KeptKey:
    private = urlsafe_b64decode(row.private) if row.private else None
    return KeptKey(row.number, row.made, private, row.public, row.distrusted)
