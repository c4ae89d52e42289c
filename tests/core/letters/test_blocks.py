"""Blocks: shown to some only, what they print of their own accord, which visits are a machine's, what has changed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from whenever import Instant

from patient_courier.core.letters.diff import changes
from patient_courier.core.letters.visits import MANY_SECONDS, TOO_SOON_SECONDS, Visit, judged
from patient_courier.core.reading.school_file import Unreadable
from patient_courier.core.school.letters import Letter
from tests.schools import bought, letter, play, posted, read, school, send, sequence

NEXT = {"kind": "next_lesson", "label": "Go on"}
NOON = Instant.from_utc(2026, 3, 3, 12)


def outcome(blocks, students=None, **more):
    steps = [send("a", letter="l")]
    people = {"students": students} if students else {}
    return posted(play([sequence("s", steps)], [bought()], letter("l", blocks=blocks), **people, **more))


def test_a_blank_field_in_a_block_that_is_not_shown_holds_nothing_up():
    blank = {"kind": "text", "html": "<p>{{ certificate.code }}</p>"}
    assert outcome([blank])[0][2] == "blank_field: certificate.code"
    assert outcome([{**blank, "only_if": {"is": "certified", "course": "this"}}])[0][2] == "sent"
    shown = {**blank, "only_if": {"not": {"is": "certified", "course": "this"}}}
    assert outcome([shown])[0][2] == "blank_field: certificate.code"
    # A block that columns hold is asked for with its columns.
    inside = {
        "kind": "columns",
        "left": [blank],
        "right": [],
        "only_if": {"is": "certified", "course": "bees"},
    }
    assert outcome([inside])[0][2] == "sent"


def test_blocks_that_print_by_themselves_are_asked_for_like_merge_fields():
    assert outcome([{"kind": "certificate"}])[0][2] == "blank_field: certificate.url"
    assert (
        outcome([NEXT])[0][2] == "blank_field: next_lesson.url"
    )  # the lessons of this school have no address
    assert outcome([{"kind": "note", "text": "{{ nonsense"}])[0][2] == "sent"  # never posted, so never read


def test_what_a_letter_names_must_be_there():
    def said(**more):
        with pytest.raises(Unreadable) as refused:
            read(school([], [], letter("l", **more)))
        return [(fault.pointer, fault.sentence) for fault in refused.value.faults]

    card = {"kind": "course_card", "course": "nothing"}
    assert said(blocks=[card]) == [
        ("/letters/0/blocks/0/course", "there is no course “nothing” in this school")
    ]
    assert said(blocks=[{"kind": "course_card"}])[0][0] == "/letters/0/blocks/0"
    assert (
        said(blocks=[{**NEXT, "only_if": {"is": "bought", "offer": "no"}}])[0][0]
        == "/letters/0/blocks/0/only_if/offer"
    )
    assert said(layout="none") == [("/letters/0/layout", "there is no layout “none” in this school")]
    assert said(blocks=[{"kind": "course_card", "course": "this"}, {"kind": "columns", "left": [card]}])[0][
        0
    ].endswith("left/0/course")


def visits(*found):
    """Visits as (seconds after noon, link, machine)."""
    return [
        Visit(at, NOON.add(seconds=seconds), link, machine)
        for at, (seconds, link, machine) in enumerate(found)
    ]


def test_too_soon_by_head_and_many_at_once_are_machines_and_a_person_is_not():
    person = visits((60, "a", None), (75, "b", None), (90, "c", None))
    assert set(judged(person, NOON).values()) == {None}
    scanner = visits((30, "a", None), (31, "b", None), (32, "c", None), (32.5, None, None), (600, "a", None))
    assert list(judged(scanner, NOON).values()) == ["many_links"] * 4 + [None]
    assert judged(visits((1, "a", None)), NOON) == {0: "too_soon"}
    assert judged(visits((1, "a", None)), None) == {0: None}
    assert judged(visits((60, "a", "head")), NOON) == {0: "head"}


@given(st.lists(st.tuples(st.floats(0, 300), st.sampled_from(["a", "b", "c", "d", None])), max_size=12))
def test_a_machine_is_only_seen_where_there_is_reason_to(found):
    """Fewer than three different links in the whole letter's time never make a burst; what is far from all others is a person's."""
    all_of_it = visits(*((seconds + TOO_SOON_SECONDS, link, None) for seconds, link in found))
    verdict = judged(all_of_it, NOON)
    links = {one.link for one in all_of_it} - {None}
    for one in all_of_it:
        others = [x for x in all_of_it if x is not one]
        alone = all(abs((x.real - one.real).total("seconds")) > 2 * MANY_SECONDS for x in others)
        if alone or len(links) < 3:
            assert verdict[one.id] is None


def written(**more):
    body = {"key": "l", "name": "L", "purpose": "news", "subject": "One two three", "blocks": [], **more}
    return Letter.model_validate(body)


def test_changes_are_told_word_by_word_and_block_by_block():
    text = {
        "kind": "text",
        "html": "<p>Hello {{ student.first_name }}, the <a href='https://a.example'>first lesson</a> waits.</p>",
    }
    button = {"kind": "button", "label": "Go", "url": "{{ course.url }}"}
    before = written(blocks=[text, button, {"kind": "divider"}])
    assert changes(before, before) == []
    after = written(
        subject="One three four",
        purpose="service",
        blocks=[{**text, "html": text["html"].replace("first lesson", "second lesson")}, {"kind": "divider"}, button, {"kind": "signature"}],
    )  # fmt: skip
    found = [(x.what, x.did, "".join(f"[{p.how[0]}{p.text}]" if p.how != "same" else p.text for p in x.pieces)) for x in changes(before, after)]  # fmt: skip
    assert ("Subject", "changed", "One [gtwo ]three [afour]") in found
    assert ("Purpose", "changed", "[gNews][aService]") in found
    assert (
        "Text",
        "changed",
        "Hello {{ student.first_name }}, the [gfirst ][asecond ]lesson (https://a.example) waits.",
    ) in found
    assert ("Signature", "added", "") in found and any(did == "moved" for _, did, _ in found)
    assert not any(did == "removed" for _, did, _ in found)
