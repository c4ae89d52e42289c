"""Keys of programs: only a digest is kept; what was answered to changes under an Idempotency-Key."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from hashlib import sha256
from secrets import token_urlsafe
from typing import Literal

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import ApiAnswerRow, ApiKeyRow

Scope = Literal["read", "report", "change"]
SCOPES: tuple[Scope, ...] = ("read", "report", "change")
# When the last use was is noted at most so often.
NOTED_SECONDS = 60
ANSWERS_HOURS = 24
SHOWN = 10


@dataclass(frozen=True, slots=True)
class ApiKey:
    """A key as it was made; ``begins`` are its first signs, times are real."""

    id: int
    name: str
    scopes: tuple[str, ...]
    begins: str
    made: Instant
    used: Instant | None
    ended: Instant | None


@dataclass(frozen=True, slots=True)
class Answered:
    """What was answered before; ``asked`` is a digest of the request."""

    asked: str
    status: int
    body: str


def _key(row: ApiKeyRow) -> ApiKey:
    return ApiKey(row.id, row.name, tuple(row.scopes), row.begins, row.made, row.used, row.ended)


def digest_of(key: str) -> str:
    """What is kept of a key. It is long and drawn by lot, so one round is enough (OWASP, “Cryptographic Storage”)."""
    return sha256(key.encode()).hexdigest()


def every(session: Session) -> list[ApiKey]:
    """All keys, those that have been ended too, the newest first."""
    return [_key(row) for row in session.scalars(select(ApiKeyRow).order_by(ApiKeyRow.id.desc()))]


def make(session: Session, name: str, scopes: Collection[str], real: Instant) -> tuple[int, str]:
    """A new key; returns its row and the key itself, which nobody will see again."""
    key = f"pc_{token_urlsafe(32)}"
    row = ApiKeyRow(name=name, scopes=list(scopes), digest=digest_of(key), begins=key[:SHOWN], made=real)
    session.add(row)
    session.flush()
    return row.id, key


def holding(session: Session, key: str) -> ApiKey | None:
    """The key that this is, unless it has been ended."""
    row = session.scalar(
        select(ApiKeyRow).where(ApiKeyRow.digest == digest_of(key), ApiKeyRow.ended.is_(None))
    )
    return _key(row) if row is not None else None


def note_use(session: Session, id: int, real: Instant) -> None:
    session.execute(update(ApiKeyRow).where(ApiKeyRow.id == id).values(used=real))


def end(session: Session, id: int, real: Instant) -> bool:
    """The key opens nothing from now on; False when there is none."""
    row = session.get(ApiKeyRow, id)
    if row is None:
        return False
    row.ended = row.ended or real
    return True


def answered(session: Session, id: int, key: str, real: Instant) -> Answered | None:
    """What this program was answered under an Idempotency-Key within a day."""
    row = session.get(ApiAnswerRow, (id, key))
    if row is None or row.at <= real.subtract(hours=ANSWERS_HOURS):
        return None
    return Answered(row.asked, row.status, row.body)


def forget(session: Session, email: str) -> None:
    """Forget every answer in which this address stands."""
    found = func.instr(func.lower(ApiAnswerRow.body), email.lower()) > 0
    session.execute(delete(ApiAnswerRow).where(found))


def keep_answer(session: Session, id: int, key: str, what: Answered, real: Instant) -> None:
    """Remember an answer for a day; older ones are forgotten."""
    session.execute(delete(ApiAnswerRow).where(ApiAnswerRow.at <= real.subtract(hours=ANSWERS_HOURS)))
    row = {"asked": what.asked, "status": what.status, "body": what.body, "at": real}
    put = insert(ApiAnswerRow).values(api_key_id=id, key=key, **row)
    session.execute(put.on_conflict_do_update(index_elements=["api_key_id", "key"], set_=row))
