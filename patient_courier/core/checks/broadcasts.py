"""Findings in a broadcast before it is scheduled."""

from __future__ import annotations

from collections.abc import Iterator

from patient_courier.core.checks.finding import Finding
from patient_courier.core.definitions import Definitions
from patient_courier.core.merge import FREE_PREFIX
from patient_courier.core.school.broadcasts import Broadcast

_ALWAYS = ("student", "school", "links", "event")
_OF_A_COURSE = ("course", "next_lesson", "certificate")


def broadcast_findings(definitions: Definitions, broadcast: Broadcast) -> list[Finding]:
    """What a broadcast can't fill, whom it must not be meant for, and what in it does nothing; faults first."""
    found = list(_findings(definitions, broadcast))
    return sorted(found, key=lambda finding: finding.level != "fault")


def _findings(definitions: Definitions, broadcast: Broadcast) -> Iterator[Finding]:
    letter = definitions.letters[broadcast.letter]
    groups = _ALWAYS + (_OF_A_COURSE if broadcast.course else ())
    names = dict.fromkeys(field.name for _, template in letter.templates for field in template.fields)
    for name in names:
        if name.startswith(FREE_PREFIX) or name.partition(".")[0] in groups:
            continue
        mend = " Say which course it is about." if name.partition(".")[0] in _OF_A_COURSE else ""
        sentence = f"A broadcast can't fill the merge field {name}.{mend}"
        yield Finding("fault", "field_not_here", sentence, letter=broadcast.letter, pointer="/letter")
    if letter.letter.purpose == "service":
        sentence = (
            "A service letter also reaches those who stopped news, and it is not held for hours or limits. "
            "If it is no part of what they bought, make it a news letter."
        )
        yield Finding("warning", "purpose", sentence, letter=broadcast.letter, pointer="/letter")
    if broadcast.within is not None and broadcast.inside == "pass_by":
        sentence = (
            "Students inside a sequence are passed by, so there is nothing to wait for “within” that time."
        )
        yield Finding("warning", "no_effect", sentence, letter=broadcast.letter, pointer="/within")
