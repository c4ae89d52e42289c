"""Half a believable year at the demo school, by lot from a fixed seed."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from importlib.resources import files
from typing import Any

from whenever import Instant, PlainDateTime, ZonedDateTime

from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.rehearsing.rehearsal import rehearse
from patient_courier.core.school.file import SchoolFile
from patient_courier.demo.people import Person, people

SEED = 20260303
STUDENTS = 386
FIRST_DAY = Instant.from_utc(2025, 9, 2)
TODAY = PlainDateTime(2026, 3, 3, 10, 4)
DAYS = 182
# A slow autumn, in which the first few come (a share of all), then a winter in which the school gets known; the autumn
# ends where the winter's curve has let in just as many.
AUTUMN, FEW = 92, 0.107
WINTER = 120
_ZONE = "Europe/Lisbon"

# Offer or course, and how many of a hundred students come for it.
_WISHES = [
    ("first-hive-once", 46),
    ("varroa-watch", 26),
    ("honey-weekend-once", 13),
    ("queen-rearing-once", 9),
    ("apiary-circle", 6),
]
_COURSES = {
    "first-hive-once": ["first-hive"],
    "queen-rearing-once": ["queen-rearing"],
    "honey-weekend-once": ["honey-weekend"],
    "varroa-watch": ["varroa-watch"],
    "apiary-circle": ["first-hive"],
}
FEEDBACK = "fh-feedback"
# Days between two sittings, and how likely the student is to go on after each of them.
_PACES = [(0.8, 0.985), (2.0, 0.97), (3.5, 0.95), (6.0, 0.91), (2.5, 0.75)]


def today() -> Instant:
    """The demo's “today”: Tuesday 3 March 2026, 10:04 in Lisbon."""
    return TODAY.assume_tz(_ZONE).to_instant()


def demo_school() -> SchoolFile:
    """The whole demo school with its students and events, always the same."""
    data = json.loads(files("patient_courier.demo").joinpath("school.json").read_text("utf-8"))
    data["pictures"] = json.loads(files("patient_courier.demo").joinpath("pictures.json").read_text("utf-8"))
    trials = json.loads(files("patient_courier.demo").joinpath("trials.json").read_text("utf-8"))
    data["letters"] += trials["letters"]
    data["sequences"] += trials["sequences"]
    lot = random.Random(SEED)
    found = people(lot, STUDENTS)
    data["students"] = [_student(lot, person) for person in found]
    events = [event for person in found for event in _life(lot, person, data["courses"])]
    events = [event for event in events if event["at"] <= today().format_iso()]
    prices = {offer["key"]: offer["price"] for offer in data["offers"]}
    for event in events:
        if event["type"] == "purchased":
            event["amount"] = prices[event["offer"]]
    data["events"] = sorted(events, key=lambda event: event["at"])
    events += _reactions(SchoolFile.model_validate(data))
    data["words"] = _words(events)
    data["events"] = sorted(events, key=lambda event: event["at"])
    return SchoolFile.model_validate(data)


def _reactions(file: SchoolFile) -> Iterator[dict[str, Any]]:
    """What students do with their letters, within hours or a day or two."""
    sent = [x for x in rehearse(file, until=today()).letters if x.status == "sent" and x.to is None]
    own = {sequence.key for sequence in file.sequences if sequence.trial is not None}
    yield from _openings([x for x in sent if x.broadcast is None and x.sequence not in own], 1)
    yield from _openings([x for x in sent if x.sequence in own], 4)
    yield from _feedback([letter for letter in sent if letter.letter == FEEDBACK])
    yield from _answers_to_broadcasts(file, [letter for letter in sent if letter.broadcast is not None])


def _openings(letters: list[LetterDecided], lots: int) -> Iterator[dict[str, Any]]:
    """Letters that were opened; service letters most of all. ``lots`` tells one drawing from another."""
    lot = random.Random(SEED + lots)
    for letter in letters:
        if lot.random() < {"service": 0.84, "course_help": 0.63, "news": 0.41}[letter.purpose]:
            at = letter.at.add(minutes=int(lot.expovariate(1 / 420)) + 2)
            if at <= today():
                yield _reaction(letter, "letter_opened", at)


