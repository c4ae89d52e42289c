"""What answers of every place have in common: how a refusal looks, files to keep, tables for spreadsheets."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping
from typing import Any
from urllib.parse import quote

from fastapi import HTTPException, Response
from pydantic import BaseModel, ValidationError

from patient_courier.core.reading.school_file import validation_faults
from patient_courier.intake.spreadsheet import guarded


class Said(BaseModel):
    """Why something was refused, and what to do."""

    detail: str


Answers = dict[int | str, dict[str, Any]]
# What any route for somebody who is signed in may answer beside what it is for.
SIGNED_IN: Answers = {
    "4XX": {"model": Said, "description": "Refused, with what to do"},
    503: {"model": Said, "description": "Too much at the moment; Retry-After says when to come again"},
}


def not_valid(error: ValidationError, data: object, called: Mapping[str, str]) -> HTTPException:
    """422 with the first thing that a model refuses; ``called`` says what a field is called on screen."""
    fault = validation_faults(error, data)[0]
    field = fault.pointer.rpartition("/")[2]
    sentence = fault.sentence[:1].upper() + fault.sentence[1:]
    return HTTPException(422, f"{called[field]}: {fault.sentence}." if field in called else sentence)


def attachment(name: str) -> str:
    """The Content-Disposition of a file to keep, whatever its name is written in (RFC 6266 section 4.3)."""
    plain = "".join(c if c.isascii() and (c.isalnum() or c in "-_.") else "_" for c in name)
    return f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name, safe='')}"


def csv_file(name: str, header: list[str], lines: Iterable[list[str]]) -> Response:
    """A table as CSV (RFC 4180), safe to open in a spreadsheet."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([guarded(cell) for cell in header])
    writer.writerows([guarded(cell) for cell in line] for line in lines)
    # With a mark at its beginning, spreadsheets read it as UTF-8 without being told.
    headers = {"Content-Disposition": attachment(name)}
    return Response("\ufeff" + out.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)
