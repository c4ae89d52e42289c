"""Notices to those who sign in, and the weekly letter: written when they are due, handed over once each."""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import structlog
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.destinations.told import courses_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.helpers.rights import may, nameless
from patient_courier.core.overview.happenings import BY_KIND
from patient_courier.core.overview.notices import (
    GATHERED_MINUTES,
    LETTER,
    MOST_NAMED,
    NOTICE_KINDS,
    HowSoon,
    Noticed,
    last_morning,
    next_morning,
    picked,
    subject,
)
from patient_courier.core.overview.sections import Section, letter_of
from patient_courier.core.overview.weekly import Worth
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.own_letters import drawn
from patient_courier.dispatch.weekly import Letter, weekly_letter
from patient_courier.post.carriers import NotTaken, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.post.links import LinkSigner
from patient_courier.post.message import Mail
from patient_courier.store.base.database import Database
from patient_courier.store.outbox.mailroom import has_message
from patient_courier.store.overview import events, notices, wishes
from patient_courier.store.overview.wishes import Heard, Kept

log = structlog.get_logger()
LOOK_SECONDS = 30.0
RETRY_SECONDS, MOST_TRIES = 600, 48
# So many events are looked at for one notice.
MOST_EVENTS = 20_000


@dataclass(frozen=True, slots=True)
class _Written:
    """What somebody is to be told (None: nothing), with its kind and moment, and up to where they have ``heard`` then."""

    whom: Kept
    how: str
    letter: tuple[str, Instant, Letter] | None
    heard: Heard


