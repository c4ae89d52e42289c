"""Those who may sign in, and their sessions. A session can be ended; only a hash of its token is kept."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import InvitationRow, SessionRow, UserRow

SESSION_HOURS = 14 * 24
# How often it is noted that a session is in use, and how many networks of somebody are remembered.
NOTED_SECONDS, MOST_PLACES = 600, 30
INVITATION_HOURS = 7 * 24


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
    session.add(UserRow(email=email, name=name, role=role, password=password, places=[]))


def user_by_email(session: Session, email: str) -> User | None:
    return _user(session.scalar(select(UserRow).where(func.lower(UserRow.email) == email.strip().lower())))


def owner(session: Session) -> User | None:
    return _user(session.scalars(select(UserRow).where(UserRow.role == "owner").order_by(UserRow.id)).first())


def begin_session(
    session: Session, user: int, now: Instant, place: str = "", program: str = "", *, proved: Instant | None
) -> str:
    """A new session; returns its token, which is not kept. Sessions that have run out are forgotten.

    ``place`` is the address it was begun from, ``program`` the browser by its own word; ``proved`` when whoever begins it
    has shown that it is them, by all they have for it.
    """
    session.execute(delete(SessionRow).where(SessionRow.began < now.subtract(hours=SESSION_HOURS)))
    token = secrets.token_urlsafe(32)
    session.add(
        SessionRow(
            token=_hash(token), user_id=user, began=now, place=place, program=program, seen=now, proved=proved
        )
    )
    return token


@dataclass(frozen=True, slots=True)
class SignedInSession:
    """A session of somebody: ``id`` names it, and opens nothing."""

    id: str
    began: Instant
    seen: Instant | None
    place: str
    program: str


def sessions_of(session: Session, user: int) -> list[SignedInSession]:
    """The newest first."""
    query = select(SessionRow).where(SessionRow.user_id == user).order_by(SessionRow.began.desc())
    return [
        SignedInSession(row.token, row.began, row.seen, row.place, row.program)
        for row in session.scalars(query)
    ]


def id_of(token: str) -> str:
    """What names the session of a token."""
    return _hash(token)


def end_session_of(session: Session, user: int, id: str) -> bool:
    """End one of somebody's own sessions; False when they have none of that name."""
    gone = session.execute(
        delete(SessionRow)
        .where(SessionRow.user_id == user, SessionRow.token == id)
        .returning(SessionRow.token)
    )
    return gone.first() is not None


def needs_noting(session: Session, token: str, now: Instant) -> bool:
    """Whether it is time to note that a session is in use."""
    seen = session.scalar(select(SessionRow.seen).where(SessionRow.token == _hash(token)))
    return seen is None or (now - seen).total("seconds") > NOTED_SECONDS


def note_seen(session: Session, token: str, now: Instant) -> None:
    session.execute(update(SessionRow).where(SessionRow.token == _hash(token)).values(seen=now))


def is_new_place(session: Session, user: int, place: str) -> bool:
    """Note a network that somebody signs in from; True when they never did from there, and did from elsewhere."""
    row = session.get_one(UserRow, user)
    known = list(row.places)
    if place in known:
        return False
    row.places = [*known, place][-MOST_PLACES:]
    return bool(known)


def everyone(session: Session) -> list[User]:
    """All who may sign in, the owner first, then by name."""
    rows = session.scalars(select(UserRow).order_by(UserRow.role != "owner", func.lower(UserRow.name)))
    return [user for row in rows if (user := _user(row)) is not None]


def user_by_id(session: Session, id: int) -> User | None:
    return _user(session.get(UserRow, id))


def change_role(session: Session, id: int, role: str) -> None:
    session.execute(update(UserRow).where(UserRow.id == id).values(role=role))


def remove_user(session: Session, id: int) -> None:
    """They may not sign in any more, and are signed out everywhere."""
    session.execute(delete(SessionRow).where(SessionRow.user_id == id))
    session.execute(delete(UserRow).where(UserRow.id == id))


@dataclass(frozen=True, slots=True)
class Invitation:
    id: int
    email: str
    role: str
    made: Instant


def invite(session: Session, email: str, role: str, now: Instant) -> str:
    """A link's token for this address and role; an earlier invitation of the address ends. Only its hash is kept."""
    session.execute(delete(InvitationRow).where(func.lower(InvitationRow.email) == email.lower()))
    token = secrets.token_urlsafe(32)
    session.add(InvitationRow(email=email, role=role, token=_hash(token), made=now))
    return token


def invitations(session: Session, now: Instant) -> list[Invitation]:
    """Those that still work, the newest first."""
    since = now.subtract(hours=INVITATION_HOURS)
    query = select(InvitationRow).where(InvitationRow.made >= since).order_by(InvitationRow.id.desc())
    return [Invitation(row.id, row.email, row.role, row.made) for row in session.scalars(query)]


def invitation(session: Session, token: str, now: Instant) -> Invitation | None:
    """What a token invites to; None when it has been used, taken back, or is a week old."""
    row = session.scalar(select(InvitationRow).where(InvitationRow.token == _hash(token)))
    if row is None or row.made < now.subtract(hours=INVITATION_HOURS):
        return None
    return Invitation(row.id, row.email, row.role, row.made)


def end_invitation(session: Session, id: int) -> None:
    session.execute(delete(InvitationRow).where(InvitationRow.id == id))


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
