"""A second engine, written apart from the first one from the rules of sequences in plain words.

A run is a Python generator that yields whenever it must wait, so that its place in nested steps is the generator's own
and there is nothing to keep. It reads the school file as plain JSON. It is slow and has one use: whatever it and
``patient-courier rehearse`` say differently about a school, one of them says wrongly.
"""

from __future__ import annotations

from datetime import UTC, datetime

from tests.outside.second.asking import holds, picks
from tests.outside.second.casting import Cast
from tests.outside.second.moments import length, plus
from tests.outside.second.run import Run, Stopped, text
from tests.outside.second.trials import back, counts
from tests.outside.second.world import Facts, Plain, School

NARROW = ("quiz", "lesson", "module", "course", "offer", "tag")


class Second:
    """Plays one school file; ``play`` gives the same lists as ``rehearse --json``, keys without a value left out."""

    def __init__(self, file: Plain) -> None:
        self.school = School(file)
        self.now = datetime(1, 1, 1, tzinfo=UTC)
        self.facts = {one["key"]: Facts(self.school, one) for one in file["students"]}
        self.log: dict[str, list[tuple[int, Plain]]] = {key: [] for key in self.facts}
        self.log_at: dict[str, list[datetime]] = {key: [] for key in self.facts}
        self.count = 0
        self.ids: set[str] = set()
        self.runs: list[Run] = []
        self.runs_of: dict[str, list[Run]] = {key: [] for key in self.facts}
        self.live: dict[str, list[Run]] = {
            key: [] for key in self.facts
        }  # those that are open, and some that were
        self.begun_now: dict[tuple[str, datetime], int] = {}
        self.letters: list[Plain] = []
        self.tags: list[Plain] = []
        self.certificates: list[Plain] = []
        self.warnings: list[str] = []
        self.broadcasts: list[Plain] = []
        plans = [plan for plan in file.get("broadcasts", []) if plan.get("status") == "scheduled"]
        self.casts = [Cast(self, plan) for plan in plans]
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
            due = [run for some in self.live.values() for run in some if run.due is not None]
            clock = self.clock_moments()
            casts = [(moment, n) for n, cast in enumerate(self.casts) if (moment := cast.next())]
            nexts = [one[0] for one in coming[:1]] + [run.due for run in due] + [one[0] for one in clock]
            nexts += [one[0] for one in casts]
            if not nexts or min(nexts) > until:
                break
            self.now = min(nexts)
            if coming and coming[0][0] == self.now:
                _, _, event = coming.pop(0)
                if event.get("id") in self.ids:
                    continue
                self.ids |= {event["id"]} if "id" in event else set()
                self.happen(event["student"], {k: v for k, v in event.items() if k not in ("at", "student")})
            elif clock and min(clock)[0] == self.now:
                self.by_clock(min(clock))
            elif not any(r.due == self.now for r in due):
                self.casts[min(casts)[1]].go_on()
            else:
                run = min((r for r in due if r.due == self.now), key=lambda r: r.number)
                run.due = None
                self.go_on(run)
        return self.told(until)

    def tried(self, sequence: Plain) -> bool:
        """Whether lots are drawn: nobody is held back from a sequence that contains a service letter."""
        names = _letters(sequence["steps"])
        return not any(self.school.letters[name]["purpose"] == "service" for name in names)

    def told(self, until: datetime) -> Plain:
        runs = [
            {
                "student": run.student, "sequence": run.key, "started": text(run.began),
                "subject": next((run.subject[name] for name in NARROW if name in run.subject), None),
                "ended": text(run.ended) if run.ended else None, "outcome": run.outcome,
                "step": None if run.outcome in ("finished", "held_back") else (run.step or run.sequence["steps"][0])["id"],
            }
            for run in self.runs
        ]  # fmt: skip
        trials = [
            counts(one, self.runs if self.tried(one) else [], until)
            for one in self.school.file["sequences"]
            if one.get("trial")
        ]
        return {"trials": trials, "letters": self.letters, "tags": self.tags, "certificates": self.certificates, "runs": runs,
                "warnings": self.warnings, "broadcasts": self.broadcasts}  # fmt: skip

    def warn(self, run: Run) -> None:
        where = (
            run.step["id"] if run.step else run.sequence["steps"][0]["id"] if run.sequence["steps"] else ""
        )
        self.warnings.append(f"going_in_circles: {run.student} in {run.key} at {where}")

    def open_runs(self, student: str) -> list[Run]:
        self.live[student] = [run for run in self.live[student] if run.outcome == "open"]
        return list(self.live[student])

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
        self.log_at[student].append(self.now)
        there = self.open_runs(student)
        for one in follow:
            self.happen(student, one, one.pop("known", False))
        still = lambda: [run for run in there if run.outcome == "open"]  # noqa: E731
        for run in still():
            leaves = run.sequence.get("leaves", [])
            if run is event.get("leaving") or any(picks(matcher, event, run.subject) for matcher in leaves):
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
        mine = self.runs_of[student]
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
        for runs in (self.runs, self.runs_of[student], self.live[student]):
            runs.append(run)
        many = self.begun_now[student, self.now] = self.begun_now.get((student, self.now), 0) + 1
        if many > 100:
            run.step = sequence["steps"][0] if sequence["steps"] else None
            self.warn(run)
            run.end("stuck")
        elif sequence.get("trial") and self.tried(sequence) and back(sequence, student):
            run.end("held_back")
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
            if all(facts.complete(course, key) for key in modules) and ("course", course) not in facts.done:
                return [{"type": "course_completed", "course": course}]
        elif kind == "course_completed":
            facts.done.add(("course", course))
            return [{**one, "known": True} for one in self.certify(student, course)]
        elif kind == "certificate_approved":
            if course not in facts.requested or course in facts.issued:
                return None
            if facts.is_open(course):
                return [{**self.issue(student, course), "known": True}]
        elif kind == "answered":
            blocks = self.school.letters[event["letter"]]["blocks"]
            answers = [a for block in blocks for a in block.get("answers", []) if a["key"] == event["answer"]]
            found = []
            for a in answers:
                run = facts.sent_by.get(event["letter"])
                found += [{"type": "tag_added", "tag": tag} for tag in a.get("add_tags", [])]
                found += [{"type": "tag_removed", "tag": tag} for tag in a.get("remove_tags", [])]
                if a.get("stops_help") and run and run.subject.get("course"):
                    found.append(
                        {"type": "course_help_stopped", "course": run.subject["course"], "by": "answer"}
                    )
                if a.get("leaves"):
                    event["leaving"] = run  # a broadcast's letter has none, and is in no list of runs
            return found
        elif kind == "news_stopped":
            facts.news = False
        elif kind == "course_help_stopped":
            if event.pop("by", None) and course in facts.no_help:
                return None
            facts.no_help.add(course)
        elif kind == "certificate_revoked":
            if course not in facts.issued:
                return None
            facts.issued.discard(course)
            facts.requested.discard(course)
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


def _letters(steps: list[Plain]) -> set[str]:
    found = set()
    for step in steps or []:
        found |= {step["letter"]} if step.get("letter") else set()
        found |= {version["letter"] for version in step.get("versions") or []}
        for lane in ("then", "else", "steps", "otherwise"):
            found |= _letters(step.get(lane, []))
        for arm in step.get("arms", []):
            found |= _letters(arm["steps"])
    return found


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

    goal = [sequence["trial"]["goal"]] if sequence.get("trial") else []
    return [*goal, *sequence["starts"], *sequence.get("leaves", []), *inside(sequence["steps"])]
