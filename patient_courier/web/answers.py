"""What every refusal looks like, for the API's description."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from pydantic import BaseModel


class Said(BaseModel):
    """Why something was refused, and what to do."""

    detail: str


Answers = dict[int | str, dict[str, Any]]
# What any route for somebody who is signed in may answer beside what it is for.
SIGNED_IN: Answers = {
    "4XX": {"model": Said, "description": "Refused, with what to do"},
    503: {"model": Said, "description": "Too much at the moment; Retry-After says when to come again"},
}


def attachment(name: str) -> str:
    """The Content-Disposition of a file to keep, whatever its name is written in (RFC 6266 section 4.3)."""
    plain = "".join(c if c.isascii() and (c.isalnum() or c in "-_.") else "_" for c in name)
    return f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name, safe='')}"
