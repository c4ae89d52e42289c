"""What the engine holds in hand as rows: the changed facts of a student, and a run."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from patient_courier.core.engine.facts import Facts
from patient_courier.core.engine.state import Run, StudentState
from patient_courier.store.base.tables import (
    ActivityRow,
    CertificateRow,
    EnrolmentRow,
    HelpStopRow,
    LearntRow,
    PurchaseRow,
    ReadingRow,
    TagRow,
)


def run_values(run: Run, student_id: int) -> dict[str, Any]:
    """A run as the columns of its row."""
    subject = run.subject
    return {
        "number": run.number,
        "student_id": student_id,
        "sequence": run.sequence,
        "version": run.version,
        "subject": {"kind": subject.kind, "key": subject.key, "objects": subject.objects}
        if subject
        else None,
        "started": run.started,
        "event_at": run.event_at,
        "event_number": run.event_number,
        "cause": run.cause,
        "trial": run.trial,
        "outcome": run.outcome,
        "ended": run.ended,
        "step": run.step,
        "due": run.due,
        "arrived": run.arrived,
        "walked": run.walked,
        "arriving": run.arriving,
        "steps_at": run.steps_at[0] if run.steps_at else None,
        "steps": run.steps_at[1] if run.steps_at else 0,
        "holds": [(hold.start, hold.until, hold.reason) for hold in run.holds],
        "rounds": run.rounds,
        "passed": run.passed,
        "trail": run.trail,
    }


def fact_values(state: StudentState, student_id: int) -> dict[type[Any], list[dict[str, Any]]]:
    """The changed facts of a student as rows to put in, by table; a value of None in ``tag`` rows means: take out."""
    facts, found = state.facts, defaultdict[type[Any], list[dict[str, Any]]](list)
    for kind, key in sorted(facts.changed):
        own = {"student_id": student_id}
        match kind:
            case "enrolment":
                e = facts.enrolments[key]
                found[EnrolmentRow].append(
                    own
                    | {"course": key, "via": e.via, "began": e.began, "offer": e.offer}
                    | {"refunded": e.refunded, "expired": e.expired}
                )
            case "purchases":
                for ordinal, p in enumerate(facts.purchases):
                    values = {"offer": p.offer, "at": p.at, "refunded": p.refunded, "order": p.order}
                    found[PurchaseRow].append(own | {"ordinal": ordinal} | values)
            case "lesson" | "module" | "course" | "quiz":
                found[LearntRow].append(own | {"kind": kind, "key": key} | _learnt_values(facts, kind, key))
            case "certificate":
                c = facts.certificates[key]
                found[CertificateRow].append(
                    own | {"course": key, "requested": c.requested, "issued": c.issued}
                )
            case "help_stop":
                found[HelpStopRow].append(own | {"course": key})
            case "activity":
                found[ActivityRow].append(own | {"course": key, "at": facts.activity[key]})
            case "reading":
                values = {"opened": facts.opened.get(key), "clicked": facts.clicked.get(key)}
                found[ReadingRow].append(own | {"letter": key} | values)
            case "tag":
                if key in facts.tags:
                    found[TagRow].append(own | {"tag": key})
            case _:
                pass  # of the person: they stand in the student's own row
    return found


def _learnt_values(facts: Facts, kind: str, key: str) -> dict[str, Any]:
    none = dict.fromkeys(("at", "percent", "attempts", "score", "last"))
    if kind == "quiz":
        record = facts.quizzes[key]
        return {
            "at": record.passed,
            "percent": None,
            "attempts": record.attempts,
            "score": record.score,
            "last": record.last,
        }
    known = {"lesson": facts.lessons, "module": facts.modules, "course": facts.courses}[kind]
    return none | {"at": known.get(key), "percent": facts.watched.get(key) if kind == "lesson" else None}
