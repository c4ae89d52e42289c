"""A rehearsal for people at a terminal: findings first, then a calendar for each student."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from typing import Any

from rich.console import Console
from rich.text import Text
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.checks import Lacking, broadcast_findings, school_findings
from patient_courier.core.engine.effects import (
    BroadcastStarted,
    CallMade,
    CertificateIssued,
    LetterDecided,
    NotBegun,
    Noted,
    TagChanged,
    Warned,
)
from patient_courier.core.rehearsing.rehearsal import SHOWN, Outcome, definitions_of
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.telling import words
from patient_courier.core.upkeep.check_up import Finding as Check

_PURPOSE = {"service": "service", "course_help": "course help", "news": "news"}
_OUTCOME = {
    None: "still inside",
    "finished": "finished",
    "left": "left early",
    "stopped": "stopped",
    "stuck": "stuck",
    "held_back": "held back by lot",
}


@dataclass(frozen=True, slots=True)
class _Line:
    """One line of a student's calendar; ``order`` keeps what happened at one moment in its order."""

    at: Instant
    order: int
    text: Text


def lacking_in(file: SchoolFile) -> Lacking:
    """How many students of the file have no value for each merge field about students."""
    fields: dict[str, int] = {}
    for name in ("first_name", "last_name"):
        fields[f"student.{name}"] = sum(not getattr(student, name) for student in file.students)
    fields["student.full_name"] = sum(not (s.first_name or s.last_name) for s in file.students)
    for name in {name for student in file.students for name in student.fields}:
        fields[f"student.fields.{name}"] = sum(s.fields.get(name) in (None, "") for s in file.students)
    return Lacking(len(file.students), fields)


def print_findings(console: Console, file: SchoolFile) -> None:
    """The findings of the checks, faults first; nothing when there are none."""
    definitions = definitions_of(file)
    posted = {letter for broadcast in file.broadcasts for letter in broadcast.letters}
    found = [
        x
        for x in school_findings(definitions, lacking_in(file))
        if x.code != "unused_letter" or x.letter not in posted
    ]
    found += [x for broadcast in file.broadcasts for x in broadcast_findings(definitions, broadcast)]
    if not found:
        return
    console.print(Text("Checks", style="bold"))
    for finding in found:
        place = " · ".join(x for x in (finding.sequence or "", finding.step or finding.letter or "") if x)
        line = Text("  ")
        line.append(
            "fault    " if finding.level == "fault" else "warning  ",
            "red" if finding.level == "fault" else "yellow",
        )
        line.append(f"{place}: ", "dim")
        line.append(finding.sentence)
        console.print(line, soft_wrap=True)
    console.print()


def print_calendar(console: Console, file: SchoolFile, outcome: Outcome) -> None:
    """What each student did and got, day by day in their own time, and where they stand."""
    lines: defaultdict[str, list[_Line]] = defaultdict(list)
    order = 0

    def put(student: str, at: Instant, text: Text) -> None:
        nonlocal order
        order += 1
        lines[student].append(_Line(at, order, text))

    for effect in outcome.effects:
        match effect:
            case Noted() if effect.reported:
                what = words.what_happened(outcome.definitions, effect.what)
                put(effect.student, effect.what.at, Text(what, "cyan"))
            case TagChanged():
                put(effect.student, effect.at, Text(f"tag “{effect.tag}” {effect.change}", "magenta"))
            case CertificateIssued():
                title = words.title(outcome.definitions, "course", effect.course)
                put(effect.student, effect.at, Text(f"certificate for {title}", "magenta"))
            case LetterDecided() if effect.status in SHOWN:
                put(effect.student, effect.at, _letter(outcome, effect))
            case Noted() | LetterDecided() | BroadcastStarted() | CallMade() | NotBegun() | Warned():
                pass
    for student in file.students:
        if student.key in outcome.states and (lines[student.key] or outcome.states[student.key].runs):
            _print_student(console, outcome, student.key, lines[student.key])
    for warning in outcome.warnings:
        console.print(Text(f"▲ {warning}", "yellow"))
    for trial in outcome.trials():
        console.print(Text(_trial(outcome, trial)))
    sent = sum(letter.status == "sent" for letter in outcome.letters)
    held_off = len(outcome.letters) - sent
    people = len({letter.student for letter in outcome.letters if letter.status == "sent"})
    console.print(
        Text(
            f"{words.counted(sent, 'letter')} to {words.counted(people, 'student')}, {held_off} not posted",
            "bold",
        )
    )


