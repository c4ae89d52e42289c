"""Durations against published examples, and a weekly repeat against RFC 5545 recurrence rules."""

from datetime import timedelta
from zoneinfo import ZoneInfo

import icalendar
import pytest
import recurring_ical_events

from patient_courier.core.calendar.duration import Duration
from tests.schools import bought, play, send, sequence, wait

DAY, HOUR, SECOND = 86_400_000_000_000, 3_600_000_000_000, 1_000_000_000

# RFC 3339 appendix A gives the grammar of ISO 8601 durations; its rules, one instance each.
# RFC 5545 section 3.3.6: “P15DT5H0M20S” (15 days, 5 hours, 20 seconds) and “P7W” (7 weeks).
# ISO 8601-1:2019 5.5.2, from memory: “P3Y6M4DT12H30M5S”, “P23DT23H”, “PT36H”, “P1DT12H”, “P1M”, “PT1M”, “P4W”.
PUBLISHED = [
    ("P15DT5H0M20S", Duration(0, 15, 5 * HOUR + 20 * SECOND)),
    ("P7W", Duration(0, 49, 0)),
    ("P3Y6M4DT12H30M5S", Duration(42, 4, 12 * HOUR + 1805 * SECOND)),
    ("P23DT23H", Duration(0, 23, 23 * HOUR)),
    ("PT36H", Duration(0, 0, 36 * HOUR)),
    ("P1DT12H", Duration(0, 1, 12 * HOUR)),
    ("P1M", Duration(1, 0, 0)),
    ("PT1M", Duration(0, 0, 60 * SECOND)),
    ("P4W", Duration(0, 28, 0)),
    ("P1Y", Duration(12, 0, 0)),
]


@pytest.mark.parametrize(("text", "expected"), PUBLISHED)
def test_published_durations(text, expected):
    assert Duration.parse(text) == expected
    assert Duration.parse(str(expected)) == expected


# Refused by the grammar of RFC 3339 appendix A: a designator without a part, parts out of order, no digits, a sign.
@pytest.mark.parametrize(
    "text", ["P", "PT", "P1DT", "P1S", "PT1D", "P1H", "1D", "P-1D", "-P1D", "P1D1W", "PT5M3H", "", "p1d"]
)
def test_what_the_grammar_does_not_know_is_refused(text):
    with pytest.raises(ValueError, match="length of time"):
        Duration.parse(text)


@pytest.mark.parametrize("text", ["P15DT5H0M20S", "P7W", "PT90M", "P1DT2H", "PT0S"])
def test_another_reader_of_rfc_5545_durations_agrees(text):
    theirs: timedelta = icalendar.vDuration.from_ical(text)
    ours = Duration.parse(text)
    assert ours.months == 0
    assert timedelta(days=ours.days, microseconds=ours.nanoseconds // 1000) == theirs


# RFC 5545 section 3.8.5.3, “Weekly for 10 occurrences” in New York, whose published dates cross the end of daylight
# saving: “September 2,9,16,23,30; October 7,14,21 EDT; October 28; November 4 EST”, each at 9:00 a.m. in 1997.
def test_weekly_for_ten_occurrences_as_in_the_rfc():
    rule = "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:x\nBEGIN:VEVENT\nUID:1\nDTSTAMP:19970901T000000Z\nDTSTART;TZID=America/New_York:19970902T090000\nRRULE:FREQ=WEEKLY;COUNT=10\nEND:VEVENT\nEND:VCALENDAR"
    calendar = icalendar.Calendar.from_ical(rule.replace("\n", "\r\n"))
    theirs = [
        found["DTSTART"].dt.astimezone(ZoneInfo("UTC")).strftime("%Y-%m-%dT%H:%M:%SZ")
        for found in recurring_ical_events.of(calendar).between((1997, 9, 1), (1997, 12, 31))
    ]
    published = [
        "09-02T13",
        "09-09T13",
        "09-16T13",
        "09-23T13",
        "09-30T13",
        "10-07T13",
        "10-14T13",
        "10-21T13",
        "10-28T14",
        "11-04T14",
    ]
    assert theirs == [f"1997-{day}:00:00Z" for day in published]
    weekly = {
        "id": "r",
        "do": "repeat",
        "times": 10,
        "steps": [wait("w", "P1D", at="09:00", days=["tue"]), send("ask")],
    }
    student = {"key": "ana", "email": "ana@example.org", "timezone": "America/New_York"}
    found = play([sequence("s", [weekly])], [bought("1997-08-30T16:00:00Z")], students=[student])
    assert [one["at"] for one in found["letters"]] == theirs
