"""A course's certificates as one archive of PDFs."""

from __future__ import annotations

import zipfile
from tempfile import NamedTemporaryFile
from typing import IO

from fastapi import APIRouter, HTTPException, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from patient_courier.certificates.drawing import Certificate, draw
from patient_courier.store.completion import certificates
from patient_courier.web.context import (
    Reading,
    RowId,
    SignedIn,
    TheBoard,
    ThePost,
    definitions_in,
)
from patient_courier.web.jobs import Job, JobState, Kind
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.printed_certificate import printed
from patient_courier.web.refusals import attachment

router = APIRouter(prefix="/api/certificates", tags=["certificates"])


# An archive that takes less than this is there with the first answer.
PATIENCE_SECONDS = 2.0


class ArchiveIn(BaseModel):
    course: str = Field(max_length=200)


class ArchiveOut(BaseModel):
    """All PDFs of a course as one archive: how many are drawn; ``done`` when it can be fetched."""

    id: int
    state: JobState
    done: int
    total: int


# An archive is a file of its own, gone when its job is forgotten: ten thousand PDFs are some 300 MB.
_ARCHIVES: Kind[None, IO[bytes]] = Kind("archive", "This archive is no longer known. Ask for it again.")


@router.post("/archive")
def begin_archive(
    body: ArchiveIn, user: SignedIn, post: ThePost, session: Reading, board: TheBoard
) -> ArchiveOut:
    """Draw every certificate of a course that stands."""
    definitions = definitions_in(post, session)
    known_course(definitions, body.course)
    read: dict[str, bytes | None] = {}
    found = [
        printed(session, definitions, one, read)
        for one in certificates.every(session, certificates.Chosen(course=body.course, state="stands"))
    ]
    if not found:
        raise HTTPException(409, "There is no certificate of this course yet.")
    job = board.of(_ARCHIVES).begin(len(found), None, lambda job: _drawn(found, job), PATIENCE_SECONDS)
    return _archive_out(job)


@router.get("/archive/{id}")
def archive(id: RowId, user: SignedIn, board: TheBoard) -> ArchiveOut:
    return _archive_out(board.of(_ARCHIVES).known(id))


@router.get(
    "/archive/{id}/file", response_class=Response, responses={200: {"content": {"application/zip": {}}}}
)
def archive_file(id: RowId, user: SignedIn, board: TheBoard) -> Response:
    job = board.of(_ARCHIVES).known(id)
    if job.result is None:
        raise HTTPException(409, "It is not ready yet.")
    headers = {"Content-Disposition": attachment("certificates.zip")}
    return FileResponse(job.result.name, media_type="application/zip", headers=headers)


def _drawn(found: list[Certificate], job: Job[None, IO[bytes]]) -> IO[bytes]:
    out = NamedTemporaryFile(prefix="certificates-", suffix=".zip")  # noqa: SIM115 (kept as long as its job)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:  # what is in a PDF is packed already
        for one in found:
            archive.writestr(f"{one.number}.pdf", draw(one, "pdf"))
            job.step()
    out.flush()
    return out


def _archive_out(job: Job[None, IO[bytes]]) -> ArchiveOut:
    return ArchiveOut(id=job.id, state=job.state, done=job.done, total=job.total)
