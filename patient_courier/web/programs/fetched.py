"""Lists of students that tools fetch, each at an address with a secret."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Path, Response

from patient_courier.dispatch.clock import real_now
from patient_courier.store.base.database import Busy
from patient_courier.store.destinations import fetched_lists
from patient_courier.store.students import audiences, people
from patient_courier.web.context import Limits, ThePost, definitions_in, now_in
from patient_courier.web.places.destinations.lists import condition_of
from patient_courier.web.programs.keyed import A_MINUTE, within
from patient_courier.web.refusals import Said, csv_file

router = APIRouter(prefix="/lists", tags=["programs"])
COLUMNS = ["email", "first_name", "last_name", "key", "news"]


@router.get(
    "/{secret}.csv",
    response_class=Response,
    responses={200: {"content": {"text/csv": {}}}, 404: {"model": Said}, 429: {"model": Said}},
)
def fetch_list(secret: Annotated[str, Path(max_length=100)], post: ThePost, limits: Limits) -> Response:
    """Who is on the list now, by address; ``news`` says whether they get news, for tools that write to them."""
    with post.database.reading() as session:
        found = fetched_lists.at(session, secret)
        if found is None:
            raise HTTPException(404, "There is no list at this address. Ask for its address of now.")
        within(limits, A_MINUTE, f"list {found.id}")
        definitions, now = definitions_in(post, session), now_in(session)
        condition = condition_of(session, found.what, found.of)
        if condition is None:
            raise HTTPException(404, "What this list was about is gone from the school.")
        ids = audiences.ids(session, definitions, condition, now, "")
        persons = people.by_ids(session, ids)
    try:
        with post.database.writing() as session:
            fetched_lists.note_fetched(session, found.id, real_now())
    except Busy:
        pass  # who reads is not turned away because nothing can be written
    lines = [
        [one.email, one.first_name or "", one.last_name or "", one.key, "yes" if one.news else "no"]
        for id in ids
        if (one := persons.get(id)) is not None
    ]
    answer = csv_file(f"{found.name}.csv", COLUMNS, lines)
    answer.headers["Cache-Control"] = "no-store"
    return answer
