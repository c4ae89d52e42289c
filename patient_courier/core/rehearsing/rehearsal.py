"""Running sequences in pretend time, posting nothing."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass, field
from typing import Any

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.calendar.duration import Duration
from patient_courier.core.engine.agenda import Agenda, Limits
from patient_courier.core.engine.broadcasting import start_of
from patient_courier.core.engine.definitions import Definitions, ready
from patient_courier.core.engine.effects import (
    BroadcastStarted,
    CallMade,
    CertificateIssued,
    Effect,
    LetterDecided,
    NotBegun,
    Noted,
    TagChanged,
    Warned,
)
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.plan import Plan
from patient_courier.core.engine.state import Hold, StudentState, new_state
from patient_courier.core.engine.trials import counted, results, side
from patient_courier.core.school.events import Event, TagEvent
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.trials import Trial
from patient_courier.core.school.values import local_text, moment_text
from patient_courier.core.telling.story import broadcast_story, not_begun, story

LONGEST = Duration(months=24)
SHOWN = ("sent", "skipped", "stuck")
# An hourly repeat over two years stays below this.
REHEARSED = Limits(of_a_run=20_000, in_all=2_000_000)


@dataclass
class Outcome:
    """What a rehearsal brought about, each list in order of occurrence."""

    definitions: Definitions
    states: dict[str, StudentState]
    effects: list[Effect] = field(default_factory=list)  # everything, in order of occurrence
    letters: list[LetterDecided] = field(default_factory=list)
    tags: list[TagChanged] = field(default_factory=list)
    certificates: list[CertificateIssued] = field(default_factory=list)
    not_begun: list[NotBegun] = field(default_factory=list)
    broadcasts: list[BroadcastStarted] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    ended: Instant = Instant.MIN  # up to when it was played

    def note(self, effect: Effect) -> None:
        self.effects.append(effect)
        match effect:
            case Noted():
                pass  # first, since most are events
            case LetterDecided() if effect.status in SHOWN:
                self.letters.append(effect)
            case TagChanged():
                self.tags.append(effect)
            case CertificateIssued():
                self.certificates.append(effect)
            case NotBegun():
                self.not_begun.append(effect)
            case BroadcastStarted():
                self.broadcasts.append(effect)
            case Warned():
                self.warnings.append(effect.text)
            case LetterDecided() | CallMade():
                pass

    def why_not_begun(self, found: NotBegun) -> str:
        """Why a sequence did not begin, as a sentence; times are the student's."""
        state = self.states[found.student]
        cause = dict(state.log).get(found.cause)
        return not_begun(self.definitions, found.sequence, cause, found.refused_by, found.at, state.zone)

    def story(self, letter: LetterDecided) -> list[str]:
        """Why a letter went out or not, as ordered sentences; times are the student's."""
        state = self.states[letter.student]
        if letter.broadcast is not None:
            began = next((x.at for x in self.broadcasts if x.broadcast == letter.broadcast), None)
            return broadcast_story(
                letter.broadcast,
                state.zone,
                started=began,
                purpose=letter.purpose,
                status=letter.status,
                reason=letter.reason,
                at=letter.at,
                holds=[(hold.start, hold.until, hold.reason) for hold in letter.holds],
            )
        run = next(run for run in state.runs if run.number == letter.run)
        events = dict(state.log)
        return story(
            self.definitions,
            self.definitions.plans[(run.sequence, run.version)],
            events.get(run.cause),
            run.trail[: letter.story],
            events,
            started=run.started,
            zone=state.zone,
            purpose=letter.purpose,
            status=letter.status,
            reason=letter.reason,
            at=letter.at,
            holds=[(hold.start, hold.until, hold.reason) for hold in letter.holds],
            to=letter.to,
        )

    def as_json(self) -> dict[str, Any]:
        """The published form: plain lists and texts, ready for a JSON writer."""
        runs = sorted(
            (run for state in self.states.values() for run in state.runs), key=lambda run: run.number
        )
        student_of = {run.number: key for key, state in self.states.items() for run in state.runs}
        return {
            "letters": [self._letter(letter) for letter in self.letters],
            "tags": [
                {"at": moment_text(tag.at), "student": tag.student, "tag": tag.tag, "change": tag.change}
                for tag in self.tags
            ],
            "certificates": [
                {"at": moment_text(found.at), "student": found.student, "course": found.course}
                for found in self.certificates
            ],
            "runs": [
                {
                    "student": student_of[run.number],
                    "sequence": run.sequence,
                    "subject": run.subject.key if run.subject else None,
                    "started": moment_text(run.started),
                    "ended": moment_text(run.ended) if run.ended else None,
                    "outcome": run.outcome or "open",
                    "step": run.step,
                }
                for run in runs
            ],
            "broadcasts": [
                {
                    "broadcast": found.broadcast,
                    "started": moment_text(found.at),
                    "recipients": found.recipients,
                }
                for found in self.broadcasts
            ],
            "trials": self.trials(),
            "warnings": self.warnings,
        }

    def trials(self) -> list[dict[str, Any]]:
        """What the trials have come to, in the published form, in the order of the sequences."""
        return [
            self._trial(plan.key, plan.sequence.trial)
            for plan in self.definitions.sequences.values()
            if plan.sequence.trial is not None
        ]

    def _trial(self, sequence: str, trial: Trial) -> dict[str, Any]:
        """What the trial of a sequence has come to at the end."""
        runs = [run for state in self.states.values() if (run := counted(state, sequence, trial))]
        found = list(results(trial, runs, self.ended))
        return {
            "sequence": sequence,
            "trial": trial.key,
            "written_to": asdict(side(found, held_back=False)),
            "held_back": asdict(side(found, held_back=True)),
        }

    def _letter(self, letter: LetterDecided) -> dict[str, Any]:
        found: dict[str, Any] = {
            "at": moment_text(letter.at),
            "local": local_text(calendar.local(letter.at, self.states[letter.student].zone)),
            "student": letter.student,
            "sequence": None if letter.broadcast else letter.sequence,
            "step": None if letter.broadcast else letter.step,
            "broadcast": letter.broadcast,
            "letter": letter.letter,
            "purpose": letter.purpose,
            "subject": letter.subject,
            "status": letter.status,
            "reason": letter.reason,
            "held": [_hold(hold) for hold in letter.holds],
        }
        if letter.to is not None:
            found["to"] = list(letter.to) if isinstance(letter.to, tuple) else letter.to
        return found


