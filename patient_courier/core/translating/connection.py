"""The connection file: where in a message the student, the moment and the event's own values stand."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from jsonpath_rfc9535 import JSONPathError
from jsonpath_rfc9535 import compile as compile_path
from pydantic import (
    AfterValidator,
    BeforeValidator,
    Discriminator,
    Field,
    Tag,
    ValidationError,
    model_validator,
)

from patient_courier.core.letters.json_text import NotJson, read_json
from patient_courier.core.reading.known import Fault
from patient_courier.core.reading.school_file import Unreadable, validation_faults
from patient_courier.core.school.file import FieldName
from patient_courier.core.school.text import FilledLine, Line
from patient_courier.core.school.values import Key, Model
from patient_courier.core.translating.places import Place

# The events that a connection may make, and their own fields in the order in which they are looked at; whether each has to be
# there (ENGINE, section 2).
FIELDS: dict[str, dict[str, bool]] = {
    "purchased": {"offer": True, "order": False, "amount": False},
    "refunded": {"offer": True},
    "enrolled": {"course": True, "via": False},
    "lesson_started": {"lesson": True},
    "lesson_watched": {"lesson": True, "percent": True},
    "lesson_completed": {"lesson": True},
    "quiz_taken": {"quiz": True, "score": True},
    "signed_in": {},
    "signed_up": {"form": True},
    "news_stopped": {},
    "tag_added": {"tag": True},
    "tag_removed": {"tag": True},
}
NUMBERS = ("score", "percent")


def _path(value: str) -> str:
    try:
        compile_path(value)
    except (JSONPathError, RecursionError) as error:
        raise ValueError(f"“{value}” is not a path; write one such as $.order.lines[*] (RFC 9535)") from error
    return value


def _scalar(value: Any) -> Any:
    """Numbers and true or false count as their JSON text."""
    return json.dumps(value) if isinstance(value, bool | int | float) else value


Comparable = Annotated[str, BeforeValidator(_scalar, json_schema_input_type=str | bool | int | float)]


class At(Model):
    """A value that stands at a place, cut, looked up and measured, in this order."""

    place: Place
    after: Annotated[str, Field(min_length=1)] | None = None
    before: Annotated[str, Field(min_length=1)] | None = None
    map: dict[str, Comparable] | None = None
    of: Place | None = None


class Same(Model):
    """A value that is the same for all."""

    is_: Annotated[Comparable, Field(alias="is")]


def _form(value: Any) -> str:
    if isinstance(value, str):
        return "place"
    given = value if isinstance(value, dict) else {}
    return "same" if isinstance(value, Same) or "is" in given else "at"


def _plain(value: Any) -> Any:
    return At(place=value) if isinstance(value, str) else value


Value = Annotated[
    Annotated[At, BeforeValidator(_plain, json_schema_input_type=Place), Tag("place")]
    | Annotated[At, Tag("at")]
    | Annotated[Same, Tag("same")],
    Discriminator(_form),
]


class Who(Model):
    """Where the student's address stands, and what else is said of them."""

    email: Value
    first_name: Value | None = None
    last_name: Value | None = None
    timezone: Value | None = None
    news: Value | None = None
    fields: dict[FieldName, Value] = {}

    @model_validator(mode="after")
    def _measures_nothing(self) -> Who:
        _no_shares(
            [self.email, self.first_name, self.last_name, self.timezone, self.news, *self.fields.values()]
        )
        return self


class When(Model):
    """When it happened: at a place, as an RFC 3339 text or in seconds or milliseconds since 1970."""

    place: Place
    as_: Annotated[Literal["rfc3339", "seconds", "milliseconds"], Field(alias="as")]


class Test(Model):
    """What has to hold: what stands at a place is one of these, none of these, or is there at all."""

    place: Place
    is_: Annotated[list[Comparable] | None, Field(alias="is")] = None
    not_: Annotated[list[Comparable] | None, Field(alias="not")] = None
    exists: bool | None = None

    @model_validator(mode="after")
    def _one(self) -> Test:
        if sum(one is not None for one in (self.is_, self.not_, self.exists)) != 1:
            raise ValueError("a condition has one of “is”, “not” and “exists”")
        return self


