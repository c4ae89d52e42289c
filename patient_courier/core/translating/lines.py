"""Messages kept in a file, one JSON object a line, and what each becomes."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, ValidationError

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.letters.json_text import NotJson, read_json
from patient_courier.core.reading.school_file import validation_faults
from patient_courier.core.school.values import Model, Moment
from patient_courier.core.translating.connection import Connection
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.translate import translate


class KeptMessage(Model):
    """A message as it was kept: when it was received, its content type, and its body as text."""

    received: Moment
    type: Annotated[str, Field(max_length=1000)] = "application/json"
    body: str


def translated(connection: Connection, definitions: Definitions, line: bytes) -> dict[str, Any]:
    """What one line becomes, as it is printed; a line that is no message is refused."""
    try:
        data = read_json(line)
    except NotJson as error:
        return {"refused": f"This line is not JSON: {error}"}
    try:
        kept = KeptMessage.model_validate(data)
    except ValidationError as error:
        fault = validation_faults(error, data)[0]
        return {"refused": f"This line is no message: {fault.pointer} {fault.sentence}".replace(":  ", ": ")}
    body = kept.body.encode("utf-8", "surrogatepass")
    return translate(connection, definitions, Message(kept.received, kept.type, body)).as_json()
