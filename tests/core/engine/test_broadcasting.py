"""Broadcasts by example: the list, each student's moment, being inside, and the order of one instant (section 11)."""

from __future__ import annotations

from typing import Any

import pytest

from patient_courier.core.checks import broadcast_findings
from patient_courier.core.reading.school_file import Unreadable, read_school, write_school
from patient_courier.core.rehearsing.rehearsal import definitions_of, rehearse
from tests.schools import bought, event, letter, read, school, send, sequence, wait

NEWS = letter("spring", "news", "Spring, {{ student.first_name | default('friend') }}")
ANA = {"key": "ana", "email": "ana@example.org", "first_name": "Ana", "news": True}


def people(*zones: str | None, **more: Any) -> list[dict[str, Any]]:
    return [
        {"key": f"s{n}", "email": f"s{n}@example.org", "news": True, "timezone": zone, **more}
        for n, zone in enumerate(zones)
    ]


def cast(at: str = "2026-03-05T09:00", **more: Any) -> dict[str, Any]:
    return {"key": "b", "status": "scheduled", "letter": "spring", "at": at, **more}


def played(
    *broadcasts: dict[str, Any], sequences=(), events=(), students=(ANA,), letters=(NEWS,), **more: Any
) -> Any:
    data = school(
        list(sequences), list(events), *letters, students=list(students), broadcasts=list(broadcasts), **more
    )
    return rehearse(read(data)).as_json()


def letters_of(outcome: Any) -> list[tuple[str, str, str]]:
    return [(x["at"], x["student"], x["reason"] or x["status"]) for x in outcome["letters"] if x["broadcast"]]


def test_everyone_gets_it_once_when_it_is_that_time_at_the_school():
    outcome = played(
        cast(),
        students=people(None, "Pacific/Auckland", "Pacific/Honolulu"),
        school={"timezone": "Europe/Lisbon"},
    )
    assert letters_of(outcome) == [("2026-03-05T09:00:00Z", f"s{n}", "sent") for n in range(3)]
    assert outcome["broadcasts"] == [{"broadcast": "b", "started": "2026-03-05T09:00:00Z", "recipients": 3}]
    first = outcome["letters"][0]
    assert (first["sequence"], first["step"], first["subject"]) == (None, None, "Spring, friend")


def test_at_nine_where_each_student_lives_begins_fourteen_hours_before_the_last_date_line():
    outcome = played(cast(zone="student"), students=people("Pacific/Honolulu", "Pacific/Kiritimati", None))
    assert outcome["broadcasts"][0]["started"] == "2026-03-04T19:00:00Z"
    assert letters_of(outcome) == [
        ("2026-03-04T19:00:00Z", "s1", "sent"),
        ("2026-03-05T09:00:00Z", "s2", "sent"),
        ("2026-03-05T19:00:00Z", "s0", "sent"),
    ]


def test_who_is_on_the_list_is_settled_at_the_start_and_the_guards_are_asked_at_the_moment():
    enrolled = {"is": "enrolled", "course": "bees"}
    events = [bought("2026-03-04T12:00:00Z", "s0"), event("2026-03-05T00:00:00Z", "news_stopped", "s0"),
              bought("2026-03-05T00:00:00Z", "s1"), bought("2026-03-04T12:00:00Z", "s2")]  # fmt: skip
    outcome = played(
        cast(zone="student", to=enrolled, without=["s2"]),
        events=events,
        students=people(*["Pacific/Honolulu"] * 3),
    )
    assert outcome["broadcasts"][0]["recipients"] == 1
    assert letters_of(outcome) == [("2026-03-05T19:00:00Z", "s0", "news_off")]


def test_a_draft_stays_and_this_means_the_course_it_is_about():
    here = {"is": "enrolled", "course": "this"}
    assert played(cast(status="draft"))["broadcasts"] == []
    for course, number in (("bees", 1), (None, 0)):
        outcome = played(cast(to=here, course=course), events=[bought()])
        assert outcome["broadcasts"][0]["recipients"] == number


HOLDING = sequence("week", [wait("w", "P5D")], holds_broadcasts=True)


@pytest.mark.parametrize(
    ("more", "at", "reason", "held"),
    [
        ({}, "2026-03-05T09:00:00Z", "inside_sequence", []),
        ({"inside": "wait"}, "2026-03-07T12:00:00Z", "sent", ["inside_sequence"]),
        ({"inside": "wait", "within": "P1D"}, "2026-03-06T09:00:00Z", "inside_sequence", ["inside_sequence"]),
        ({"inside": "wait", "within": "P3D"}, "2026-03-07T12:00:00Z", "sent", ["inside_sequence"]),
        ({"inside": "wait", "within": "PT0S"}, "2026-03-05T09:00:00Z", "inside_sequence", []),
    ],
)
def test_inside_a_sequence_that_holds_broadcasts_it_passes_by_or_waits(more, at, reason, held):
    outcome = played(cast(**more), sequences=[HOLDING], events=[bought()])
    assert letters_of(outcome) == [(at, "ana", reason)]
    found = next(x for x in outcome["letters"] if x["broadcast"])
    assert [hold["reason"] for hold in found["held"]] == held
    for hold in found["held"]:
        assert (hold["from"], hold["until"]) == ("2026-03-05T09:00:00Z", at)


