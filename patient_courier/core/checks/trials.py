"""Findings about trials and versions: nobody is held back from what they need, and versions are of one kind."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from patient_courier.core.checks.finding import Finding
from patient_courier.core.checks.spots import spots
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school import sequences as s
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.trials import Posts, Trial


@dataclass(frozen=True, slots=True)
class Drawn:
    """What has been drawn already: the trials that runs have begun with, and by step the shares that letters were drawn with."""

    trials: Sequence[Trial] = ()
    shares: Mapping[str, Sequence[int]] = field(default_factory=dict)


NOTHING_DRAWN = Drawn()
PURPOSES_DIFFER = "Versions are compared, so they are letters of one purpose. Give them all the same."


def several_purposes(definitions: Definitions, posts: Posts) -> bool:
    """Whether the versions are letters of more than one purpose."""
    purposes = {
        definitions.letters[key].letter.purpose for key in posts.letters if key in definitions.letters
    }
    return len(purposes) > 1


def holding_back_from(definitions: Definitions, letter: Letter) -> s.Sequence | None:
    """A sequence that would hold students back from this letter, were it saved as it is; None when none would.

    Drafts are checked when they are switched on, and what is closed begins with nobody.
    """
    if letter.purpose != "service":
        return None
    for plan in definitions.sequences.values():
        holds = plan.sequence.trial is not None and plan.sequence.status in ("running", "paused")
        if holds and letter.key in plan.letters:
            return plan.sequence
    return None


def trial_findings(definitions: Definitions, sequence: s.Sequence, drawn: Drawn) -> Iterator[Finding]:
    """Service letters and certificates in a sequence that holds students back; versions of several purposes; lots that changed."""
    yield from _changed(sequence, drawn)
    for spot in spots(sequence.steps):
        step = spot.step
        if isinstance(step, s.Send) and several_purposes(definitions, step):
            yield Finding(
                "fault",
                "purposes_differ",
                PURPOSES_DIFFER,
                sequence.key,
                step=step.id,
                pointer=f"{spot.pointer}/versions",
            )
        if sequence.trial is None:
            continue
        for key in s.posted_by(step):
            found = definitions.letters.get(key)
            if found is not None and found.letter.purpose == "service":
                sentence = (
                    f"“{found.letter.called}” is a service letter, and this sequence holds students back. Nobody is held "
                    "back from what they need: post it from a sequence without a trial."
                )
                yield Finding(
                    "fault", "service_held_back", sentence, sequence.key, key, step.id, spot.pointer
                )
        if isinstance(step, s.CertificateStep):
            sentence = (
                "This sequence holds students back, and nobody is held back from a certificate: issue it from a sequence "
                "without a trial."
            )
            yield Finding(
                "fault", "certificate_held_back", sentence, sequence.key, step=step.id, pointer=spot.pointer
            )


def _changed(sequence: s.Sequence, drawn: Drawn) -> Iterator[Finding]:
    trial = sequence.trial
    before = next((one for one in drawn.trials if trial is not None and one.key == trial.key), None)
    if trial is not None and before is not None and not _alike(before, trial):
        sentence = (
            "Students are in this trial already, so its share, its goal and its time stay as they are. End it, and begin "
            "another one."
        )
        yield Finding("fault", "trial_changed", sentence, sequence.key, pointer="/trial")
    for spot in spots(sequence.steps):
        step = spot.step
        shares = drawn.shares.get(step.id)
        now = [version.share for version in step.versions or ()] if isinstance(step, s.Send) else []
        if now and shares is not None and now != list(shares):
            sentence = "Letters have been drawn here already, so the shares stay as they are. For other shares, add a new step."
            yield Finding(
                "fault",
                "shares_changed",
                sentence,
                sequence.key,
                step=step.id,
                pointer=f"{spot.pointer}/versions",
            )


def _alike(one: Trial, other: Trial) -> bool:
    return (one.hold_back, one.goal, one.within.value) == (other.hold_back, other.goal, other.within.value)
