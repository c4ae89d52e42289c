"""Keys of programs: made, shown once, ended."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.school.text import FilledLine
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import real_now
from patient_courier.store.destinations import api_keys
from patient_courier.store.destinations.api_keys import ApiKey, Scope
from patient_courier.web.context import Reading, RowId, SignedIn, ThePost, Writing, definitions_in

router = APIRouter(prefix="/api/api-keys", tags=["destinations"])
MOST = 50


class ApiKeyOut(BaseModel):
    """A key by its first signs; ``ended`` when it opens nothing any more."""

    id: int
    name: str
    scopes: list[Scope]
    begins: str
    made: str
    used: str | None
    ended: str | None


class ApiKeyIn(BaseModel):
    name: Annotated[FilledLine, Field(max_length=100)]
    scopes: list[Scope] = Field(min_length=1, max_length=3)


class MadeKey(BaseModel):
    """A key, which is shown this once."""

    id: int
    key: str


@router.get("")
def list_keys(user: SignedIn, post: ThePost, session: Reading) -> list[ApiKeyOut]:
    zone = definitions_in(post, session).school.timezone
    return [_out(one, zone) for one in api_keys.every(session)]


@router.post("", status_code=201)
def make_key(body: ApiKeyIn, user: SignedIn, session: Writing) -> MadeKey:
    if sum(one.ended is None for one in api_keys.every(session)) >= MOST:
        raise HTTPException(409, f"There are {MOST} keys already. End one that nobody uses.")
    id, key = api_keys.make(session, body.name, list(dict.fromkeys(body.scopes)), real_now())
    return MadeKey(id=id, key=key)


@router.delete("/{id}", status_code=204)
def end_key(id: RowId, user: SignedIn, session: Writing) -> None:
    """It opens nothing from this moment on."""
    if not api_keys.end(session, id, real_now()):
        raise HTTPException(404, "There is no such key.")


def _out(one: ApiKey, zone: str) -> ApiKeyOut:
    return ApiKeyOut.model_validate(
        {
            "id": one.id,
            "name": one.name,
            "scopes": list(one.scopes),
            "begins": one.begins,
            "made": words.moment(one.made, zone),
            "used": words.moment(one.used, zone) if one.used else None,
            "ended": words.moment(one.ended, zone) if one.ended else None,
        }
    )
