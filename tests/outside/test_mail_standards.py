"""Letters read back by another parser and checked against the standards they claim to follow.

Sources: RFC 5322 (message format), RFC 2369 section 3.2 (List-Unsubscribe),
RFC 8058 sections 3.1 and 4 (one click), RFC 2046 section 5.1.4 (the plainest
alternative first). Read back with the standard library's email parser.
"""

import re
import smtplib
from email import message_from_bytes
from email.header import decode_header, make_header
from email.policy import default
from email.utils import parsedate_to_datetime

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from whenever import Instant

from patient_courier.core.letters.merge import one_line
from patient_courier.core.school.courses import School
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.text import clean_line
from patient_courier.post.links import LinkSigner
from patient_courier.post.look import Look
from patient_courier.post.mailroom import Mailroom
from patient_courier.post.message import Sender, message, render

SCHOOL = School.model_validate(
    {
        "name": "Mallow Lane Apiary School",
        "timezone": "Europe/Lisbon",
        "sender": {"name": "Ines · Mallow Lane", "email": "ines@mallowlane.example"},
        "postal_address": "Mallow Lane 4, 2750 Cascais",
    }
)
LETTER = Letter.model_validate(
    {
        "key": "hello",
        "purpose": "course_help",
        "subject": "{{ student.first_name }}, your place",
        "preheader": "Come in",
        "blocks": [
            {
                "kind": "text",
                "html": "<p>Hello {{ student.first_name }},</p><p>see <a href='{{ course.url }}'>the course</a>.</p>",
            },
            {"kind": "button", "label": "Open", "url": "{{ course.url }}"},
        ],
    }
)
LOOK = Look(SCHOOL.name, SCHOOL.postal_address)
SENDER = Sender(SCHOOL.sender.name, SCHOOL.sender.email, SCHOOL.reply_to)
DATE = Instant.from_utc(2026, 3, 3, 10)
LINKS = LinkSigner("secret", "https://post.mallowlane.example").links(7)
names = st.text(st.characters(exclude_categories=["Cs"]), max_size=60)


def made(name: str, url: str = "https://learn.mallowlane.example/a?b=1&c=2"):
    rendered = render(LETTER, LOOK, {"student.first_name": name, "course.url": url}, "Europe/Lisbon", LINKS)
    return message(
        rendered, SENDER, LINKS, message_id="d7@mallowlane.example", to=[(name, "ana@example.org")], date=DATE
    )


@settings(max_examples=300)
@given(names)
@example("=?utf-8?q?=0D=0ABcc:_x@example.org?=")
@example("=?utf-8?q?=0D=0A=0D=0AAn_empty_line?= =?utf-8?b?DQpCY2M6IHhAZXhhbXBsZS5vcmc=?=")
@example("Ana\r\nBcc: x@example.org\x00\x85\u2028")
@example('"Ana" \\ <x@example.org>, (y)')
@example("x" * 300)
@example("蜂 " * 60)
@example("Nur \u202e\u05d0\u05d1 🐝" * 12)
def test_any_name_makes_a_message_that_reads_back_whole(name):
    raw = made(name).raw
    assert raw.isascii() and b"\0" not in raw and b"\n" not in raw.replace(b"\r\n", b"")
    head, _, body = raw.partition(b"\r\n\r\n")
    assert max(map(len, head.split(b"\r\n"))) <= 998  # RFC 5322 section 2.1.1
    assert max(map(len, body.split(b"\r\n"))) <= 76  # RFC 2045 section 6.7
    for line in head.split(b"\r\n"):
        words = re.findall(rb"=\?utf-8\?[qb]\?[^?]*\?=", line)
        assert not words or (len(line) <= 76 and max(map(len, words)) <= 75)  # RFC 2047 section 2
    mail = message_from_bytes(raw, policy=default)
    assert not mail.defects and not any(part.defects for part in mail.walk())
    once = (
        "From",
        "To",
        "Subject",
        "Date",
        "Message-ID",
        "List-Unsubscribe",
        "List-Unsubscribe-Post",
        "MIME-Version",
    )
    assert [len(mail.get_all(header)) for header in once] == [1] * len(once)
    assert set(mail.keys()) == {*once, "Auto-Submitted", "Content-Type"}
    assert [to.addr_spec for to in mail["To"].addresses] == ["ana@example.org"]
    # Nothing in a name is decoded: RFC 2047 read back gives the name as it was, by both of the library's readers.
    to, subject = (re.sub(r"\r?\n", "", message_from_bytes(raw)[header]) for header in ("To", "Subject"))
    phrase = to.partition(" <ana@")[0]
    if phrase.startswith(
        "=?"
    ):  # the newer reader leaves a space between two words (it should not: section 6.2)
        assert str(make_header(decode_header(phrase))) == clean_line(name).strip()
    else:
        assert mail["To"].addresses[0].display_name == clean_line(name).strip()
    assert str(make_header(decode_header(subject))) == clean_line(one_line(f"{name}, your place")).strip()
    assert str(mail["Message-ID"]) == "<d7@mallowlane.example>"
    assert parsedate_to_datetime(str(mail["Date"])) == DATE.to_stdlib()


