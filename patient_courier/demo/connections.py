"""The demo's connections: a shop and a course site that are on, a list that only listens, each with a month of messages."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from typing import Any

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.events import Event, LessonEvent, Purchased, QuizTaken, Refunded, SignedUp
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.translating.message import Message
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.connecting import day_of, proof_of, take_message
from patient_courier.intake.proofs import new_secret
from patient_courier.practice.stand_ins.dialects import Person, Said, joined, learnt, order
from patient_courier.store.connections import connections, messages

DAYS = 30
_SKUS = {
    "FH-1": "first-hive-once",
    "QR-1": "queen-rearing-once",
    "HW-1": "honey-weekend-once",
    "CIRCLE": "apiary-circle",
}
# What the shop has begun to sell, and nobody has said yet what it is.
_NEW = ("FH-GIFT", "First Hive, as a present", "149.00")
_GIVERS = [
    Person("noor.haddad@example.org", "Noor", "Haddad", "NL"),
    Person("tomas.brandt@example.net", "Tomas", "Brandt", "DE"),
    Person("ines.coelho@example.com", "Inês", "Coelho", "PT"),
]


def add_connections(session: Session, definitions: Definitions, file: SchoolFile, now: Instant) -> None:
    """Put them into the demo's tables, with what they said in the last month; its events are in the history already."""
    people = {one.key: one for one in file.students}

    def person(event: Event) -> Person:
        found = people[event.student]
        return Person(found.email, found.first_name or "", found.last_name or "", "")

    since = now.subtract(hours=24 * DAYS)
    events = [event for event in file.events if since <= event.at <= now]
    shop = _add(session, _shop(), "on", since)
    site = _add(session, _course_site(definitions), "on", since)
    form = _add(session, _list(), "listening", since)
    said = [(shop, at, one, True) for at, one in _orders(definitions, events, person)]
    said += [(site, at, one, True) for at, one in _learning(definitions, events, person)]
    said += [(form, at, one, False) for at, one in _joining(events, person)]
    waits = list(_presents(now))
    for id, at, one, on in sorted(said, key=lambda each: each[1]):
        while waits and waits[0][0] < at:
            paid, present = waits.pop(0)
            take_message(session, definitions, shop, present.type, present.body, paid.add(seconds=4))
        became = {"events": 1} if on else None
        messages.keep(session, id, Message(at.add(seconds=4), one.type, one.body), became)
        connections.count(session, id, day_of(definitions, at), {"messages": 1, **(became or {})})


def _presents(now: Instant) -> Iterator[tuple[Instant, Said]]:
    """Orders of something that nobody has said yet what it is."""
    for number, giver in enumerate(_GIVERS):
        paid = now.subtract(minutes=110 + 700 * (len(_GIVERS) - number - 1))
        yield paid, order(f"20{number}7", giver, [_NEW], paid)


def _add(session: Session, file: dict[str, Any], state: connections.State, made: Instant) -> int:
    whole = {"format": "patient-courier.connection", "version": 1, **file}
    id = connections.add(session, whole, made)
    connections.set_state(session, id, state)
    real = real_now()
    connections.give_secret(session, id, "address", f"{file['key']}-{secrets.token_urlsafe(24)}", real)
    kept = connections.find(session, file["key"])
    assert kept is not None
    if file["proof"]["kind"] != "address":
        connections.give_secret(session, id, "proof", new_secret(proof_of(kept)), real)
    return id


def _shop() -> dict[str, Any]:
    offer = {"place": "item/sku", "map": dict(_SKUS)}
    return {
        "key": "shop",
        "name": "The shop",
        "proof": {
            "kind": "hmac",
            "header": "X-Shop-Signature",
            "algorithm": "sha256",
            "encoding": "hex",
            "prefix": "v1=",
            "timestamp_header": "X-Shop-Time",
            "join": ".",
            "tolerance": 300,
        },
        "each": "$.order.lines[*]",
        "student": {
            "email": "/order/buyer/mail",
            "first_name": "/order/buyer/given",
            "last_name": "/order/buyer/family",
            "fields": {"country": "/order/buyer/country"},
        },
        "at": {"place": "/order/paid_at", "as": "rfc3339"},
        "id": ["/order/no"],
        "rules": [
            {
                "when": [{"place": "/topic", "is": ["order.paid"]}],
                "event": {"type": "purchased", "offer": offer, "order": "/order/no", "amount": "item/price"},
            },
            {
                "when": [{"place": "/topic", "is": ["order.refunded"]}],
                "event": {"type": "refunded", "offer": offer},
            },
        ],
    }