class Notices:
    """Writes what is due, and hands it over."""

    def __init__(
        self,
        database: Database,
        load: Callable[[Session], Definitions],
        post_now: Callable[[Mail], None],
        worth: Callable[[Session], Worth | None],
        address: str,
    ) -> None:
        """``worth`` says what is worth doing; ``address`` is the site's, where links lead."""
        self._database, self._load, self._post, self._worth = database, load, post_now, worth
        self._address = address
        self._at_work = threading.Lock()  # whoever looks: what waits is handed over by one alone

    def look(self, signer: LinkSigner) -> float:
        """Write what is due by the school's clock and hand over what waits; returns for how long nothing is to be done.

        What is said is asked of the tables in a reading of its own, so that nobody who writes waits for it.
        """
        with self._at_work:
            with self._database.reading() as session:
                clock = read_clock(session)
                written = list(self._written(session, clock.now)) if clock.moving_to is None else []
            if written:
                with self._database.writing() as session:
                    self._put(session, written)
            self._hand_over(signer)
        return LOOK_SECONDS

    def begin(self, session: Session, now: Instant) -> None:
        """Whoever has never been thought of hears of what happens from now on."""
        for one, how in self._due(session, now):
            if how not in one.heard:
                wishes.note_heard(session, one, how, Heard(events.last(session), now))

    def write(self, session: Session, now: Instant) -> None:
        """Put down what is due at this moment (school time), in the transaction that has come to it."""
        self._put(session, list(self._written(session, now)))

    def recover(self) -> None:
        """Settle what was being handed over when the application last stopped: it is not posted a second time."""
        with self._database.writing() as session:
            for one in notices.left_over(session):
                there = has_message(session, [one.message_id])
                notices.settle(session, one.id, "posted" if there else "unsure")

    def next_morning(self, session: Session, now: Instant) -> Instant | None:
        """When the next weekly letter, daily or weekly notice is due that somebody wants; None when nobody does."""
        wanted = {how for one in wishes.every(session) for how in one.wishes.hows()} - {"at_once"}
        if not wanted:
            return None
        zone = self._load(session).school.timezone
        return next_morning(now, zone, weekly="daily" not in wanted)

    def _due(self, session: Session, now: Instant) -> list[tuple[Kept, str]]:
        """Whose turn it is, and for what; somebody of whom nothing is known yet is due as well, to begin with."""
        zone, last = None, None
        found = []
        for one in wishes.every(session):
            for how in one.wishes.hows():
                heard = one.heard.get(how)
                if heard is None:
                    found.append((one, how))
                elif how == "at_once":
                    last = last if last is not None else events.last(session)
                    waited = (now - heard.at).total("minutes")
                    if last > heard.event and waited >= GATHERED_MINUTES:
                        found.append((one, how))
                else:
                    zone = zone or self._load(session).school.timezone
                    if heard.at < last_morning(now, zone, weekly=how != "daily"):
                        found.append((one, how))
        return found

    def _written(self, session: Session, now: Instant) -> Iterator[_Written]:
        """What is to be said at this moment, and up to where everybody has heard then."""
        due = self._due(session, now)
        if not due:
            return
        definitions, last = self._load(session), events.last(session)
        for one, how in due:
            heard, letter = one.heard.get(how), None
            if heard is not None:
                try:
                    letter = self._letter(session, definitions, one, how, heard, now)
                except Exception:
                    # One person's letter that can't be written must not keep the others' back.
                    log.exception("a notice can't be written", user=one.user, how=how)
            # At once: the next quarter of an hour begins when something was said.
            quiet = how == "at_once" and heard is not None and letter is None
            yield _Written(one, how, letter, Heard(last, heard.at if quiet and heard else now))

    def _put(self, session: Session, written: Sequence[_Written]) -> None:
        """Queue it, unless somebody else has thought of that person meanwhile."""
        for this in written:
            known = wishes.find(session, this.whom.user)
            if known is None or known.heard.get(this.how) != this.whom.heard.get(this.how):
                continue
            if this.letter is not None:
                kind, at, said = this.letter
                notices.queue(session, known.user, kind, at, said.subject, said.sections, said.students)
            wishes.note_heard(session, known, this.how, this.heard)
        if written:
            notices.forget_old(session, read_clock(session).now)

    def _letter(
        self, session: Session, definitions: Definitions, one: Kept, how: str, heard: Heard, now: Instant
    ) -> tuple[str, Instant, Letter] | None:
        """Its kind, its moment and what it says; None when there is nothing to say."""
        addresses = may(one.role, "students")
        if how == LETTER:
            until = last_morning(now, definitions.school.timezone, weekly=True)
            worth = self._worth(session)
            return (
                notices.WEEKLY,
                until,
                weekly_letter(session, definitions, until, worth, addresses=addresses),
            )
        noticed, ids = [], {}
        for each in events.after(session, heard.event, NOTICE_KINDS, MOST_EVENTS):
            courses = courses_of(definitions, each.what.names)
            name = each.name if addresses else nameless(each.name)
            text = words.what_happened(definitions, each.what)
            when = words.moment(each.what.at, definitions.school.timezone)
            this = Noticed(each.what.type, courses, name, text, when)
            noticed.append(this)
            ids[id(this)] = each.student
        wanted: list[Noticed] = picked(one.wishes, noticed, _how(how))
        if not wanted:
            return None
        students = [ids[id(each)] for each in wanted]
        return notices.NOTICE, now, Letter(subject(wanted), sections_of(wanted), students)

    def _hand_over(self, signer: LinkSigner) -> None:
        with self._database.reading() as session:
            ready = notices.ready(session, real_now())
            definitions, now = (self._load(session), read_clock(session).now) if ready else (None, None)
        for one in ready:
            assert definitions is not None and now is not None
            with self._database.writing() as session:
                notices.settle(session, one.id, "posting")
            status, retry = "posted", None
            try:
                letter = letter_of(one.subject, one.sections, self._address)
                self._post(drawn(definitions, signer, letter, one.email, now, one.message_id)[0])
            except NotTaken as error:
                gives_up = one.tries + 1 >= MOST_TRIES
                log.warning("a notice was not taken", why=str(error))
                status = "refused" if gives_up else "queued"
                retry = None if gives_up else real_now().add(seconds=RETRY_SECONDS)
            except Unsure:
                status = "unsure"
            except Unfit:
                status = "refused"
            except Exception:
                log.exception("a notice can't be posted", notice=one.id)
                status = "unsure"
            with self._database.writing() as session:
                notices.settle(session, one.id, status, retry)


def _how(how: str) -> HowSoon:
    return "at_once" if how == "at_once" else "daily" if how == "daily" else "weekly"


def sections_of(wanted: Sequence[Noticed]) -> list[Section]:
    """One section for each kind of thing, in the order in which such things happen."""
    by_kind: dict[str, list[Noticed]] = defaultdict(list)
    for one in wanted:
        by_kind[one.kind].append(one)
    sections = []
    for kind in [kind for kind in BY_KIND if kind in by_kind]:
        ones = by_kind[kind]
        lines = [f"{one.who} {one.text}, {one.when}." for one in ones[:MOST_NAMED]]
        if len(ones) > MOST_NAMED:
            lines.append(f"And {len(ones) - MOST_NAMED} more.")
        sections.append(Section(title=BY_KIND[kind].title, lines=lines))
    sections.append(Section(title="", to="/students", link="The students"))
    return sections
