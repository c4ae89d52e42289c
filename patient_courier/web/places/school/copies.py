"""Copies of the school: what there is, one now, encryption by a recovery phrase, and the other places they are put."""

from __future__ import annotations

from pathlib import Path

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field, ValidationError

from patient_courier.core.calendar import calendar
from patient_courier.core.telling import words
from patient_courier.core.upkeep.copies import Copying, ObjectStore, last_night, read_name
from patient_courier.core.upkeep.recovery import fresh_phrase, key_of
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.copies import copies_in
from patient_courier.store.upkeep import copying as stored
from patient_courier.store.upkeep.failing import failing
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.refusals import attachment, not_valid

router = APIRouter(prefix="/api/school/copies", tags=["school"])
_CALLED = {
    "bucket": "The bucket",
    "endpoint": "The address of the store",
    "region": "The region",
    "key": "The key",
}
_WHY = {"nightly": "every night", "by-hand": "by hand", "before-upgrade": "before an upgrade"}


class CopyOut(BaseModel):
    """A copy in the folder; ``size`` in bytes, ``at`` as ``Tue 3 Mar, 10:04`` in the school's zone."""

    name: str
    at: str
    why: str
    size: int
    encrypted: bool


class StoreOut(BaseModel):
    """A store of objects, without its secret."""

    bucket: str
    endpoint: str | None
    region: str
    key: str
    has_secret: bool


class StoreIn(BaseModel):
    """``secret`` None: the one that is kept for this very place."""

    bucket: str = Field(max_length=63)
    endpoint: str | None = Field(None, max_length=2000)
    region: str = Field("", max_length=100)
    key: str = Field("", max_length=200)
    secret: str | None = Field(None, max_length=200)


class CopiesOut(BaseModel):
    """``going``: the percentage of the copy that is being made. ``failing``: since when and why none is. ``next``: when the
    next nightly one comes; None in a practice school, which makes none."""

    folder: str
    items: list[CopyOut]
    size: int
    going: int | None
    failing: str | None
    next: str | None
    encrypted: bool
    second: str | None
    store: StoreOut | None


class PlacesIn(BaseModel):
    second: str | None = Field(None, max_length=1000)
    store: StoreIn | None = None


class PhraseOut(BaseModel):
    """Shown this once."""

    phrase: str


class PhraseIn(BaseModel):
    phrase: str = Field(max_length=500)


@router.get("")
def get_copies(user: SignedIn, post: ThePost, session: Reading) -> CopiesOut:
    zone = definitions_in(post, session).school.timezone
    copying, failed, now = stored.read_copying(session), failing(session, "copies"), real_now()
    tonight = calendar.local_date(last_night(now, zone), zone).add(days=1)
    found = copies_in(post.copies.folder)
    going = post.copies.going
    return CopiesOut(
        folder=str(post.copies.folder),
        items=[
            CopyOut(
                name=one.path.name,
                at=words.moment(one.name.at, zone),
                why=_WHY[one.name.why],
                size=one.size,
                encrypted=one.name.encrypted,
            )
            for one in found
        ],
        size=post.database.path.stat().st_size,
        going=None if going is None else 100 * going.done // max(1, going.pages),
        failing=f"Since {words.moment(failed.since, zone)}: {failed.why}" if failed else None,
        next=None
        if read_clock(session).practice
        else f"{words.day(tonight)}, shortly after three in the morning",
        encrypted=copying.recipient is not None,
        second=copying.second,
        store=_store_out(copying.store),
    )


@router.post("", status_code=202)
def make_copy(user: SignedIn, post: ThePost) -> None:
    """Begin a copy now; how far it is, and how it went, is asked of the list."""
    if not post.copies.begin("by-hand"):
        raise HTTPException(409, "A copy is being made already. Wait until it is there.")


@router.get("/{name}/file")
def get_copy(name: str, user: SignedIn, post: ThePost) -> FileResponse:
    """A copy as a file, to be kept elsewhere."""
    path: Path = post.copies.folder / name
    if read_name(name) is None or not path.is_file():
        raise HTTPException(404, "There is no such copy any more.")
    return FileResponse(
        path, media_type="application/octet-stream", headers={"Content-Disposition": attachment(name)}
    )


@router.post("/phrase")
def offer_phrase(user: SignedIn, post: ThePost) -> PhraseOut:
    """A fresh recovery phrase. It is kept nowhere; copies are encrypted once it has been written back."""
    phrase = fresh_phrase()
    post.copies.offered = str(key_of(phrase).to_public())
    return PhraseOut(phrase=phrase)


@router.put("/encryption")
def encrypt(body: PhraseIn, user: SignedIn, post: ThePost, session: Writing) -> CopiesOut:
    """From the next copy on, they are encrypted for this phrase, which has just been shown."""
    try:
        recipient = str(key_of(body.phrase).to_public())
    except ValueError as error:
        raise HTTPException(422, str(error)) from error
    if recipient != post.copies.offered:
        raise HTTPException(
            422, "This is not the phrase that was shown just now. Look at what you wrote down."
        )
    _keep(session, {"recipient": recipient})
    post.copies.offered = None
    return get_copies(user, post, session)


@router.delete("/encryption")
def no_encryption(user: SignedIn, post: ThePost, session: Writing) -> CopiesOut:
    """From the next copy on, they are as they are. Encrypted ones still need their phrase."""
    _keep(session, {"recipient": None})
    return get_copies(user, post, session)


@router.put("/places")
def put_places(body: PlacesIn, user: SignedIn, post: ThePost, session: Writing) -> CopiesOut:
    """Where copies are put as well: a second folder, a store of objects."""
    before = stored.read_copying(session).store
    store = None
    if body.store is not None:
        fields = body.store.model_dump()
        if body.store.secret is None:
            same = before is not None and (before.bucket, before.endpoint) == (
                body.store.bucket,
                body.store.endpoint,
            )
            if before is not None and before.secret and not same:
                raise HTTPException(422, "Write the secret once more: it was kept for another place.")
            fields["secret"] = before.secret if before is not None and same else ""
        store = fields
    _keep(session, {"second": (body.second or "").strip() or None, "store": store})
    return get_copies(user, post, session)


def _keep(session: Session, change: dict[str, object]) -> None:
    before = stored.read_copying(session).model_dump()
    fields = {**before, **change}
    try:
        found = Copying.model_validate(fields)
    except ValidationError as error:
        raise not_valid(error, fields, _CALLED) from error
    stored.keep_copying(session, found)
    session.flush()


def _store_out(store: ObjectStore | None) -> StoreOut | None:
    if store is None:
        return None
    return StoreOut(**store.model_dump(exclude={"secret"}), has_secret=bool(store.secret))
