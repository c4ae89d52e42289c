"""Random schools, wide rather than likely: two courses, every step, matcher, condition, guard and calendar rule."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from random import Random
from typing import Any

from tests.outside.second.world import Plain

FIRST = datetime(2026, 3, 2, tzinfo=UTC)
ZONES = [
    None,
    None,
    "America/New_York",
    "Pacific/Auckland",
    "Asia/Kolkata",
    "Australia/Lord_Howe",
    "America/Santiago",
]
SPANS = ["PT0S", "PT30M", "PT12H", "P1D", "P2D", "P1W", "P7D", "P1DT2H", "P1M"]
CLOCKS = ["00:30", "01:30", "02:30", "09:00", "10:00", "19:00", "23:45"]
LESSONS = ["bees/l1", "bees/l2", "bees/l3", "honey/l1", "honey/l2"]
QUIZZES = ["bees/q1", "honey/q1"]
MODULES = ["bees/m1", "bees/m2", "honey/m1"]
COURSES = ["bees", "honey"]
OFFERS = ["bees-once", "honey-once", "both", "call"]
TAGS = ["keen", "slow", "vip"]
LETTERS = ["asked", "access", "help", "help2", "named", "news", "quiz", "next", "own"]
SEQUENCES = ["s0", "s1", "s2", "s3"]


def _lesson(key: str) -> Plain:
    return {"key": key, "title": f"Lesson {key}", "minutes": 10, "url": None}


def _letter(
    key: str, purpose: str, subject: str, html: str = "<p>Hello</p>", gap: str | None = None
) -> Plain:
    return {"key": key, "name": key, "purpose": purpose, "subject": subject, "preheader": "",
            "blocks": [{"kind": "text", "html": html}], "min_gap": gap}  # fmt: skip


def _answers() -> Plain:
    found = _letter("asked", "course_help", "How is it going?")
    answers = [
        {"key": "yes", "label": "Yes", "add_tags": ["keen", "slow"], "remove_tags": ["vip"]},
        {"key": "no", "label": "No", "remove_tags": ["keen"], "stops_help": True, "leaves": True},
    ]
    return {**found, "blocks": [{"kind": "answers", "question": "Well?", "answers": answers}]}


class Maker:
    def __init__(self, seed: int) -> None:
        self.random = Random(seed)
        self.steps_made = 0

    def one(self, of: list[Any]) -> Any:
        return self.random.choice(of)

    def may(self, chance: float) -> bool:
        return self.random.random() < chance

    def hours(self) -> Plain:
        opens, closes = self.one(
            [("09:00", "19:00"), ("10:00", "12:30"), ("01:30", "03:30"), ("00:00", "23:59")]
        )
        found = {"from": opens, "to": closes, "zone": self.one(["student", "student", "school"])}
        if self.may(0.4):
            found["days"] = self.one([["mon", "tue", "wed", "thu", "fri"], ["sat", "sun"], ["wed"]])
        return found

    def narrowed(self, matcher: Plain, **selectors: list[str]) -> Plain:
        """Maybe one selector more, of the kinds that go with this event."""
        name = self.one([None, None, *selectors])
        return {**matcher, name: self.one([*selectors[name], "this"])} if name else matcher

    def matcher(self, clock: bool = False) -> Plain:
        if clock:
            kind = self.one(["inactive", "inactive", "unlocking", "access_ending"])
            if kind == "inactive":
                return self.narrowed(
                    {"on": kind, "for": self.one(["P3D", "P1W", "P7D", "PT36H"])}, course=COURSES
                )
            ahead = {"ahead": self.one(["P1D", "P2D", "PT6H"])} if self.may(0.7) else {}
            places: Plain = {"module": MODULES} if kind == "unlocking" else {}
            return self.narrowed({"on": kind, **ahead}, course=COURSES, **places)
        kind = self.one(
            ["enrolled", "enrolled", "purchased", "refunded", "lesson_started", "lesson_completed", "lesson_completed",
             "lesson_watched", "quiz_taken", "quiz_passed", "quiz_failed", "module_completed", "course_completed",
             "certificate_issued", "certificate_requested", "certificate_approved", "certificate_revoked", "signed_in", "signed_up",
             "letter_opened", "link_clicked", "answered", "tag_added", "tag_added", "tag_removed", "news_stopped",
             "bounced", "complained", "course_help_stopped"]
        )  # fmt: skip
        found: Plain = {"on": kind}
        if kind == "enrolled":
            found |= (
                {"via": self.one([["preview"], ["manual"], ["purchase", "preview"]])} if self.may(0.3) else {}
            )
            return self.narrowed(found, course=COURSES)
        if kind in ("purchased", "refunded"):
            return self.narrowed(found, offer=OFFERS, course=COURSES)
        if kind == "lesson_watched" and self.may(0.8):
            found["percent"] = self.one([30, 50, 90])
        if kind.startswith("lesson"):
            return self.narrowed(found, lesson=LESSONS, module=MODULES, course=COURSES)
        if kind.startswith("quiz"):
            return self.narrowed(found, quiz=QUIZZES, module=MODULES, course=COURSES)
        if kind == "module_completed":
            return self.narrowed(found, module=MODULES, course=COURSES)
        if kind.startswith(("course", "certificate")):
            return self.narrowed(found, course=COURSES)
        if kind.startswith("tag"):
            return {**found, "tag": self.one(TAGS)} if self.may(0.7) else found
        more = {
            "signed_up": {"form": "guide"},
            "bounced": {"hard": True},
            "letter_opened": {"letter": "help"},
            "link_clicked": {"letter": "help", "link": "a"},
            "answered": {"letter": "asked", "answer": "yes"},
        }
        return found | (more.get(kind, {}) if self.may(0.5) else {})

    def condition(self, depth: int = 2) -> Plain:
        if depth and self.may(0.3):
            kind = self.one(["all", "any", "not"])
            return {
                kind: self.condition(depth - 1)
                if kind == "not"
                else [self.condition(depth - 1) for _ in "ab"]
            }
        course = self.one([*COURSES, "this"])
        some = self.one([*COURSES, "any", "this"])
        within = {"within": self.one(SPANS)} if self.may(0.5) else {}
        return self.one(
            [
                {"is": "enrolled", "course": some},
                {"is": "enrolled", "course": some, "status": [self.one(["preview", "expired", "refunded", "completed"])]},
                {"is": "completed", "course": course},
                {"is": "completed", "module": self.one([*MODULES, "this"])},
                {"is": "completed", "lesson": self.one([*LESSONS, "this"])},
                {"is": "progress", "course": course, self.one(["at_least", "at_most"]): self.one([0, 25, 50, 60, 99])},
                {"is": "quiz", "quiz": self.one([*QUIZZES, "this"]), "result": self.one(["passed", "failed", "not_taken"])},
                {"is": "bought", "offer": self.one([*OFFERS, "any", "this"]), **within},
                {"is": "tagged", "tag": self.one(TAGS)},
                {"is": self.one(["inside", "finished", "been_inside"]), "sequence": self.one(SEQUENCES)},
                {"is": self.one(["sent", "opened", "clicked"]), "letter": self.one(["access", "help"]), **within},
                {"is": "inactive", "course": some, "for": self.one(["P2D", "P1W"])},
                {"is": "joined", self.one(["before", "after"]): self.one(["2026-03-05", "2026-03-02"])},
                {"is": "certified", "course": course},
                {"is": "news_on"},
                {"is": "field", "name": "hives", **self.one([{"equals": 2}, {"filled": True}, {"filled": False}])},
                {"is": "field", "name": "place", **self.one([{"contains": "roof"}, {"equals": "roof top"}])},
                {"is": "student", "keys": ["ana", "kai"]},
            ]
        )  # fmt: skip

    def wait(self) -> Plain:
        found: Plain = {"do": "wait", "for": self.one(SPANS)} if self.may(0.85) else {"do": "wait"}
        found |= {"at": self.one(CLOCKS)} if self.may(0.4) or "for" not in found else {}
        found |= (
            {"days": self.one([["mon", "thu"], ["sun"], ["tue", "wed", "sat"]])} if self.may(0.25) else {}
        )
        found |= {"zone": "school"} if self.may(0.2) else {}
        return found | ({"since": "start"} if self.may(0.2) else {})

    def steps(self, depth: int = 2, top: bool = True, most: int = 6) -> list[Plain]:
        kinds = (
            ["send"] * 5
            + ["wait"] * 5
            + ["tag"] * 2
            + ["tell", "certificate", "start_sequence", "stop_sequence"]
        )
        kinds += (
            ["wait_for", "wait_for", "wait_for", "branch", "branch", "repeat", "dated"] if depth else ["end"]
        )
        kinds += ["waypoint", "waypoint", "waypoint"] if top else []
        return [self.step(self.one(kinds), depth) for _ in range(self.random.randint(1, most))]

    def lane(self, depth: int) -> list[Plain]:
        return self.steps(depth - 1, False, 3) if self.may(0.75) else []

    def step(self, kind: str, depth: int) -> Plain:
        self.steps_made += 1
        found: Plain = {"id": f"{kind}-{self.steps_made}", "do": kind}
        match kind:
            case "send":
                return {**found, **self.posted(LETTERS)}
            case "tell":
                return {**found, "letter": self.one(LETTERS), "to": self.one(["owner", ["desk@example.org"]])}
            case "wait":
                return {**found, **self.wait()}
            case "tag":
                tags = self.random.sample(TAGS, 2)
                return {
                    **found,
                    **self.one([{"add": tags[:1]}, {"remove": tags[:1]}, {"add": tags, "remove": tags[:1]}]),
                }
            case "certificate":
                return {**found, "course": self.one(COURSES)}
            case "start_sequence" | "stop_sequence":
                return {**found, "sequence": self.one(SEQUENCES)}
            case "wait_for":
                within = {"within": self.one(SPANS)} if self.may(0.7) else {}
                return {
                    **found,
                    "event": self.matcher(self.may(0.1)),
                    **within,
                    "then": self.lane(depth),
                    "else": self.lane(depth),
                }
            case "branch":
                arms = [
                    {"if": self.condition(), "steps": self.lane(depth)}
                    for _ in range(self.random.randint(1, 2))
                ]
                return {**found, "arms": arms, "otherwise": self.lane(depth)}
            case "repeat":
                pause = {
                    "id": f"pause-{self.steps_made}",
                    "do": "wait",
                    "for": self.one(["P1D", "P1D", "P3D", "PT0S"]),
                }
                lane = self.lane(depth)
                lane.insert(self.random.randint(0, len(lane)), pause)
                return {**found, "times": self.one([0, 1, 2, 3, None]), "steps": lane}
            case "dated":
                at = self.one(
                    ["2026-03-05T18:00", "2026-03-08T02:30", "2026-03-29T01:30", "2026-03-01T08:00"]
                )
                return {**found, "at": at, "grace": self.one([None, "P1D", "PT6H"]), "zone": self.one(["student", "school"]),
                        "steps": self.lane(depth)}  # fmt: skip
            case "waypoint":
                return {**found, "reach": self.matcher(self.may(0.1)), "hold": self.may(0.4)}
        return found

    def posted(self, letters: list[str]) -> Plain:
        """One letter, or two or three of which each student gets one."""
        if self.may(0.8):
            return {"letter": self.one(letters)}
        shares = self.one([[50, 50], [10, 90], [34, 33, 33]])
        drawn = self.random.sample(sorted(set(letters)), len(shares))
        return {"versions": [{"letter": x, "share": y} for x, y in zip(drawn, shares, strict=True)]}

    def trial(self) -> Plain:
        return {
            "key": self.one(["spring", "spring", "summer", "winter"]), "hold_back": self.one([5, 30, 50, 80]),
            "goal": self.matcher(self.may(0.2)), "within": self.one([*SPANS, "P14D", "P90D"]),
        }  # fmt: skip

    def sequence(self, key: str) -> Plain:
        starts = [self.matcher(self.may(0.2)) for _ in range(self.random.randint(0, 2))]
        if not starts or self.may(0.5):
            starts.append({"on": "enrolled", "course": self.one(COURSES)})
        return {
            "key": key, "name": key, "status": self.one(["running"] * 6 + ["draft", "paused"]), "starts": starts,
            "only_if": self.condition() if self.may(0.25) else None,
            "again": self.one(["once", "once_per_subject", "once_per_subject", "when_finished", "every_time"]),
            "leaves": [self.matcher() for _ in range(self.one([0, 0, 1]))],
            "posting_hours": self.one(["school", "school", None, self.hours()]), "steps": self.steps(),
            "trial": self.trial() if self.may(0.3) else None,
        }  # fmt: skip

    def event(self, student: str) -> Plain:
        kind = self.one(
            ["purchased"] * 3 + ["refunded", "enrolled", "enrolled"] + ["lesson_completed"] * 5 + ["lesson_started"]
            + ["lesson_watched"] * 2 + ["quiz_taken"] * 3 + ["signed_in", "signed_up", "letter_opened", "link_clicked"]
            + ["answered", "tag_added", "tag_added", "tag_removed", "certificate_approved", "certificate_revoked", "answered", "rare", "rare", "rare"]
        )  # fmt: skip
        if kind == "rare":
            kind = self.one(
                ["news_stopped", "course_help_stopped", "course_help_stopped", "bounced", "complained"]
            )
        more: Plain = {
            "purchased": {"offer": self.one(OFFERS)},
            "refunded": {"offer": self.one(OFFERS)},
            "enrolled": {"course": self.one(COURSES), "via": self.one(["manual", "import", "preview"])},
            "lesson_watched": {"lesson": self.one(LESSONS), "percent": self.one([20, 50, 95])},
            "quiz_taken": {"quiz": self.one(QUIZZES), "score": self.one([40, 69, 70, 100])},
            "signed_up": {"form": self.one(["guide", "list"])},
            "letter_opened": {"letter": "help"},
            "link_clicked": {"letter": "help", "link": self.one(["a", "b"])},
            "answered": {"letter": self.one(["asked", "help"]), "answer": self.one(["yes", "no"])},
            "certificate_approved": {"course": self.one(COURSES)},
            "certificate_revoked": {"course": self.one(COURSES)},
            "course_help_stopped": {"course": self.one(COURSES)},
            "bounced": {"hard": self.may(0.5)},
        }.get(kind, {})
        if kind.startswith("lesson"):
            more = {"lesson": self.one(LESSONS), **more}
        if kind.startswith("tag"):
            more = {"tag": self.one(TAGS)}
        at = FIRST + timedelta(minutes=self.one([0, 30, 720, 570, 1410]), days=self.random.randint(0, 45))
        more |= {"id": self.one(["one", "two"])} if self.may(0.1) else {}
        return {"at": at.strftime("%Y-%m-%dT%H:%M:%SZ"), "type": kind, "student": student, **more}

    def broadcast(self, key: str) -> Plain:
        at = FIRST + timedelta(minutes=self.one([0, 570, 720, 1410]), days=self.random.randint(0, 40))
        found = {
            "key": key, "status": self.one(["scheduled", "scheduled", "scheduled", "draft"]),
            **self.posted(["news", "news", "own", "help", "help2", "access", "asked", "next"]),
            "at": at.strftime("%Y-%m-%dT%H:%M:%S"), "zone": self.one(["school", "student"]),
            "posting_hours": self.one(["school", None, self.hours()]), "inside": self.one(["pass_by", "wait", "wait"]),
            "within": self.one([None, "P1D", "PT6H", "PT0S", "P1W"]), "without": self.one([[], [], ["kai"]]),
        }  # fmt: skip
        return found | {
            "to": self.condition() if self.may(0.5) else None,
            "course": self.one([None, *COURSES]),
        }

    def school(self) -> Plain:
        sequences = [self.sequence(key) for key in SEQUENCES]
        _come_in_one_at_a_time(sequences)
        students = [
            {"key": key, "email": f"{key}@example.org", "first_name": name, "last_name": "", "timezone": self.one(ZONES),
             "news": self.may(0.6), "tags": [t for t in TAGS if self.may(0.2)],
             "fields": self.one([{}, {"hives": 2}, {"hives": 2, "place": "roof top"}])}
            for key, name in (("ana", "Ana"), ("kai", ""), ("mei", "Mei"))
        ]  # fmt: skip
        events = [
            self.event(self.one(students)["key"])
            for _ in range(self.random.randint(4, 40) * self.one([1, 2]))
        ]
        events += [
            {
                "at": "2026-03-02T12:00:00Z",
                "type": "purchased",
                "student": who["key"],
                "offer": self.one(OFFERS[:3]),
            }
            for who in students
            if self.may(0.8)
        ]
        for sequence in sequences:
            sequence["holds_broadcasts"] = self.may(0.4)
        return {
            "format": "patient-courier.school", "version": 1,
            "broadcasts": [self.broadcast(f"b{n}") for n in range(self.one([0, 1, 2, 3]))],
            "school": {
                "name": "Mallow Lane Apiary School", "timezone": "Europe/Lisbon", "sender": {"name": "Ines", "email": "ines@mallowlane.example"},
                "posting_hours": self.hours() if self.may(0.6) else None, "daily_limit": self.one([None, 1, 2]),
            },
            "courses": [
                {"key": "bees", "title": "First Hive", "summary": "", "access": self.one([None, "P20D", "P1M"]),
                 "modules": [
                     {"key": "m1", "title": "One", "unlocks": self.one([None, "P3D"]), "lessons": [_lesson("l1"), _lesson("l2")]},
                     {"key": "m2", "title": "Two", "unlocks": self.one([None, "P7D", "P2W"]), "lessons": [_lesson("l3")],
                      "quizzes": [{"key": "q1", "title": "Parts", "pass_mark": 70}]}],
                 "certificate": self.one([None, {"approval": False}])},
                {"key": "honey", "title": "Honey Weekend", "summary": "", "access": self.one([None, "P10D"]),
                 "modules": self.one([[], [{"key": "m0", "title": "Soon"}]])
                 + [{"key": "m1", "title": "All", "lessons": [_lesson("l1"), _lesson("l2")], "quizzes": [{"key": "q1", "title": "Jars"}]}],
                 "certificate": self.one([{"approval": True}, {"approval": True}, {"approval": False}])}],
            "offers": [
                {"key": "bees-once", "title": "First Hive", "price": None, "courses": ["bees"], "tags": ["keen"]},
                {"key": "honey-once", "title": "Honey", "price": None, "courses": ["honey"]},
                {"key": "both", "title": "Both", "price": None, "courses": ["bees", "honey"], "tags": ["vip", "keen"]},
                {"key": "call", "title": "A call", "price": None, "courses": []}],
            "letters": [
                _answers(),
                _letter("access", "service", "{{ student.first_name | default('Hello') }}, {{ course.title | default('welcome') }}"),
                _letter("help", "course_help", "On {{ course.title | default('it') }} ({{ course.progress | default('0') }})"),
                _letter("help2", "course_help", "Still there?", gap=self.one(["P1D", "P3D", "P1W"])),
                _letter("named", "course_help", "Dear {{ student.first_name }}"),
                _letter("news", "news", "News", gap=self.one([None, "PT20H", "P1M"])),
                _letter("quiz", "service", "Quiz", "<p>{{ quiz.score }} in {{ quiz.attempts }}</p>"),
                _letter("next", "course_help", "Next: {{ next_lesson.title | default('none') }}", "<p>{{ module.title }}</p>"),
                _letter("own", "news", "Your {{ student.fields.hives | default('first') }} hives", "<p>{{ student.fields.place }}</p>")],
            "sequences": sequences, "students": students, "events": events, "until": "2026-05-10T00:00:00Z",
        }  # fmt: skip


def _come_in_one_at_a_time(sequences: list[Plain]) -> None:
    """Sequences that others or tags can start: else runs multiply without end."""
    text = json.dumps([found["steps"] for found in sequences])
    for found in sequences:
        by_tags = any(start["on"].startswith("tag_") for start in found["starts"])
        if by_tags or f'"do": "start_sequence", "sequence": "{found["key"]}"' in text:
            found["again"] = {"every_time": "when_finished"}.get(found["again"], found["again"])
