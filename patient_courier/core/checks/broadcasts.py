"""Findings in a broadcast before it is scheduled."""

from __future__ import annotations

from collections.abc import Iterator

from patient_courier.core.checks.finding import Finding, Mend
from patient_courier.core.checks.letters import letter_findings
from patient_courier.core.checks.trials import PURPOSES_DIFFER, several_purposes
from patient_courier.core.engine.definitions import Definitions, ReadyLetter
from patient_courier.core.letters.merge_fields import field_words, known_field
from patient_courier.core.school.broadcasts import Broadcast

_SERVICE = (
    "A service letter also reaches those who stopped news, at any hour. Use it for what they bought: a changed date, a "
    "link that moved. For anything else the law wants their consent (in the EU: Directive 2002/58/EC, Article 13), and so "
    "do good manners."
)


def _as_news(letter: ReadyLetter) -> Mend:
    patch = ({"op": "replace", "path": "/purpose", "value": "news"},)
    return Mend("Make it a news letter", "letter", letter.letter.key, patch)


def broadcast_findings(definitions: Definitions, broadcast: Broadcast) -> list[Finding]:
    """What a broadcast can't fill, whom it must not be meant for, and what in it does nothing; faults first."""
    found = list(_findings(definitions, broadcast))
    return sorted(found, key=lambda finding: finding.level != "fault")


def with_letter(definitions: Definitions, broadcast: Broadcast) -> list[Finding]:
    """The findings of a broadcast and of its letter, each said once; faults first."""
    found = list(_findings(definitions, broadcast))
    said = {finding.code for finding in found}
    for key in broadcast.letters:
        letter = definitions.letters[key].letter
        found += [
            x for x in letter_findings(definitions, letter) if x.code != "purpose" or x.code not in said
        ]
    return sorted(found, key=lambda finding: finding.level != "fault")


def _findings(definitions: Definitions, broadcast: Broadcast) -> Iterator[Finding]:
    for key in broadcast.letters:
        yield from _of_letter(definitions, broadcast, definitions.letters[key])
    if several_purposes(definitions, broadcast):
        yield Finding("fault", "purposes_differ", PURPOSES_DIFFER, pointer="/versions")
    if broadcast.within is not None and broadcast.inside == "pass_by":
        sentence = (
            "Students inside a sequence are passed by, so there is nothing to wait for “within” that time."
        )
        yield Finding("warning", "no_effect", sentence, letter=broadcast.letters[0], pointer="/within")


def _of_letter(definitions: Definitions, broadcast: Broadcast, letter: ReadyLetter) -> Iterator[Finding]:
    key = letter.letter.key
    names = dict.fromkeys(field.name for _, template in letter.templates for field in template.fields)
    for name in names:
        known = known_field(name)
        about = known.about if known else None
        if about is None or (about == "course" and broadcast.course):
            continue
        mend = " Say which course it is about." if about == "course" else ""
        sentence = f"A broadcast can't fill the merge field “{field_words(name)}”.{mend}"
        yield Finding("fault", "field_not_here", sentence, letter=key, pointer="/letter")
    if letter.letter.purpose == "service":
        yield Finding("warning", "purpose", _SERVICE, letter=key, pointer="/letter", mend=_as_news(letter))
