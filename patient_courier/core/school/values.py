"""Small values of the school file: durations, moments, local times, money, keys."""

from __future__ import annotations

import re
from functools import cache
from typing import Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    PlainSerializer,
    PlainValidator,
    WithJsonSchema,
)
from whenever import (
    Date,
    Instant,
    OffsetDateTime,
    PlainDateTime,
    Time,
    TimeZoneNotFoundError,
    ZonedDateTime,
    available_timezones,
)

from patient_courier.core.calendar.duration import Duration, has_time_part
from patient_courier.core.school.text import FilledLine, KeyText

THIS = "this"


class Model(BaseModel):
    """Base of everything in a school file: unknown keys and wrong types are refused."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class Span(Model):
    """A duration as written, so that ``P1W`` goes out as ``P1W`` and ``PT0S`` keeps its time part."""

    text: str
    value: Duration

    @property
    def has_time(self) -> bool:
        return has_time_part(self.text)

    def __str__(self) -> str:
        return self.text


def _span(value: Any) -> Span:
    if isinstance(value, Span):
        return value
    if not isinstance(value, str):
        raise ValueError("a length of time is a text such as P1D or PT30M")
    return Span(text=value, value=Duration.parse(value))


def parse_moment(value: Any) -> Instant:
    """An RFC 3339 date-time with an offset, as an instant. Raises ValueError with a sentence."""
    if isinstance(value, Instant):
        return value
    wrong = ValueError(
        f"“{value}” is not a moment with an offset; write it like 2026-03-02T14:05:00Z or 2026-03-02T15:05:00+01:00"
    )
    if not isinstance(value, str) or not re.fullmatch(
        r"\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:\d\d(\.\d+)?([Zz]|[+-]\d\d:\d\d)", value
    ):
        raise wrong
    text = value.upper().replace(" ", "T")
    text = re.sub(r"(\.\d{9})\d+", r"\1", text)
    text = re.sub(r"-00:00$", "Z", text)
    try:
        return OffsetDateTime.parse_iso(text).to_instant()
    except ValueError as error:
        raise wrong from error


# Instants are kept as nanoseconds in 64 bits, which end in 1677 and 2262, and the longest duration is a century.
FIRST_YEAR, LAST_YEAR = 1900, 2149
# Where nothing is kept, only the calendar's own end counts.
LAST_LOCAL_YEAR = 8999


def _reported_moment(value: Any) -> Instant:
    moment = parse_moment(value)
    if not FIRST_YEAR <= moment.to_stdlib().year <= LAST_YEAR:
        raise ValueError(f"“{value}” lies too far away; events happen between {FIRST_YEAR} and {LAST_YEAR}")
    return moment


def _local_time(value: Any) -> PlainDateTime:
    if isinstance(value, PlainDateTime):
        return value
    if isinstance(value, str) and re.fullmatch(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d)?", value):
        try:
            found = PlainDateTime.parse_iso(value.replace(" ", "T"))
        except ValueError:
            found = PlainDateTime.MIN
        if FIRST_YEAR <= found.year <= LAST_LOCAL_YEAR:
            return found
    raise ValueError(
        f"“{value}” is not a local date and time; write it like 2026-03-07T18:00, without an offset"
    )


def _clock(value: Any) -> Time:
    if isinstance(value, Time):
        return value
    if isinstance(value, str) and re.fullmatch(r"\d\d:\d\d(:\d\d)?", value):
        try:
            return Time.parse_iso(value)
        except ValueError:
            pass
    raise ValueError(f"“{value}” is not a time of day; write it like 09:00")


def _day(value: Any) -> Date:
    if isinstance(value, Date):
        return value
    if isinstance(value, str) and re.fullmatch(r"\d{4}-\d\d-\d\d", value):
        try:
            return Date.parse_iso(value)
        except ValueError:
            pass
    raise ValueError(f"“{value}” is not a date; write it like 2026-03-02")


_A_NOON = PlainDateTime(2026, 1, 1, 12)


def check_zone(value: str) -> str:
    """The zone's name when the time zone database knows it. Raises ValueError otherwise."""
    try:
        _A_NOON.assume_tz(value)
    except (TimeZoneNotFoundError, ValueError) as error:
        raise ValueError(f"“{value}” is not a time zone; write a name such as Europe/Lisbon") from error
    return value


