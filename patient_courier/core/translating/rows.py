"""A table of events: each row is a message, an object of texts by the head line."""

from __future__ import annotations

import json
from collections.abc import Sequence

from whenever import Instant

from patient_courier.core.translating.message import Message, object_of


def message_of_row(columns: Sequence[str], cells: Sequence[str], received: Instant) -> Message:
    """A row as a message, in the order of the head line; a name that comes several times becomes a list, as in a form."""
    found = object_of(list(zip(columns, cells, strict=False)))
    body = json.dumps(found, ensure_ascii=False, separators=(",", ":"))
    return Message(received, "application/json", body.encode("utf-8", "replace"))
