"""Merge fields: what may stand in a text, and what comes out of it."""

import pytest
from whenever import Instant

from patient_courier.core.letters.merge import Template, TemplateError, one_line
from patient_courier.core.school.values import Money

VALUES = {
    "student.first_name": "Ana",
    "student.last_name": "",
    "course.progress": 0,
    "event.at": Instant.from_utc(2026, 3, 2, 23, 40),
    "offer.price": Money(amount="149", currency="EUR"),
    "quiz.score": 55.0,
}


@pytest.mark.parametrize(
    ("text", "printed"),
    [
        ("Hello {{ student.first_name }}!", "Hello Ana!"),
        ("{{ student.last_name | default('you') | upper }}", "YOU"),
        ("{{ student.last_name | upper | default('you') }}", "you"),
        ("{{ course.progress | default('none') }}%", "0%"),
        (
            "{{ event.at }} / {{ event.at | date }} / {{ event.at | time }}",
            "3 March 2026 / 3 March 2026 / 08:40",
        ),
        ("{{ offer.price }} {{ offer.price | money }}", "EUR 149.00 EUR 149.00"),
        ("{{ quiz.score }} of 100", "55 of 100"),
    ],
)
def test_values_are_printed(text, printed):
    assert Template.parse(text).render(VALUES, "Asia/Tokyo", html=False) == printed


@pytest.mark.parametrize(
    "text",
    [
        "{% if 1 %}x{% endif %}",
        "{{ student }}",
        "{{ student.password }}",
        "{{ student.first_name.upper() }}",
        "{{ student['first_name'] }}",
        "{{ student.first_name | safe }}",
        "{{ student.first_name | default(school.name) }}",
        "{{ student.first_name | upper('x') }}",
        "{{ 1 + 1 }}",
        "{{ student.first_name",
        "{{ student.fields. }}",
    ],
)
def test_anything_else_is_refused_with_the_line(text):
    with pytest.raises(TemplateError, match="line 2"):
        Template.parse("first\n" + text)


def test_a_blank_is_a_missing_or_empty_value_without_a_fallback():
    blank = Template.parse("{{ student.first_name }} {{ student.last_name }} {{ lesson.title }}")
    assert blank.first_blank(VALUES, "UTC") == "student.last_name"
    assert (
        Template.parse("{{ student.last_name | default('') }}{{ course.progress }}").first_blank(
            VALUES, "UTC"
        )
        is None
    )


def test_values_are_escaped_in_the_body_and_never_reach_a_header_with_a_line_break():
    evil = {"student.first_name": "<b>\r\nBcc: x@example.org"}
    template = Template.parse("{{ student.first_name }}")
    assert template.render(evil, "UTC", html=True).startswith("&lt;b&gt;")
    assert one_line(template.render(evil, "UTC", html=False)) == "<b> Bcc: x@example.org"


@pytest.mark.parametrize(
    "text",
    [
        "{{ student.fields. }}",
        "{{ student.fields }}",
        "{{ student.first_name | default() }}",
        "{{ student.first_name | default('a', 'b', 'c') }}",
        "{{ student.first_name | upper('x') }}",
        "{{ student.first_name | default(course.title) }}",
    ],
)
def test_a_field_without_a_name_and_a_filter_with_too_much_or_too_little_are_refused(text):
    with pytest.raises(TemplateError):
        Template.parse(text)
