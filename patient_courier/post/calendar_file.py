"""A date in a letter as a calendar file (RFC 5545)."""

from __future__ import annotations

from datetime import timedelta

from icalendar import Calendar, Event
from whenever import Instant

from patient_courier.core.engine.block_texts import shown_name, starts_at
from patient_courier.core.letters.merge import Template, Value
from patient_courier.core.school.blocks import EventBlock
from patient_courier.post.prepared import Prepared


def calendar_files(
    prepared: Prepared, values: dict[str, Value], zone: str, school_zone: str, domain: str, stamp: Instant
) -> list[bytes]:
    """The files of the dates that this student sees."""
    return [
        calendar_file(prepared.key, place, block, values, zone, school_zone, domain, stamp)
        for place, block in prepared.events
        if values.get(shown_name(place)) is not False
    ]


def calendar_file(
    letter: str,
    place: str,
    block: EventBlock,
    values: dict[str, Value],
    zone: str,
    school_zone: str,
    domain: str,
    stamp: Instant,
) -> bytes:
    """One date. Its UID is the same in every copy of the letter, so that a calendar keeps it once; times are UTC."""

    def text(template: str) -> str:
        return Template.parse(template).render(values, zone, html=False)

    begins = starts_at(block, school_zone).to_stdlib()
    event = Event()
    event.add("uid", f"{letter}.{place.replace('/', '.')}@{domain}")
    event.add("dtstamp", stamp.to_stdlib())
    event.add("dtstart", begins)
    event.add("dtend", begins + timedelta(minutes=block.minutes))
    event.add("summary", text(block.title))
    if block.place:
        event.add("location", text(block.place))
    if block.url:
        event.add("url", text(block.url))
        event.add("description", text(block.url))
    calendar = Calendar()
    calendar.add("prodid", "-//Patient Courier//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add_component(event)
    return bytes(calendar.to_ical())
