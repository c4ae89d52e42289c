"""A message as it came: JSON or a form becomes data, or it is refused with a sentence."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qsl

from python_multipart.exceptions import FormParserError
from python_multipart.multipart import create_form_parser, parse_options_header
from whenever import Instant

MOST_BYTES = 262_144
# The outermost list or object is the first level.
DEEPEST = 32
MOST_ITEMS = 1_000
URLENCODED, MULTIPART = "application/x-www-form-urlencoded", "multipart/form-data"


class Refused(ValueError):
    """A message that can't be used at all; the text says why."""


@dataclass(frozen=True, slots=True)
class Message:
    """What a connection sent: when it arrived, its content type, its body."""

    received: Instant
    type: str
    body: bytes


def data_of(message: Message) -> Any:
    """The data of a message, numbers as the texts that stand in it. Raises Refused with a sentence."""
    if len(message.body) > MOST_BYTES:
        raise Refused(f"The body has {len(message.body):,} bytes; at most {MOST_BYTES:,} are taken.")
    name = _type(message)
    if name == URLENCODED:
        return object_of(parse_qsl(_text(message.body), keep_blank_values=True))
    if name == MULTIPART:
        return object_of(_parts(message))
    data = _json(_text(message.body), plain=False)
    if _deeper_than(data, DEEPEST):
        raise Refused(f"This is nested more than {DEEPEST} levels deep.")
    return data


def with_numbers(message: Message) -> Any:
    """The same data of a JSON message with its numbers as numbers, for comparing in a path; forms have none."""
    if _type(message) in (URLENCODED, MULTIPART):
        return data_of(message)
    return _json(_text(message.body), plain=True)


def _type(message: Message) -> str:
    """The content type in small letters, without what is said beside it."""
    kind, _ = parse_options_header(message.type.encode("latin-1", "replace"))
    return kind.decode("latin-1").strip().lower()


def _text(body: bytes) -> str:
    try:
        return body.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Refused("The body is not UTF-8.") from error


def _json(text: str, *, plain: bool) -> Any:
    read: Any = (
        {"parse_float": _float, "parse_int": _whole} if plain else {"parse_float": str, "parse_int": str}
    )
    try:
        return json.loads(text, parse_constant=_no_constant, **read)
    except RecursionError as error:
        raise Refused(f"This is nested more than {DEEPEST} levels deep.") from error
    except ValueError as error:
        raise Refused(f"The body is not JSON: {error}") from error


def _float(text: str) -> float:
    return float(text)


def _whole(text: str) -> float:
    # Python reads no whole number of thousands of digits; as a fraction it is large enough for any comparison.
    return int(text) if len(text) < 300 else float(text)


def _no_constant(name: str) -> None:
    raise ValueError(f"{name} is not a number JSON knows")


def _deeper_than(data: Any, most: int) -> bool:
    level = [data]
    for _ in range(most + 1):
        level = [node for node in level if isinstance(node, dict | list)]
        if not level:
            return False
        level = [part for node in level for part in (node.values() if isinstance(node, dict) else node)]
    return True


def object_of(pairs: list[tuple[str, str]]) -> dict[str, Any]:
    """A form as an object of texts; what comes several times becomes a list."""
    found: dict[str, Any] = {}
    for name, value in pairs:
        if name not in found:
            found[name] = value
        elif isinstance(found[name], list):
            found[name].append(value)
        else:
            found[name] = [found[name], value]
    return found


def _parts(message: Message) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []

    def field(one: Any) -> None:
        found.append((_text(one.field_name or b""), _text(one.value or b"")))

    def file(one: Any) -> None:
        # A browser sends a place for a file that was not chosen, without a name and empty.
        if one.file_name or one.size:
            raise Refused("There is a file in this form; forms are taken without files.")
        found.append((_text(one.field_name or b""), ""))

    try:
        parser = create_form_parser({"Content-Type": message.type.encode("latin-1", "replace")}, field, file)
        parser.write(message.body)
        parser.finalize()
    except FormParserError as error:
        raise Refused(f"This form can't be read: {error}") from error
    return found
