"""Signing in: passwords (argon2) and how often they may be tried, the session cookie, a CSRF token bound to it."""

from __future__ import annotations

import hashlib
import math
import secrets
import time
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from threading import Lock

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error
from fastapi import Request, Response
from limits import RateLimitItemPerHour, RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from patient_courier.store.base.database import Database
from patient_courier.store.school.users import SESSION_HOURS, User, user_by_email

COOKIE = "patient_courier_session"
CSRF_HEADER = "x-csrf-token"
SHORTEST, LONGEST = 10, 1000
# Wrong tries: from one place for one address, and for one address from anywhere.
FROM_ONE_PLACE = RateLimitItemPerMinute(10, 15, "place")
FOR_ONE_ADDRESS = RateLimitItemPerHour(100, 1, "address")
# Hashing a password takes a core for a while and much memory, on purpose: one at a time, and few who wait.
MOST_WAITING = 20
_HASHER = PasswordHasher()


@cache
def _nobody() -> str:
    """Compared against when the address is unknown, so that the answer takes as long as with a known one."""
    return _HASHER.hash(secrets.token_urlsafe(16))


class TooOften(Exception):
    """Passwords were tried too often; ``seconds`` until they may be tried again."""

    def __init__(self, seconds: int) -> None:
        super().__init__(f"Too many tries. Wait {math.ceil(seconds / 60)} minutes, then try again.")
        self.seconds = seconds


class Passwords:
    """Checks passwords, one after the other, and not without end."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self.worker = ThreadPoolExecutor(1, thread_name_prefix="passwords")
        self._limiter = MovingWindowRateLimiter(MemoryStorage())
        self._waiting = 0
        self._mutex = Lock()

    def enter(self) -> None:
        """Take a place in the queue. Raises TooOften when it is full; otherwise :meth:`check` gives it back."""
        with self._mutex:
            if self._waiting >= MOST_WAITING:
                raise TooOften(5)
            self._waiting += 1

    def check(self, email: str, password: str, place: str) -> User | None:
        """The user with this address and password, or None. Raises TooOften. Runs in ``worker``."""
        try:
            keys = [(FROM_ONE_PLACE, (email.lower(), place)), (FOR_ONE_ADDRESS, (email.lower(),))]
            for limit, key in keys:
                if not self._limiter.test(limit, *key):
                    ends = self._limiter.get_window_stats(limit, *key).reset_time
                    raise TooOften(max(1, math.ceil(ends - time.time())))
            with self._database.reading() as session:
                user = user_by_email(session, email)
            if fits(user.password if user else _nobody(), password):
                return user
            for limit, key in keys:
                self._limiter.hit(limit, *key)
            return None
        finally:
            with self._mutex:
                self._waiting -= 1


def fits(hashed: str, password: str) -> bool:
    """Whether a password is the one that was hashed."""
    try:
        return len(password) <= LONGEST and _HASHER.verify(hashed, password)
    except Argon2Error:
        return False


def hash_password(password: str) -> str:
    """The argon2 hash to keep. Raises ValueError for a password that is too short or too long."""
    if not SHORTEST <= len(password) <= LONGEST:
        raise ValueError(f"Choose a password of at least {SHORTEST} characters.")
    return _HASHER.hash(password)


def set_cookie(response: Response, token: str, *, secure: bool) -> None:
    """Let the browser keep the session's token, where no script can read it."""
    response.set_cookie(
        COOKIE,
        token,
        max_age=SESSION_HOURS * 3600,
        httponly=True,
        samesite="lax",
        secure=secure,
        path="/",
    )


def clear_cookie(response: Response) -> None:
    response.delete_cookie(COOKIE, path="/")


def token_of(request: Request) -> str | None:
    return request.cookies.get(COOKIE)


def csrf_of(token: str) -> str:
    """What every change must bring along: known to our own pages, not to be had from the cookie's sending alone."""
    return hashlib.sha256(f"csrf:{token}".encode("utf-8", "replace")).hexdigest()
