"""Reports that come late: no letter for a silence that was broken, whatever the order and the packing of the messages."""

from itertools import permutations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.clock import set_clock
from patient_courier.dispatch.taking import take_events
from patient_courier.store.base.tables import DeliveryRow, EnrolmentRow, EventRow
from tests.live import LiveSchool
from tests.schools import COURSE, bought, event, read, school, send, sequence

START = parse_moment("2026-03-01T00:00:00Z")
NOW = parse_moment("2026-03-06T12:00:00Z")
SILENT = sequence(
    "silent", [send("miss")], {"on": "inactive", "course": "bees", "for": "P2D"}, again="every_time"
)
# Never two days of silence: bought four days ago, seen 34 and 38 hours after; the last silence is not over yet.
THREE = [
    bought("2026-03-03T13:00:00Z"),
    event("2026-03-04T23:00:00Z", "lesson_started", lesson="bees/l1"),
    event("2026-03-05T03:00:00Z", "lesson_completed", lesson="bees/l1"),
]


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    return tmp_path_factory.mktemp("late")


def opened(folder, *courses) -> LiveSchool:
    number = sum(1 for _ in folder.glob("*.db"))
    file = read(school([SILENT], [], **({"courses": list(courses)} if courses else {})))
    return LiveSchool(folder / f"{number}.db", file, START)


def report(live: LiveSchool, *events, at=NOW) -> None:
    with live.database.writing() as session:
        set_clock(session, at, arrived=True)
        take_events(session, live.library.load(session), read(school([], list(events))).events, at)


def letters(live: LiveSchool) -> int:
    with live.database.reading() as session:
        return len(list(session.scalars(select(DeliveryRow.id))))


@pytest.mark.parametrize("order", list(permutations(THREE)), ids=lambda x: "")
@pytest.mark.parametrize("together", [True, False])
def test_a_silence_that_was_none_posts_nothing(folder, order, together):
    live = opened(folder)
    for message in [order] if together else [[one] for one in order]:
        report(live, *message)
    live.move_to(NOW.add(hours=14))  # 47 hours after the last that was seen
    assert letters(live) == 0
    live.move_to(NOW.add(hours=16))
    assert letters(live) == 1
    live.database.close()


def test_a_silence_that_was_known_and_is_overdue_comes_unless_the_report_breaks_it(folder):
    for last, posted in ((event("2026-03-06T11:00:00Z", "signed_in"), 1), (THREE[2], 0)):
        live = opened(folder)
        report(live, THREE[0], at=parse_moment("2026-03-03T13:00:00Z"))
        # The silence is due on 5 March at 13:00, and nobody woke it before the report came.
        report(live, last, at=parse_moment("2026-03-05T14:00:00Z") if last is THREE[2] else NOW)
        assert letters(live) == posted
        live.database.close()


def test_the_end_of_access_comes_however_late_the_purchase_is_reported(folder):
    live = opened(folder, {**COURSE, "access": "P1D"})
    report(live, THREE[0])
    with live.database.reading() as session:
        ended = session.scalars(select(EnrolmentRow.expired)).one()
        assert ended == parse_moment("2026-03-04T13:00:00Z")
        assert "inactive" not in set(session.scalars(select(EventRow.type)))
    # Bought anew after the end, which nobody has looked for meanwhile: a new enrolment, not an end of it.
    report(live, bought("2026-03-06T11:59:00Z"))
    with live.database.reading() as session:
        assert session.scalars(select(EnrolmentRow.expired)).one() is None
    live.database.close()


@settings(max_examples=25)
@given(st.lists(st.tuples(st.integers(0, 120), st.integers(0, 40)), min_size=1, max_size=8))
def test_what_is_posted_was_silent_whatever_comes_when(folder, seen):
    """Activities at hours after the purchase, each reported some hours late: a letter means 48 hours without any."""
    live = opened(folder)
    begin = parse_moment("2026-03-02T00:00:00Z")
    report(live, bought("2026-03-02T00:00:00Z"), at=begin)
    arrivals = sorted((hour + late, hour) for hour, late in seen)
    for arrives, hour in arrivals:
        at = begin.add(hours=arrives)
        live.move_to(at.subtract(nanoseconds=1))
        report(live, event(begin.add(hours=hour).format_iso(), "lesson_started", lesson="bees/l1"), at=at)
    live.move_to(begin.add(hours=300))
    with live.database.reading() as session:
        silences = [x.at for x in session.scalars(select(EventRow).where(EventRow.type == "inactive"))]
        posted = list(session.scalars(select(DeliveryRow.at)))
    assert len(posted) == len(silences)
    for moment in posted:
        hours = (moment - begin).total("hours")
        # What the school knew when it posted.
        known = [0, *(hour for arrives, hour in arrivals if arrives <= hours)]
        assert hours - max(known) >= 48
    assert posted, "the last silence is never broken"
    live.database.close()
