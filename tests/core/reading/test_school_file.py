"""A school file is read whole or not at all, and every fault is named with its place."""

import json
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.reading.school_file import Unreadable, read_school, write_school
from patient_courier.core.rehearsing.rehearsal import rehearse
from tests.outside.second.schools import Maker
from tests.schools import bought, read, school, send, sequence, wait
from tests.spoilt import spoilt


def faults(data):
    with pytest.raises(Unreadable) as caught:
        read_school(data if isinstance(data, str) else json.dumps(data))
    return {fault.pointer: fault.sentence for fault in caught.value.faults}


def test_every_fault_is_named_with_its_json_pointer():
    data = school([sequence("s", [send("a"), {"id": "j", "do": "jump"}])], [bought()])
    data["school"]["timezone"] = "Europe/Nowhere"
    data["courses"][0] = {**data["courses"][0], "colour": "red"}
    del data["offers"][0:1]
    data["students"][0]["news"] = "yes"
    found = faults(data)
    assert set(found) == {
        "/school/timezone",
        "/courses/0/colour",
        "/sequences/0/steps/1/do",
        "/students/0/news",
    }
    assert found["/students/0/news"] == "this must be true or false"


@pytest.mark.parametrize(
    ("place", "wrong", "pointer", "sentence"),
    [
        (("sequences", 0, "only_if"), 7, "/sequences/0/only_if", "a condition starts with"),
        (
            ("sequences", 0, "only_if"),
            {"all": ["x"]},
            "/sequences/0/only_if/all/0",
            "a condition starts with",
        ),
        (("letters", 0, "purpose"), {}, "/letters/0/purpose", "this must be service, course_help or news"),
        (("events", 0, "type"), 1.5, "/events/0/type", "this must be one of purchased"),
        (("students", 0, "first_name"), "\ud800", "/students/0/first_name", "half of a character"),
        (("sequences", 0, "steps"), {}, "/sequences/0/steps", "this must be a list"),
    ],
)
def test_a_value_of_the_wrong_kind_is_named_in_plain_words(place, wrong, pointer, sentence):
    data = school([sequence("s", [send("a")])], [bought()])
    here = data
    for part in place[:-1]:
        here = here[part]
    here[place[-1]] = wrong
    found = faults(data)
    assert set(found) == {pointer}
    assert sentence in found[pointer]


@pytest.mark.parametrize("seed", range(25))
def test_whatever_stands_anywhere_in_a_file_it_is_read_whole_or_refused_with_its_place(seed):
    lot = random.Random(seed)
    whole = Maker(seed).school()
    for _ in range(12):
        data = spoilt(lot, whole)
        try:
            file = read_school(json.dumps(data))
        except Unreadable as refused:
            for fault in refused.faults:
                assert fault.sentence
                there = data
                for part in fault.pointer.split("/")[1:]:
                    part = part.replace("~1", "/").replace("~0", "~")
                    there = there[int(part)] if isinstance(there, list) else there[part]
        else:
            rehearse(file)


def test_references_to_nothing_are_refused_where_they_stand():
    inner = {
        "id": "b",
        "do": "branch",
        "arms": [{"if": {"not": {"is": "bought", "offer": "nothing"}}, "steps": [send("a")]}],
    }
    data = school(
        [sequence("s", [inner, send("a", "x"), {"id": "a", "do": "end"}])], [bought(student="nobody")]
    )
    data["letters"] = [found for found in data["letters"] if found["key"] != "x"]
    data["letters"].append({"key": "y", "purpose": "news", "subject": "{{ nobody.knows }}"})
    assert set(faults(data)) == {
        "/letters/1/subject",
        "/sequences/0/steps/0/arms/0/if/not/offer",
        "/sequences/0/steps/1/id",
        "/sequences/0/steps/1/letter",
        "/sequences/0/steps/2/id",
        "/events/0/student",
    }


@pytest.mark.parametrize("text", ["", "{", '{"format": 1, "format": 2}', '{"version": NaN}', "[]", "null"])
def test_what_is_no_school_file_gets_a_sentence(text):
    assert all(sentence for sentence in faults(text).values())


def test_waypoints_stand_only_at_the_top_and_hours_open_before_they_close():
    inside = {
        "id": "r",
        "do": "repeat",
        "times": 2,
        "steps": [{"id": "p", "do": "waypoint", "reach": {"on": "signed_in"}}],
    }
    assert "/sequences/0/steps/0/steps/0" in faults(school([sequence("s", [inside, wait("w", "P1D")])], []))
    hours = {"posting_hours": {"from": "19:00", "to": "09:00"}}
    assert "/school/posting_hours" in faults(school([], [], school=hours))


def test_a_written_school_reads_back_the_same():
    file = read(school([sequence("s", [send("a"), wait("w", "P1W", days=["mon"])])], [bought()]))
    text = write_school(file)
    assert read_school(text) == file
    assert '"P1W"' in text


@given(st.integers(0, 40), st.integers(0, 300), st.integers(0, 10**7))
def test_durations_are_written_as_they_are_meant(months, days, seconds):
    span = Duration(months, days, seconds * 1_000_000_000)
    assert Duration.parse(str(span)) == span
