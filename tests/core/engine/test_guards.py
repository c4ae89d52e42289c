"""What stops or delays a letter at the moment of sending, and in which order the reasons are asked."""

import pytest
from whenever import Time

from patient_courier.core.calendar.calendar import OpenHours
from patient_courier.core.school.values import parse_moment
from tests.schools import bought, event, letter, play, posted, send, sequence, wait

HOURS = {"from": "09:00", "to": "19:00"}


@pytest.mark.parametrize(
    ("before", "purpose", "reason"),
    [
        ({"type": "bounced", "hard": True}, "service", "address_bounced"),
        ({"type": "bounced", "hard": False}, "service", "sent"),
        ({"type": "complained"}, "service", "complained"),
        ({"type": "news_stopped"}, "news", "news_off"),
        ({"type": "news_stopped"}, "course_help", "sent"),
        ({"type": "course_help_stopped", "course": "bees"}, "course_help", "course_help_off"),
        ({"type": "course_help_stopped", "course": "bees"}, "service", "sent"),
        ({"type": "refunded", "offer": "bees-once"}, "service", "not_enrolled"),
        ({"type": "refunded", "offer": "bees-once"}, "news", "sent"),
    ],
)
def test_each_refusal_has_its_reason(before, purpose, reason):
    steps = [wait("w", "P2D"), send("x")]
    happened = event("2026-03-03", before["type"], **{k: v for k, v in before.items() if k != "type"})
    found = play([sequence("s", steps)], [bought("2026-03-02"), happened], letter("x", purpose))
    assert [x["reason"] or x["status"] for x in found["letters"]] == [reason]


def test_the_first_reason_in_order_is_the_one_that_is_given():
    events = [
        bought("2026-03-02"),
        event("2026-03-03", "refunded", offer="bees-once"),
        event("2026-03-03", "course_help_stopped", course="bees"),
        event("2026-03-03", "complained"),
    ]
    found = play([sequence("s", [wait("w", "P2D"), send("x")])], events)
    assert found["letters"][0]["reason"] == "complained"


def test_a_student_who_never_agreed_gets_no_news():
    found = play(
        [sequence("s", [send("x")])],
        [bought()],
        letter("x", "news"),
        students=[{"key": "ana", "email": "ana@example.org"}],
    )
    assert found["letters"][0]["reason"] == "news_off"


def test_min_gap_allows_exactly_at_its_end():
    def gap(second: str):
        steps = [send("a", "x"), wait("w", second), send("b", "x")]
        return posted(play([sequence("s", steps)], [bought("2026-03-02")], letter("x", min_gap="P7D")))[1][2]

    assert (gap("P6D"), gap("P7D")) == ("min_gap", "sent")


def test_blank_fields_are_looked_for_after_the_refusals_and_before_the_holds():
    blank = letter(
        "x", subject="{{ student.last_name }}", blocks=[{"kind": "text", "html": "{{ lesson.title }}"}]
    )
    found = play(
        [sequence("s", [send("x"), wait("w", "P1D")])],
        [bought("2026-03-02T22:00:00Z")],
        blank,
        school={"posting_hours": HOURS},
    )
    (only,) = found["letters"]
    assert (only["status"], only["reason"], only["held"]) == ("stuck", "blank_field: student.last_name", [])
    assert found["runs"][0]["outcome"] == "finished"


def test_service_letters_go_at_once_and_help_waits_for_the_student_to_be_up():
    tokyo = [{"key": "ana", "email": "ana@example.org", "timezone": "Asia/Tokyo"}]
    found = play(
        [sequence("s", [send("access"), send("help")])],
        [bought("2026-03-02T11:00:00Z")],
        letter("access", "service"),
        students=tokyo,
        school={"posting_hours": HOURS},
    )
    assert [(x["at"], x["local"]) for x in found["letters"]] == [
        ("2026-03-02T11:00:00Z", "2026-03-02T20:00:00+09:00"),
        ("2026-03-03T00:00:00Z", "2026-03-03T09:00:00+09:00"),
    ]


def test_the_daily_limit_moves_the_third_letter_to_the_next_day():
    three = [send("a"), send("b"), send("c")]
    with_hours = play([sequence("s", three)], [bought()], school={"posting_hours": HOURS, "daily_limit": 2})
    assert with_hours["letters"][2]["at"] == "2026-03-03T09:00:00Z"
    assert with_hours["letters"][2]["held"][0]["reason"] == "daily_limit"
    without = play([sequence("s", three)], [bought()], school={"daily_limit": 2})
    assert without["letters"][2]["at"] == "2026-03-03T12:00:00Z"


def test_letters_to_others_are_not_counted():
    """Two letters a day: with those to the owner counted, the second one would wait until tomorrow."""
    tell = [{"id": f"t{n}", "do": "tell", "to": "owner", "letter": "x"} for n in range(3)]
    steps = [tell[0], send("a"), tell[1], send("b"), tell[2], send("c")]
    found = play([sequence("s", steps)], [bought("2026-03-02T10:00:00Z")], school={"daily_limit": 2})
    assert [(x["step"], x["at"][:10]) for x in found["letters"]] == [
        ("t0", "2026-03-02"), ("a", "2026-03-02"), ("t1", "2026-03-02"), ("b", "2026-03-02"), ("t2", "2026-03-02"),
        ("c", "2026-03-03"),
    ]  # fmt: skip


def test_letters_to_others_ask_no_guards():
    tell = {"id": "t", "do": "tell", "to": "owner", "letter": "x"}
    found = play(
        [sequence("s", [tell, send("a"), send("b")])],
        [event("2026-03-01", "complained"), bought()],
        school={"daily_limit": 2},
    )
    assert [(x["step"], x["reason"] or x["status"], x.get("to")) for x in found["letters"]] == [
        ("t", "sent", "owner"),
        ("a", "complained", None),
        ("b", "complained", None),
    ]


def test_posting_hours_open_at_their_first_moment_and_are_over_at_their_last():
    """The interval is from ≤ t < to: at the opening itself nothing is waited for, at the end until the next day."""
    hours = OpenHours(Time(9), Time(19), frozenset({"mon", "tue"}), "Europe/Lisbon")
    opening, end = parse_moment("2026-03-02T09:00:00Z"), parse_moment("2026-03-02T19:00:00Z")
    assert hours.next_opening(opening) == opening
    assert hours.next_opening(opening.subtract(nanoseconds=1)) == opening
    assert hours.next_opening(end) == parse_moment("2026-03-03T09:00:00Z")
    assert (hours.is_open(opening), hours.is_open(end), hours.is_open(end.subtract(nanoseconds=1))) == (
        True,
        False,
        True,
    )
    tuesday = parse_moment("2026-03-03T19:00:00Z")
    assert hours.next_opening(tuesday) == parse_moment("2026-03-09T09:00:00Z"), (
        "Wednesday to Sunday are left out"
    )
