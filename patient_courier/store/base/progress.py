"""How far students have come in a course, kept in whole percent, so that an audience need not count lessons.

Says the same as ``core/engine/conditions.progress``. Kept up to date when facts are stored, and counted anew when an outline
changes.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import and_, delete, func, insert, literal, or_, select
from sqlalchemy.orm import Session

from patient_courier.core.engine.conditions import progress
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState
from patient_courier.core.school.courses import Course
from patient_courier.store.base.tables import LearntRow, ProgressRow


def progress_values(state: StudentState, student_id: int, definitions: Definitions) -> list[dict[str, Any]]:
    """Rows for the courses in which the student has newly learnt something."""
    courses = {key.partition("/")[0] for kind, key in state.facts.changed if kind in ("lesson", "quiz")}
    return [
        {"student_id": student_id, "course": course, "percent": progress(definitions, state, course)}
        for course in sorted(courses & definitions.courses.keys())
    ]


def count_anew(session: Session, course: Course) -> None:
    """Count every student's progress by the course's outline as it is now."""
    q = LearntRow
    lessons = [f"{course.key}/{lesson.key}" for module in course.modules for lesson in module.lessons]
    quizzes = [f"{course.key}/{quiz.key}" for module in course.modules for quiz in module.quizzes]
    total = max(len(lessons) + len(quizzes), 1)
    # SQLite divides whole numbers rounding down, as the percent is defined.
    done = (
        select(q.student_id, literal(course.key), func.count() * 100 // total)
        .where(
            q.at.is_not(None),
            or_(and_(q.kind == "lesson", q.key.in_(lessons)), and_(q.kind == "quiz", q.key.in_(quizzes))),
        )
        .group_by(q.student_id)
    )
    session.execute(delete(ProgressRow).where(ProgressRow.course == course.key))
    session.execute(insert(ProgressRow).from_select(["student_id", "course", "percent"], done))
