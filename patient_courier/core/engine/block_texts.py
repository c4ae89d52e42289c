"""What blocks print of their own accord: a course card's texts, a lesson's minutes, whether a block is shown at all.

These values have names that no merge field can have (``blocks/2.title``: the block's place and what it is), and are
decided with the letter, like those of its merge fields.
"""

from __future__ import annotations

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.conditions import Asked, holds
from patient_courier.core.engine.definitions import ReadyLetter
from patient_courier.core.engine.fields import Source, next_lesson, value
from patient_courier.core.letters.merge import Value
from patient_courier.core.school.blocks import (
    AnswersBlock,
    AnyBlock,
    ButtonBlock,
    CertificateBlock,
    ColumnsBlock,
    CourseCardBlock,
    DividerBlock,
    EventBlock,
    NextLessonBlock,
    NoteBlock,
    PictureBlock,
    SignatureBlock,
    SpaceBlock,
    TextBlock,
)
from patient_courier.core.school.values import THIS


def shown_name(place: str) -> str:
    """The name of the value that says whether the block at this place is shown."""
    return f"{place}.shown"


def own_values(letter: ReadyLetter, source: Source, now: Instant) -> dict[str, Value]:
    """Every such value of a letter, for one student at one moment."""
    found: dict[str, Value] = {}
    for place, block in letter.blocks:
        if block.only_if is not None:
            asked = Asked(source.definitions, source.state, now, source.subject)
            found[shown_name(place)] = holds(block.only_if, asked)
        for name, printed in _of_block(block, source).items():
            found[f"{place}.{name}"] = printed
    return found


def hidden_places(values: dict[str, Value]) -> list[str]:
    """The places of the blocks that are not shown, with a slash behind each."""
    return [
        name.removesuffix(".shown") + "/"
        for name, value in values.items()
        if name.endswith(".shown") and value is False
    ]


def _of_block(block: AnyBlock, source: Source) -> dict[str, Value]:
    match block:
        case CourseCardBlock():
            return card(block, source)
        case NextLessonBlock():
            lesson = next_lesson(source.definitions, source.state, source.key("course"))
            return {"minutes": lesson.minutes if lesson else None}
        case EventBlock():
            return {"when": _when(block, source)}
        case CertificateBlock():
            address = value("certificate.url", source)
            claim = {"claim": address is None, "link": address} if block.claim else {}
            return {"picture": f"{address}.png" if address else None, **claim}
        case (
            TextBlock()
            | ButtonBlock()
            | PictureBlock()
            | DividerBlock()
            | SpaceBlock()
            | SignatureBlock()
            | NoteBlock()
            | AnswersBlock()
            | ColumnsBlock()
        ):
            return {}


def starts_at(block: EventBlock, school_zone: str) -> Instant:
    """When an event begins."""
    return calendar.resolve(block.at, block.zone or school_zone)


def _when(block: EventBlock, source: Source) -> str:
    """“Thursday 5 March 2026, 19:00 (Lisbon)”, where the student lives."""
    zone = source.state.zone
    there = calendar.local(starts_at(block, source.definitions.school.timezone), zone)
    day = f"{_DAYS[there.date().day_of_week().value - 1]} {there.day} {calendar.MONTHS[there.month - 1]} {there.year}"
    return f"{day}, {there.hour:02d}:{there.minute:02d} ({calendar.town(zone)})"


_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


def card(block: CourseCardBlock, source: Source) -> dict[str, Value]:
    """Title, summary, picture, address and price of the course or offer a card shows; None for what there is not."""
    definitions = source.definitions
    offer = definitions.offers.get(block.offer or "")
    key = source.key("course") if block.course == THIS else block.course
    if key is None and offer is not None and len(offer.courses) == 1:
        key = offer.courses[0]
    course = definitions.courses.get(key or "")
    found: dict[str, Value] = {}
    for name in ("title", "summary", "picture", "url"):
        texts = [getattr(one, name) for one in (offer, course) if one is not None]
        found[name] = next((text for text in texts if text), None)
    found["price"] = offer.price if offer else None
    return found
