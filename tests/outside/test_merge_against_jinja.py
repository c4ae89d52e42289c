"""Merge fields against Jinja2 itself, where our subset and its language are the same.

Source: Jinja2 3.1, rendering the same text with the same values.
"""

from hypothesis import given
from hypothesis import strategies as st
from jinja2 import Environment

from patient_courier.core.letters.merge import Template

PLAIN = st.text(st.characters(exclude_characters="{}%#", exclude_categories=["Cs"]), max_size=30).map(
    lambda text: text.replace("\r", "")
)
VALUES = st.text(st.characters(exclude_categories=["Cs"]), min_size=1, max_size=20)
FIELDS = st.builds(
    lambda space, field, filters: "{{" + space + field + "".join(filters) + space + "}}",
    st.sampled_from(["", " ", "\n"]),
    st.sampled_from(["student.first_name", "course.title", "student.last_name"]),
    st.lists(
        st.sampled_from([" | upper", "|lower", " | title", " | default('you', true)", '|default("x", true)']),
        max_size=3,
    ),
)
ENVIRONMENT = Environment(keep_trailing_newline=True)
ESCAPING = Environment(keep_trailing_newline=True, autoescape=True)


@given(st.lists(st.one_of(PLAIN, FIELDS), max_size=6).map("".join), VALUES, VALUES)
def test_the_same_text_comes_out(text, name, title):
    values = {"student.first_name": name, "student.last_name": "", "course.title": title}
    nested = {"student": {"first_name": name, "last_name": ""}, "course": {"title": title}}
    template = Template.parse(text)
    assert template.render(values, "UTC", html=False) == ENVIRONMENT.from_string(text).render(nested)
    assert template.render(values, "UTC", html=True) == ESCAPING.from_string(text).render(nested)
