"""One student played for all who are alike: the same becomes of everybody as when all are played."""

from __future__ import annotations

import random
from typing import Any

from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch import outlook
from patient_courier.store.broadcasts.broadcasts import every
from tests.live import LiveSchool
from tests.schools import event, letter, read, school, send, sequence, wait

NOW = parse_moment("2026-03-03T12:00:00Z")
ZONES = (None, "Pacific/Auckland", "America/New_York")
LETTERS = [
    letter("plain", "news"),
    letter("named", "news", "Dear {{ student.first_name }}", min_gap="P30D"),
    letter("town", "news", "In {{ student.fields.town }}, {{ student.full_name }}"),
    letter("lessons", "course_help", "Next: {{ course.title }}"),
    letter("next", "course_help", "Next: {{ next_lesson.title }}"),
    letter("service", "service"),
]
TAGGED = {"daily": "plain", "gap": "named"}
SEQUENCES = [
    sequence("holding", [wait("w", "P4D")], {"on": "tag_added", "tag": "in"}, holds_broadcasts=True),
    sequence(
        "waiting",
        [{"id": "w", "do": "wait_for", "event": {"on": "signed_in"}}],
        {"on": "tag_added", "tag": "waiting"},
    ),
    sequence("soon", [wait("w", "P3D"), send("lessons")], {"on": "tag_added", "tag": "soon"}),
    sequence("silence", [send("service")], {"on": "inactive", "course": "bees", "for": "P10D"}),
    *(sequence(tag, [send(key)], {"on": "tag_added", "tag": tag}) for tag, key in TAGGED.items()),
]
HOURS = {"from": "09:00", "to": "17:00", "days": ["mon", "tue", "wed", "thu", "fri"], "zone": "student"}
BROADCASTS: list[dict[str, Any]] = [
    {"key": "all", "letter": "plain", "at": "2026-03-05T09:00", "zone": "student"},
    {"key": "hours", "letter": "named", "at": "2026-03-05T21:00", "posting_hours": "school"},
    {"key": "late", "letter": "plain", "at": "2026-03-04T02:00", "zone": "student", "late": "skip"},
    {"key": "waits", "letter": "town", "at": "2026-03-05T10:00", "inside": "wait", "within": "P2D"},
    {"key": "help", "letter": "lessons", "at": "2026-03-05T10:00", "course": "bees", "to": {"is": "enrolled", "course": "bees", "status": ["active", "refunded", "expired"]}},
    {"key": "next", "letter": "next", "at": "2026-03-05T10:00", "course": "bees"},
    {"key": "few", "letter": "plain", "at": "2026-03-05T09:30", "to": {"is": "tagged", "tag": "some"}},
    {"key": "readers", "letter": "plain", "at": "2026-03-06T09:30", "to": {"all": [{"is": "sent", "letter": "lessons"}, {"is": "tagged", "tag": "some"}]}},
]  # fmt: skip


def many_students(seed: int, planned: str | None, number: int = 150) -> dict[str, Any]:
    """Students who differ in all that guards ask, most of them in one thing or none."""
    lot = random.Random(seed)
    students, events = [], []

    def happened(key: str, day: str, type: str, **more: Any) -> None:
        events.append(event(f"{day}T{lot.randrange(10, 20)}:00:00Z", type, key, **more))

    for n in range(number):
        key, odd = f"s{n}", lot.choice(["", "", "", "", *range(12)])
        one: dict[str, Any] = {
            "key": key,
            "email": f"{key}@example.org",
            "timezone": lot.choice(ZONES),
            "news": odd != 0,
        }
        one |= {} if odd == 1 else {"first_name": "Ida"}
        one |= {"last_name": "Reis"} if n % 2 else {}
        students.append(one | ({} if odd == 2 else {"fields": {"town": "Tomar"}}))
        if n % 3:
            day = "2026-02-24" if odd == 3 else "2026-01-10"
            happened(key, day, "enrolled", course="bees", via="manual")
            for lesson in ("l1", "l2", "l3") if n % 13 < 3 else ():
                happened(key, "2026-01-12", "lesson_completed", lesson=f"bees/{lesson}")
        if odd == 4:
            happened(key, "2026-01-11", "bounced", hard=True)
        if odd == 5:
            happened(key, "2026-01-11", "complained")
        if odd == 6 and n % 3:
            happened(key, "2026-01-12", "course_help_stopped", course="bees")
        if odd == 7:
            happened(key, "2026-01-11", "purchased", offer="bees-once")
            happened(key, "2026-01-12", "refunded", offer="bees-once")
        tags = {8: "in", 9: "soon", 10: "waiting", 11: lot.choice(["daily", "gap"])}
        if odd in tags:
            happened(key, lot.choice(["2026-03-01", "2026-03-03", "2026-02-10"]), "tag_added", tag=tags[odd])
        if n % 10 == 9:
            happened(key, "2026-01-09", "tag_added", tag="some")
    events = [one for one in events if one["at"] < "2026-03-03T12:00:00Z"]
    own = {"posting_hours": HOURS, "daily_limit": 1}
    casts = [one | ({"status": "scheduled"} if one["key"] == planned else {}) for one in BROADCASTS]
    return school(SEQUENCES, events, *LETTERS, students=students, broadcasts=casts, school=own)


def test_one_played_for_all_who_are_alike_is_as_everybody_played(tmp_path, monkeypatch):
    for seed in range(4):
        planned = [None, "few", "readers"][seed % 3]
        file = read(many_students(seed, planned))
        live = LiveSchool(tmp_path / f"{seed}.db", file, parse_moment("2026-01-01T00:00:00Z"))
        live.live_through(file, NOW)
        saved = 0
        with live.database.reading() as session:
            definitions = live.library.load(session)
            for kept in every(session):
                found = []
                for small in (1000, 0):
                    monkeypatch.setattr(outlook, "SMALL_SCHOOL", small)
                    whom = outlook.candidates(session, definitions, kept.broadcast, NOW)
                    played: list[int] = []
                    found.append(outlook.look(session, definitions, kept.broadcast, whom, NOW, played.append))
                    assert sum(played) == whom.number
                assert list(found[1].fates.items()) == list(found[0].fates.items())
                assert found[1].crowds == found[0].crowds
                saved += sum(len(group) - 1 for group in whom.alike)
        assert saved > 100 or planned == "readers", saved
        live.database.close()
