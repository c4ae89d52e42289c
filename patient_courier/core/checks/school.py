"""All findings of one sequence, and of a whole school."""

from __future__ import annotations

from collections.abc import Iterator

from patient_courier.core.checks.fields import field_findings, origins
from patient_courier.core.checks.finding import Finding, Lacking
from patient_courier.core.checks.flow import flow_findings
from patient_courier.core.checks.letters import letter_findings
from patient_courier.core.checks.spots import spots
from patient_courier.core.checks.together import together_findings
from patient_courier.core.checks.trials import NOTHING_DRAWN, Drawn, trial_findings
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import sequence_faults
from patient_courier.core.school import sequences as s

NOBODY = Lacking()


def sequence_findings(
    definitions: Definitions, plan: Plan, lacking: Lacking = NOBODY, drawn: Drawn = NOTHING_DRAWN
) -> list[Finding]:
    """Everything to say about one sequence and the letters as it uses them, faults first.

    ``definitions`` must hold the sequence in the form that is asked about.
    """
    sequence = plan.sequence
    steps = list(spots(sequence.steps))
    by_pointer = {spot.pointer: spot.step.id for spot in steps}
    found = [
        Finding(
            "fault",
            "reference",
            _sentence(fault.sentence),
            plan.key,
            step=_step_at(by_pointer, fault.pointer),
            pointer=fault.pointer,
        )
        for fault in sequence_faults("", sequence, Known.of_definitions(definitions))
    ]
    if not origins(definitions, plan):
        found.append(
            Finding(
                "fault",
                "no_start",
                "Nothing starts this sequence. Say what puts a student into it.",
                plan.key,
                pointer="/starts",
            )
        )
    if not sequence.steps:
        found.append(
            Finding(
                "fault",
                "no_steps",
                "There are no steps yet. Add the letter that goes out first.",
                plan.key,
                pointer="/steps",
            )
        )
    found += flow_findings(definitions, sequence)
    found += together_findings(definitions, plan)
    found += trial_findings(definitions, sequence, drawn)
    for spot in steps:
        for letter in (
            definitions.letters[key].letter for key in s.posted_by(spot.step) if key in definitions.letters
        ):
            found += [
                Finding(x.level, x.code, x.sentence, plan.key, letter.key, spot.step.id, spot.pointer, x.mend)
                for x in letter_findings(definitions, letter)
            ]
            found += field_findings(definitions, plan, spot.step.id, spot.pointer, letter, lacking)
    return sorted(found, key=lambda finding: finding.level)


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}."


def _step_at(by_pointer: dict[str, str], pointer: str) -> str | None:
    """The innermost step whose place the pointer lies in."""
    while pointer:
        if pointer in by_pointer:
            return by_pointer[pointer]
        pointer = pointer.rpartition("/")[0]
    return None


def school_findings(definitions: Definitions, lacking: Lacking = NOBODY) -> list[Finding]:
    """The findings of every sequence that is not closed, of every letter by itself, and letters that nothing uses."""
    found: list[Finding] = []
    used: set[str] = set()
    for plan in definitions.sequences.values():
        used |= plan.letters
        if plan.sequence.status != "closed":
            found += sequence_findings(definitions, plan, lacking)
    found += _idle_letters(definitions, used)
    return sorted(found, key=lambda finding: finding.level)


def _idle_letters(definitions: Definitions, used: set[str]) -> Iterator[Finding]:
    for key, ready in definitions.letters.items():
        if key not in used:
            yield from letter_findings(definitions, ready.letter)
            name = ready.letter.called
            yield Finding("warning", "unused_letter", f"Nothing uses the letter “{name}”.", letter=key)