def _feedback(letters: list[LetterDecided]) -> Iterator[dict[str, Any]]:
    """Most of those who finished say how it was."""
    lot = random.Random(SEED + 3)
    values = [5, 4, 2, 5, 3, 4]
    for number, letter in enumerate(letters):
        at = letter.at.add(minutes=lot.randint(30, 1500))
        if lot.random() < 0.9 and at <= today():
            yield _reaction(letter, "answered", at) | {"answer": str(values[number % len(values)])}


_WORDS = {
    "5": "The checklists. I pinned the one for arrival day to the shed door.",
    "4": "Seeing a frame read slowly, three times over.",
    "3": "More about what to do when the weather is against you.",
    "2": "I never found the downloads of module three, and nobody answered in the forum.",
}


def _words(events: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What some of them wrote beside their answer."""
    found = []
    for event in events:
        if event["type"] == "answered" and event["letter"] == FEEDBACK:
            value = int(event["answer"])
            said = {name: event[name] for name in ("student", "letter", "answer", "at")}
            words = _WORDS.get(event["answer"], "")
            found.append({**said, "course": "first-hive", "value": value, "words": words, "done": value > 2})
    return found


def _answers_to_broadcasts(file: SchoolFile, letters: list[LetterDecided]) -> Iterator[dict[str, Any]]:
    """Some open a broadcast; of those some click, some answer, and here and there one has had enough."""
    lot = random.Random(SEED + 2)
    written = {letter.key: letter for letter in file.letters}
    for letter in letters:
        if lot.random() > 0.46:
            continue
        at = letter.at.add(minutes=int(lot.expovariate(1 / 500)) + 3)
        found = [_reaction(letter, "letter_opened", at)]
        body = written[letter.letter]
        answers = [choice.key for _, choice in body.answers()]
        soon = at.add(minutes=lot.randint(1, 9))
        links = [block.url for block in body.blocks if block.kind == "button"]
        if links and lot.random() < 0.31:
            found.append(_reaction(letter, "link_clicked", soon) | {"link": links[0]})
        if answers and lot.random() < 0.44:
            found.append(_reaction(letter, "answered", soon) | {"answer": lot.choice(answers)})
        if lot.random() < 0.012:
            found.append({"at": soon.format_iso(), "type": "news_stopped", "student": letter.student})
        yield from (event for event in found if event["at"] <= today().format_iso())


def _reaction(letter: LetterDecided, type: str, at: Instant) -> dict[str, Any]:
    return {"at": at.format_iso(), "type": type, "student": letter.student, "letter": letter.letter}


def _student(lot: random.Random, person: Person) -> dict[str, Any]:
    return {
        "key": person.key,
        "email": person.email,
        "first_name": person.first_name,
        "last_name": person.last_name,
        "timezone": person.timezone,
        "news": lot.random() < 0.85,
        "tags": ["mentored one to one"] if lot.random() < 0.02 else [],
        "fields": {"region": lot.choice(("coast", "hills", "town", "plain"))} if lot.random() < 0.4 else {},
    }


def _life(lot: random.Random, person: Person, courses: list[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    """Everything one person does; what lies beyond today is cut off by the caller."""
    zone = person.timezone or _ZONE
    at = _evening(lot, FIRST_DAY.add(hours=int(_day_of(lot.random()) * 24)).to_tz(zone), zone)
    wish = lot.choices([name for name, _ in _WISHES], [weight for _, weight in _WISHES])[0]
    yield from _joins(person, wish, at)
    pace, stamina = lot.choice(_PACES)
    last = at
    for key in _COURSES[wish]:
        course = next(course for course in courses if course["key"] == key)
        for event in _learns(lot, person, course, last, zone, pace, stamina):
            last = max(last, Instant.parse_iso(event["at"]).to_tz(zone))
            yield event
    if wish == "first-hive-once":
        yield from _buys_the_next(person, at, zone)
    if wish == "varroa-watch" and lot.random() < 0.3:
        later = _evening(lot, at.add(hours=24 * lot.randint(6, 30)), zone)
        yield from _joins(person, "first-hive-once", later)
        course = next(course for course in courses if course["key"] == "first-hive")
        yield from _learns(lot, person, course, later, zone, pace, stamina)
    yield from _turns_away(lot, person, wish, at)


def _day_of(drawn: float) -> float:
    """Days since the first day on which somebody comes, of a number between 0 and 1; more towards spring, when one thinks of bees."""
    if drawn < FEW:
        return AUTUMN * drawn / FEW
    return DAYS - WINTER + WINTER * float(drawn**0.62)


def _buys_the_next(person: Person, at: ZonedDateTime, zone: str) -> Iterator[dict[str, Any]]:
    """A few take the advanced course as well."""
    own = random.Random(f"{SEED} {person.key}")
    if own.random() < 0.09:
        later = _evening(own, at.add(hours=24 * own.randint(12, 60)), zone)
        yield from _joins(person, "queen-rearing-once", later)


def _joins(person: Person, wish: str, at: ZonedDateTime) -> Iterator[dict[str, Any]]:
    moment = _text(at)
    if wish == "varroa-watch":
        yield {"at": moment, "type": "signed_up", "student": person.key, "form": "varroa-watch"}
        yield {
            "at": moment,
            "type": "enrolled",
            "student": person.key,
            "course": "varroa-watch",
            "via": "manual",
        }
    else:
        yield {"at": moment, "type": "purchased", "student": person.key, "offer": wish}


def _learns(
    lot: random.Random,
    person: Person,
    course: dict[str, Any],
    at: ZonedDateTime,
    zone: str,
    pace: float,
    stamina: float,
) -> Iterator[dict[str, Any]]:
    """Lessons in order, a quiz at the end of a module, some failed at first; most people stop somewhere."""
    for module in course["modules"]:
        for lesson in module["lessons"]:
            if lot.random() > stamina:
                return
            at = _evening(lot, at.add(hours=24 * lot.expovariate(1 / pace)), zone)
            lesson_key = f"{course['key']}/{lesson['key']}"
            yield {"at": _text(at), "type": "lesson_started", "student": person.key, "lesson": lesson_key}
            at = at.add(minutes=lesson["minutes"] + lot.randint(1, 9))
            yield {"at": _text(at), "type": "lesson_completed", "student": person.key, "lesson": lesson_key}
        for quiz in module["quizzes"]:
            quiz_key = f"{course['key']}/{quiz['key']}"
            while True:
                at = at.add(minutes=lot.randint(8, 40))
                score = lot.randint(40, 100)
                yield {
                    "at": _text(at),
                    "type": "quiz_taken",
                    "student": person.key,
                    "quiz": quiz_key,
                    "score": score,
                }
                if score >= quiz["pass_mark"]:
                    break
                if lot.random() > 0.85:
                    # Some come back to it after days; drawn apart, so that nobody else's life changes.
                    lot = random.Random(f"{SEED} {person.key} {_text(at)}")
                    if lot.random() > 0.6:
                        return
                    at = _evening(lot, at.add(hours=24 * (1 + lot.expovariate(1 / 4))), zone)


def _turns_away(lot: random.Random, person: Person, wish: str, at: ZonedDateTime) -> Iterator[dict[str, Any]]:
    """The few who ask their money back, stop letters, or whose address stops working."""
    fate = lot.random()
    later = _text(at.add(hours=24 * lot.randint(1, 13) + lot.randint(0, 20)))
    if fate < 0.025 and wish != "varroa-watch":
        yield {"at": later, "type": "refunded", "student": person.key, "offer": wish}
    elif fate < 0.06:
        yield {"at": later, "type": "news_stopped", "student": person.key}
    elif fate < 0.075:
        yield {"at": later, "type": "course_help_stopped", "student": person.key, "course": _COURSES[wish][0]}
    elif fate < 0.09:
        yield {"at": later, "type": "bounced", "student": person.key, "hard": True}
    elif fate < 0.094:
        yield {"at": later, "type": "complained", "student": person.key}


def _evening(lot: random.Random, at: ZonedDateTime, zone: str) -> ZonedDateTime:
    """An hour at which people learn, on that day in their zone: mostly evenings, some mornings."""
    hour = lot.choices((7, 8, 12, 13, 17, 18, 19, 20, 21, 22), (2, 3, 3, 2, 3, 5, 7, 8, 7, 3))[0]
    day = at.to_tz(zone).date()
    minute = lot.randint(0, 59)
    moment = PlainDateTime(day.year, day.month, day.day, hour, minute).assume_tz(zone)
    return moment if moment >= at else moment.add(days=1)


def _text(at: ZonedDateTime) -> str:
    return at.to_instant().format_iso()
