"""Reading what a course site reports: events in the form of the school file, the student by key, address or record."""

from __future__ import annotations

from dataclasses import dataclass, replace
from hashlib import sha256
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError, field_validator

from patient_courier.core.letters.json_text import NotJson, keepable, read_json
from patient_courier.core.reading.school_file import validation_faults
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.events import Event
from patient_courier.core.school.file import FieldName, FieldValue
from patient_courier.core.school.text import Line, is_fit, without_halves
from patient_courier.core.school.values import Key, Model, Zone

_EVENT: TypeAdapter[Event] = TypeAdapter(Event)
MOST_EVENTS = 1000
# Of a body that can't be used, so much is kept to be looked at (characters).
MOST_KEPT = 10_000
# Leaves room for the number of an event in its message.
MOST_ID = 190
# An event holds a student, who holds fields: nothing it needs lies deeper.
DEEPEST = 50


class Reporter(Model):
    """A student as a course site describes them. Whoever is not known yet becomes known by this."""

    email: Annotated[str, Field(max_length=320)]
    key: Key | None = None
    first_name: Line | None = None
    last_name: Line | None = None
    timezone: Zone | None = None
    news: bool | None = None
    fields: dict[FieldName, FieldValue] | None = None

    _email = field_validator("email")(check_email)


@dataclass(frozen=True, slots=True)
class Read:
    """One reported event: either the event and who it is about, or the reason it can't be used."""

    raw: Any
    event: Event | None = None
    student: str | Reporter = ""
    refused: str | None = None


def read_body(body: bytes, message_id: str) -> list[Read]:
    """Read the events in a request body, each on its own.

    Events without an id get one from the message they came in, so that a
    message that is sent again changes nothing. A body that is no event, no list of events and
    no {"events": […]} is one thing that can't be used.
    """
    try:
        data = read_json(body, deepest=DEEPEST)
    except NotJson as error:
        return [_unusable(body, f"The body is not JSON: {error}")]
    if len(message_id) > MOST_ID or not is_fit(message_id):
        message_id = sha256(message_id.encode("utf-8", "replace")).hexdigest()
    if isinstance(data, dict) and set(data) == {"events"}:
        data = data["events"]
    if isinstance(data, dict):
        return [_read(data, message_id)]
    if not isinstance(data, list) or not data:
        return [_unusable(body, 'Send one event, a list of events, or {"events": [...]}.')]
    if len(data) > MOST_EVENTS:
        return [_unusable(body, f"Send at most {MOST_EVENTS} events at once; these are {len(data)}.")]
    return [_read(item, f"{message_id}/{index}") for index, item in enumerate(data)]


def _unusable(body: bytes, reason: str) -> Read:
    return Read(body.decode("utf-8", "replace")[:MOST_KEPT], refused=reason)


def _read(item: Any, fallback_id: str) -> Read:
    found = _read_event(item, fallback_id)
    return (
        found
        if found.refused is None
        else replace(found, raw=keepable(item), refused=without_halves(found.refused))
    )


def _read_event(item: Any, fallback_id: str) -> Read:
    if not isinstance(item, dict):
        return Read(item, refused="An event is an object with “type”, “at” and “student”.")
    who = item.get("student")
    student: str | Reporter
    if isinstance(who, dict):
        try:
            student = Reporter.model_validate(who)
        except ValidationError as error:
            return Read(item, refused=_reason(error, who, "/student"))
    elif isinstance(who, str) and who and is_fit(who):
        student = who
    else:
        return Read(
            item, refused="“student” is missing; it is a key, an e-mail address or an object with “email”."
        )
    data = {**item, "student": "unknown"}
    data.setdefault("id", fallback_id)
    try:
        event = _EVENT.validate_python(data)
    except ValidationError as error:
        return Read(item, refused=_reason(error, data))
    return Read(item, event=event, student=student)


def _reason(error: ValidationError, data: Any, prefix: str = "") -> str:
    found = validation_faults(error, data)
    return "; ".join(f"{prefix}{fault.pointer or ''}: {fault.sentence}".removeprefix(": ") for fault in found)
