"""Twice as much in a file is at most about twice the work, whatever it is made of: counted in lines and calls.

What happens inside one call of another library's parser is not counted; those parsers take time in proportion to what
they read (html5ever behind nh3, cmark), which holds as long as nothing is nested deep, and that is counted here.
"""

from html import escape

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from patient_courier.core.letters.cleaning import DEEPEST, clean, clean_frame, plain_markup, title_of
from patient_courier.intake.letter_files import read_letter_file
from patient_courier.intake.mail_bounds import LONGEST_HEADER, MOST_PARTS
from patient_courier.intake.mail_reports import read_report
from patient_courier.intake.people_file import read_people
from tests.work import work

PIECES = {
    "html": [
        "<!--",
        "<style>",
        "<title>",
        "<script ",
        "<body ",
        "<hr ",
        "<blockquote>",
        "<td>",
        "<p>a",
        "&",
        "-->",
    ],
    "md": ["[", "![", "> ", "*", "`", "**a ", "<!--", "[a](", "# "],
    "csv": [" 'a\"", '" \'a",', "a;b,", '"', "\t|", "a\n"],
    "eml": ["=?utf-8?q?a?= ", "(", "[", ";a=b", "Content-Type: message/rfc822\n\n", "--a\n\n", "a\n"],
    "report": ["Content-Type: message/rfc822\n\n", "--a\n\n", ";a=b", "a\n", "X: y\n", "Status: 5.1.1\n\n"],
}
HEADS = {
    "eml": [
        "Subject: ",
        "Content-Type: text/plain",
        "Content-Type: ",
        "",
        "Content-Type: multipart/mixed; boundary=a\n\n",
    ],
    "report": ["", "Subject: x\n\n", "Content-Type: multipart/report; boundary=a\n\n"],
}


def read(kind: str, text: str) -> None:
    raw = text.encode()
    match kind:
        case "csv":
            read_people(raw)
        case "report":
            read_report(raw)
        case _:
            read_letter_file(f"x.{kind}", raw)


@settings(max_examples=80)
@given(st.data())
def test_twice_the_file_is_not_four_times_the_work(data):
    kind = data.draw(st.sampled_from(sorted(PIECES)))
    head = data.draw(st.sampled_from(HEADS.get(kind, [""])))
    piece = "".join(data.draw(st.lists(st.sampled_from(PIECES[kind]), min_size=1, max_size=3)))
    number = 12_000 // len(piece)
    once, twice = (work(lambda n=n: read(kind, head + n * piece + "\n\nx")) for n in (number, 2 * number))
    assert twice < 3 * once + 2_000, (kind, head, piece, once, twice)


def test_the_counter_sees_work_that_grows_with_the_square():
    def square(size):
        for a in range(size):
            for b in range(size):
                len((a, b))

    assert work(lambda: square(40)) > 3.5 * work(lambda: square(20)) > 1000


@pytest.mark.parametrize("tag", ["blockquote", "div", "b", "ul", "table"])
def test_what_is_nested_deeper_than_any_text_keeps_its_paragraphs(tag):
    deep = f"<{tag}>" * 50_000 + "<p>here</p>" + f"</{tag}>" * 50_000
    for found in (clean(deep), clean_frame(deep)[1], plain_markup(deep, {"p", "blockquote", "table"})):
        assert found == "<p>here</p>"
    usual = "<blockquote>" * 20 + "here" + "</blockquote>" * 20
    assert clean(usual) == usual and DEEPEST > 20


@example("<p>", 2 * DEEPEST)
@example("<li>", 2 * DEEPEST)
@given(st.sampled_from(["<p>", "<br>", "<li>", "<hr>", "<td>"]), st.integers(1, 2 * DEEPEST))
def test_tags_that_end_by_themselves_do_not_count_as_nested(tag, number):
    bold = clean("<ul>" + f"{tag}<b>x</b>" * number + "</ul>")
    assert bold.count("<b>x</b>") == number


def test_a_mail_with_very_many_parts_or_a_very_long_header_is_read_as_far_as_it_means_something():
    parts = "Content-Type: multipart/mixed; boundary=a\n\n" + "--a\nContent-Type: text/plain\n\nx\n" * (
        MOST_PARTS + 1
    )
    with pytest.raises(ValueError, match="too many parts"):
        read_letter_file("x.eml", parts.encode())
    assert read_report(parts.encode()).kind == "nothing"
    long = read_letter_file("x.eml", f"Subject: {'a' * 3 * LONGEST_HEADER}\n\nhello".encode())
    assert long.subject == "a" * len(long.subject) and 1_900 < len(long.subject) <= LONGEST_HEADER
    nested = b"Content-Type: message/rfc822\n\n" * 30_000 + b"\n\nhello"
    assert read_report(nested).kind == "nothing"


MARKUP = st.lists(
    st.one_of(
        st.sampled_from(["<p>", "</p>", "<b>", "</b>", "<a href='https://x.example'>", "</a>", "<br>", "<hr>", "<td>", "<!--", "-->", "<script>", "</script>", "<style>", "</style>", "&lt;", "&#60;", "<p style='text-align:center'>", "<img src=x onerror=alert(1)>", "{{ a }}"]),
        st.text(max_size=8),
    ),
    max_size=30,
).map("".join)  # fmt: skip


@settings(max_examples=200)
@given(MARKUP)
def test_what_has_been_cleaned_is_clean(html):
    once = clean(html)
    assert clean(once) == once
    assert not any(word in once.lower() for word in ("<script", "<style", "onerror=", "<!--", "<td", "<hr"))
    inside = plain_markup(html, {"p", "b", "hr", "td"})
    assert inside.count("<") == sum(
        inside.count(f"<{end}{tag}") for tag in ("p", "b>", "hr>", "td>", "br") for end in ("", "/")
    )


@given(st.text(max_size=60))
def test_the_title_of_a_page_is_its_text(title):
    page = f"<html><head><title>{escape(title)}</title></head><body><p>x"
    assert title_of(page).split() == title.replace("\x00", "\ufffd").split() or not title.isprintable()