@cache
def _zones() -> dict[str, str]:
    return {zone.lower(): zone for zone in available_timezones()}


def zone_names() -> list[str]:
    """The time zones to choose from: those named after a town."""
    return sorted(zone for zone in _zones().values() if "/" in zone and not zone.startswith("Etc/"))


def find_zone(text: str) -> str:
    """The zone a person means by “europe/lisbon” or “America/New York”. Raises ValueError."""
    found = _zones().get(text.strip().replace(" ", "_").lower())
    return check_zone(found or text)


def _clock_text(value: Time) -> str:
    text = value.format_iso()
    return text[:5] if text.endswith(":00") and len(text) == 8 else text


def moment_text(value: Instant) -> str:
    """RFC 3339 in UTC with whole seconds where they are whole."""
    return value.format_iso()


def local_text(value: ZonedDateTime) -> str:
    """RFC 3339 with the offset in force there."""
    return value.to_fixed_offset().format_iso()


SpanField = Annotated[
    Span,
    PlainValidator(_span),
    PlainSerializer(str, return_type=str),
    WithJsonSchema(
        {"type": "string", "description": "An ISO 8601 duration, e.g. P1D, PT30M, P1DT2H", "pattern": "^P"}
    ),
]
Moment = Annotated[
    Instant,
    PlainValidator(parse_moment),
    PlainSerializer(moment_text, return_type=str),
    WithJsonSchema({"type": "string", "format": "date-time"}),
]
# The moment of an event: within what the database can keep.
ReportedMoment = Annotated[
    Instant,
    PlainValidator(_reported_moment),
    PlainSerializer(moment_text, return_type=str),
    WithJsonSchema({"type": "string", "format": "date-time"}),
]
LocalMoment = Annotated[
    PlainDateTime,
    PlainValidator(_local_time),
    PlainSerializer(lambda v: v.format_iso(), return_type=str),
    WithJsonSchema(
        {"type": "string", "description": "Local date and time without an offset: 2026-03-07T18:00"}
    ),
]
Clock = Annotated[
    Time,
    PlainValidator(_clock),
    PlainSerializer(_clock_text, return_type=str),
    WithJsonSchema({"type": "string", "description": "Time of day: 09:00"}),
]
Day = Annotated[
    Date,
    PlainValidator(_day),
    PlainSerializer(lambda v: v.format_iso(), return_type=str),
    WithJsonSchema({"type": "string", "format": "date"}),
]
Zone = Annotated[str, AfterValidator(check_zone)]
Whose = Literal["student", "school"]
Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
Weekdays = Annotated[list[Weekday], Field(min_length=1)]


def _no_slash(value: str) -> str:
    if "/" in value:
        raise ValueError("the key of a module, lesson or quiz has no “/” in it")
    return value


def _not_this(value: str) -> str:
    if value in (THIS, "any"):
        raise ValueError(f"“{value}” has a meaning of its own and can't be a key")
    return value


Key = Annotated[KeyText, Field(min_length=1, max_length=200)]
# What a selector or a condition can name: “this” and “any” mean something there.
ObjectKey = Annotated[Key, AfterValidator(_not_this)]
InnerKey = Annotated[ObjectKey, AfterValidator(_no_slash)]
Percent = Annotated[int, Field(ge=0, le=100)]
TagName = Annotated[FilledLine, Field(max_length=200)]


class Money(Model):
    """An amount as decimal text and an ISO 4217 currency code: ``{"amount": "149.00", "currency": "EUR"}``."""

    amount: Annotated[str, Field(pattern=r"^\d{1,12}(\.\d{1,4})?$")]
    currency: Annotated[str, Field(pattern=r"^[A-Z]{3}$")]

    def __str__(self) -> str:
        whole, _, cents = self.amount.partition(".")
        return f"{self.currency} {whole}.{cents.ljust(2, '0')}"


class PostingHours(Model):
    """When letters may go out: from (inclusive) to (exclusive), local times."""

    from_: Annotated[Clock, Field(alias="from")]
    to: Clock
    days: Weekdays = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
    zone: Whose = "student"

    def model_post_init(self, context: Any) -> None:
        if self.from_ >= self.to:
            raise ValueError("posting hours open before they close: “from” must be earlier than “to”")
