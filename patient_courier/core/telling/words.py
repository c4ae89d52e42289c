"""Plain words for events, durations and reasons, for stories and for the screen."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.calendar.duration import Duration
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Happening
from patient_courier.core.letters.merge_fields import field_words

_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")

REASONS = {
    "address_bounced": "The address does not work: an earlier letter came back.",
    "complained": "The student reported an earlier letter as unwanted.",
    "news_off": "The student does not want news.",
    "course_help_off": "The student has stopped help letters for this course.",
    "not_enrolled": "The student is no longer in the course: refunded, or access has ended.",
    "min_gap": "The student got this same letter too short a while ago.",
    "outside_hours": "It is outside the posting hours.",
    "daily_limit": "The student has had enough letters for one day.",
    "inside_sequence": "The student was inside a sequence that holds broadcasts.",
    "too_late": "The student's hour was past when the broadcast started.",
    "broadcast_stopped": "You stopped the broadcast before this letter went out.",
    "moved_on": "The student moved on, or left the sequence, while the letter was kept back.",
    "note_to_self": "A note to self stands in this letter. Take it out, then try again.",
    "taken_as_posted": "The owner took it as posted when the school came back from a copy; it was not posted again.",
    "proved_posted": "It went out before the school came back from a copy: the mail server's log names it.",
    "interrupted": "The application stopped while the letter was being handed over.",
}


# Reasons that say more behind their name.
_TOLD = {
    "bad_address": "{0}. Mend the address, then try again.",
    "not_drawn": "This letter can't be drawn ({0}). Open the letter and take out what is unusual in it, then try again.",
    "refused": "{0} Mend what it names, then try again.",
}


def lacking(code: str | None, students: int) -> str:
    """What several students lack that a letter asks for, as a clause; empty for any other reason."""
    blank = (code or "").partition("blank_field: ")[2]
    return (
        f"{students} students have no {field_words(blank)}, and the letter has no fallback for it"
        if blank
        else ""
    )


def reason(code: str | None) -> str:
    """A reason code as a sentence; text that is no code stays as it is."""
    if code is None:
        return ""
    if code.startswith("blank_field: "):
        name = field_words(code.removeprefix("blank_field: "))
        return f"The merge field “{name}” has no value for this student and no fallback."
    for name, sentence in _TOLD.items():
        if code.startswith(f"{name}: "):
            return sentence.format(code.removeprefix(f"{name}: "))
    return REASONS.get(code, code)


_WARNINGS = {
    "going_in_circles": "{0}: more than a hundred steps in one instant, so this run was stopped.",
    "too_often": "{0}: this goes round so often that it was played only so far. Wait longer in each round.",
    "cut_short": "{0}. What comes later is left out.",
}


def circles(text: str) -> tuple[str, str, str] | None:
    """Who went in circles, in which sequence and at which step (keys), out of the warning that says so."""
    name, _, rest = text.partition(": ")
    who, _, step = rest.rpartition(" at ")
    student, _, sequence = who.rpartition(" in ")
    return (student, sequence, step) if name == "going_in_circles" and student else None


def warning(text: str) -> str:
    """A warning of a rehearsal as a sentence."""
    name, _, rest = text.partition(": ")
    said = _WARNINGS.get(name, "{0}").format(rest or text)
    return said[:1].upper() + said[1:]


def day(date: Date) -> str:
    """``Tue 3 Mar``."""
    return f"{_DAYS[date.day_of_week().value - 1]} {date.day} {calendar.MONTHS[date.month - 1][:3]}"


def month(date: Date) -> str:
    """``March``."""
    return calendar.MONTHS[date.month - 1]


def moment(at: Instant, zone: str) -> str:
    """``Tue 3 Mar, 10:00`` on the wall clock of a zone."""
    wall = calendar.local(at, zone)
    return f"{day(wall.date())}, {wall.hour:02d}:{wall.minute:02d}"


def month_and_year(key: str) -> str:
    """``March 2026`` for ``2026-03``."""
    year, number = key.split("-")
    return f"{calendar.MONTHS[int(number) - 1]} {year}"


def counted(number: int, word: str) -> str:
    """``1 letter``, ``12 letters``."""
    return f"{number} {word}{'' if number == 1 else 's'}"


def span(length: Duration) -> str:
    """``2 days``, ``1 week``, ``1 day 2 hours``."""
    seconds = length.nanoseconds // 1_000_000_000
    weeks, days = divmod(length.days, 7) if length.days % 7 == 0 else (0, length.days)
    counts = (
        (length.months // 12, "year"),
        (length.months % 12, "month"),
        (weeks, "week"),
        (days, "day"),
        (seconds // 3600, "hour"),
        (seconds // 60 % 60, "minute"),
        (seconds % 60, "second"),
    )
    found = [counted(number, word) for number, word in counts if number]
    return " ".join(found) or "the same moment"


def span_of_minutes(minutes: float) -> str:
    """“20 minutes”, “7 hours”, “3 days”: as one would say it, rounded."""
    if minutes < 90:
        number, unit = round(minutes), "minute"
    elif minutes < 36 * 60:
        number, unit = round(minutes / 60), "hour"
    else:
        number, unit = round(minutes / 1440), "day"
    return counted(number, unit)


def title(definitions: Definitions, kind: str, key: str | None) -> str:
    """What a course (its short title), module, lesson, quiz or offer is called; its key when it is no longer there."""
    known: Mapping[str, Mapping[str, Any]] = {
        "course": definitions.courses,
        "module": definitions.modules,
        "lesson": definitions.lessons,
        "quiz": definitions.quizzes,
        "offer": definitions.offers,
    }
    found = known[kind].get(key) if key else None
    if kind == "course" and key in definitions.short_titles:
        return definitions.short_titles[key]
    if found:
        return str(found.title)
    return f"{key} {kind}" if key in ("any", "this") else str(key)


def _letter(definitions: Definitions, names: Mapping[str, Any]) -> str:
    key = names.get("letter")
    ready = definitions.letters.get(key) if key else None
    if ready is None:
        return "any letter" if key in (None, "any") else f"“{key}”"
    return f"“{ready.letter.called}”"


_VIA = {"purchase": "by purchase", "manual": "by hand", "import": "by import", "preview": "for a preview"}


def what_happened(definitions: Definitions, what: Happening) -> str:
    """What a student did or what was done, as the end of a sentence: ``bought First Hive``."""
    names = what.names

    def named(kind: str) -> str:
        return title(definitions, kind, names.get(kind))

    def quoted(kind: str) -> str:
        """A lesson, quiz or module in quotation marks; when any is meant, with the course it is in."""
        if names.get(kind) == "this":
            return f"this {kind}"
        if names.get(kind) != "any":
            return f"{kind} “{named(kind)}”"
        course = names.get("course")
        return f"any {kind}" + (f" of {named('course')}" if course not in (None, "any") else "")

    match what.type:
        case "purchased":
            return f"bought {named('offer')}"
        case "refunded":
            return f"got a refund for {named('offer')}"
        case "enrolled":
            return f"enrolled in {named('course')} {_VIA[names['via']]}"
        case "lesson_started" | "lesson_completed":
            return f"{'started' if what.type == 'lesson_started' else 'finished'} {quoted('lesson')}"
        case "lesson_watched":
            return f"watched {names['percent']:g}% of {quoted('lesson')}"
        case "quiz_taken":
            return f"took {quoted('quiz')}: {names['score']:g} points"
        case "quiz_passed" | "quiz_failed":
            return f"{what.type.removeprefix('quiz_')} {quoted('quiz')}"
        case "module_completed":
            return f"finished {quoted('module')}"
        case "course_completed":
            return f"finished {named('course')}"
        case "certificate_issued":
            return f"got the certificate for {named('course')}"
        case "certificate_revoked":
            return f"had the certificate for {named('course')} taken back"
        case "certificate_requested" | "certificate_approved":
            return f"had the certificate for {named('course')} {what.type.removeprefix('certificate_')}"
        case "tag_added" | "tag_removed":
            return f"{'got' if what.type == 'tag_added' else 'lost'} the tag “{names['tag']}”"
        case "signed_in":
            return "signed in"
        case "signed_up":
            return f"signed up with the form “{names['form']}”"
        case "letter_opened":
            return f"opened {_letter(definitions, names)}"
        case "link_clicked":
            return f"clicked a link in {_letter(definitions, names)}"
        case "answered":
            said = "" if names["answer"] == "any" else f"“{names['answer']}” to "
            return f"answered {said}{_letter(definitions, names)}"
        case "news_stopped":
            return "stopped news letters"
        case "course_help_stopped":
            return f"stopped help with {named('course')}"
        case "bounced":
            return "had a letter come back" + ("" if names["hard"] else " for the time being")
        case "complained":
            return "reported a letter as unwanted"
        case "inactive":
            return f"was silent in {named('course')} for {span(names['span'])}"
        case "unlocking":
            return f"had {quoted('module')} about to unlock"
        case "access_ending":
            return f"had access to {named('course')} about to end"
        case _:
            return what.type.replace("_", " ")
