"""One run of the second engine: a Python generator over its steps, one method a step."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from tests.outside.second.asking import already, holds, picks, written
from tests.outside.second.moments import (
    is_open,
    local,
    next_opening,
    plus,
    real,
    same_wall_tomorrow,
    wait_end,
)
from tests.outside.second.trials import letter_of
from tests.outside.second.world import Plain

if TYPE_CHECKING:
    from tests.outside.second.engine import Second


def text(moment: datetime) -> str:
    return moment.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


class Stopped(Exception):
    """A run that ends in the middle of its steps."""


class Run:
    def __init__(
        self, world: Second, student: str, sequence: Plain, subject: Plain, cause_at: datetime
    ) -> None:
        self.world, self.student, self.sequence, self.subject = world, student, sequence, subject
        self.key = sequence["key"]
        self.facts = world.facts[student]
        self.began, self.cause_at = world.now, cause_at
        self.number, self.since = len(world.runs), world.count
        self.outcome, self.ended = "open", None
        self.step: Plain | None = None
        self.top = -1
        self.due: datetime | None = None
        self.waiting_for: Plain | None = None
        self.passed: dict[str, int] = {}
        self.steps_now, self.counted_at = 0, world.now
        self.walked = False
        self.later: list[Any] = []
        self.life = self.walk(0)

    # Resting: every yield is a rest, with the moment it ends or None.

    def walk(self, first: int) -> Iterator[datetime | None]:
        for index in range(first, len(self.sequence["steps"])):
            self.top = index
            yield from self.one(self.sequence["steps"][index], False)

    def lane(self, steps: list[Plain] | None, inside: bool) -> Iterator[datetime | None]:
        for step in steps or []:
            yield from self.one(step, inside)

    def one(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        if self.counted_at != self.world.now:
            self.steps_now, self.counted_at = 0, self.world.now
        self.steps_now += 1
        self.step = step
        if self.steps_now > 100:
            self.world.warn(self)
            self.end("stuck")
            raise Stopped
        yield from getattr(self, "do_" + step["do"])(step, inside)

    def end(self, outcome: str) -> None:
        self.outcome, self.ended, self.due, self.waiting_for = outcome, self.world.now, None, None

    def zone(self, step: Plain) -> str:
        return self.world.school.zone if step.get("zone") == "school" else self.facts.zone

    def holds_now(self, matcher: Plain, step: Plain, inside: bool) -> bool:
        known = already(matcher, self.facts, self.subject)
        if known is not None:
            return known
        since = max(self.since, self.passed.get(step["id"], 0) if inside else 0)
        return any(
            number > since and picks(matcher, event, self.subject)
            for number, event in self.world.log[self.student]
        )

    # One method a step.

    def do_send(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        drawn = letter_of(step, f"{self.key}/{step['id']}/{self.student}")
        letter = self.world.school.letters[drawn]
        held: list[Plain] = []
        while True:
            now = self.world.now
            reason = self.refused(letter)
            blank = None if reason else self.blank(letter)
            wait = None if reason or blank else self.hold(letter)
            if wait is None:
                break
            until, why = wait
            held.append({"from": text(now), "until": text(until), "reason": why})
            yield until
        status = "skipped" if reason else "stuck" if blank else "sent"
        if status == "sent":
            self.facts.sent.append((now, letter["key"]))
            self.facts.sent_by[letter["key"]] = self
        self.put(step, letter, status, reason or (f"blank_field: {blank}" if blank else None), held)

    def do_tell(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        letter = self.world.school.letters[step["letter"]]
        blank = self.blank(letter)
        self.put(
            step,
            letter,
            "stuck" if blank else "sent",
            f"blank_field: {blank}" if blank else None,
            [],
            step["to"],
        )
        yield from ()

    def put(
        self, step: Plain, letter: Plain, status: str, reason: str | None, held: list[Plain], to: Any = None
    ) -> None:
        now = self.world.now
        self.world.letters.append(
            {
                "at": text(now), "local": local(now, self.facts.zone).isoformat(), "student": self.student,
                "sequence": self.key, "step": step["id"], "broadcast": None, "letter": letter["key"], "purpose": letter["purpose"],
                "status": status, "reason": reason, "held": held, "to": to,
                "subject": written(letter["subject"], self.facts, self.subject)[0] if status == "sent" else None,
            }
        )  # fmt: skip

    def refused(self, letter: Plain) -> str | None:
        facts, purpose, course = self.facts, letter["purpose"], self.subject.get("course")
        if facts.bounced:
            return "address_bounced"
        if facts.complained:
            return "complained"
        if purpose == "news" and not facts.news:
            return "news_off"
        if purpose == "course_help" and course in facts.no_help:
            return "course_help_off"
        if purpose != "news" and course and facts.status(course) in ("refunded", "expired"):
            return "not_enrolled"
        times = [at for at, key in facts.sent if key == letter["key"]]
        if (
            letter.get("min_gap")
            and times
            and plus(max(times), letter["min_gap"], facts.zone) > self.world.now
        ):
            return "min_gap"
        return None

    def blank(self, letter: Plain) -> str | None:
        pieces = [
            letter["subject"],
            letter.get("preheader", ""),
            *(b.get("html", "") for b in letter["blocks"]),
        ]
        return next((b for piece in pieces if (b := written(piece, self.facts, self.subject)[1])), None)

    def hold(self, letter: Plain) -> tuple[datetime, str] | None:
        if letter["purpose"] == "service":
            return None
        now, school = self.world.now, self.world.school
        hours = self.sequence.get("posting_hours", "school")
        hours = school.file["school"].get("posting_hours") if hours == "school" else hours
        zone = school.zone if hours and hours.get("zone") == "school" else self.facts.zone
        if hours and not is_open(hours, now, zone):
            return next_opening(hours, now, zone, False), "outside_hours"
        limit = school.file["school"].get("daily_limit")
        today = self.facts.local_date(now)
        many = [
            key
            for at, key in self.facts.sent
            if self.facts.local_date(at) == today and school.letters[key]["purpose"] != "service"
        ]
        if limit and len(many) >= limit:
            return next_opening(hours, now, zone, True) if hours else same_wall_tomorrow(
                now, zone
            ), "daily_limit"
        return None

    def do_wait(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        until = wait_end(step, self.world.now, self.began, self.zone(step))
        if until > self.world.now:
            yield until

    def do_wait_for(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        came = self.holds_now(step["event"], step, inside)
        if not came:
            self.waiting_for = step["event"]
            yield plus(self.world.now, step["within"], self.facts.zone) if step.get("within") else None
            came, self.waiting_for = self.waiting_for is None, None
        self.passed[step["id"]] = self.world.count
        yield from self.lane(step.get("then" if came else "else"), inside)

    def do_branch(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        runs = [run for run in self.world.runs if run.student == self.student]
        for arm in step["arms"]:
            if holds(arm["if"], self.facts, self, runs, self.world.now):
                yield from self.lane(arm["steps"], inside)
                return
        yield from self.lane(step.get("otherwise"), inside)

    def do_tag(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        for change, tags in (("tag_added", step.get("add")), ("tag_removed", step.get("remove"))):
            for tag in tags or []:
                if (tag in self.facts.tags) != (change == "tag_added"):
                    self.world.note_tag(self.student, change, tag)
                    self.later.append({"type": change, "tag": tag})
        yield from ()

    def do_waypoint(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        if step.get("hold") and not self.holds_now(step["reach"], step, inside):
            yield None

    def do_repeat(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        round_ = 0
        while step.get("times") is None or round_ < step["times"]:
            round_ += 1
            yield from self.lane(step["steps"], True)

    def do_dated(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        wall = datetime.fromisoformat(step["at"])
        moment = real(wall.date(), wall.time(), self.zone(step))
        if moment > self.world.now:
            yield moment
        elif plus(moment, step.get("grace"), self.zone(step)) < self.world.now:
            return
        yield from self.lane(step["steps"], inside)

    def do_start_sequence(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        sequence = self.world.school.sequences[step["sequence"]]
        begun = self.world.begin(self.student, sequence, self.subject, self.cause_at)
        if begun:
            self.later.append(begun)
        yield from ()

    def do_stop_sequence(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        for run in self.world.open_runs(self.student):
            if run.key == step["sequence"]:
                run.end("stopped")
        if self.outcome != "open":
            raise Stopped
        yield from ()

    def do_certificate(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        self.later += self.world.certify(self.student, step["course"])
        yield from ()

    def do_end(self, step: Plain, inside: bool) -> Iterator[datetime | None]:
        self.end("finished")
        raise Stopped
        yield
