"""A new school: its file with its history put into a database of its own, whole or not at all."""

from __future__ import annotations

import json
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from patient_courier.core.reading.school_file import read_school
from patient_courier.core.school.file import SchoolFile
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.credentials import check_keys
from patient_courier.dispatch.history import play_history
from patient_courier.dispatch.pictures import keep_pictures, read_pictures
from patient_courier.intake.apart import Apart
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database, remove_file
from patient_courier.store.base.definitions import load_definitions
from patient_courier.store.completion.issuing import restore_facts
from patient_courier.store.school.opening import NotEmpty, open_school
from patient_courier.store.school.users import add_user


@dataclass(frozen=True, slots=True)
class Answers:
    """What is asked of whoever begins; ``password`` is an argon2 hash, ``postal_address`` may be empty."""

    school: str
    name: str
    email: str
    timezone: str
    password: str
    postal_address: str = ""


def school_of(answers: Answers, start_from: bytes | None = None) -> SchoolFile:
    """The school of these answers, empty or with all that a school file holds. Raises Unreadable."""
    about = {
        "name": answers.school,
        "timezone": answers.timezone,
        "sender": {"name": answers.name, "email": answers.email},
        **({"postal_address": answers.postal_address} if answers.postal_address else {}),
    }
    empty = {"format": "patient-courier.school", "version": 1, "school": about}
    file = read_school(json.dumps(empty))
    if start_from is None:
        return file
    given = read_school(start_from)
    named = {name: getattr(file.school, name) for name in ("name", "timezone", "sender")}
    if answers.postal_address:
        named["postal_address"] = answers.postal_address
    return given.model_copy(update={"school": given.school.model_copy(update=named)})


def begin_school(settings: Settings, file: SchoolFile, answers: Answers, *, practice: bool = False) -> None:
    """Make the database of the settings. Raises NotEmpty when there is one, ValueError for what can't be put in, OSError.

    It is made aside and put in place when it is whole, so that an interrupted beginning can be begun again.
    """
    path = settings.database
    if path.exists():
        raise NotEmpty(f"There is a school at {path} already; choose another PATIENT_COURIER_DATABASE.")
    path.parent.mkdir(parents=True, exist_ok=True)
    aside = path.with_name(f"{path.name}.new")
    remove_file(aside)
    with closing(Apart()) as reader:
        read = read_pictures(reader, file)
    try:
        with closing(Database(aside)) as database:
            database.migrate()
            with database.writing() as session:
                now = real_now()
                check_keys(file.signing_keys)
                open_school(session, file, now, practice=practice)
                keep_pictures(session, read, now)
                add_user(
                    session, email=answers.email, name=answers.name, role="owner", password=answers.password
                )
                play_history(session, load_definitions(session, settings.address), file.events, now)
                restore_facts(session)
        _put_in_place(aside, path)
    except BaseException:
        remove_file(aside)
        raise


def _put_in_place(aside: Path, path: Path) -> None:
    """Under its own name, unless somebody else has been quicker."""
    try:
        path.hardlink_to(aside)
    except FileExistsError as error:
        raise NotEmpty(f"There is a school at {path} already.") from error
    aside.unlink()
