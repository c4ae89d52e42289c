"""Signed links in letters: stop, preferences, view online, answers, the ways to where its links lead.

A link works without signing in. It is for one delivery and one purpose: what is signed for one can't be used for another.
"""

from __future__ import annotations

import hmac
from collections.abc import Sequence
from dataclasses import dataclass, replace
from urllib.parse import quote

from itsdangerous import BadData, BadSignature, Signer, URLSafeSerializer, URLSafeTimedSerializer
from whenever import Instant

PLACES = ("stop", "preferences", "view", "answer", "go", "seen", "move", "event", "name", "claim")
# For how long a new address can be confirmed.
MOVE_SECONDS = 3 * 86_400
# For how long a link to a new password works.
PASSWORD_SECONDS = 3600
# For how long the old address is asked; whether there is still something to agree to is seen then.
AGREE_SECONDS = 30 * 86_400


@dataclass(frozen=True, slots=True)
class Links:
    """The links of one delivery; ``go`` leads on to where a link leads, ``seen`` is a picture. None: not noted."""

    stop: str
    preferences: str
    view_online: str
    answer: str
    go: str | None = None
    seen: str | None = None
    event: str | None = None
    name: str | None = None
    claim: str | None = None

    def to_event(self, number: int) -> str:
        """The calendar file of one of the letter's dates."""
        return f"{self.event}/{number}.ics" if self.event else "#"

    def to_answer(self, key: str) -> str:
        """The address that gives one answer to the letter's question."""
        return f"{self.answer}/{quote(key, safe='')}"

    def to_target(self, number: int) -> str:
        """The way to where one of the letter's links leads."""
        return f"{self.go}/{number}"


