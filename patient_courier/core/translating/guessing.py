"""Likely places in a message: what its values probably are, by their names and shapes. Guesses, until the owner says so."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from patient_courier.core.school.courses import check_email
from patient_courier.core.school.values import parse_moment

# So many values of a message are looked at, and so many signs of each.
MOST_VALUES = 2_000
LONGEST = 300
_WORDS = re.compile(r"[a-z]+|[0-9]+")
_CAMEL = re.compile(r"(?<=[a-z0-9])(?=[A-Z])")
_AMOUNT = re.compile(r"[0-9]{1,7}([.,][0-9]{2})?")
_SECONDS, _MILLISECONDS = re.compile(r"1[0-9]{9}"), re.compile(r"1[0-9]{12}")


@dataclass(frozen=True, slots=True)
class Guess:
    """``what`` a value probably is (``email``, ``at`` …), its ``pointer`` in the message, and the text there.

    ``shape`` of a time is how it is written (``rfc3339``, ``seconds``, ``milliseconds``); ``line`` is the pointer of the
    list in which it stands, where that list is a guess of its own (``each``).
    """

    what: str
    pointer: str
    text: str
    shape: str = ""
    line: str | None = None


@dataclass(frozen=True, slots=True)
class _Value:
    pointer: str
    text: str
    words: tuple[str, ...]
    above: tuple[str, ...]

    def named(self, *words: str) -> bool:
        """Whether its own name says so."""
        return not set(words).isdisjoint(self.words)

    def under(self, *words: str) -> bool:
        return not set(words).isdisjoint(self.above)


def guesses(data: Any) -> list[Guess]:
    """What is likely in a message (as ``data_of`` reads it), at most one guess of each kind."""
    line = _lines(data)
    inside = f"{line}/0/" if line is not None else None
    values = list(_values(data))
    outer = [one for one in values if line is None or not one.pointer.startswith(f"{line}/")]
    items = [one for one in values if inside is not None and one.pointer.startswith(inside)]
    found: list[Guess] = []
    if line is not None:
        found.append(Guess("each", line, ""))
    for what, fits in _KINDS:
        # The order and the buyer stand round the lines; what was bought stands in them.
        places = items + outer if what in ("offer", "amount") else outer + items
        best = max(places, key=fits, default=None)
        if best is not None and fits(best) > 0:
            shape = _shape(best) if what == "at" else ""
            found.append(
                Guess(what, best.pointer, best.text[:LONGEST], shape or "", line if best in items else None)
            )
    return found


def _lines(data: Any) -> str | None:
    """The list of objects that is most likely the lines of an order."""
    for pointer, node in _nodes(data, ""):
        if isinstance(node, list) and node and all(isinstance(one, dict) for one in node):
            name = _split(pointer.rpartition("/")[2])
            if set(name) & {"lines", "line", "items", "products", "positions", "entries", "courses"}:
                return pointer
    return None


def _nodes(data: Any, pointer: str) -> Iterator[tuple[str, Any]]:
    """Every value with its pointer (RFC 6901), outermost first; of a list only the first."""
    level, seen = [(pointer, data)], 0
    while level:
        deeper: list[tuple[str, Any]] = []
        for place, node in level:
            seen += 1
            if seen > MOST_VALUES:
                return
            yield place, node
            if isinstance(node, dict):
                deeper += [
                    (f"{place}/{name.replace('~', '~0').replace('/', '~1')}", x) for name, x in node.items()
                ]
            elif isinstance(node, list) and node:
                deeper.append((f"{place}/0", node[0]))
        level = deeper


def _values(data: Any) -> Iterator[_Value]:
    for pointer, node in _nodes(data, ""):
        if isinstance(node, str) and node.strip():
            above, _, own = pointer.rpartition("/")
            yield _Value(pointer, node.strip(), _split(own), _split(above))


def _split(name: str) -> tuple[str, ...]:
    return tuple(_WORDS.findall(_CAMEL.sub(" ", name).lower()))


def _email(one: _Value) -> int:
    if len(one.text) > 254 or "@" not in one.text:
        return 0
    try:
        check_email(one.text)
    except ValueError:
        return 0
    person = one.under("buyer", "customer", "student", "client", "user", "contact", "person", "learner")
    ours = one.named("from", "seller", "vendor", "shop", "reply", "support")
    return 10 + 5 * one.named("mail", "email") + 4 * person - 8 * ours


def _shape(one: _Value) -> str | None:
    if _SECONDS.fullmatch(one.text):
        return "seconds"
    if _MILLISECONDS.fullmatch(one.text):
        return "milliseconds"
    try:
        parse_moment(one.text)
    except ValueError:
        return None
    return "rfc3339"


def _at(one: _Value) -> int:
    shape = _shape(one)
    if shape is None:
        return 0
    named = one.named("at", "time", "date", "when", "timestamp", "on", "ts")
    if shape != "rfc3339" and not named:
        return 0
    happened = one.named("paid", "completed", "finished", "graded", "occurred", "happened", "submitted")
    other = one.named("updated", "expires", "due", "sent", "delivered", "until", "birth", "born")
    return 5 + 3 * named + 4 * happened - 5 * other


def _topic(one: _Value) -> int:
    if len(one.text) > 60 or " " in one.text:
        return 0
    depth = one.pointer.count("/")
    return max(0, 12 - 3 * depth) if one.named("topic", "type", "event", "action", "kind", "trigger") else 0


def _id(one: _Value) -> int:
    if len(one.text) > 120 or one.named("mail", "email"):
        return 0
    order = one.named("order", "invoice", "transaction", "submission", "attempt") or one.under(
        "order", "invoice", "transaction"
    )
    number = one.named("no", "number", "id", "ref", "reference", "uuid", "nr")
    person = one.under("buyer", "customer", "student", "client", "user", "product", "course")
    return (6 + 4 * order - 5 * person) if number else 0


def _first_name(one: _Value) -> int:
    if len(one.text) > 80:
        return 0
    return 8 if one.named("first", "given", "forename", "firstname") else 0


def _last_name(one: _Value) -> int:
    if len(one.text) > 80:
        return 0
    return 8 if one.named("last", "family", "surname", "lastname") else 0


def _offer(one: _Value) -> int:
    if len(one.text) > 120:
        return 0
    code = one.named("sku", "code")
    thing = one.named("product", "item", "offer", "plan") or (
        one.named("id", "key", "ref") and one.under("product", "item", "offer", "items", "lines")
    )
    return 9 * code + 7 * thing


def _amount(one: _Value) -> int:
    if not _AMOUNT.fullmatch(one.text):
        return 0
    return 8 if one.named("price", "amount", "total", "paid", "gross", "sum") else 0


_KINDS: list[tuple[str, Callable[[_Value], int]]] = [
    ("topic", _topic),
    ("email", _email),
    ("first_name", _first_name),
    ("last_name", _last_name),
    ("at", _at),
    ("id", _id),
    ("offer", _offer),
    ("amount", _amount),
]
