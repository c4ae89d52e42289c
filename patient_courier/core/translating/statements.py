"""xAPI statements (IEEE 9274.1.1; before it xAPI 1.0.3) as messages of a connection: what our rules need of one, and itself."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from decimal import Decimal
from hashlib import sha256
from typing import Any
from uuid import UUID, uuid4

from whenever import Instant

from patient_courier.core.letters.json_text import NotJson, read_json
from patient_courier.core.school.values import moment_text
from patient_courier.core.translating.item import decimal
from patient_courier.core.translating.message import DEEPEST, MOST_BYTES

VERSIONS = ("1.0.3", "2.0.0")
MOST_STATEMENTS = 1_000
# How far a learner has come, in percent: a result's extension of cmi5 (its specification, section 9.5.1; from memory).
PROGRESS = "https://w3id.org/xapi/cmi5/result/extensions/progress"
# What is no part of what a statement says (IEEE 9274.1.1, 4.2.2; xAPI 1.0.3, part 2, 2.3.1).
_APART = ("id", "stored", "authority", "version", "timestamp")
_MAILTO = re.compile(r"mailto:(.+)", re.IGNORECASE)


class BadStatement(ValueError):
    """No statement that can be taken; the text says why."""


@dataclass(frozen=True, slots=True)
class Statement:
    """A statement: its id, a digest of what it says, and the message that it is for a connection."""

    id: str
    digest: str
    message: dict[str, Any]

    def body(self, stored: Instant) -> bytes:
        """The message; what says no time of its own happened when it was stored (xAPI 1.0.3, part 2, 2.4.7)."""
        whole = {"when": moment_text(stored)} | self.message
        return json.dumps(whole, ensure_ascii=False).encode("utf-8", "replace")


def read_statements(body: bytes, only: str | None = None) -> list[Statement]:
    """The statements in a body, one or a list; with ``only``, the one with this id. Raises BadStatement: all or none."""
    try:
        data = read_json(body, deepest=DEEPEST)
    except NotJson as error:
        raise BadStatement(f"This is not JSON that can be read: {error}") from error
    if only is not None and not isinstance(data, dict):
        raise BadStatement("A statement that is put is one object.")
    found = data if isinstance(data, list) else [data]
    if len(found) > MOST_STATEMENTS:
        raise BadStatement(f"Send at most {MOST_STATEMENTS} statements at once.")
    statements = [_statement(one, only) for one in found]
    ids = [one.id for one in statements]
    if len(set(ids)) < len(ids):
        raise BadStatement("Two of these statements have the same id.")
    return statements


def _statement(data: Any, only: str | None) -> Statement:
    if not isinstance(data, dict):
        raise BadStatement("A statement is an object.")
    actor, verb, thing = data.get("actor"), data.get("verb"), data.get("object")
    if not isinstance(actor, dict) or not isinstance(thing, dict):
        raise BadStatement("A statement has an “actor” and an “object”.")
    if not isinstance(verb, dict) or not isinstance(verb.get("id"), str) or ":" not in verb["id"]:
        raise BadStatement("A statement has a “verb” with an “id”, which is an IRI.")
    if _last(verb["id"]) == "voided":
        raise BadStatement("What has happened can't be voided here. Take it back by hand in the school.")
    id = _uuid(data.get("id", only or str(uuid4())))
    if only is not None and id != _uuid(only):
        raise BadStatement("The id of the statement is not that of its address.")
    said = {name: value for name, value in data.items() if name not in _APART}
    digest = sha256(json.dumps(said, sort_keys=True).encode()).hexdigest()
    message = {
        "email": _address(actor),
        "name": _text(actor.get("name")),
        "verb": _last(verb["id"]),
        "activity": _text(thing.get("id")),
        "parent": _parent(data),
        "score": _score(data),
        "progress": _progress(data),
        "when": _text(data.get("timestamp")),
        "id": id,
        "statement": data,
    }
    statement = Statement(id, digest, {name: value for name, value in message.items() if value is not None})
    if len(statement.body(Instant.MAX)) > MOST_BYTES:
        raise BadStatement(f"A statement has at most {MOST_BYTES:,} bytes.")
    return statement


def _uuid(text: Any) -> str:
    try:
        return str(UUID(text))
    except (ValueError, AttributeError, TypeError) as error:
        raise BadStatement("The id of a statement is a UUID.") from error


def _last(iri: str) -> str:
    """The name at the end of an IRI, which tells verbs apart whoever has published them."""
    return re.split(r"[/#:]", iri.rstrip("/"))[-1].lower()


def _text(value: Any) -> str | None:
    return value if isinstance(value, str) and value.strip() else None


def _address(actor: dict[str, Any]) -> str | None:
    """By ``mbox``, or by an account whose name is an address."""
    mbox = _MAILTO.fullmatch(str(actor.get("mbox", "")).strip())
    if mbox:
        return mbox.group(1)
    account = actor.get("account")
    name = _text(account.get("name")) if isinstance(account, dict) else None
    return name if name is not None and "@" in name else None


def _parent(data: dict[str, Any]) -> str | None:
    """The first parent of the activity; one alone may stand without a list (xAPI 1.0.3, part 2, 2.4.6.2)."""
    context = data.get("context")
    activities = context.get("contextActivities") if isinstance(context, dict) else None
    parents = activities.get("parent") if isinstance(activities, dict) else None
    first = parents[0] if isinstance(parents, list) and parents else parents
    return _text(first.get("id")) if isinstance(first, dict) else None


def _result(data: dict[str, Any], name: str) -> dict[str, Any]:
    result = data.get("result")
    found = result.get(name) if isinstance(result, dict) else None
    return found if isinstance(found, dict) else {}


def _number(value: Any) -> Decimal | None:
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        return None
    found = decimal(str(value))
    return found if found is not None and found.is_finite() else None


def _score(data: dict[str, Any]) -> str | None:
    """``scaled`` times a hundred, or ``raw`` between ``min`` and ``max``; without a whole to measure by, none."""
    score = _result(data, "score")
    scaled = _number(score.get("scaled"))
    if scaled is not None:
        return _plain(scaled * 100)
    raw, least, most = (_number(score.get(name)) for name in ("raw", "min", "max"))
    if raw is None or most is None or most <= (least or 0):
        return None
    least = least or Decimal(0)
    return _plain((raw - least) * 100 / (most - least))


def _progress(data: dict[str, Any]) -> str | None:
    told = _number(_result(data, "extensions").get(PROGRESS))
    return _plain(told) if told is not None else _score(data)


def _plain(number: Decimal) -> str:
    """Without an exponent and without noughts at the end."""
    text = f"{number:f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def fresh_rules() -> dict[str, Any]:
    """What a new connection for statements begins with; which activity is what is still to be said (its maps are empty)."""

    def rule(verbs: list[str], kind: str, field: str, **more: str) -> dict[str, Any]:
        event = {"type": kind, field: {"place": "/activity", "map": {}}, **more}
        return {"when": [{"place": "/verb", "is": verbs}], "event": event}

    return {
        "proof": {"kind": "basic"},
        "student": {"email": "/email", "first_name": {"place": "/name", "before": " "}},
        "at": {"place": "/when", "as": "rfc3339"},
        "id": ["/id"],
        "rules": [
            rule(["passed", "failed", "scored"], "quiz_taken", "quiz", score="/score"),
            rule(["completed"], "lesson_completed", "lesson"),
            rule(["progressed"], "lesson_watched", "lesson", percent="/progress"),
            rule(["initialized", "launched", "attempted"], "lesson_started", "lesson"),
            rule(["registered"], "enrolled", "course"),
        ],
    }
