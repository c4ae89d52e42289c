"""Which state of something a save began from: two windows never overwrite each other unseen.

Every thing that is edited comes with its edition, also as an ``ETag``. A save that names it in ``If-Match`` is refused
with 412 when something newer is there; one with ``If-None-Match: *``, when there is something at all (RFC 9110,
sections 8.8.3, 13.1.1 and 13.1.2).
"""

from __future__ import annotations

import hashlib
import json
import re
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import Depends, Header, HTTPException, Response

NEWER = (
    "This was saved in another window since you began, so nothing was overwritten. "
    "Look at both, and choose what stays."
)
THERE = "There is one of this name already. Give it another name."
_TAG = re.compile(r'(?:W/)?"[^"]*"')


def edition_of(*parts: Any) -> str:
    """The same for the same data, whatever the order of its keys."""
    text = json.dumps(parts, sort_keys=True, ensure_ascii=False, default=str)
    return hashlib.sha256(text.encode()).hexdigest()[:20]


@dataclass(frozen=True, slots=True)
class Begun:
    """What a save says it began from. A save that says nothing overwrites whatever is there."""

    match: str | None
    none_match: str | None

    def check(self, edition: str | None) -> None:
        """412 when what is there (None: nothing) is not what the save began from."""
        if self.none_match is not None and _names(self.none_match, edition):
            raise HTTPException(412, THERE)
        if self.match is not None and not _names(self.match, edition):
            raise HTTPException(412, NEWER)


def _names(header: str, edition: str | None) -> bool:
    """Whether a header means what is there; a weak tag (``W/``) never does."""
    if edition is None:
        return False
    return header.strip() == "*" or f'"{edition}"' in _TAG.findall(header)


def _begun(
    if_match: Annotated[str | None, Header(max_length=1000)] = None,
    if_none_match: Annotated[str | None, Header(max_length=1000)] = None,
) -> Begun:
    return Begun(if_match, if_none_match)


BegunFrom = Annotated[Begun, Depends(_begun)]


def say(response: Response, edition: str) -> str:
    """Put the edition into the answer's head too; returns it."""
    response.headers["ETag"] = f'"{edition}"'
    return edition
