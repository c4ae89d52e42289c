"""The students behind a finding, a page at a time."""

from __future__ import annotations

import json
from collections.abc import Collection

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from patient_courier.store.base.tables import StudentRow
from patient_courier.store.students.people import Person, listed


def among(session: Session, ids: Collection[int], words: str, page: int) -> tuple[int, list[Person]]:
    """Of these students (row ids) those who match the words, by name; and how many that are."""
    # As one text, since SQLite takes only so many values in a statement.
    given = func.json_each(json.dumps(list(ids))).table_valued("value")
    return listed(session, StudentRow.id.in_(select(given.c.value)), words, "name", page, down=False)
