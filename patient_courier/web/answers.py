"""What every refusal looks like, for the API's description."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel


class Said(BaseModel):
    """Why something was refused, and what to do."""

    detail: str


Answers = dict[int | str, dict[str, Any]]
SAID_401: Answers = {401: {"model": Said}}
# What any route for somebody who is signed in may answer beside what it is for.
SIGNED_IN: Answers = {
    status: {"model": Said} for status in (400, 401, 403, 404, 408, 409, 413, 414, 422, 429, 503)
}
