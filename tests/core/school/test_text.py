"""What comes from outside passes one gate: text is cleaned, keys and addresses are refused with a sentence."""

import json
import unicodedata

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from patient_courier.core.letters.json_text import NotJson, keepable, read_json
from patient_courier.core.reading.school_file import Unreadable, read_school, write_school
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.text import clean_line, clean_text
from tests.schools import bought, letter, read, school, send, sequence

ANYTHING = st.text(st.characters(codec=None, categories=["L", "N", "P", "S", "Z", "C"]), max_size=60)


@given(ANYTHING)
@example("a\x0bb\ufffe\ud83d\x00 e\u0301\r\nx")
def test_a_cleaned_line_can_be_carried_by_mail_page_and_database(text):
    line = clean_line(text)
    assert (line.encode() and line) or not line
    assert not any(unicodedata.category(c) in ("Cc", "Cs") for c in line)
    assert len(line.splitlines()) <= 1
    assert unicodedata.is_normalized("NFC", line)
    assert clean_line(line) == line
    assert clean_line(clean_text(text)).split() == line.split()


def test_names_and_letters_lose_what_nothing_can_carry():
    names = {"first_name": "An\x00a\r\nBcc: x@example.org", "last_name": "Re\u0301is\ufffe"}
    data = school(
        [sequence("s", [send("access")])],
        [bought()],
        letter("access", "service", "Hello\x0b {{ student.full_name }}", blocks=[{"kind": "text", "html": "<p>a\x1fb\r\nc</p>"}]),
        students=[{"key": "ana", "email": "ana@example.org", **names}],
    )  # fmt: skip
    file = read(data)
    assert file.students[0].first_name == "Ana Bcc: x@example.org"
    assert file.students[0].last_name == "Réis"
    assert file.letters[0].blocks[0].html == "<p>ab\nc</p>"
    assert read_school(write_school(file)) == file


@pytest.mark.parametrize(
    "address",
    ["ana@example.com@example.com", "ana@example.com.", "[ana]@example.com", "ana", "a b@example.com", "ana@",
     "ana@example..com", "ana@ex\x0bample.com", "=?utf-8?q?a=0D=0A?=@", "x" * 65 + "@example.com", f"a@{'x' * 64}.com"],
)  # fmt: skip
def test_addresses_that_no_server_takes_are_refused_where_they_come_in(address):
    with pytest.raises(ValueError, match="is not an e-mail address"):
        check_email(address)
    with pytest.raises(Unreadable):
        read(school([], [], students=[{"key": "ana", "email": address}]))


@pytest.mark.parametrize("address", ["ana@exämple.org", "o'neil+bees@mallow.example", "änä@example.org"])
def test_addresses_beyond_ascii_are_taken_as_they_are_written(address):
    assert check_email(address) == address


@pytest.mark.parametrize(
    ("change", "pointer"),
    [
        ({"amount": float("nan")}, ""),
        ({"amount": 1e999}, ""),
        ({"at": "1600-01-01T00:00:00Z"}, "/events/0/at"),
        ({"at": "2400-01-01T00:00:00Z"}, "/events/0/at"),
        ({"student": "an\x00a"}, "/events/0/student"),
        ({"id": "a\nb"}, "/events/0/id"),
    ],
)
def test_events_that_could_not_be_kept_are_refused_with_their_place(change, pointer):
    with pytest.raises(Unreadable) as caught:
        read(school([], [{**bought(), **change}]))
    assert next(fault.pointer for fault in caught.value.faults) == pointer


def test_json_is_read_as_others_read_it():
    for text in ('{"a":NaN}', '{"a":1e999}', '{"a":1,"a":2}', "[" * 100_000, '["\\u12"]', b"\xff"):
        with pytest.raises(NotJson):
            read_json(text)
    assert read_json("[" * 50 + "]" * 50, deepest=50)
    with pytest.raises(NotJson, match="50 levels"):
        read_json("[" * 51 + "]" * 51, deepest=50)
    assert (
        json.dumps(keepable({"\ud83d": ["\udc1d", 1]}), ensure_ascii=False).encode().decode()
        == '{"�": ["�", 1]}'
    )
