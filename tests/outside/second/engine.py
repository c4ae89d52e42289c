"""A second engine, written apart from the first one from the rules of sequences in plain words.

A run is a Python generator that yields whenever it must wait, so that its place in nested steps is the generator's own
and there is nothing to keep. It reads the school file as plain JSON. It is slow and has one use: whatever it and
``patient-courier rehearse`` say differently about a school, one of them says wrongly.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from tests.outside.second.asking import already, holds, picks, written
from tests.outside.second.moments import (
    is_open,
    length,
    local,
    next_opening,
    plus,
    real,
    same_wall_tomorrow,
    wait_end,
)
from tests.outside.second.world import Facts, Plain, School

NARROW = ("quiz", "lesson", "module", "course", "offer", "tag")


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
        letter = self.world.school.letters[step["letter"]]
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
                "sequence": self.key, "step": step["id"], "letter": letter["key"], "purpose": letter["purpose"],
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
        pieces = [letter["subject"], letter.get("preheader", ""), *(b["html"] for b in letter["blocks"])]
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


class Second:
    """Plays one school file; ``play`` gives the same lists as ``rehearse --json``, keys without a value left out."""

    def __init__(self, file: Plain) -> None:
        self.school = School(file)
        self.now = datetime(1, 1, 1, tzinfo=UTC)
        self.facts = {one["key"]: Facts(self.school, one) for one in file["students"]}
        self.log: dict[str, list[tuple[int, Plain]]] = {key: [] for key in self.facts}
        self.count = 0
        self.runs: list[Run] = []
        self.begun_now: dict[tuple[str, datetime], int] = {}
        self.letters: list[Plain] = []
        self.tags: list[Plain] = []
        self.certificates: list[Plain] = []
        self.warnings: list[str] = []
        matchers = [m for sequence in file["sequences"] for m in _matchers(sequence)]
        self.spans = {
            name: list(
                {
                    str(length(s)): s for m in matchers if m["on"] == name for s in [m.get(field) or "PT0S"]
                }.values()
            )
            for name, field in (("inactive", "for"), ("unlocking", "ahead"), ("access_ending", "ahead"))
        }

    def play(self, until: datetime) -> Plain:
        coming = [(datetime.fromisoformat(e["at"].replace("Z", "+00:00")), n, e)
                  for n, e in enumerate(self.school.file["events"])]  # fmt: skip
        coming.sort(key=lambda one: one[:2])
        while True:
            due = [run for run in self.runs if run.due is not None]
            clock = self.clock_moments()
            nexts = [one[0] for one in coming[:1]] + [run.due for run in due] + [one[0] for one in clock]
            if not nexts or min(nexts) > until:
                break
            self.now = min(nexts)
            if coming and coming[0][0] == self.now:
                _, _, event = coming.pop(0)
                self.happen(event["student"], {k: v for k, v in event.items() if k not in ("at", "student")})
            elif clock and min(clock)[0] == self.now:
                self.by_clock(min(clock))
            else:
                run = min((r for r in due if r.due == self.now), key=lambda r: r.number)
                run.due = None
                self.go_on(run)
        return self.told()

    def told(self) -> Plain:
        runs = [
            {
                "student": run.student, "sequence": run.key, "started": text(run.began),
                "subject": next((run.subject[name] for name in NARROW if name in run.subject), None),
                "ended": text(run.ended) if run.ended else None, "outcome": run.outcome,
                "step": run.step["id"] if run.step and run.outcome != "finished" else None,
            }
            for run in self.runs
        ]  # fmt: skip
        return {"letters": self.letters, "tags": self.tags, "certificates": self.certificates, "runs": runs,
                "warnings": self.warnings}  # fmt: skip

    def warn(self, run: Run) -> None:
        where = (
            run.step["id"] if run.step else run.sequence["steps"][0]["id"] if run.sequence["steps"] else ""
        )
        self.warnings.append(f"going_in_circles: {run.student} in {run.key} at {where}")

    def open_runs(self, student: str) -> list[Run]:
        return [run for run in self.runs if run.student == student and run.outcome == "open"]

    # The clock.

    def clock_moments(self) -> list[tuple[datetime, int, int, int, int, str, str, str]]:
        """What time brings next, in the order of one instant: student, course, kind."""
        found = []
        for s, (student, facts) in enumerate(self.facts.items()):
            for c, (key, course) in enumerate(self.school.courses.items()):
                if not facts.is_open(key):
                    continue
                enrolment = facts.enrolments[key]
                kinds = []
                for m, module in enumerate(course["modules"]):
                    if module.get("unlocks"):
                        opens = plus(enrolment.began, module["unlocks"], facts.zone)
                        kinds += [(plus(opens, a, facts.zone, -1), 0, m, f"{key}/{module['key']}", a)
                                  for a in self.spans["unlocking"]]  # fmt: skip
                if course.get("access"):
                    ends = plus(enrolment.began, course["access"], facts.zone)
                    kinds += [
                        (plus(ends, a, facts.zone, -1), 1, 0, key, a) for a in self.spans["access_ending"]
                    ]
                    kinds.append((ends, 3, 0, key, ""))
                since = facts.silent_since(key)
                if since:
                    kinds += [(plus(since, a, facts.zone), 2, 0, key, a) for a in self.spans["inactive"]]
                for moment, kind, m, name, span in kinds:
                    mark = (str(kind), name, span + (text(since) if kind == 2 else ""))  # type: ignore[arg-type]
                    if moment > enrolment.began and moment >= self.now and mark not in enrolment.ahead:
                        found.append((moment, s, c, kind, m, student, name, span))
        return found

    def by_clock(self, moment: tuple[datetime, int, int, int, int, str, str, str]) -> None:
        _, _, _, kind, _, student, name, span = moment
        facts = self.facts[student]
        course = name.split("/")[0]
        since = facts.silent_since(course)
        facts.enrolments[course].ahead.add(
            (str(kind), name, span + (text(since) if kind == 2 and since else ""))
        )
        if kind == 0:
            self.happen(student, {"type": "unlocking", "module": name, "ahead": span})
        elif kind == 1:
            self.happen(student, {"type": "access_ending", "course": name, "ahead": span})
        elif kind == 2:
            self.happen(student, {"type": "inactive", "course": name, "for": span})
        else:
            facts.enrolments[course].expired = True

    # Events.

    def happen(self, student: str, event: Plain, known: bool = False) -> None:
        """One event: facts, what follows from it, then the runs; ``known`` when its fact is there already."""
        facts = self.facts[student]
        event = {**event, **self.school.names(event)}
        facts.first = facts.first or self.now
        follow = [] if known else self.learn(student, event)
        if follow is None:
            return
        self.count += 1
        self.log[student].append((self.count, event))
        there = self.open_runs(student)
        for one in follow:
            self.happen(student, one, one.pop("known", False))
        still = lambda: [run for run in there if run.outcome == "open"]  # noqa: E731
        for run in still():
            if any(picks(matcher, event, run.subject) for matcher in run.sequence.get("leaves", [])):
                run.end("left")
        for run in still():
            self.jump(run, event)
        for run in still():
            if run.outcome == "open" and run.waiting_for and picks(run.waiting_for, event, run.subject):
                run.waiting_for, run.due = None, None
                self.go_on(run)
        for sequence in self.school.file["sequences"]:
            if any(picks(matcher, event, {}) for matcher in sequence["starts"]):
                names = {k: v for k, v in self.school.names(event).items() if k != "letter"}
                begun = self.begin(student, sequence, names, self.now)
                if begun:
                    self.go_on(begun)

    def jump(self, run: Run, event: Plain) -> None:
        if run.outcome != "open":
            return
        ahead = [
            index
            for index, step in enumerate(run.sequence["steps"])
            if step["do"] == "waypoint" and index >= run.top and picks(step["reach"], event, run.subject)
        ]
        if ahead:
            run.waiting_for, run.due = None, None
            run.life.close()
            run.life = run.walk(ahead[-1] + 1)
            self.go_on(run)

    def begin(self, student: str, sequence: Plain, subject: Plain, cause_at: datetime) -> Run | None:
        mine = [run for run in self.runs if run.student == student]
        same = [run for run in mine if run.key == sequence["key"]]
        narrow = lambda names: next(((n, names[n]) for n in NARROW if n in names), None)  # noqa: E731
        again = sequence.get("again", "once")
        barred = {
            "once": bool(same),
            "once_per_subject": any(narrow(run.subject) == narrow(subject) for run in same),
            "when_finished": any(run.outcome == "open" for run in same),
            "every_time": False,
        }[again]
        if sequence["status"] != "running" or barred:
            return None
        run = Run(self, student, sequence, subject, cause_at)
        if sequence.get("only_if") and not holds(
            sequence["only_if"], self.facts[student], run, mine, self.now
        ):
            return None
        self.runs.append(run)
        many = self.begun_now[student, self.now] = self.begun_now.get((student, self.now), 0) + 1
        if many > 100:
            run.step = sequence["steps"][0] if sequence["steps"] else None
            self.warn(run)
            run.end("stuck")
        return run

    def go_on(self, run: Run) -> None:
        """Walk until the run rests, then what its steps have set going, in turn."""
        if run.outcome != "open":
            return
        run.walked = True
        try:
            run.due = next(run.life)
        except StopIteration:
            run.end("finished")
        except Stopped:
            pass
        later, run.later = run.later, []
        for one in later:
            if isinstance(one, Run):
                if not one.walked:  # else an event has carried it off before its first step
                    self.go_on(one)
            else:
                self.happen(run.student, one, known=True)

    # Facts.

    def note_tag(self, student: str, change: str, tag: str) -> None:
        tags = self.facts[student].tags
        tags.append(tag) if change == "tag_added" else tags.remove(tag)
        self.tags.append({"at": text(self.now), "student": student, "tag": tag, "change": change[4:]})

    def certify(self, student: str, course: str) -> list[Plain]:
        """Issue or request at once, as the course has it; the events that follow."""
        facts, rule = self.facts[student], self.school.courses[course].get("certificate")
        if not rule or course in facts.issued or not facts.is_open(course):
            return []
        if not rule.get("approval"):
            return [self.issue(student, course)]
        if course in facts.requested:
            return []
        facts.requested.add(course)
        return [{"type": "certificate_requested", "course": course}]

    def issue(self, student: str, course: str) -> Plain:
        self.facts[student].issued.add(course)
        self.certificates.append({"at": text(self.now), "student": student, "course": course})
        return {"type": "certificate_issued", "course": course}

    def learn(self, student: str, event: Plain) -> list[Plain] | None:
        """Change the facts. Gives the events that follow, or None for an event that changes nothing."""
        facts, kind = self.facts[student], event["type"]
        course = event.get("course")
        if course and kind in ("lesson_started", "lesson_watched", "lesson_completed", "quiz_taken"):
            if kind == "lesson_completed" and ("lesson", event["lesson"]) in facts.done:
                return None
            facts.active_at[course] = self.now
        if kind == "purchased":
            offer = self.school.offers[event["offer"]]
            facts.bought[offer["key"]] = self.now
            enrolled = [{"type": "enrolled", "course": key, "via": "purchase", "by": offer["key"]}
                        for key in offer["courses"]]  # fmt: skip
            return enrolled + [{"type": "tag_added", "tag": tag} for tag in offer.get("tags", [])]
        if kind == "refunded":
            facts.refund(event["offer"])
        elif kind == "enrolled":
            if not facts.may_enrol(course, event["via"]):
                return None
            facts.enrol(course, event["via"], event.pop("by", None), self.now)
        elif kind in ("tag_added", "tag_removed"):
            if (event["tag"] in facts.tags) == (kind == "tag_added"):
                return None
            self.note_tag(student, kind, event["tag"])
        elif kind == "lesson_watched":
            event["before"] = facts.watched.get(event["lesson"], -1)
            facts.watched[event["lesson"]] = max(event["before"], event["percent"])
        elif kind == "lesson_completed":
            facts.done.add(("lesson", event["lesson"]))
            return self.module_done(facts, event)
        elif kind == "quiz_taken":
            facts.scores.setdefault(event["quiz"], []).append(event["score"])
            passed = event["score"] >= self.school.quizzes[event["quiz"]].get("pass_mark", 70)
            return [{"type": "quiz_passed" if passed else "quiz_failed", "quiz": event["quiz"]}]
        elif kind == "quiz_passed":
            facts.passed.add(event["quiz"])
            return self.module_done(facts, event)
        elif kind == "module_completed":
            facts.done.add(("module", event["module"]))
            modules = [f"{course}/{module['key']}" for module in self.school.courses[course]["modules"]]
            if all(("module", key) in facts.done for key in modules) and ("course", course) not in facts.done:
                return [{"type": "course_completed", "course": course}]
        elif kind == "course_completed":
            facts.done.add(("course", course))
            return [{**one, "known": True} for one in self.certify(student, course)]
        elif kind == "certificate_approved":
            if course not in facts.requested or course in facts.issued:
                return None
            if facts.is_open(course):
                return [{**self.issue(student, course), "known": True}]
        elif kind == "news_stopped":
            facts.news = False
        elif kind == "course_help_stopped":
            facts.no_help.add(course)
        elif kind == "bounced":
            facts.bounced = facts.bounced or event["hard"]
        elif kind == "complained":
            facts.complained = True
        elif kind in ("letter_opened", "link_clicked"):
            facts.touched["opened" if kind == "letter_opened" else "clicked", event["letter"]] = self.now
        return []

    def module_done(self, facts: Facts, event: Plain) -> list[Plain]:
        if ("module", event["module"]) in facts.done or not facts.complete(event["course"], event["module"]):
            return []
        return [{"type": "module_completed", "module": event["module"]}]


def _matchers(sequence: Plain) -> list[Plain]:
    def inside(steps: list[Plain]) -> list[Plain]:
        found = []
        for step in steps or []:
            found += [step[name] for name in ("event", "reach") if name in step]
            for lane in ("then", "else", "steps", "otherwise"):
                found += inside(step.get(lane, []))
            for arm in step.get("arms", []):
                found += inside(arm["steps"])
        return found

    return [*sequence["starts"], *sequence.get("leaves", []), *inside(sequence["steps"])]