def test_the_plain_part_comes_first_and_says_the_same():
    mail = message_from_bytes(made("Ana").raw, policy=default)
    assert mail.get_content_type() == "multipart/alternative"
    plain, html = mail.iter_parts()
    assert (plain.get_content_type(), html.get_content_type()) == ("text/plain", "text/html")
    text = plain.get_content()
    assert "Hello Ana," in text and "the course (https://learn.mallowlane.example/a?b=1&c=2)" in text
    assert (
        "Open: https://learn.mallowlane.example/a?b=1&c=2" in text and "Mallow Lane 4, 2750 Cascais" in text
    )
    assert 'href="https://learn.mallowlane.example/a?b=1&amp;c=2"' in html.get_content()
    assert "<script" not in html.get_content()


def test_the_headers_for_stopping_are_those_of_rfc_2369_and_rfc_8058():
    mail = message_from_bytes(made("Ana").raw, policy=default)
    # RFC 8058 section 3.1: exactly one HTTPS URI in angle brackets, and this very value.
    field = str(mail["List-Unsubscribe"])
    assert field.startswith("<https://post.mallowlane.example/post/stop/") and field.endswith(">")
    assert field.count("<") == 1 and " " not in field
    assert str(mail["List-Unsubscribe-Post"]) == "List-Unsubscribe=One-Click"
    # Section 3.1 again: hard to forge. Another delivery's number in the token is not taken.
    signer = LinkSigner("secret", "https://post.mallowlane.example")
    token = field.strip("<>").rpartition("/")[2]
    assert signer.delivery("stop", token) == 7
    assert signer.delivery("stop", token[:-1] + ("A" if token[-1] != "A" else "B")) is None
    # Nor for another purpose.
    assert signer.delivery("go", token) is None
    assert LinkSigner("other", "https://post.mallowlane.example").delivery("stop", token) is None


@pytest.mark.parametrize("url", ["javascript:alert(1)", "data:text/html,x", "//evil.example", ""])
def test_a_value_that_is_no_web_address_never_becomes_a_link(url):
    html = message_from_bytes(made("Ana", url).raw, policy=default).get_body(("html",)).get_content()
    assert 'href="#"' in html and "javascript:" not in html and "data:text" not in html


def test_a_name_can_not_bring_markup_into_the_letter():
    html = message_from_bytes(made("<img src=x onerror=alert(1)>").raw, policy=default).get_body(("html",))
    assert "<img" not in html.get_content()


def test_the_mailroom_speaks_smtp_with_the_standard_library():
    kept = []
    room = Mailroom(lambda raw, recipients: kept.append((raw, recipients)))
    port = room.start()
    try:
        with smtplib.SMTP("127.0.0.1", port) as connection:
            connection.sendmail("ines@mallowlane.example", ["ana@example.org"], made("Zoë").raw)
    finally:
        room.stop()
    ((raw, recipients),) = kept
    assert recipients == ["ana@example.org"]
    assert message_from_bytes(raw, policy=default)["Subject"] == "Zoë, your place"
