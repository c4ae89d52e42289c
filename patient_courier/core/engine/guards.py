"""Send, skip, hold or stuck, with the reason, at the moment of sending."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.block_texts import hidden_places, own_values
from patient_courier.core.engine.definitions import Definitions, ReadyLetter
from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.engine.fields import Source, value
from patient_courier.core.engine.state import Hold, StudentState
from patient_courier.core.letters.merge import Value, one_line
from patient_courier.core.school.values import PostingHours

_LIMITED = ("course_help", "news")


@dataclass(frozen=True, slots=True)
class Decision:
    """What becomes of a letter now: ``send``, ``skip``, ``stuck``, or ``hold`` until a moment."""

    verdict: str
    reason: str | None = None
    until: Instant | None = None


# What a verdict makes of the letter.
STATUS = {"send": "sent", "skip": "skipped", "stuck": "stuck", "hold": "held", "drop": "dropped"}


def field_values(letter: ReadyLetter, source: Source, now: Instant) -> dict[str, Value]:
    """The value of every merge field the letter uses, and what its blocks print of their own accord."""
    return {name: value(name, source) for name in letter.field_names} | own_values(letter, source, now)


def subject_line(letter: ReadyLetter, values: dict[str, Value], zone: str) -> str:
    """The subject as it goes out: never escaped, always one line."""
    return one_line(letter.subject.render(values, zone, html=False))


def blank_field(letter: ReadyLetter, values: dict[str, Value], zone: str) -> Decision | None:
    """Stuck, when a merge field has no value and no fallback; the first in reading order is named.

    Fields in blocks that this student does not see are not asked for.
    """
    hidden = tuple(hidden_places(values))
    for place, template in letter.needing:
        if place.startswith(hidden):
            continue
        name = template.first_blank(values, zone)
        if name:
            return Decision("stuck", f"blank_field: {name}")
    return None


def unready(letter: ReadyLetter, values: dict[str, Value], zone: str) -> Decision | None:
    """Stuck at the moment of handing over: a blank field, or a note to self that stands in the newest text.

    Asked of what is about to be posted, not when it is decided.
    """
    if letter.has_note:
        return Decision("stuck", "note_to_self")
    return blank_field(letter, values, zone)


def refusal(letter: ReadyLetter, state: StudentState, course: str | None, now: Instant) -> Decision | None:
    """The first reason not to send this letter, about a course or none, to this student at all."""
    facts, purpose = state.facts, letter.letter.purpose
    if facts.bounced:
        return Decision("skip", "address_bounced")
    if facts.complained:
        return Decision("skip", "complained")
    if purpose == "news" and not facts.news:
        return Decision("skip", "news_off")
    if purpose == "course_help" and course in facts.help_stopped:
        return Decision("skip", "course_help_off")
    if purpose != "news" and course is not None and facts.status(course) in ("refunded", "expired"):
        return Decision("skip", "not_enrolled")
    gap = letter.letter.min_gap
    if gap is not None:
        earlier = [sent.at for sent in facts.sent if sent.letter == letter.letter.key]
        if earlier and now < calendar.add(max(earlier), gap.value, state.zone):
            return Decision("skip", "min_gap")
    return None


def hold(
    letter: ReadyLetter,
    state: StudentState,
    hours: calendar.OpenHours | None,
    daily_limit: int | None,
    now: Instant,
) -> Decision | None:
    """A reason to keep the letter back for a while; service letters are never kept back."""
    if letter.letter.purpose not in _LIMITED:
        return None
    if hours is not None and not hours.is_open(now):
        return Decision("hold", "outside_hours", hours.next_opening(now))
    if daily_limit is None:
        return None
    today = calendar.local_date(now, state.zone)
    had = sum(
        s.purpose in _LIMITED and calendar.local_date(s.at, state.zone) == today for s in state.facts.sent
    )
    if had < daily_limit:
        return None
    if hours is None:
        wall = calendar.local(now, state.zone)
        return Decision(
            "hold", "daily_limit", calendar.resolve(today.add(days=1).at(wall.time()), state.zone)
        )
    tomorrow = calendar.local_date(now, hours.zone).add(days=1)
    return Decision("hold", "daily_limit", hours.next_opening(now, not_before=tomorrow))


def hours_of(
    definitions: Definitions, own: str | PostingHours | None, state: StudentState
) -> calendar.OpenHours | None:
    """The posting hours that a sequence or a broadcast keeps for this student; None is always open."""
    hours = definitions.school.posting_hours if own == "school" else own
    if hours is None or isinstance(hours, str):
        return None
    zone = state.zone if hours.zone == "student" else definitions.school.timezone
    return calendar.OpenHours(hours.from_, hours.to, frozenset(hours.days), zone)


def decide(
    definitions: Definitions,
    letter: ReadyLetter,
    state: StudentState,
    course: str | None,
    posting_hours: str | PostingHours | None,
    values: dict[str, Value],
    now: Instant,
    *,
    own: Callable[[], Decision | None] = lambda: None,
) -> Decision:
    """Ask all guards in their order: refusals, a broadcast's ``own``, the text, holds; the first that applies decides."""
    return (
        refusal(letter, state, course, now)
        or own()
        or blank_field(letter, values, state.zone)
        or hold(
            letter, state, hours_of(definitions, posting_hours, state), definitions.school.daily_limit, now
        )
        or Decision("send")
    )


def decided(
    letter: ReadyLetter,
    state: StudentState,
    values: dict[str, Value],
    decision: Decision,
    now: Instant,
    holds: Iterable[Hold],
    **where: Any,
) -> LetterDecided:
    """What was decided of a letter, as an effect; ``where`` are the fields of it that say which delivery it is."""
    return LetterDecided(
        at=now,
        student=state.student.key,
        letter=letter.letter.key,
        letter_version=letter.version,
        purpose=letter.letter.purpose,
        status=STATUS[decision.verdict],
        subject=subject_line(letter, values, state.zone),
        reason=decision.reason,
        holds=tuple(holds),
        values=values,
        **where,
    )
