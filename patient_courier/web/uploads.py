"""Tables that are uploaded, as CSV or a spreadsheet: read within bounds, in a process of their own."""

from __future__ import annotations

from fastapi import HTTPException, Request
from starlette.concurrency import run_in_threadpool

from patient_courier.dispatch.dispatcher import Post
from patient_courier.intake.people_file import People, UnreadableFile
from patient_courier.web.bounds import MOST_PEOPLE_BYTES


async def uploaded_table(request: Request, post: Post) -> People:
    """The table in a request's body, as it is. 413 when it is too large, 422 when nobody can read it."""
    content = bytearray()
    async for piece in request.stream():
        content += piece
        if len(content) > MOST_PEOPLE_BYTES:
            raise HTTPException(413, "This file is larger than 50 MB. Cut it in two.")
    try:
        return await run_in_threadpool(post.files.people, bytes(content))
    except UnreadableFile as error:
        raise HTTPException(422, str(error)) from error
