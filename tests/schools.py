"""Small schools for tests, in the form of the school file."""

from __future__ import annotations

import json
from typing import Any

from patient_courier.core.reading.school_file import read_school
from patient_courier.core.rehearsing.rehearsal import rehearse
from patient_courier.core.school.file import SchoolFile

COURSE = {
    "key": "bees",
    "title": "First Hive",
    "url": "https://learn.example/bees",
    "modules": [
        {
            "key": "m1",
            "title": "Before the bees",
            "lessons": [
                {"key": "l1", "title": "Before you buy", "minutes": 11},
                {"key": "l2", "title": "Where to stand"},
            ],
        },
        {
            "key": "m2",
            "title": "Choosing a hive",
            "unlocks": "P7D",
            "lessons": [{"key": "l3", "title": "Three hives"}],
            "quizzes": [{"key": "q1", "title": "Parts of a hive", "pass_mark": 70}],
        },
    ],
    "certificate": {"approval": False},
}
OFFER = {
    "key": "bees-once",
    "title": "First Hive",
    "price": {"amount": "149.00", "currency": "EUR"},
    "courses": ["bees"],
}


def letter(key: str, purpose: str = "course_help", subject: str | None = None, **more: Any) -> dict[str, Any]:
    return {"key": key, "name": key.title(), "purpose": purpose, "subject": subject or f"about {key}", **more}


def send(id: str, letter: str | None = None) -> dict[str, Any]:
    return {"id": id, "do": "send", "letter": letter or id}


def wait(id: str, span: str | None = None, **more: Any) -> dict[str, Any]:
    return {"id": id, "do": "wait", "for": span, **more}


def sequence(key: str, steps: list[dict[str, Any]], *starts: dict[str, Any], **more: Any) -> dict[str, Any]:
    begin = list(starts) or [{"on": "enrolled", "course": "bees"}]
    return {"key": key, "name": key, "status": "running", "starts": begin, "steps": steps, **more}


def event(at: str, type: str, student: str = "ana", **more: Any) -> dict[str, Any]:
    return {"at": at if "T" in at else f"{at}T12:00:00Z", "type": type, "student": student, **more}


def bought(at: str = "2026-03-02T12:00:00Z", student: str = "ana") -> dict[str, Any]:
    return event(at, "purchased", student, offer="bees-once")


def school(
    sequences: list[dict[str, Any]], events: list[dict[str, Any]], *letters: dict[str, Any], **more: Any
) -> dict[str, Any]:
    """A school file; letters that steps name and nobody gives are made up as course help."""
    given = {found["key"]: found for found in letters}
    text = json.dumps(sequences)
    for part in text.split('"letter": "')[1:]:
        key = part.partition('"')[0]
        given.setdefault(key, letter(key))
    about = {
        "name": "Mallow Lane Apiary School",
        "timezone": "Europe/Lisbon",
        "sender": {"name": "Ines", "email": "ines@mallowlane.example"},
        **more.pop("school", {}),
    }
    students = more.pop(
        "students", [{"key": "ana", "email": "ana@example.org", "first_name": "Ana", "news": True}]
    )
    return {
        "format": "patient-courier.school",
        "version": 1,
        "school": about,
        "courses": [COURSE],
        "offers": [OFFER],
        "letters": list(given.values()),
        "sequences": sequences,
        "students": students,
        "events": events,
        **more,
    }


def read(data: dict[str, Any]) -> SchoolFile:
    return read_school(json.dumps(data))


def play(
    sequences: list[dict[str, Any]], events: list[dict[str, Any]], *letters: dict[str, Any], **more: Any
) -> Any:
    """The published outcome of rehearsing such a school."""
    return rehearse(read(school(sequences, events, *letters, **more))).as_json()


def posted(outcome: Any) -> list[tuple[str, str, str]]:
    """The letters as (time, step, status or reason)."""
    return [(x["at"], x["step"], x["reason"] or x["status"]) for x in outcome["letters"]]
