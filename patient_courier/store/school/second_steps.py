"""Somebody's second step at signing in: an app's secret, passkeys, recovery codes; and when a session proved who it is."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.helpers.codes import fresh_recovery_codes, plain_code, step_shown
from patient_courier.store.base.tables import PasskeyRow, RecoveryCodeRow, SessionRow, UserRow
from patient_courier.store.school.users import id_of

# For how long a session is believed after it has shown who it is.
PROOF_MINUTES = 15


@dataclass(frozen=True, slots=True)
class Passkey:
    id: int
    user: int
    credential: bytes
    public_key: bytes
    uses: int
    name: str
    made: Instant
    used: Instant | None


@dataclass(frozen=True, slots=True)
class Steps:
    """What somebody has for a second step; ``codes`` recovery codes are left."""

    app: bool
    passkeys: list[Passkey]
    codes: int

    @property
    def any(self) -> bool:
        return self.app or bool(self.passkeys)


def steps_of(session: Session, user: int) -> Steps:
    keys = select(PasskeyRow).where(PasskeyRow.user_id == user).order_by(PasskeyRow.id)
    left = select(func.count()).where(RecoveryCodeRow.user_id == user)
    return Steps(
        app=session.get_one(UserRow, user).app_secret is not None,
        passkeys=[_passkey(row) for row in session.scalars(keys)],
        codes=session.scalar(left) or 0,
    )


def use_code(session: Session, user: int, code: str, now: Instant) -> bool:
    """Whether this is the code of their app, or a recovery code; each of them is good for once."""
    row = session.get_one(UserRow, user)
    step = step_shown(row.app_secret, code, now) if row.app_secret else None
    if step is not None:
        if step <= row.app_step:
            return False
        row.app_step = step
        return True
    mine = (RecoveryCodeRow.user_id == user, RecoveryCodeRow.code == _hash(code))
    used = session.execute(delete(RecoveryCodeRow).where(*mine).returning(RecoveryCodeRow.id))
    return used.first() is not None


def keep_app(session: Session, user: int, secret: str, step: int) -> None:
    """An app shows codes from now on; ``step`` is the one whose code proved it."""
    session.execute(update(UserRow).where(UserRow.id == user).values(app_secret=secret, app_step=step))


def forget_app(session: Session, user: int) -> None:
    session.execute(update(UserRow).where(UserRow.id == user).values(app_secret=None))
    _without_steps(session, user)


def keep_passkey(
    session: Session, user: int, credential: bytes, public_key: bytes, uses: int, name: str, now: Instant
) -> None:
    key = {"credential": credential, "public_key": public_key, "uses": uses}
    session.add(PasskeyRow(user_id=user, name=name, made=now, **key))


def passkey_by_credential(session: Session, credential: bytes) -> Passkey | None:
    row = session.scalar(select(PasskeyRow).where(PasskeyRow.credential == credential))
    return _passkey(row) if row else None


def note_passkey_used(session: Session, id: int, uses: int, now: Instant) -> None:
    session.execute(update(PasskeyRow).where(PasskeyRow.id == id).values(uses=uses, used=now))


def forget_passkey(session: Session, user: int, id: int) -> bool:
    """Forget one of somebody's own; False when they have none of that number."""
    mine = (PasskeyRow.user_id == user, PasskeyRow.id == id)
    gone = session.execute(delete(PasskeyRow).where(*mine).returning(PasskeyRow.id)).first()
    _without_steps(session, user)
    return gone is not None


def forget_all(session: Session, user: int) -> None:
    """Somebody signs in with their password alone again."""
    session.execute(delete(PasskeyRow).where(PasskeyRow.user_id == user))
    forget_app(session, user)


def give_recovery_codes(session: Session, user: int) -> list[str]:
    """Ten fresh ones, which are not kept readably; those from before end."""
    session.execute(delete(RecoveryCodeRow).where(RecoveryCodeRow.user_id == user))
    codes = fresh_recovery_codes()
    session.add_all(RecoveryCodeRow(user_id=user, code=_hash(code)) for code in codes)
    return codes


def proved_at(session: Session, token: str) -> Instant | None:
    """When the session of a token has last shown that it is them."""
    return session.scalar(select(SessionRow.proved).where(SessionRow.token == id_of(token)))


def proved_lately(session: Session, token: str, now: Instant) -> bool:
    """Whether the session of a token has shown a short while ago that it is them."""
    proved = proved_at(session, token)
    return proved is not None and proved > now.subtract(minutes=PROOF_MINUTES)


def note_proved(session: Session, token: str, now: Instant) -> None:
    session.execute(update(SessionRow).where(SessionRow.token == id_of(token)).values(proved=now))


def _without_steps(session: Session, user: int) -> None:
    """Recovery codes stand in for another step: with none left, they go too."""
    session.flush()
    session.expire_all()
    if not steps_of(session, user).any:
        session.execute(delete(RecoveryCodeRow).where(RecoveryCodeRow.user_id == user))


def _passkey(row: PasskeyRow) -> Passkey:
    return Passkey(
        row.id, row.user_id, row.credential, row.public_key, row.uses, row.name, row.made, row.used
    )


def _hash(code: str) -> str:
    # Nearly sixty bits of chance can't be tried through, so one round is enough.
    return hashlib.sha256(plain_code(code).encode()).hexdigest()
