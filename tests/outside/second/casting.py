"""Broadcasts in the second engine: one letter to a list, each student at a moment of their own."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Any

from tests.outside.second.asking import holds, written
from tests.outside.second.moments import local, plus, real
from tests.outside.second.run import Run, text
from tests.outside.second.trials import letter_of
from tests.outside.second.world import Plain

if TYPE_CHECKING:
    from tests.outside.second.engine import Second


class Recipient:
    """One student on a list. Looks enough like a run to be asked what a run's letters are asked."""

    refused, blank, hold = Run.refused, Run.blank, Run.hold

    def __init__(self, cast: Cast, student: str) -> None:
        self.cast, self.world, self.student = cast, cast.world, student
        self.facts, self.subject, self.sequence = self.world.facts[student], cast.subject, cast.plan
        local_at = cast.at
        there = real(local_at.date(), local_at.time(), self.facts.zone)
        self.moment = self.world.now if cast.plan.get("zone", "school") == "school" else there
        self.due: datetime | None = max(self.moment, self.world.now)
        self.held: list[Plain] = []
        self.waits_since: datetime | None = None

    def inside(self) -> bool:
        return any(run.sequence.get("holds_broadcasts") for run in self.world.open_runs(self.student))

    def turn(self) -> None:
        now, plan, letter = (
            self.world.now,
            self.cast.plan,
            self.world.school.letters[letter_of(self.cast.plan, f"{self.cast.plan['key']}/{self.student}")],
        )
        self.due = None
        reason = self.refused(letter)
        if not reason and letter["purpose"] == "news" and self.inside():
            ends = plus(self.moment, plan["within"], self.facts.zone) if plan.get("within") else None
            if plan.get("inside", "pass_by") == "wait" and (ends is None or now < ends):
                self.waits_since, self.due = self.waits_since or now, ends
                return
            reason = "inside_sequence"
        if self.waits_since:
            self.held.append(
                {"from": text(self.waits_since), "until": text(now), "reason": "inside_sequence"}
            )
            self.waits_since = None
        blank = None if reason else self.blank(letter)
        wait = None if reason or blank else self.hold(letter)
        if wait:
            self.due = wait[0]
            self.held.append({"from": text(now), "until": text(wait[0]), "reason": wait[1]})
            return
        status = "skipped" if reason else "stuck" if blank else "sent"
        if status == "sent":
            self.facts.sent.append((now, letter["key"]))
            self.facts.sent_by[letter["key"]] = self
        self.world.letters.append(
            {
                "at": text(now), "local": local(now, self.facts.zone).isoformat(), "student": self.student,
                "sequence": None, "step": None, "broadcast": plan["key"], "letter": letter["key"],
                "purpose": letter["purpose"], "status": status, "held": self.held, "to": None,
                "reason": reason or (f"blank_field: {blank}" if blank else None),
                "subject": written(letter["subject"], self.facts, self.subject)[0] if status == "sent" else None,
            }
        )  # fmt: skip


class Cast:
    """One scheduled broadcast."""

    def __init__(self, world: Second, plan: Plain) -> None:
        self.world, self.plan = world, plan
        self.subject: Plain = {"course": plan["course"]} if plan.get("course") else {}
        self.at = datetime.fromisoformat(plan["at"])
        if plan.get("zone", "school") == "school":
            self.start = real(self.at.date(), self.at.time(), world.school.zone)
        else:
            self.start = (self.at - timedelta(hours=14)).replace(tzinfo=UTC)
        self.list: list[Recipient] | None = None

    def next(self) -> datetime | None:
        """When it has something to do; those who waited and are inside no more have it now."""
        if self.list is None:
            return self.start
        for one in self.list:
            if one.waits_since and not one.inside():
                one.due = self.world.now
        return min((one.due for one in self.list if one.due), default=None)

    def go_on(self) -> None:
        """The list, or the first letter that is due now."""
        if self.list is None:
            self.list = [Recipient(self, who) for who in self.world.facts if self.wants(who)]
            told: Any = {
                "broadcast": self.plan["key"],
                "started": text(self.world.now),
                "recipients": len(self.list),
            }
            self.world.broadcasts.append(told)
            return
        next(one for one in self.list if one.due == self.world.now).turn()

    def wants(self, who: str) -> bool:
        if who in self.plan.get("without", []):
            return False
        runs = [run for run in self.world.runs if run.student == who]
        return not self.plan.get("to") or holds(
            self.plan["to"], self.world.facts[who], self, runs, self.world.now
        )