def _made(value: dict[str, Any]) -> dict[str, Any]:
    kind = value.get("type")
    if not isinstance(kind, str) or kind not in FIELDS:
        raise ValueError(f"“type” must be one of {', '.join(FIELDS)}")
    own = FIELDS[kind]
    unknown = next((name for name in value if name != "type" and name not in own), None)
    if unknown is not None:
        raise ValueError(
            f"“{unknown}” is not known in {kind}; it has {', '.join(own) or 'nothing of its own'}"
        )
    missing = next((name for name, needed in own.items() if needed and value.get(name) is None), None)
    if missing is not None:
        raise ValueError(f"{kind} needs “{missing}”")
    return value


class Made(Model):
    """The event that a rule makes: its type, and a value for each of its fields."""

    type: str
    offer: Value | None = None
    order: Value | None = None
    amount: Value | None = None
    course: Value | None = None
    via: Value | None = None
    lesson: Value | None = None
    percent: Value | None = None
    quiz: Value | None = None
    score: Value | None = None
    form: Value | None = None
    tag: Value | None = None

    @model_validator(mode="after")
    def _measures_shares(self) -> Made:
        _no_shares([self.value(name) for name in FIELDS[self.type] if name not in NUMBERS])
        return self

    def value(self, name: str) -> At | Same | None:
        found: At | Same | None = getattr(self, name)
        return found


def _no_shares(values: list[At | Same | None]) -> None:
    if any(isinstance(value, At) and value.of is not None for value in values):
        raise ValueError("“of” is for “score” and “percent” alone")


class Rule(Model):
    """Which items it is for, and what it makes of them; the first rule that fits is used."""

    when: list[Test] = []
    event: Annotated[Made, BeforeValidator(lambda value: _made(value) if isinstance(value, dict) else value)]


class Address(Model):
    """Nothing but the long secret address."""

    kind: Literal["address"]


class StandardWebhooks(Model):
    """Signed after Standard Webhooks 1.0."""

    kind: Literal["standard_webhooks"]


class Hmac(Model):
    """A keyed digest in a header; with a time, the signed text is time, ``join``, body, and ``tolerance`` is in seconds."""

    kind: Literal["hmac"]
    header: FilledLine
    algorithm: Literal["sha1", "sha256", "sha512"] = "sha256"
    encoding: Literal["hex", "base64"] = "hex"
    prefix: Line = ""
    timestamp_header: FilledLine | None = None
    join: str = "."
    tolerance: Annotated[int, Field(ge=1, le=86_400)] = 300


class Header(Model):
    """A secret in a header; ``prefix`` such as “Bearer ” stands before it."""

    kind: Literal["header"]
    header: FilledLine = "Authorization"
    prefix: Line = ""


class Basic(Model):
    """A name and a secret (RFC 7617)."""

    kind: Literal["basic"]


Proof = Annotated[Address | StandardWebhooks | Hmac | Header | Basic, Field(discriminator="kind")]


class Connection(Model):
    """Something outside that reports events, and how its messages become events. Its secrets are never in the file."""

    format: Literal["patient-courier.connection"]
    version: Literal[1]
    key: Key
    name: Line = ""
    proof: Proof = Address(kind="address")
    each: Annotated[str, AfterValidator(_path)] | None = None
    student: Who
    at: When | None = None
    id: Annotated[list[Place], Field(min_length=1)] | None = None
    rules: list[Rule] = []


def read_connection(text: str | bytes) -> Connection:
    """Read a connection file from JSON. Raises Unreadable with all that is wrong with it."""
    try:
        data = read_json(text, deepest=100)
    except NotJson as error:
        raise Unreadable([Fault("", f"this is not JSON that can be read: {error}")]) from error
    try:
        return Connection.model_validate(data)
    except ValidationError as error:
        raise Unreadable(validation_faults(error, data)) from error
