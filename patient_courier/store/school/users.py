"""Those who may sign in, and their sessions. A session can be ended; only a hash of its token is kept."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import SessionRow, UserRow

SESSION_HOURS = 14 * 24


@dataclass(frozen=True, slots=True)
class User:
    """Somebody who may sign in; ``password`` is an argon2 hash."""

    id: int
    email: str
    name: str
    role: str
    password: str


def _user(row: UserRow | None) -> User | None:
    return User(row.id, row.email, row.name, row.role, row.password) if row else None


def add_user(session: Session, *, email: str, name: str, role: str, password: str) -> None:
    session.add(UserRow(email=email, name=name, role=role, password=password))


def user_by_email(session: Session, email: str) -> User | None:
    return _user(session.scalar(select(UserRow).where(func.lower(UserRow.email) == email.strip().lower())))


def owner(session: Session) -> User | None:
    return _user(session.scalars(select(UserRow).where(UserRow.role == "owner").order_by(UserRow.id)).first())


def begin_session(session: Session, user: int, now: Instant) -> str:
    """A new session; returns its token, which is not kept. Sessions that have run out are forgotten."""
    session.execute(delete(SessionRow).where(SessionRow.began < now.subtract(hours=SESSION_HOURS)))
    token = secrets.token_urlsafe(32)
    session.add(SessionRow(token=_hash(token), user_id=user, began=now))
    return token


def user_of_session(session: Session, token: str, now: Instant) -> User | None:
    """Who is signed in with this token; None when the session has ended or never was."""
    query = (
        select(UserRow)
        .join(SessionRow, SessionRow.user_id == UserRow.id)
        .where(SessionRow.token == _hash(token), SessionRow.began >= now.subtract(hours=SESSION_HOURS))
    )
    return _user(session.scalar(query))


def end_session(session: Session, token: str) -> None:
    session.execute(delete(SessionRow).where(SessionRow.token == _hash(token)))


def end_all_sessions(session: Session) -> None:
    """Everybody signs in again."""
    session.execute(delete(SessionRow))


def set_password(session: Session, user: int, password: str) -> None:
    """Keep a new password's hash, and end every session of this user."""
    session.execute(update(UserRow).where(UserRow.id == user).values(password=password))
    session.execute(delete(SessionRow).where(SessionRow.user_id == user))


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "replace")).hexdigest()