class LinkSigner:
    """Makes and reads the tokens in links. A token names a delivery and can't be made without the secret."""

    def __init__(self, secret: str, site: str, eras: Sequence[int] = ()) -> None:
        """``eras``: the highest delivery that was known each time the school came back from a copy."""
        self._secret, self._eras = secret.encode(), tuple(eras)
        self._old = URLSafeSerializer(secret, salt="letter-links")
        self._signers = {place: Signer(secret, salt=f"letter-{place}") for place in PLACES}
        self._moves = URLSafeTimedSerializer(secret, salt="letter-moved")
        self._agreements = URLSafeTimedSerializer(secret, salt="letter-moving")
        self._sign_ups = URLSafeTimedSerializer(secret, salt="sign-up")
        self._forms = URLSafeTimedSerializer(secret, salt="sign-up-form")
        self._passwords = URLSafeTimedSerializer(secret, salt="new-password")
        self._site = site.rstrip("/")

    def links(
        self,
        delivery: int,
        *,
        clicks: bool = False,
        openings: bool = False,
        answers: bool = True,
        events: bool = True,
        names: bool = True,
    ) -> Links:
        """The links of a delivery; clicks and openings go by way of the school only where they are noted.

        ``answers``, ``events``, ``names``: whether the letter has answers, dates, a certificate.
        """
        return Links(
            stop=self.address("stop", delivery),
            preferences=self.address("preferences", delivery),
            view_online=self.address("view", delivery),
            answer=self.address("answer", delivery) if answers else "",
            go=self.address("go", delivery) if clicks else None,
            seen=f"{self.address('seen', delivery)}.gif" if openings else None,
            event=self.address("event", delivery) if events else None,
            name=self.address("name", delivery) if names else None,
            claim=self.address("claim", delivery) if names else None,
        )

    def read_only(self, delivery: int) -> Links:
        """The links of a letter that is read in the browser: whoever is shown it decides nothing about a student's post."""
        elsewhere = f"{self._site}/post/from-the-letter"
        return replace(
            self.links(delivery), stop=elsewhere, preferences=elsewhere, name=elsewhere, claim=elsewhere
        )

    def nowhere(self) -> Links:
        """Links of a letter that nobody's wishes hang on, a test or a copy: they lead to a page that says so."""
        return Links(
            stop=f"{self._site}/post/test/stop",
            preferences=f"{self._site}/post/test/choose",
            view_online=f"{self._site}/post/test/view",
            answer=f"{self._site}/post/test/answer",
            event=f"{self._site}/post/test/date",
            name=f"{self._site}/post/test/name",
            claim=f"{self._site}/post/test/claim",
        )

    def address(self, place: str, delivery: int) -> str:
        return f"{self._site}/post/{place}/{self.token(place, delivery)}"

    def token(self, place: str, delivery: int) -> str:
        era = f"{len(self._eras)}-" if self._eras else ""
        return self._signers[place].sign(f"{era}{delivery}").decode()

    def print_of(self, *parts: str) -> str:
        """What stands in a Message-ID for a letter's student, source and day: the same again when a lost time is lived anew."""
        return hmac.digest(self._secret, "\0".join(("letter-print", *parts)).encode(), "sha256").hex()[:20]

    def move_address(self, student: int, before: str, after: str) -> str:
        """The link that confirms a student's new address; it holds both, and works for three days."""
        return f"{self._site}/post/moved/{self._moves.dumps([student, before, after])}"

    def move(self, token: str) -> tuple[int, str, str] | None:
        """The student, the address before and the new one that such a link names; None when it is not ours or too old."""
        try:
            student, before, after = self._moves.loads(token, max_age=MOVE_SECONDS)
        except (BadData, ValueError, TypeError):
            return None
        return student, before, after

    def agreement_address(self, act: str, student: int, before: str, after: str) -> str:
        """The link at the old address by which it agrees to a new one (``agree``) or does not (``keep``)."""
        return f"{self._site}/post/{act}/{self._agreements.dumps([act, student, before, after])}"

    def agreement(self, act: str, token: str) -> tuple[int, str, str] | None:
        """What such a link names, as :meth:`move` does; None when it is for something else, not ours, or too old."""
        try:
            signed, student, before, after = self._agreements.loads(token, max_age=AGREE_SECONDS)
        except (BadData, ValueError, TypeError):
            return None
        return (student, before, after) if signed == act else None

    def sign_up_address(self, sign_up: int, email: str) -> str:
        """The link that confirms a sign-up; it holds for as long as the sign-up is kept."""
        return f"{self._site}/join/yes/{self._sign_ups.dumps([sign_up, email])}"

    def sign_up(self, token: str) -> tuple[int, str] | None:
        """The sign-up and the address that such a link names; None when it is not ours."""
        try:
            id, email = self._sign_ups.loads(token)
        except (BadData, ValueError, TypeError):
            return None
        return id, email

    def password_address(self, user: int, hashed: str) -> str:
        """The link to a new password for somebody whose present one is hashed so; what is behind the # is sent to no server."""
        return f"{self._site}/new-password#{self._passwords.dumps([user, self._mark(hashed)])}"

    def password_user(self, token: str) -> int | None:
        """Whose password such a link is about; None when it is not ours, or an hour old."""
        found = self._password(token)
        return found[0] if found else None

    def password_holds(self, token: str, hashed: str) -> bool:
        """Whether the password is still the one that the link was made for."""
        found = self._password(token)
        return found is not None and hmac.compare_digest(found[1], self._mark(hashed))

    def _password(self, token: str) -> tuple[int, str] | None:
        try:
            user, mark = self._passwords.loads(token, max_age=PASSWORD_SECONDS)
        except (BadData, ValueError, TypeError):
            return None
        return (user, mark) if isinstance(user, int) and isinstance(mark, str) else None

    def _mark(self, hashed: str) -> str:
        return hmac.digest(self._secret, f"password\0{hashed}".encode(), "sha256").hex()[:20]

    def form_time(self, form: str) -> str:
        """The moment (real time) at which a form was shown, signed."""
        return str(self._forms.dumps(form))

    def form_age(self, form: str, token: str, real: Instant) -> float | None:
        """For how many seconds a form has been shown (``real`` is now); None when that is not signed by us, or of another form."""
        try:
            named, at = self._forms.loads(token, return_timestamp=True)
        except (BadData, ValueError, TypeError):
            return None
        return real.timestamp() - at.timestamp() if named == form else None

    def delivery(self, place: str, token: str) -> int | None:
        """The delivery a token names, or None when the token is not ours, for another purpose, or of a letter that is lost.

        Links of letters that went out before each purpose had its own signature still work where they led.
        """
        found = self._read(place, token)
        return found[1] if found is not None and not self._lost(*found) else None

    def is_lost(self, place: str, token: str) -> bool:
        """Whether a token is of a letter that went out after the copy was made from which the school came back.

        Its number may be another letter's now, so nothing is said of that.
        """
        found = self._read(place, token)
        return found is not None and self._lost(*found)

    def _lost(self, era: int, delivery: int) -> bool:
        return era > len(self._eras) or any(delivery > bound for bound in self._eras[era:])

    def _read(self, place: str, token: str) -> tuple[int, int] | None:
        """The era a token was made in, and the delivery."""
        try:
            text = self._signers[place].unsign(token).decode()
            era, _, number = text.rpartition("-")
            if number.isascii() and number.isdigit() and ((era.isascii() and era.isdigit()) or not era):
                return int(era or 0), int(number)
            return None
        except (BadSignature, UnicodeError):
            pass
        try:
            found = self._old.loads(token) if place in PLACES[:4] else None
        except BadSignature:
            return None
        return (0, found) if isinstance(found, int) else None
