"""The school itself: who it is, its keys and people, courses and offers, what waits for the owner."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, LargeBinary
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class SchoolRow(Table):
    """One row: the school itself, and the stamp that changes with every change of definitions."""

    __tablename__ = "school"
    id: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]
    practice: Mapped[bool]
    stamp: Mapped[int]


class ClockRow(Table):
    """One row in a practice school: where its clock stands, and where it is moving to."""

    __tablename__ = "clock"
    id: Mapped[int] = mapped_column(primary_key=True)
    now: Mapped[Instant]
    moving_to: Mapped[Instant | None]


class SecretRow(Table):
    __tablename__ = "secrets"
    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str]


class SettingRow(Table):
    """How the school runs, as kept by the owner on screen: its mail server, its copies; and what it remembers of that."""

    __tablename__ = "settings"
    name: Mapped[str] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]


class UserRow(Table):
    __tablename__ = "users"
    id: Mapped[int] = mapped_column(primary_key=True)
    email: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    role: Mapped[str]
    password: Mapped[str]
    places: Mapped[list[Any]] = mapped_column(
        default=list, server_default="[]"
    )  # networks they signed in from
    app_secret: Mapped[str | None]  # of an app that shows codes
    app_step: Mapped[int] = mapped_column(default=0, server_default="0")  # whose code was used last


class RecoveryCodeRow(Table):
    """A code that stands in for a second step once; only its hash is kept."""

    __tablename__ = "recovery_codes"
    id: Mapped[int] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id", ondelete="CASCADE"), index=True)
    code: Mapped[str]


class PasskeyRow(Table):
    """A key that somebody's machine holds (Web Authentication); ``uses`` is its own count of signatures."""

    __tablename__ = "passkeys"
    id: Mapped[int] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id", ondelete="CASCADE"), index=True)
    credential: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    public_key: Mapped[bytes] = mapped_column(LargeBinary)
    uses: Mapped[int]
    name: Mapped[str]
    made: Mapped[Instant]
    used: Mapped[Instant | None]


class SessionRow(Table):
    """Somebody who is signed in: only a hash of the token in their cookie is kept."""

    __tablename__ = "sessions"
    token: Mapped[str] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id", ondelete="CASCADE"), index=True)
    began: Mapped[Instant]
    place: Mapped[str] = mapped_column(default="", server_default="")
    program: Mapped[str] = mapped_column(default="", server_default="")
    seen: Mapped[Instant | None]
    proved: Mapped[Instant | None]  # when they last showed that it is them


class InvitationRow(Table):
    """A link that lets somebody in once; only a hash of its token is kept."""

    __tablename__ = "invitations"
    id: Mapped[int] = mapped_column(primary_key=True)
    email: Mapped[str]
    role: Mapped[str]
    token: Mapped[str] = mapped_column(unique=True)
    made: Mapped[Instant]


class CourseRow(Table):
    __tablename__ = "courses"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    body: Mapped[dict[str, Any]]


class OfferRow(Table):
    __tablename__ = "offers"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    body: Mapped[dict[str, Any]]


class ProblemRow(Table):
    """Something that waits for the owner in Needs you: an event that could not be read, a run in circles."""

    __tablename__ = "problems"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    at: Mapped[Instant]
    reason: Mapped[str]
    body: Mapped[dict[str, Any]]
    digest: Mapped[str | None] = mapped_column(unique=True)
    done: Mapped[bool] = mapped_column(default=False)
