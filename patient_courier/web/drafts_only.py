"""What a writer may save: drafts, and letters that nothing posts yet. Whoever may run things may save anything."""

from __future__ import annotations

from fastapi import HTTPException

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.helpers.drafts import is_posted
from patient_courier.core.helpers.rights import may
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.school.users import User
from patient_courier.web.context import Session


def check_sequence(user: User, definitions: Definitions, key: str, status: object) -> None:
    """403 for a sequence that is no draft, or would be none any more."""
    there = definitions.sequences.get(key)
    if may(user.role, "run") or (
        (there is None or there.sequence.status == "draft") and status in (None, "draft")
    ):
        return
    raise HTTPException(
        403, "You may write drafts. Duplicate this sequence, and ask the owner to run your draft."
    )


def check_letter(user: User, session: Session, definitions: Definitions, key: str) -> None:
    """403 for a letter that goes out already."""
    if may(user.role, "run"):
        return
    beyond = [
        key for kept in broadcasts.every(session) if kept.status != "draft" for key in kept.broadcast.letters
    ]
    if is_posted(definitions, key, beyond):
        raise HTTPException(
            403, "This letter goes out already. Duplicate it, and ask the owner to use your draft."
        )


def check_test(user: User, readers: list[str]) -> None:
    """403 for a test to others by somebody who sees no addresses."""
    if readers and not may(user.role, "students"):
        raise HTTPException(403, "You may send tests to yourself only.")


def hides_addresses(user: User) -> bool:
    """Whether letters are shown to this person with a made-up address in the place of a student's."""
    return not may(user.role, "students")
