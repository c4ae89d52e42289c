"""Pictures that come with a school file."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.file import SchoolFile
from patient_courier.intake.pictures import from_file
from patient_courier.store import pictures


def take_pictures(session: Session, file: SchoolFile, now: Instant) -> None:
    """Keep the pictures of a school file. Raises intake.pictures.NoPicture, which is a ValueError."""
    for picture in file.pictures:
        made = from_file(picture)
        pictures.keep(session, pictures.Kept(made.key, picture.name, made.width, made.height), made.body, now)
