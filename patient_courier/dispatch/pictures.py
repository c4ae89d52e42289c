"""Pictures that come with a school file: read first, outside any transaction, then kept."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.file import SchoolFile
from patient_courier.intake.apart import Apart
from patient_courier.intake.pictures import Made
from patient_courier.store.letters import pictures


def read_pictures(files: Apart, file: SchoolFile) -> list[tuple[str, Made]]:
    """The pictures of a school file with their names. Raises intake.pictures.NoPicture (a ValueError), Occupied."""
    return [(picture.name, files.kept_picture(picture)) for picture in file.pictures]


def keep_pictures(session: Session, read: list[tuple[str, Made]], now: Instant) -> None:
    for name, made in read:
        pictures.keep(session, pictures.Kept(made.key, name, made.width, made.height), made.body, now)
