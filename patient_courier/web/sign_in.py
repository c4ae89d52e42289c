"""Signing in: password (argon2), a signed session cookie, a CSRF token bound to the session."""

from __future__ import annotations

import hashlib
import hmac
import secrets
from dataclasses import dataclass

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error
from fastapi import Request, Response
from itsdangerous import BadSignature, URLSafeTimedSerializer
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from patient_courier.store.tables import UserRow

COOKIE = "patient_courier_session"
CSRF_HEADER = "x-csrf-token"
DAYS = 14
_HASHER = PasswordHasher()
# Compared against when the address is unknown, so that the answer takes as long as with a known one.
_NOBODY = _HASHER.hash(secrets.token_urlsafe(16))


@dataclass(frozen=True, slots=True)
class WebSession:
    user: int
    csrf: str


def check_password(session: Session, email: str, password: str) -> UserRow | None:
    """The user with this address and password, or None."""
    user = session.scalar(select(UserRow).where(func.lower(UserRow.email) == email.strip().lower()))
    try:
        _HASHER.verify(user.password if user else _NOBODY, password)
    except Argon2Error:
        return None
    return user


def hash_password(password: str) -> str:
    """The argon2 hash to keep. Raises ValueError for a password that is too short."""
    if len(password) < 10:
        raise ValueError("Choose a password of at least 10 characters.")
    return _HASHER.hash(password)


def begin_session(response: Response, secret: str, user: int, *, secure: bool) -> WebSession:
    """Set the session cookie."""
    nonce = secrets.token_urlsafe(16)
    response.set_cookie(
        COOKIE,
        _serializer(secret).dumps([user, nonce]),
        max_age=DAYS * 86400,
        httponly=True,
        samesite="lax",
        secure=secure,
        path="/",
    )
    return WebSession(user, _csrf(secret, nonce))


def end_session(response: Response) -> None:
    response.delete_cookie(COOKIE, path="/")


def read_session(request: Request, secret: str) -> WebSession | None:
    """The session of a request, or None without a valid one."""
    cookie = request.cookies.get(COOKIE)
    if not cookie:
        return None
    try:
        user, nonce = _serializer(secret).loads(cookie, max_age=DAYS * 86400)
    except (BadSignature, ValueError, TypeError):
        return None
    return WebSession(user, _csrf(secret, nonce))


def _serializer(secret: str) -> URLSafeTimedSerializer:
    return URLSafeTimedSerializer(secret, salt="session")


def _csrf(secret: str, nonce: str) -> str:
    return hmac.new(secret.encode(), f"csrf:{nonce}".encode(), hashlib.sha256).hexdigest()
