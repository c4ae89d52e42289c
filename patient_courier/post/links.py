"""Signed links in letters: stop, preferences, view online. A link works without signing in."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import quote

from itsdangerous import BadSignature, URLSafeSerializer


@dataclass(frozen=True, slots=True)
class Links:
    """The links of one delivery."""

    stop: str
    preferences: str
    view_online: str
    answer: str

    def to_answer(self, key: str) -> str:
        """The address that gives one answer to the letter's question."""
        return f"{self.answer}/{quote(key, safe='')}"


class LinkSigner:
    """Makes and reads the tokens in links. A token names a delivery and can't be made without the secret."""

    def __init__(self, secret: str, site: str) -> None:
        self._serializer = URLSafeSerializer(secret, salt="letter-links")
        self._site = site.rstrip("/")

    def links(self, delivery: int) -> Links:
        token = self._serializer.dumps(delivery)
        return Links(
            *(f"{self._site}/post/{place}/{token}" for place in ("stop", "preferences", "view", "answer"))
        )

    def delivery(self, token: str) -> int | None:
        """The delivery a token names, or None when the token is not ours."""
        try:
            found = self._serializer.loads(token)
        except BadSignature:
            return None
        return found if isinstance(found, int) else None
