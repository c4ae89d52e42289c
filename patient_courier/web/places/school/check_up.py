"""The check-up on screen: how the school runs, and what to do about it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException

from patient_courier.core.upkeep.check_up import Finding
from patient_courier.dispatch.check_up import look
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.silences import silences
from patient_courier.web.asking import Asking
from patient_courier.web.context import Session, SignedIn, ThePost, definitions_in
from patient_courier.web.places.school.mail_trial import asking_of

router = APIRouter(prefix="/api/check-up", tags=["school"])


@router.get("")
def check_up(user: SignedIn, post: ThePost, asking: Annotated[Asking, Depends(asking_of)]) -> list[Finding]:
    """Everything that was looked at now, the worst first. Takes as long as the network and the disk do."""

    def silent(session: Session) -> list[str]:
        now = read_clock(session).now
        return [said for _, said in silences(definitions_in(post, session), session, now)]

    try:
        names = asking.names(practice=False)
    except ValueError as error:
        raise HTTPException(409, str(error)) from error
    return look(post.database, post.settings, post.library.load, silent, names)
