"""The end of a course: what is drafted for it, what a certificate says, and what feedback adds up to."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter
from whenever import Instant

from patient_courier.core.checks import Lacking, sequence_findings
from patient_courier.core.completion.certificates import design_of as design
from patient_courier.core.completion.certificates import difficult, filled, learnt, wrong_lines
from patient_courier.core.completion.feedback import Rating, by_month, figures_of
from patient_courier.core.completion.request import claim
from patient_courier.core.drafting.ending import draft_ending, draft_reminder, has_ending, nearly_there
from patient_courier.core.engine.conditions import Asked, holds
from patient_courier.core.engine.state import new_state
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.courses import CertificateRule
from tests.schools import COURSE, OFFER, bought, event, read, school

NEXT = {**COURSE, "key": "queens", "title": "Queen Rearing", "certificate": None}
NEXT_OFFER = {**OFFER, "key": "queens-once", "title": "Queen Rearing", "courses": ["queens"]}
CIRCLE = {**OFFER, "key": "circle", "title": "All of it", "courses": ["bees", "queens"]}
BOTH = {"courses": [COURSE, NEXT], "offers": [OFFER, NEXT_OFFER, CIRCLE]}
DONE = [*(event("2026-03-04", "lesson_completed", lesson=f"bees/l{n}") for n in (1, 2, 3)), event("2026-03-04", "quiz_taken", quiz="bees/q1", score=90)]  # fmt: skip


def with_ending(events, after="queens-once", school_of=BOTH):
    """A school with the drafted end of its course, running."""
    plain = definitions_of(read(school([], [], **school_of)))
    made = draft_ending(plain, plain.courses["bees"], plain.offers.get(after))
    sequence = {**as_data(made.sequences[0]), "status": "running"}
    return read(school([sequence], events, *(as_data(x) for x in made.letters), **school_of))


def posted(events, **more):
    found = rehearse(with_ending(events, **more)).as_json()
    return [(x["at"][:10], x["letter"]) for x in found["letters"]], found["runs"][0]


def test_certificate_at_once_feedback_after_a_week_and_the_next_course_two_days_later():
    letters, run = posted([bought(), *DONE])
    assert letters == [
        ("2026-03-04", "bees-certificate"),
        ("2026-03-11", "bees-feedback"),
        ("2026-03-13", "bees-next"),
    ]
    assert run["outcome"] == "finished"


@pytest.mark.parametrize("offer", ["queens-once", "circle"])
def test_whoever_buys_the_next_course_on_the_way_is_taken_out(offer):
    letters, run = posted([bought(), *DONE, event("2026-03-12", "purchased", offer=offer)])
    assert letters == [("2026-03-04", "bees-certificate"), ("2026-03-11", "bees-feedback")]
    assert run["outcome"] == "left"


def test_whoever_had_the_next_course_before_is_not_offered_it():
    letters, run = posted([bought(), event("2026-03-03", "purchased", offer="queens-once"), *DONE])
    assert [key for _, key in letters] == ["bees-certificate", "bees-feedback"]
    assert run["outcome"] == "finished"


def test_what_is_drafted_has_no_findings_in_a_school_of_one_course_too():
    alone = {"courses": [COURSE], "offers": [OFFER]}
    for after, school_of in (("queens-once", BOTH), ("", alone)):
        file = with_ending([], after, school_of)
        definitions = definitions_of(file)
        assert sequence_findings(definitions, definitions.sequences["bees-end"], Lacking()) == []
        assert has_ending(definitions, "bees") and not has_ending(definitions, "queens")
    plain = definitions_of(read(school([], [])))
    reminder = draft_reminder(plain, plain.courses["bees"])
    file = read(school([as_data(reminder.sequences[0])], [], *(as_data(x) for x in reminder.letters)))
    definitions = definitions_of(file)
    assert sequence_findings(definitions, definitions.sequences["bees-nearly-there"], Lacking()) == []


def test_a_reminder_goes_to_those_who_are_nearly_through_alone():
    course = {**COURSE, "modules": [{"key": "m1", "title": "One", "lessons": [{"key": f"l{n}", "title": f"L{n}"} for n in range(1, 11)]}]}  # fmt: skip
    plain = definitions_of(read(school([], [], courses=[course])))
    made = draft_reminder(plain, plain.courses["bees"])
    sequence = {**as_data(made.sequences[0]), "status": "running"}
    for done, letters in ((7, 0), (8, 1), (10, 0)):
        events = [
            bought(),
            *(event("2026-03-03", "lesson_completed", lesson=f"bees/l{n}") for n in range(1, done + 1)),
        ]
        file = read(school([sequence], events, *(as_data(x) for x in made.letters), courses=[course], until="2026-04-30T00:00:00Z"))  # fmt: skip
        outcome = rehearse(file)
        assert len(outcome.letters) == letters
        # The audience asks the same.
        asked = Asked(definitions_of(file), outcome.states["ana"], Instant.from_utc(2026, 4, 1), None)
        condition = TypeAdapter(Condition).validate_python(nearly_there("bees"))
        assert holds(condition, asked) is (letters == 1)


def test_where_a_student_stands_who_asks_for_a_certificate():
    for events, standing, open_ in (
        ([], "none", 0),
        ([bought()], "open", 4),
        ([bought(), DONE[0]], "open", 3),
        ([bought(), *DONE], "issued", 0),
        ([bought(), *DONE, event("2026-03-05", "certificate_revoked", course="bees")], "ready", 0),
        ([event("2026-03-02", "enrolled", course="bees", via="preview"), *DONE], "none", 0),
    ):
        file = read(school([], events, until="2026-03-06T00:00:00Z"))
        found = claim(definitions_of(file), rehearse(file).states["ana"], "bees")
        assert (found.standing, len(found.open_)) == (standing, open_), events
    fresh = new_state(file.students[0], file.school, 0)
    assert claim(definitions_of(file), fresh, "no-such-course").standing == "none"


def test_the_lines_of_a_certificate_are_filled_and_nothing_private_can_be_put_in():
    found = design(definitions_of(read(school([], []))), definitions_of(read(school([], []))).courses["bees"])
    at = Instant.from_utc(2026, 3, 2, 23, 30)
    line = "{{ student.full_name }} · {{ course.title | upper }} · {{ certificate.issued_on | date }} · {{ certificate.code }}"
    assert filled(line, found, "Zoë <b>", at, "A-B") == "Zoë <b> · FIRST HIVE · 2 March 2026 · A-B"
    assert filled("{{ broken", found, "Zoë", at, "A-B") == "{{ broken"
    assert learnt(found) == "3 lessons in 2 modules, 1 quiz"
    rule = CertificateRule(wording="{{ student.email }}", heading="{{ 1 + 1 }}", before="{{ school.name }}")
    assert set(wrong_lines(rule)) == {"heading", "wording"}
    assert "can't stand on a certificate" in wrong_lines(rule)["wording"]


def test_designs_are_one_when_they_are_the_same_and_difficult_names_show_every_script():
    definitions = definitions_of(read(school([], [])))
    one, other = (design(definitions, definitions.courses["bees"]) for _ in range(2))
    assert one.key == other.key != one.model_copy(update={"title": "Other"}).key
    names = [
        "A very very long plain name",
        "Ana",
        "Zoë Ñandú",
        "Żaneta",
        "نور الخطيب",
        "Αθηνά",
        "Юлія",
        "Ольга",
    ]
    assert difficult(names) == ["A very very long plain name", "Zoë Ñandú", "نور الخطيب", "Αθηνά", "Юлія"]


@given(st.lists(st.integers(1, 5), max_size=60))
def test_feedback_adds_up_and_its_months_add_up_to_it(values):
    start = Instant.from_utc(2026, 1, 1)
    ratings = [Rating(n, "f", "bees", value, start.add(hours=30 * n)) for n, value in enumerate(values)]
    whole, months = figures_of(ratings), by_month(ratings, "Europe/Lisbon")
    assert [sum(one.feedback.counts[at] for one in months) for at in range(5)] == whole.counts
    assert whole.counts == [values.count(value) for value in range(1, 6)]
    assert (
        whole.glad.part == sum(value >= 4 for value in values)
        and whole.glad.low <= whole.glad.fraction <= whole.glad.high
    )
    assert (whole.mean is None) is (not values) and (whole.mean is None or 1 <= whole.mean <= 5)
    assert [one.month for one in months] == sorted({one.month for one in months})
