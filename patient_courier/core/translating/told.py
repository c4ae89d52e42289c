"""What an item became, in words: ``Ana Reis bought First Hive on Tue 3 Mar, 14:05``."""

from __future__ import annotations

from typing import Any

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Happening
from patient_courier.core.school.values import parse_moment
from patient_courier.core.telling import words


def happened(definitions: Definitions, event: dict[str, Any]) -> str:
    """An event as ``translate`` makes it, as one sentence without a full stop; times on the school's wall clock."""
    who, at = event["student"], parse_moment(event["at"])
    name = " ".join(part for part in (who.get("first_name"), who.get("last_name")) if part) or who["email"]
    names = {key: value for key, value in event.items() if key not in ("at", "type", "student", "id")}
    what = words.what_happened(definitions, Happening(event["type"], at, names))
    return f"{name} {what} on {words.moment(at, definitions.school.timezone)}"
