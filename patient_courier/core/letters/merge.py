"""Merge fields: Jinja2 syntax, parsed by Jinja2, output expressions only.

Jinja2 reads the text; what is left after checking is a plain list of literal
pieces and fields with filters, so that rendering can do nothing else.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache

from jinja2 import TemplateSyntaxError, nodes
from jinja2.filters import do_title
from jinja2.sandbox import SandboxedEnvironment
from markupsafe import escape
from whenever import Date, Instant

from patient_courier.core.calendar.calendar import MONTHS
from patient_courier.core.letters.merge_fields import known_field
from patient_courier.core.school.values import Money

# A merge field as it stands in a text.
MERGE = re.compile(r"\{\{.*?\}\}")
FILTERS = ("default", "upper", "lower", "title", "date", "time", "money")
# Everything that some mail program or parser takes for the end of a line.
_LINE_BREAKS = re.compile("[\r\n\x0b\x0c\x1c\x1d\x1e\x85\u2028\u2029]+")

Value = str | int | float | bool | Instant | Date | Money | None


class TemplateError(ValueError):
    """A text whose merge fields can't be used; the message says what and in which line."""


@dataclass(frozen=True, slots=True)
class Filter:
    name: str
    argument: str | int | float | None = None


@dataclass(frozen=True, slots=True)
class Field:
    """One merge field: its dotted name and the filters it passes, in order."""

    name: str
    filters: tuple[Filter, ...] = ()

    @property
    def has_default(self) -> bool:
        return any(f.name == "default" for f in self.filters)

    def text(self, value: Value, zone: str) -> str:
        """The value as it is printed; dates and times in the given zone. Empty when there is none."""
        current: Value = value
        for step in self.filters:
            current = _apply(step, current, zone)
        return _plain(current, zone)


@dataclass(frozen=True)
class Template:
    """A text cut into literal pieces and fields."""

    parts: tuple[str | Field, ...]

    @staticmethod
    def parse(text: str) -> Template:
        """Read a text with merge fields. Raises TemplateError with a sentence and the line."""
        return _parse(text)

    @cached_property
    def fields(self) -> tuple[Field, ...]:
        return tuple(part for part in self.parts if isinstance(part, Field))

    @cached_property
    def without_default(self) -> tuple[Field, ...]:
        """The fields that need a value."""
        return tuple(field for field in self.fields if not field.has_default)

    def first_blank(self, values: Mapping[str, Value], zone: str) -> str | None:
        """The name of the first field that has no value and no default, or None."""
        for field in self.without_default:
            if field.text(values.get(field.name), zone) == "":
                return field.name
        return None

    def render(self, values: Mapping[str, Value], zone: str, *, html: bool) -> str:
        """The text with its values; escaped for HTML when ``html``."""
        pieces = []
        for part in self.parts:
            if isinstance(part, str):
                pieces.append(part)
            else:
                text = part.text(values.get(part.name), zone)
                pieces.append(str(escape(text)) if html else text)
        return "".join(pieces)


def one_line(text: str) -> str:
    """The text fit for a mail header: each run of line breaks becomes one space."""
    return _LINE_BREAKS.sub(" ", text)


def date_text(moment: Instant | Date, zone: str) -> str:
    """``2 March 2026``, in the zone."""
    day = moment.to_tz(zone).date() if isinstance(moment, Instant) else moment
    return f"{day.day} {MONTHS[day.month - 1]} {day.year}"


def time_text(moment: Instant, zone: str) -> str:
    """``14:05``, in the zone."""
    wall = moment.to_tz(zone)
    return f"{wall.hour:02d}:{wall.minute:02d}"


def _plain(value: Value, zone: str) -> str:
    if value is None:
        return ""
    if isinstance(value, Instant | Date):
        return date_text(value, zone)
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)


def _apply(step: Filter, value: Value, zone: str) -> Value:
    match step.name:
        case "default":
            return step.argument if value is None or value == "" else value
        case "upper":
            return _plain(value, zone).upper()
        case "lower":
            return _plain(value, zone).lower()
        case "title":
            return do_title(_plain(value, zone))
        case "date" if isinstance(value, Instant | Date):
            return date_text(value, zone)
        case "time" if isinstance(value, Instant):
            return time_text(value, zone)
        case _:
            return _plain(value, zone)


_ENVIRONMENT = SandboxedEnvironment(keep_trailing_newline=True)
# Jinja2 must know the names of the filters to read them; it never runs them.
_ENVIRONMENT.filters.update(dict.fromkeys(FILTERS, str))


@lru_cache(maxsize=4096)
def _parse(text: str) -> Template:
    if "{" not in text:
        return Template((text,) if text else ())
    try:
        tree = _ENVIRONMENT.parse(text)
    except TemplateSyntaxError as error:
        raise TemplateError(
            f"line {error.lineno}: this merge field can't be read ({error.message})"
        ) from error
    except RecursionError as error:
        raise TemplateError("line 1: this merge field is nested too deeply") from error
    parts: list[str | Field] = []
    for statement in tree.body:
        if not isinstance(statement, nodes.Output):
            raise TemplateError(
                f"line {statement.lineno}: only merge fields such as {{{{ student.first_name }}}} can stand here"
            )
        for node in statement.nodes:
            parts.append(node.data if isinstance(node, nodes.TemplateData) else _field(node))
    return Template(tuple(parts))


def _field(node: nodes.Expr) -> Field:
    filters: list[Filter] = []
    while isinstance(node, nodes.Filter):
        filters.insert(0, _filter(node))
        if node.node is None:
            raise TemplateError(f"line {node.lineno}: a filter needs a merge field in front of it")
        node = node.node
    name = _dotted(node)
    if name is None:
        raise TemplateError(
            f"line {node.lineno}: only a merge field and its filters can stand between {{{{ and }}}}"
        )
    if known_field(name) is None:
        raise TemplateError(f"line {node.lineno}: there is no merge field “{name}”")
    return Field(name, tuple(filters))


def _dotted(node: nodes.Expr) -> str | None:
    if isinstance(node, nodes.Name):
        return str(node.name)
    if isinstance(node, nodes.Getattr):
        before = _dotted(node.node)
        return f"{before}.{node.attr}" if before else None
    return None


def _filter(node: nodes.Filter) -> Filter:
    if node.name not in FILTERS:
        raise TemplateError(
            f"line {node.lineno}: there is no filter “{node.name}”; there are {', '.join(FILTERS)}"
        )
    if node.name != "default":
        if node.args or node.kwargs:
            raise TemplateError(f"line {node.lineno}: the filter “{node.name}” takes nothing in brackets")
        return Filter(node.name)
    values = [arg.value for arg in node.args if isinstance(arg, nodes.Const)]
    if (
        len(values) != len(node.args)
        or node.kwargs
        or not 1 <= len(values) <= 2
        or not isinstance(values[0], str | int | float)
    ):
        raise TemplateError(f"line {node.lineno}: write the fallback as default('…')")
    return Filter("default", values[0])