def _numbers(definitions: Definitions, kind: dict[str, Any], first: int) -> dict[str, str]:
    """The numbers under which the course site knows lessons or quizzes."""
    return {str(first + place): key for place, key in enumerate(kind)}


def _course_site(definitions: Definitions) -> dict[str, Any]:
    lessons = _numbers(definitions, definitions.lessons, 101)
    quizzes = _numbers(definitions, definitions.quizzes, 71)
    return {
        "key": "course-site",
        "name": "The course site",
        "proof": {"kind": "header", "header": "Authorization", "prefix": "Bearer "},
        "each": None,
        "student": {
            "email": "/learner/email",
            "first_name": "/learner/name/first",
            "last_name": "/learner/name/last",
        },
        "at": {"place": "/when", "as": "seconds"},
        "id": ["/report"],
        "rules": [
            {
                "when": [{"place": "/topic", "is": ["lesson.done"]}],
                "event": {"type": "lesson_completed", "lesson": {"place": "/lesson/id", "map": lessons}},
            },
            {
                "when": [{"place": "/topic", "is": ["quiz.graded"]}],
                "event": {
                    "type": "quiz_taken",
                    "quiz": {"place": "/quiz/id", "map": quizzes},
                    "score": {"place": "/points", "of": "/points_max"},
                },
            },
        ],
    }


def _list() -> dict[str, Any]:
    """Just connected: nothing has been pointed at yet."""
    return {
        "key": "list",
        "name": "The form on the website",
        "proof": {"kind": "address"},
        "each": None,
        "student": {"email": None},
        "at": None,
        "id": None,
        "rules": [],
    }


def _orders(definitions: Definitions, events: list[Event], person: Any) -> Iterator[tuple[Instant, Said]]:
    skus = {offer: sku for sku, offer in _SKUS.items()}
    for number, event in enumerate(events):
        if isinstance(event, Purchased | Refunded):
            offer = definitions.offers[event.offer]
            price = str(offer.price.amount) if offer.price else "0.00"
            line = (skus[event.offer], offer.title, price)
            topic = "order.paid" if isinstance(event, Purchased) else "order.refunded"
            yield event.at, order(str(1000 + number), person(event), [line], event.at, topic)


def _learning(definitions: Definitions, events: list[Event], person: Any) -> Iterator[tuple[Instant, Said]]:
    lessons = {key: id for id, key in _numbers(definitions, definitions.lessons, 101).items()}
    quizzes = {key: id for id, key in _numbers(definitions, definitions.quizzes, 71).items()}
    for number, event in enumerate(events):
        if isinstance(event, LessonEvent) and event.type == "lesson_completed":
            lesson = {"id": lessons[event.lesson], "title": definitions.lessons[event.lesson].title}
            yield (
                event.at,
                learnt("lesson.done", person(event), event.at, report=str(50_000 + number), lesson=lesson),
            )
        elif isinstance(event, QuizTaken):
            quiz = {"id": quizzes[event.quiz], "title": definitions.quizzes[event.quiz].title}
            about = {
                "report": str(50_000 + number),
                "quiz": quiz,
                "points": event.score / 10,
                "points_max": 10,
            }
            yield event.at, learnt("quiz.graded", person(event), event.at, **about)


def _joining(events: list[Event], person: Any) -> Iterator[tuple[Instant, Said]]:
    for event in events:
        if isinstance(event, SignedUp):
            yield event.at, joined(person(event), event.form, event.at, "yes")
