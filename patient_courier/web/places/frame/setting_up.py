"""The beginning: what is asked before there is a school, of whoever has the link that was printed at the start."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Request, Response
from pydantic import BaseModel, Field, field_validator
from starlette.concurrency import run_in_threadpool

from patient_courier.core.reading.school_file import Unreadable
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.text import clean_line, clean_text
from patient_courier.core.school.values import find_zone, zone_names
from patient_courier.dispatch.beginning import Answers, school_of
from patient_courier.store.school.opening import NotEmpty
from patient_courier.store.school.users import owner
from patient_courier.web.beginning import Beginning, Ended
from patient_courier.web.places.frame.session import SessionOut, begin
from patient_courier.web.sign_in import LONGEST, hash_password

router = APIRouter(prefix="/api/set-up", tags=["session"])


class SetUpLink(BaseModel):
    """What stands behind the # of the link."""

    key: str = Field(max_length=200)


class SetUpIn(SetUpLink):
    school: str = Field(max_length=300)
    name: str = Field(max_length=200)
    email: str = Field(max_length=320)
    postal_address: str = Field("", max_length=2000)
    timezone: str = Field(max_length=100)
    password: str = Field(max_length=LONGEST)

    @field_validator("school", "name")
    @classmethod
    def _filled(cls, value: str) -> str:
        if not clean_line(value).strip():
            raise ValueError("Fill this in: it can't be empty.")
        return clean_line(value).strip()

    @field_validator("email")
    @classmethod
    def _email(cls, value: str) -> str:
        return check_email(value.strip())

    @field_validator("timezone")
    @classmethod
    def _zone(cls, value: str) -> str:
        return find_zone(value)


class SetUpOut(BaseModel):
    """Every time zone by name, to choose the school's."""

    zones: list[str]


def _beginning(request: Request) -> Beginning:
    found = request.scope.get("beginning")
    if found is None:
        raise HTTPException(409, "There is a school here already. Sign in to it.")
    assert isinstance(found, Beginning)
    return found


TheBeginning = Annotated[Beginning, Depends(_beginning)]


@router.post("/look")
def look(body: SetUpLink, beginning: TheBeginning) -> SetUpOut:
    """Whether this link works. 403 with what to do when it does not."""
    _check(beginning, body.key)
    return SetUpOut(zones=zone_names())


@router.post("")
async def set_up(body: SetUpIn, request: Request, response: Response, beginning: TheBeginning) -> SessionOut:
    """Make the school of these answers and sign its owner in. The link has done its work then."""
    return await run_in_threadpool(_set_up, body, request, response, beginning)


def _set_up(body: SetUpIn, request: Request, response: Response, beginning: Beginning) -> SessionOut:
    _check(beginning, body.key)
    try:
        answers = Answers(
            school=body.school,
            name=body.name,
            email=body.email,
            timezone=body.timezone,
            password=hash_password(body.password),
            postal_address=clean_text(body.postal_address).strip(),
        )
        served = beginning.make(body.key, school_of(answers), answers)
    except Ended as error:
        raise HTTPException(403, str(error)) from error
    except NotEmpty as error:
        raise HTTPException(409, f"{error} Start the program again to open it.") from error
    except Unreadable as error:
        raise HTTPException(422, error.faults[0].sentence) from error
    except ValueError as error:
        raise HTTPException(422, str(error)) from error
    except OSError as error:
        said = f"The school can't be written here: {error.strerror or error}. Let this user write the folder, then try again."
        raise HTTPException(503, said) from error
    with served.post.database.writing() as session:
        user = owner(session)
        assert user is not None
        return begin(session, served.post, user, request, response)


def _check(beginning: Beginning, key: str) -> None:
    try:
        beginning.check(key)
    except Ended as error:
        raise HTTPException(403, str(error)) from error