def _trial(outcome: Outcome, trial: dict[str, Any]) -> str:
    name = outcome.definitions.sequences[trial["sequence"]].sequence.called
    sides = ", ".join(
        f"{side['students'] - side['open']} {words_} of whom {side['reached']} reached it, {side['open']} still open"
        for side, words_ in ((trial["written_to"], "written to"), (trial["held_back"], "held back"))
    )
    return f"Trial of “{name}”: {sides}"


def _letter(outcome: Outcome, letter: LetterDecided) -> Text:
    zone = outcome.states[letter.student].zone
    name = outcome.definitions.letters[letter.letter].letter.called
    text = Text()
    if letter.status == "sent":
        text.append("✉ ", "green")
        text.append(name, "bold")
        text.append(f"  “{letter.subject}”")
        if letter.to is not None:
            to = letter.to if isinstance(letter.to, str) else ", ".join(letter.to)
            text.append(f"  to {to}", "dim")
        else:
            text.append(f"  {_PURPOSE[letter.purpose]}", "dim")
    else:
        text.append("✗ ", "yellow")
        text.append(name, "strike")
        text.append(f"  {'stuck' if letter.status == 'stuck' else 'not posted'}: ", "yellow")
        text.append(words.reason(letter.reason), "yellow")
    for hold in letter.holds:
        text.append(
            f"\n  kept back since {words.moment(hold.start, zone)}: {words.reason(hold.reason)}", "dim"
        )
    return text


def _print_student(console: Console, outcome: Outcome, key: str, lines: list[_Line]) -> None:
    state = outcome.states[key]
    name = " ".join(x for x in (state.student.first_name, state.student.last_name) if x)
    console.print(Text(" · ".join(x for x in (key, name, state.zone) if x), "bold underline"))
    month = day = ""
    for line in sorted(lines, key=lambda line: (line.at, line.order)):
        wall = calendar.local(line.at, state.zone)
        new_month = f"{words.month(wall.date())} {wall.year}"
        new_day = words.day(wall.date()).rpartition(" ")[0]
        if new_month != month:
            console.print(Text(f"  {new_month}", "bold"))
            month, day = new_month, ""
        shown = new_day if new_day != day else ""
        day = new_day
        head = Text(f"    {shown:<7} {wall.hour:02d}:{wall.minute:02d}  ", "dim")
        first, *rest = line.text.split("\n")
        console.print(head + first, soft_wrap=True)
        for more in rest:
            console.print(Text(" " * 19) + more, soft_wrap=True)
    for run in state.runs:
        plan = outcome.definitions.plans[(run.sequence, run.version)]
        about = f" ({run.subject.key})" if run.subject else ""
        said = _OUTCOME[run.outcome]
        if run.outcome is None and run.step:
            said += f", at {run.step}" + (f" until {words.moment(run.due, state.zone)}" if run.due else "")
        console.print(Text(f"    → {plan.sequence.called}{about}: {said}", "dim"), soft_wrap=True)
    console.print()


_HOW = {"serious": ("✗", "red"), "mend": ("▲", "yellow"), "unknown": ("?", "dim"), "good": ("✓", "green")}


def print_check_up(console: Console, found: list[Check]) -> None:
    """The findings of a check-up, a line each, with what to do below."""
    for one in found:
        mark, colour = _HOW[one.how]
        console.print(
            Text(f"{mark} ", colour) + Text(f"{one.about}: ", "bold") + one.sentence, soft_wrap=True
        )
        if one.do:
            console.print(Text(f"    {one.do}", "dim"), soft_wrap=True)
