"""Matchers, conditions and merge fields of the second engine."""

from __future__ import annotations

import re
from datetime import datetime
from typing import Any

from tests.outside.second.moments import length, plus
from tests.outside.second.world import Facts, Plain

SELECTORS = ("course", "module", "lesson", "quiz", "offer", "tag", "letter", "form", "link", "answer", "hard")


def wanted(matcher: Plain, subject: Plain) -> Plain | None:
    """The matcher's selectors with the run's own objects for ``this``; None when the run has no such object."""
    found = {}
    for name in SELECTORS:
        if name in matcher:
            value = subject.get(name) if matcher[name] == "this" else matcher[name]
            if value is None:
                return None
            found[name] = value
    return found


def picks(matcher: Plain, event: Plain, subject: Plain) -> bool:
    """``event`` has its type, the objects it names and, for lengths, the text it was made for."""
    selectors = wanted(matcher, subject)
    if matcher["on"] != event["type"] or selectors is None:
        return False
    if any(event.get(name) != value for name, value in selectors.items()):
        return False
    match matcher["on"]:
        case "enrolled":
            return event["via"] in matcher.get("via", ["purchase", "manual", "import"])
        case "lesson_watched":
            percent = matcher.get("percent")
            return percent is None or event["before"] < percent <= event["percent"]
        case "inactive":
            return length(event["for"]) == length(matcher["for"])
        case "unlocking" | "access_ending":
            return length(event["ahead"]) == length(matcher.get("ahead") or "PT0S")
    return True


def already(matcher: Plain, facts: Facts, subject: Plain) -> bool | None:
    """Whether a state holds; None for what is no state."""
    selectors = wanted(matcher, subject)
    school = facts.school
    match matcher["on"]:
        case "lesson_completed" | "module_completed" | "course_completed":
            kind = matcher["on"].split("_")[0]
            having = [{kind: key} for of, key in facts.done if of == kind]
        case "lesson_watched" if matcher.get("percent") is not None:
            having = [{"lesson": key} for key, most in facts.watched.items() if most >= matcher["percent"]]
        case "quiz_passed":
            having = [{"quiz": key} for key in facts.passed]
        case "enrolled":
            via = matcher.get("via", ["purchase", "manual", "import"])
            having = [
                {"course": key}
                for key, found in facts.enrolments.items()
                if found.via in via and facts.status(key) not in ("refunded", "expired")
            ]
        case "purchased":
            having = [{"offer": key} for key in facts.bought]
        case "certificate_issued":
            having = [{"course": key} for key in facts.issued]
        case "tag_added":
            having = [{"tag": key} for key in facts.tags]
        case _:
            return None
    if selectors is None:
        return False
    return any(school.names(one).items() >= selectors.items() for one in having)


def holds(condition: Plain, facts: Facts, run: Any, runs: list[Any], now: datetime) -> bool:
    ask = lambda one: holds(one, facts, run, runs, now)  # noqa: E731
    if "all" in condition:
        return all(ask(one) for one in condition["all"])
    if "any" in condition:
        return any(ask(one) for one in condition["any"])
    if "not" in condition:
        return not ask(condition["not"])
    given = {name: run.subject.get(name) if value == "this" else value for name, value in condition.items()}
    if None in [given[name] for name in condition if condition[name] == "this"]:
        return False
    kind = given["is"]
    courses = list(facts.school.courses) if given.get("course") == "any" else [given.get("course")]
    match kind:
        case "enrolled":
            allowed = given.get("status") or ["active", "completed"]
            return any(facts.status(course) in allowed for course in courses)
        case "completed":
            what = next(name for name in ("course", "module", "lesson") if name in given)
            return (what, given[what]) in facts.done
        case "progress":
            return given.get("at_least", 0) <= facts.progress(given["course"]) <= given.get("at_most", 100)
        case "quiz":
            taken, passed = given["quiz"] in facts.scores, given["quiz"] in facts.passed
            return {"passed": passed, "failed": taken and not passed, "not_taken": not taken}[given["result"]]
        case "bought":
            offers = list(facts.bought) if given["offer"] == "any" else [given["offer"]]
            return any(facts.recently(facts.bought.get(offer), given.get("within"), now) for offer in offers)
        case "tagged":
            return given["tag"] in facts.tags
        case "inside" | "finished" | "been_inside":
            outcomes = [one.outcome for one in runs if one.key == given["sequence"]]
            return {
                "inside": "open" in outcomes,
                "finished": "finished" in outcomes,
                "been_inside": bool(outcomes),
            }[kind]
        case "sent":
            times = [at for at, letter in facts.sent if letter == given["letter"]]
            return any(facts.recently(at, given.get("within"), now) for at in times)
        case "opened" | "clicked":
            return facts.recently(facts.touched.get((kind, given["letter"])), given.get("within"), now)
        case "inactive":
            since = [facts.silent_since(course) for course in courses]
            return any(at is not None and plus(at, given["for"], facts.zone) <= now for at in since)
        case "joined":
            day = facts.local_date(facts.first) if facts.first else None
            return day is not None and day < given.get("before", "9") and day > given.get("after", "0")
        case "certified":
            return given["course"] in facts.issued
        case "news_on":
            return bool(facts.news)
        case "student":
            return facts.student["key"] in given["keys"]
        case "field":
            value = facts.student.get("fields", {}).get(given["name"])
            if "filled" in given:
                return (value not in (None, "")) == given["filled"]
            if "contains" in given:
                return isinstance(value, str) and given["contains"] in value
            return value is not None and value == given["equals"]
    raise AssertionError(kind)


FIELD = re.compile(r"\{\{\s*([\w.]+)\s*(?:\|\s*default\('([^']*)'\)\s*)?\}\}")


def field_value(name: str, facts: Facts, subject: Plain) -> str | None:
    school = facts.school
    kind, _, part = name.partition(".")
    if kind == "student":
        return (
            facts.student.get("fields", {}).get(part[7:])
            if part[:7] == "fields."
            else facts.student.get(part)
        )
    if name == "course.progress":
        return str(facts.progress(subject["course"])) if "course" in subject else None
    if name == "quiz.score":
        scores = facts.scores.get(subject.get("quiz", ""))
        return None if not scores else str(scores[-1])
    if name == "quiz.attempts":
        scores = facts.scores.get(subject.get("quiz", ""))
        return str(len(scores)) if scores else None
    if kind == "next_lesson":
        left = [
            key
            for key in school.inner("lesson", subject.get("course", ""))
            if ("lesson", key) not in facts.done
        ]
        return school.lessons[left[0]][part] if left else None
    found = {"course": school.courses, "module": school.modules, "lesson": school.lessons, "quiz": school.quizzes,
             "offer": school.offers}[kind].get(subject.get(kind, ""))  # fmt: skip
    return found[part] if found else None


def written(text: str, facts: Facts, subject: Plain) -> tuple[str, str | None]:
    """The text with its fields filled in, and the first field that stays blank."""
    blank: list[str] = []

    def fill(found: re.Match[str]) -> str:
        value = field_value(found[1], facts, subject)
        if value not in (None, ""):
            return str(value)
        if found[2] is None:
            blank.append(found[1])
        return found[2] or ""

    return FIELD.sub(fill, text), blank[0] if blank else None
