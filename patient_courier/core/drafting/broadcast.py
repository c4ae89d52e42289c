"""Drafts of broadcasts: a first one, and the second letter to those who have not opened the first."""

from __future__ import annotations

from collections.abc import Container
from typing import Any

from whenever import Date

from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.letters import Letter

USUAL_HOUR = "09:00:00"


def new_broadcast(key: str, name: str, letter: str, to: dict[str, Any] | None, today: Date) -> dict[str, Any]:
    """A draft in the form of the school file, for nine o'clock tomorrow."""
    return {
        "key": key,
        "name": name,
        "letter": letter,
        "to": to,
        "at": f"{today.add(days=1).format_iso()}T{USUAL_HOUR}",
    }


def new_letter(name: str, taken: Container[str]) -> Letter:
    """An empty news letter to write in."""
    return Letter.model_validate(
        {
            "key": free_key(name, taken),
            "name": name,
            "purpose": "news",
            "subject": "",
            "blocks": [
                {
                    "kind": "text",
                    "html": "<p>Hello {{ student.first_name | default('there') }},</p><p></p>",
                }
            ],
        }
    )


def again_to_silent(
    first: Broadcast, letter: Letter, letters: Container[str], broadcasts: Container[str], today: Date
) -> tuple[Letter, dict[str, Any]]:
    """The second letter and its draft: to those who were sent the first and have not opened it by then."""
    name = f"{first.called}: once more"
    again = letter.model_copy(
        update={
            "key": free_key(f"{letter.key}-once-more", letters),
            "name": f"{letter.called}: once more",
            "subject": f"Once more: {letter.subject}",
        }
    )
    unopened = [
        {"all": [{"is": "sent", "letter": key}, {"not": {"is": "opened", "letter": key}}]}
        for key in first.letters
    ]
    silent = unopened[0] if len(unopened) == 1 else {"any": unopened}
    body = new_broadcast(free_key(f"{first.key}-once-more", broadcasts), name, again.key, silent, today)
    kept = first.model_dump(
        mode="json", by_alias=True, include={"course", "without", "inside", "posting_hours"}
    )
    return again, {**body, **kept}
