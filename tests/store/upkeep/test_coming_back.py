"""The drill, by property: any school at any moment is copied, goes on, is lost and comes back."""

from __future__ import annotations

import re
import tempfile
from collections import Counter
from contextlib import closing
from email import message_from_bytes
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from whenever import Instant

from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.values import parse_moment
from patient_courier.core.upkeep.coming_back import groups, prints_in
from patient_courier.dispatch.clock import set_clock
from patient_courier.dispatch.drawing import Drawing
from patient_courier.dispatch.outbox import Outbox
from patient_courier.dispatch.taking import take_events
from patient_courier.post.links import LinkSigner
from patient_courier.post.message import Mail
from patient_courier.store.base.copying import copy_file
from patient_courier.store.base.database import Database
from patient_courier.store.outbox import doubtful, outbox
from patient_courier.store.upkeep import progress
from tests.carriers import Server
from tests.generated import schools
from tests.live import LiveSchool
from tests.schools import read

START = parse_moment("2026-02-28T00:00:00Z")
END = parse_moment("2026-05-01T00:00:00Z")
SEEN: Counter[str] = Counter()


def print_in(mail: Mail) -> str:
    return prints_in(str(message_from_bytes(mail.raw)["Message-ID"])).pop()


class World:
    """A school that posts through a server whose log is kept."""

    def __init__(self, live: LiveSchool) -> None:
        self.live = live
        with live.database.reading() as session:
            self.signer = LinkSigner("secret", "https://post.example", progress.read_eras(session))
        self.server = Server()
        self.outbox = Outbox(
            live.database, live.library.load, self.server, self.signer, asks_mailroom=False, on_bounce=lambda *_: None
        )  # fmt: skip

    def live_to(self, file: SchoolFile, after: Instant, until: Instant) -> None:
        """What happens by then, letters handed over as they fall due."""
        events = [event for event in file.events if after < event.at <= until]
        self.live.live_through(file.model_copy(update={"events": events}), until)
        self.outbox.empty()

    @property
    def log(self) -> list[str]:
        return [print_in(mail) for mail in self.server.mails]


def reopened(path: Path, before: LiveSchool) -> LiveSchool:
    live = LiveSchool.__new__(LiveSchool)
    live.database, live.library = Database(path), before.library
    return live


@pytest.mark.long
@settings(max_examples=50)
@given(schools(), st.integers(1, 12), st.integers(1, 25), st.booleans(), st.booleans())
def test_nobody_gets_a_letter_twice_that_the_owner_did_not_ask_for(data, copied, lost, sent_again, with_log):
    file = read(data)
    when = START.add(hours=24 * copied)
    now = when.add(hours=24 * lost)
    with tempfile.TemporaryDirectory() as folder:
        first = World(LiveSchool(Path(folder) / "school.db", file, START))
        with closing(first.live.database):
            first.live_to(file, START.subtract(hours=1), when)
            copy_file(Path(folder) / "school.db", Path(folder) / "copy.db", when)
            before = len(first.log)
            first.live_to(file, when, now)
        with closing(Database(Path(folder) / "copy.db")) as database, database.writing() as session:
            progress.begin_coming_back(session, when, now)
        second = World(reopened(Path(folder) / "copy.db", first.live))
        with closing(second.live.database):
            _come_back(second, file, first.log if with_log else [], when, now, sent_again=sent_again)
            # Everything that waited has been decided on, so nothing goes out that was due by then.
            second.outbox.empty()
            assert second.log == []
            second.live_to(file, now, END)
            twice = set(second.log) & set(first.log)
            assert not with_log or not twice
            # Without a log, only what a lost event had brought forward can fall due once more: and that event was not sent again.
            assert not sent_again or not twice
            SEEN["lost letters"] += len(first.log) - before
            SEEN["letters after it"] += len(second.log)
            SEEN["kept back by the log"] += with_log


def _come_back(
    world: World, file: SchoolFile, log: list[str], since: Instant, now: Instant, *, sent_again: bool
) -> None:
    """What the owner does: has events sent once more, brings the log, takes every group as posted that is in doubt."""
    live = world.live
    live.move_to(now)
    if sent_again:
        missing = sorted(
            (event for event in file.events if since < event.at <= now), key=lambda event: event.at
        )
        for event in missing:
            with live.database.writing() as session:
                take_events(session, live.library.load(session), [event], now)
                set_clock(session, now, arrived=True)
        live.move_to(now)
    with live.database.writing() as session:
        doubtful.keep_proved(session, log)
        drawing = Drawing(live.database, world.signer)
        proved = [one.id for one in outbox.all_waiting(session) if drawing.print_of(one) in set(log)]
        doubtful.take_as_posted(session, proved, doubtful.PROVED)
        session.flush()
        left = doubtful.doubtful(session, now)
        assert not any(one.fresh for one in left)
        for group in groups(left, file.school.timezone):
            SEEN["letters in doubt"] += len(group.ids)
            doubtful.take_as_posted(session, group.ids, doubtful.TAKEN)
        progress.end_coming_back(session)


def test_the_drill_has_seen_what_it_is_for():
    assert SEEN["lost letters"] > 30 and SEEN["letters in doubt"] > 10 and SEEN["letters after it"] > 10, SEEN


def test_links_of_lost_letters_lead_nowhere_else_and_those_from_before_the_copy_still_work():
    before = LinkSigner("secret", "https://post.example")
    old, lost = before.token("stop", 7), before.token("stop", 12)
    back = LinkSigner("secret", "https://post.example", [10])
    new = back.token("stop", 12)
    assert back.delivery("stop", old) == 7 and back.delivery("stop", new) == 12
    assert (
        back.delivery("stop", lost) is None and back.is_lost("stop", lost) and not back.is_lost("stop", old)
    )
    # Back once more, from a copy that is older still: of its letters only those that it knew.
    twice = LinkSigner("secret", "https://post.example", [10, 5])
    assert (
        twice.delivery("stop", old) is None
        and twice.delivery("stop", new) is None
        and twice.is_lost("stop", new)
    )
    assert before.delivery("stop", new) is None  # a school that knows of no coming back
    assert re.fullmatch(r"[0-9a-f]{20}", back.print_of("ana", "s"))
