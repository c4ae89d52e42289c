"""What speaks for a certificate, and against it."""

import pytest
from whenever import Instant

from patient_courier.core.completion.evidence import evidence
from patient_courier.core.engine.facts import QuizRecord
from patient_courier.core.engine.state import new_state
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.telling.words import span_of_minutes
from tests.schools import read, school

BEGAN = Instant.from_utc(2026, 3, 2, 9)


def seen(lessons, quiz=None):
    """Evidence of a student who has finished lessons so many minutes after nine, and taken the quiz."""
    file = read(school([], []))
    state = new_state(file.students[0], file.school, 0)
    state.facts.lessons = {f"bees/{key}": BEGAN.add(minutes=after) for key, after in lessons.items()}
    if quiz:
        state.facts.quizzes = {"bees/q1": quiz}
    return evidence(definitions_of(file), state, "bees")


def test_a_whole_course_with_its_quiz_leaves_nothing_open():
    passed = QuizRecord(attempts=3, score=80, last=BEGAN, passed=BEGAN)
    found = seen({"l1": 0, "l2": 600, "l3": 4000}, passed)
    assert (found.progress, found.lessons_done, found.open_, found.hurried) == (100, 3, (), None)
    (quiz,) = found.quizzes
    assert (quiz.title, quiz.attempts, quiz.score, quiz.passed) == ("Parts of a hive", 3, 80, True)
    assert found.ended == BEGAN.add(minutes=4000)


def test_what_is_open_is_named_in_the_order_of_the_course_the_quizzes_last():
    failed = QuizRecord(attempts=1, score=40, last=BEGAN)
    assert seen({"l1": 0}, failed).open_ == ("Where to stand", "Three hives", "Parts of a hive")
    assert seen({}).began is None


def test_faster_than_half_of_what_the_lessons_last_is_said_plainly():
    # Only the first lesson says how long it is: eleven minutes.
    assert seen({"l1": 0, "l2": 1}).hurried == "Finished 2 lessons in 1 minute; they last 11 minutes."
    assert seen({"l1": 0, "l2": 6}).hurried is None
    assert seen({"l1": 0}).hurried is None  # one lesson says nothing
    assert seen({"l2": 0, "l3": 0}).hurried is None  # nobody knows how long these are


@pytest.mark.parametrize(
    ("minutes", "said"),
    [(1, "1 minute"), (89, "89 minutes"), (90, "2 hours"), (60 * 30, "30 hours"), (60 * 48, "2 days")],
)
def test_a_length_of_time_as_one_says_it(minutes, said):
    assert span_of_minutes(minutes) == said
