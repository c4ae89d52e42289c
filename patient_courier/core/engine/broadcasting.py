"""A broadcast under way: when it starts, who is on its list, and what becomes of each student's letter.

Guards, holds and text are those of sequences (``core/engine/guards.py``); one guard is its own: while a student is inside a
sequence that holds broadcasts, news passes them by or waits.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine import guards
from patient_courier.core.engine.conditions import Asked, holds
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.engine.facts import Sent
from patient_courier.core.engine.fields import Source
from patient_courier.core.engine.guards import Decision
from patient_courier.core.engine.happening import Subject
from patient_courier.core.engine.state import Hold, StudentState
from patient_courier.core.engine.trials import letter_of_broadcast
from patient_courier.core.letters.merge import Value
from patient_courier.core.school import conditions as c
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.values import THIS

# The earliest local time there is: UTC+14:00.
EARLIEST_HOURS = 14
INSIDE = "inside_sequence"


@dataclass(slots=True)
class Posting:
    """One student's letter of a broadcast; ``number`` is its place on the list.

    ``due`` is when the guards are asked next. While ``inside_since`` is set it waits for the student to come out,
    until ``due`` at the most.
    """

    broadcast: Broadcast
    number: int
    state: StudentState
    moment: Instant
    started: Instant
    due: Instant | None
    too_late: bool = False
    inside_since: Instant | None = None
    held: list[Hold] = field(default_factory=list)
    done: bool = False
    dirty: bool = False  # changed since it was last stored


@dataclass(frozen=True, slots=True)
class Coming:
    """Broadcasts that have letters to come: scheduled ones, the letters of those under way, and the place of each."""

    scheduled: list[Broadcast] = field(default_factory=list)
    postings: list[Posting] = field(default_factory=list)
    order: Mapping[str, int] = field(default_factory=dict)


def subject_of(broadcast: Broadcast) -> Subject | None:
    """What ``this`` and the merge fields mean: the broadcast's course."""
    if broadcast.course is None:
        return None
    return Subject("course", broadcast.course, (("course", broadcast.course),))


def settled(condition: Condition, course: str | None) -> Condition:
    """The condition with the broadcast's course in the place of ``this``; ``this`` for anything else is false."""
    nobody = c.Any_(any=[])
    match condition:
        case c.All():
            return c.All(all=[settled(part, course) for part in condition.all])
        case c.Any_():
            return c.Any_(any=[settled(part, course) for part in condition.any])
        case c.Not():
            return c.Not.model_validate({"not": settled(condition.not_, course)})
        case c.IsField():
            return condition
        case c.Leaf():
            pass
    named = {name for name in type(condition).model_fields if getattr(condition, name) == THIS}
    if not named:
        return condition
    if named != {"course"} or course is None:
        return nobody
    return condition.model_copy(update={"course": course})


def start_of(broadcast: Broadcast, school_zone: str) -> Instant:
    """When the list is drawn up."""
    if broadcast.zone == "school":
        return calendar.resolve(broadcast.at, school_zone)
    return broadcast.at.assume_utc().subtract(hours=EARLIEST_HOURS)


def draw_up(
    definitions: Definitions, broadcast: Broadcast, states: Iterable[StudentState], now: Instant
) -> list[Posting]:
    """The list, once and for all, in the order of the students."""
    subject, without = subject_of(broadcast), set(broadcast.without)
    moment_of = moments(definitions, broadcast, now)
    found: list[Posting] = []
    for state in states:
        if state.student.key in without:
            continue
        if broadcast.to is not None and not holds(broadcast.to, Asked(definitions, state, now, subject)):
            continue
        moment = moment_of(state.zone)
        found.append(Posting(broadcast, len(found), state, moment.due, now, moment.due, too_late=moment.late))
    return found


@dataclass(frozen=True, slots=True)
class Moment:
    """When a letter of a broadcast is due for those of one zone, and whether their hour was past when it started."""

    due: Instant
    late: bool


def moments(definitions: Definitions, broadcast: Broadcast, now: Instant) -> Callable[[str], Moment]:
    """The moment for each zone, as the list is drawn up now; each zone is worked out once."""

    @cache
    def of(zone: str) -> Moment:
        moment = now if broadcast.zone == "school" else calendar.resolve(broadcast.at, zone)
        return Moment(max(moment, now), moment < now)

    return of


def is_inside(definitions: Definitions, state: StudentState) -> bool:
    """Whether the student has an open run in a sequence that holds broadcasts, whatever its status."""
    return any(definitions.sequences[run.sequence].sequence.holds_broadcasts for run in state.open.values())


def ask(definitions: Definitions, posting: Posting, now: Instant) -> LetterDecided:
    """Ask the guards for one letter: ``held`` when it is kept back, with ``due`` set. A letter that is sent becomes a fact."""
    broadcast, state = posting.broadcast, posting.state
    posting.dirty = True
    letter = definitions.letters[letter_of_broadcast(broadcast, state.student.key)]
    subject = subject_of(broadcast)
    values = guards.field_values(letter, Source(definitions, state, subject, posting.started), now)
    decision = _decide(definitions, posting, values, now)
    if posting.inside_since is not None and decision.reason != INSIDE:
        _come_out(posting, now)
    if decision.verdict == "hold":
        posting.due = decision.until
        if decision.reason == INSIDE:
            posting.inside_since = posting.inside_since or now
        else:
            assert decision.until and decision.reason
            posting.held.append(Hold(now, decision.until, decision.reason))
    else:
        if posting.inside_since is not None:
            _come_out(posting, now)
        posting.done, posting.due = True, None
    if decision.verdict == "send":
        state.facts.sent.append(Sent(letter.letter.key, letter.letter.purpose, now, None, broadcast.course))
    return guards.decided(
        letter,
        state,
        values,
        decision,
        now,
        posting.held,
        run=0,
        sequence="",
        step="",
        round="1",
        broadcast=broadcast.key,
        course=broadcast.course,
    )


def _come_out(posting: Posting, now: Instant) -> None:
    """The hold of being inside is over: it lasted until the guards were asked again."""
    assert posting.inside_since is not None
    posting.held.append(Hold(posting.inside_since, now, INSIDE))
    posting.inside_since = None


def _decide(definitions: Definitions, posting: Posting, values: dict[str, Value], now: Instant) -> Decision:
    """Too late, the refusals, being inside, the text, the holds; the first that applies."""
    broadcast, state = posting.broadcast, posting.state
    letter = definitions.letters[letter_of_broadcast(broadcast, state.student.key)]
    if posting.too_late and broadcast.late == "skip":
        return Decision("skip", "too_late")
    return guards.decide(
        definitions,
        letter,
        state,
        broadcast.course,
        broadcast.posting_hours,
        values,
        now,
        own=lambda: _inside(definitions, posting, letter.letter.purpose, now),
    )


def _inside(definitions: Definitions, posting: Posting, purpose: str, now: Instant) -> Decision | None:
    broadcast, state = posting.broadcast, posting.state
    if purpose != "news" or not is_inside(definitions, state):
        return None
    if broadcast.inside == "pass_by":
        return Decision("skip", INSIDE)
    ends = calendar.add(posting.moment, broadcast.within.value, state.zone) if broadcast.within else None
    if ends is not None and now >= ends:
        return Decision("skip", INSIDE)
    return Decision("hold", INSIDE, ends)