def _hold(hold: Hold) -> dict[str, str]:
    return {"from": moment_text(hold.start), "until": moment_text(hold.until), "reason": hold.reason}


def definitions_of(file: SchoolFile) -> Definitions:
    """The definitions in a school file."""
    plans = [Plan(sequence, order=order) for order, sequence in enumerate(file.sequences)]
    tags = {tag for student in file.students for tag in student.tags}
    tags |= {event.tag for event in file.events if isinstance(event, TagEvent)}
    return Definitions(
        file.school,
        file.courses,
        file.offers,
        [ready(letter) for letter in file.letters],
        plans,
        student_tags=sorted(tags),
        layouts=file.layouts,
        seal=file.seal or "",
    )


def rehearse(file: SchoolFile, *, until: Instant | None = None, student: str | None = None) -> Outcome:
    """Play the events of a school file and all that follows from them.

    Stops at ``until`` (inclusive), else at the file's, else when nothing is
    left to happen, or two years after the first event (without one, the first start of a broadcast). With ``student`` only
    that student takes part.
    """
    definitions = definitions_of(file)
    zone = definitions.school.timezone
    states = {
        found.key: new_state(found, definitions.school, order)
        for order, found in enumerate(file.students)
        if student in (None, found.key)
    }
    outcome = Outcome(definitions, states)
    agenda = Agenda(Engine(definitions), outcome.note, limits=REHEARSED)
    # Ids and the two years are the whole school's, so that one student alone fares as among the others.
    events = in_order(file.events)
    agenda.add_events((states[event.student], event) for event in events if event.student in states)
    agenda.add_broadcasts(file.broadcasts, states.values())
    starts = [start_of(found, zone) for found in file.broadcasts if found.status == "scheduled"]
    begins = events[0].at if events else min(starts, default=None)
    if begins is not None:
        outcome.ended = until or file.until or calendar.add(begins, LONGEST, zone)
        agenda.run_until(outcome.ended)
        if agenda.cut_short:
            outcome.ended = agenda.now
    return outcome


def rehearse_moves(
    definitions: Definitions, state: StudentState, events: Iterable[Event], until: Instant
) -> Outcome:
    """Let one student do something, from the facts they have, and see what follows up to ``until``. Uses up the state."""
    outcome = Outcome(definitions, {state.student.key: state})
    agenda = Agenda(Engine(definitions), outcome.note, limits=REHEARSED)
    agenda.add_events((state, event) for event in in_order(events))
    agenda.run_until(until)
    return outcome


def play_on(
    definitions: Definitions,
    state: StudentState,
    events: Iterable[Event],
    now: Instant,
    until: Instant,
    moved: str | None,
) -> Outcome:
    """Let a student go on from where they stand, and see what follows up to ``until``. Uses up the state.

    Their runs of the sequence ``moved`` go on in the form that is in force in these definitions.
    """
    outcome = Outcome(definitions, {state.student.key: state})
    engine = Engine(definitions)
    for run in [one for one in state.open_runs() if one.sequence == moved]:
        for effect in engine.move(state, run, now):
            outcome.note(effect)
    agenda = Agenda(engine, outcome.note, now, REHEARSED)
    agenda.add_student(state)
    agenda.add_events((state, event) for event in in_order(events))
    agenda.run_until(until)
    return outcome


def in_order(events: Iterable[Event]) -> list[Event]:
    """Events in order of their time, ties as in the file; of those with the same id only the first to come."""
    ordered = sorted(events, key=lambda event: event.at)
    seen: set[str] = set()
    kept = []
    for event in ordered:
        if event.id is None or event.id not in seen:
            kept.append(event)
            seen.add(event.id or "")
    return kept
