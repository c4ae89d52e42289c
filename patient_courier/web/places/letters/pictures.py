"""Pictures: uploaded by the owner, shown to everybody who has a letter with them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Path, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel

from patient_courier.core.school.looks import PICTURES
from patient_courier.core.school.text import shortened
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.intake.pictures import Made, NoPicture, media_type
from patient_courier.store.letters import pictures
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.written import changing

router = APIRouter(prefix="/api/pictures", tags=["pictures"])
public = APIRouter(prefix="/pictures", include_in_schema=False)
PictureKey = Annotated[str, Path(pattern=r"^[0-9a-f]{32}\.(png|jpg)$")]


class PictureOut(BaseModel):
    """``path`` is what a letter names it by; width and height in pixels."""

    key: str
    path: str
    name: str
    width: int
    height: int


@router.get("")
def list_pictures(user: SignedIn, session: Reading) -> list[PictureOut]:
    """All pictures, the newest first."""
    return [_out(one) for one in pictures.every(session)]


@router.post(
    "",
    status_code=201,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
async def upload(
    request: Request, user: SignedIn, post: ThePost, name: Annotated[str, Query(max_length=300)] = ""
) -> PictureOut:
    """Take a picture in, the body as it is; it is turned upright, made at most 1200 pixels wide and written anew. 422 says why not."""
    raw = await request.body()
    try:
        made = await run_in_threadpool(post.files.picture, raw)
    except NoPicture as error:
        raise HTTPException(422, str(error)) from error
    return await run_in_threadpool(_keep, post, made, shortened(name, 200), user.name)


def _keep(post: Post, made: Made, name: str, who: str) -> PictureOut:
    kept = pictures.Kept(made.key, name, made.width, made.height)
    with changing(post, who) as session:
        pictures.keep(session, kept, made.body, real_now())
    return _out(kept)


@router.delete("/{key}", status_code=204)
def remove(key: PictureKey, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Throw a picture away that nothing shows. 409 says what does."""
    used = pictures.uses(session, definitions_in(post, session), key)
    if used:
        raise HTTPException(409, f"This picture is shown by {used[0]}. Take it out there first.")
    pictures.remove(session, key)


def _out(one: pictures.Kept) -> PictureOut:
    return PictureOut(key=one.key, path=PICTURES + one.key, name=one.name, width=one.width, height=one.height)


def _of_copy(request: Request, key: str) -> bytes | None:
    copy = request.scope["served"].copy.open
    if copy is None:
        return None
    with copy.served.post.database.reading() as session:
        return pictures.body(session, key)


@public.get("/{key}")
def show(key: PictureKey, request: Request, session: Reading) -> Response:
    """A picture; what is called by its digest never changes, so one of the practice copy may be asked for here."""
    body = pictures.body(session, key) or _of_copy(request, key)
    if body is None:
        raise HTTPException(404, "There is no such picture.")
    headers = {
        "Cache-Control": "public, max-age=31536000, immutable",
        "Cross-Origin-Resource-Policy": "cross-origin",
    }
    return Response(body, media_type=media_type(key), headers=headers)