def test_out_of_one_and_inside_another_at_the_same_moment_is_one_hold():
    first = {**HOLDING, "steps": [wait("w", "P5D"), {"id": "n", "do": "start_sequence", "sequence": "next"}]}
    following = {**sequence("next", [wait("w", "P1D")], holds_broadcasts=True), "starts": []}
    outcome = played(cast(inside="wait"), sequences=[first, following], events=[bought()])
    (found,) = outcome["letters"]
    assert found["at"] == "2026-03-08T12:00:00Z"
    assert [(x["from"], x["until"]) for x in found["held"]] == [
        ("2026-03-05T09:00:00Z", "2026-03-08T12:00:00Z")
    ]


def test_only_news_waits_for_a_sequence_and_a_service_letter_for_nothing():
    hours = {"from": "10:00", "to": "12:00"}
    for purpose, at in (("service", "09:00"), ("course_help", "10:00")):
        outcome = played(cast(), sequences=[HOLDING], events=[bought()], letters=[letter("spring", purpose)],
                         school={"posting_hours": hours})  # fmt: skip
        assert letters_of(outcome) == [(f"2026-03-05T{at}:00Z", "ana", "sent")]


def test_broadcasts_come_last_in_the_order_of_the_file_and_share_the_daily_limit():
    daily = sequence("daily", [wait("w", "P3D"), send("help")])
    casts = [cast("2026-03-05T12:00", key=key, letter="spring") for key in ("b", "a")]
    outcome = played(*casts, sequences=[daily], events=[bought()], school={"daily_limit": 2})
    assert [(x["at"], x["broadcast"]) for x in outcome["letters"]] == [
        ("2026-03-05T12:00:00Z", None),
        ("2026-03-05T12:00:00Z", "b"),
        ("2026-03-06T12:00:00Z", "a"),
    ]
    assert outcome["letters"][2]["held"][0]["reason"] == "daily_limit"


def test_its_letters_count_and_its_answers_are_about_its_course():
    answers = [{"key": "yes", "label": "Yes", "add_tags": ["keen"], "stops_help": True}]
    asked = letter(
        "spring", "news", blocks=[{"kind": "answers", "question": "?", "answers": answers}], min_gap="P30D"
    )
    thanks = sequence("thanks", [send("help")], {"on": "answered", "letter": "spring"})
    said = event("2026-03-06", "answered", letter="spring", answer="yes")
    outcome = played(
        cast(course="bees"),
        cast("2026-03-20T09:00", key="again"),
        sequences=[thanks],
        events=[bought(), said],
        letters=[asked],
    )
    assert [(x["letter"], x["reason"]) for x in outcome["letters"]] == [
        ("spring", None),
        ("help", None),
        ("spring", "min_gap"),
    ]
    assert outcome["tags"][0]["tag"] == "keen"


def test_without_events_it_plays_until_every_broadcast_has_started():
    assert [x["broadcast"] for x in played(cast(), cast("2027-12-01T09:00", key="late"))["broadcasts"]] == [
        "b",
        "late",
    ]
    assert [x["broadcast"] for x in played(cast(), cast("2029-12-01T09:00", key="never"))["broadcasts"]] == [
        "b"
    ]
    assert played(cast(), until="2026-03-05T08:59:59Z")["broadcasts"] == []
    assert len(played(cast(), until="2026-03-05T09:00:00Z")["letters"]) == 1


def test_what_it_names_must_be_there_and_what_it_can_not_fill_is_found():
    bad = cast(letter="winter", course="wax", without=["kai"], to={"is": "tagged"}, colour="red")
    with pytest.raises(Unreadable) as caught:
        played(bad)
    assert {"/broadcasts/0/colour", "/broadcasts/0/to"} <= {fault.pointer for fault in caught.value.faults}
    with pytest.raises(Unreadable) as caught:
        played({**cast(), "letter": "winter", "course": "wax", "without": ["kai"]}, cast())
    assert [fault.pointer for fault in caught.value.faults] == [
        "/broadcasts/1/key", "/broadcasts/0/letter", "/broadcasts/0/course", "/broadcasts/0/without/0",
    ]  # fmt: skip
    quiz = letter("spring", "service", "{{ quiz.title }} and {{ course.title }}")
    file = read(school([], [], quiz, broadcasts=[cast(within="P1D")]))
    assert read_school(write_school(file)) == file
    found = broadcast_findings(definitions_of(file), file.broadcasts[0])
    assert [(x.level, x.code) for x in found] == [
        ("fault", "field_not_here"), ("fault", "field_not_here"), ("warning", "purpose"), ("warning", "no_effect"),
    ]  # fmt: skip
