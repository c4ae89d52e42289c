"""Checks by example: a school with one thing wrong, what is said, and that the mend puts it right."""

from __future__ import annotations

from typing import Any

import jsonpatch
import pytest

from patient_courier.core.checks import Finding, Lacking, school_findings, sequence_findings, writing_findings
from patient_courier.core.checks.letters import letter_findings
from patient_courier.core.checks.looks import layout_findings
from patient_courier.core.engine.plan import Plan
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.school.looks import Layout
from patient_courier.core.school.sequences import Sequence
from tests.schools import OFFER, letter, read, school, send, sequence, wait

DONE = {"on": "lesson_completed", "lesson": "bees/l1"}
QUIET = {"is": "completed", "lesson": "bees/l1"}


def text(html: str) -> dict[str, Any]:
    return {"kind": "text", "html": html}


def letter_with(subject: str = "about it", purpose: str = "course_help", *blocks: dict) -> dict[str, Any]:
    return letter("help", purpose, subject, blocks=list(blocks) or [text("<p>Hello</p>")])


def check(data: dict[str, Any], lacking: Lacking | None = None) -> list[Finding]:
    return school_findings(definitions_of(read(data)), lacking or Lacking())


def of(steps: list[dict], *letters: dict, **more: Any) -> dict[str, Any]:
    letters = letters or (letter_with(),)
    return school([sequence("s", steps, **more)], [], *letters)


HELP = [send("a", "help")]
WRONG: dict[str, tuple[dict[str, Any], str, str]] = {
    "a subject that is empty": (of(HELP, letter_with(" ")), "fault", "empty_subject"),
    "text left over": (
        of(HELP, letter_with("x", "course_help", text("<p>Dear […],</p>"))),
        "fault",
        "left_over",
    ),
    "a note to oneself": (
        of(HELP, letter_with("x", "course_help", text("<p>TODO the link</p>"))),
        "fault",
        "left_over",
    ),
    "insert here": (
        of(HELP, letter_with("x", "course_help", text("<p>insert your name here</p>"))),
        "fault",
        "left_over",
    ),
    "a link that is none": (
        of(HELP, letter_with("x", "course_help", text('<p><a href="course.example">x</a></p>'))),
        "fault",
        "bad_link",
    ),
    "a button to nowhere": (
        of(HELP, letter_with("x", "course_help", {"kind": "button", "label": "Go", "url": "#"})),
        "fault",
        "bad_link",
    ),
    "a password": (
        of(HELP, letter_with("x", "course_help", text("<p>Your password is hive42</p>"))),
        "fault",
        "password",
    ),
    "a price in a service letter": (
        of(HELP, letter_with("x", "service", text("<p>Now EUR 99</p>"))),
        "warning",
        "purpose",
    ),
    "a field that no start fills": (of(HELP, letter_with("{{ quiz.score }}")), "fault", "field_never_filled"),
    "a field empty in the school": (of(HELP, letter_with("{{ school.login_url }}")), "fault", "field_blank"),
    "a certificate before there is one": (
        of(HELP, letter_with("{{ certificate.code }}")),
        "warning",
        "field_sometimes_blank",
    ),
    "a picture that is not there yet": (
        of(HELP, letter_with("x", "course_help", {"kind": "picture", "url": ""})),
        "fault",
        "no_picture",
    ),
    "an answer that puts a tag on and takes it off": (
        of(
            HELP,
            letter_with(
                "x",
                "course_help",
                {
                    "kind": "answers",
                    "answers": [{"key": "y", "label": "Yes", "add_tags": ["t"], "remove_tags": ["t"]}],
                },
            ),
        ),
        "fault",
        "tag_both_ways",
    ),
    "a step that does nothing": (of([{"id": "t", "do": "tag"}, send("a", "help")]), "warning", "empty_step"),
    "a step behind an end": (of([{"id": "e", "do": "end"}, send("a", "help")]), "warning", "unreachable"),
    "an else that never comes": (
        of([{"id": "f", "do": "wait_for", "event": DONE, "within": None, "else": [send("a", "help")]}]),
        "warning",
        "unreachable",
    ),
    "a repeat without a wait": (
        of([{"id": "r", "do": "repeat", "times": 3, "steps": [send("a", "help")]}]),
        "fault",
        "repeat_without_wait",
    ),
    "a repeat with a wait on one way only": (
        of(
            [
                {
                    "id": "r",
                    "do": "repeat",
                    "times": 3,
                    "steps": [
                        {"id": "b", "do": "branch", "arms": [{"if": QUIET, "steps": [wait("w", "P1D")]}]}
                    ],
                }
            ]
        ),
        "fault",
        "repeat_without_wait",
    ),
    "a repeat without an end": (
        of([{"id": "r", "do": "repeat", "times": None, "steps": [wait("w", "P7D"), send("a", "help")]}]),
        "warning",
        "repeat_without_end",
    ),
    "a decision before the wait": (
        of(
            [
                {
                    "id": "b",
                    "do": "branch",
                    "arms": [{"if": QUIET, "steps": [wait("w", "P2D"), send("a", "help")]}],
                }
            ]
        ),
        "warning",
        "decided_too_early",
    ),
    "waiting for ever": (
        of([{"id": "f", "do": "wait_for", "event": DONE, "within": None}, send("a", "help")]),
        "warning",
        "waits_forever",
    ),
    "a tag that nobody gives": (
        of(
            [
                {
                    "id": "b",
                    "do": "branch",
                    "arms": [{"if": {"is": "tagged", "tag": "gost"}, "steps": [send("a", "help")]}],
                }
            ]
        ),
        "warning",
        "unknown_tag",
    ),
    "nothing starts it": (
        school([{**sequence("s", HELP), "starts": []}], [], letter_with()),
        "fault",
        "no_start",
    ),
    "no steps": (of([]), "fault", "no_steps"),
    "two letters in the same minute": (
        school(
            [sequence("s", HELP), sequence("t", [send("b", "help")], {"on": "enrolled"})], [], letter_with()
        ),
        "warning",
        "two_at_once",
    ),
    "a circle": (
        school(
            [
                sequence(
                    "s", [send("a", "help"), {"id": "t", "do": "tag", "add": ["x"]}], again="every_time"
                ),
                sequence(
                    "t",
                    [wait("w", "P1D"), {"id": "g", "do": "start_sequence", "sequence": "s"}],
                    {"on": "tag_added", "tag": "x"},
                ),
            ],
            [],
            letter_with(),
        ),
        "warning",
        "circle",
    ),
    "a letter that nothing uses": (
        of(HELP, letter_with(), letter("idle", blocks=[text("x")])),
        "warning",
        "unused_letter",
    ),
}


@pytest.mark.parametrize("name", WRONG)
def test_what_is_wrong_is_said(name):
    data, level, code = WRONG[name]
    found = check(data)
    assert (level, code) in [(x.level, x.code) for x in found], found


def test_a_course_without_a_certificate_can_issue_none():
    data = of([{"id": "c", "do": "certificate", "course": "bees"}, send("a", "help")])
    assert [x.code for x in check(data)] == []
    data["courses"] = [{**data["courses"][0], "certificate": None}]
    assert [(x.level, x.code, x.step) for x in check(data)] == [("fault", "no_certificate", "c")]


def test_students_without_a_name_are_counted_and_the_mend_gives_a_fallback():
    data = of(HELP, letter_with("Hello {{ student.first_name }}, {{ student.first_name | upper }}"))
    [found] = check(data, Lacking(386, {"student.first_name": 4}))
    assert "4 of your students have no first name" in found.sentence
    mended = jsonpatch.apply_patch(data["letters"][0], list(found.mend.patch))
    assert (
        mended["subject"]
        == "Hello {{ student.first_name | default('there') }}, {{ student.first_name | upper | default('there') }}"
    )
    assert check({**data, "letters": [mended]}, Lacking(386, {"student.first_name": 4})) == []


@pytest.mark.parametrize(
    "name",
    [name for name, (data, _, code) in WRONG.items() if any(x.mend for x in check(data) if x.code == code)],
)
def test_a_mend_puts_right_what_it_says_and_brings_no_fault(name):
    data, _, code = WRONG[name]
    mend = next(x.mend for x in check(data) if x.code == code)
    place = "sequences" if mend.target == "sequence" else "letters"
    bodies = [jsonpatch.apply_patch(x, list(mend.patch)) if x["key"] == mend.key else x for x in data[place]]
    after = check({**data, place: bodies})
    assert code not in [x.code for x in after]
    assert [x for x in after if x.level == "fault"] == []


def test_waiting_first_and_deciding_then_is_what_the_mend_makes():
    lane = [wait("w", "P2D"), send("a", "help")]
    data = of([{"id": "b", "do": "branch", "arms": [{"if": QUIET, "steps": []}], "otherwise": lane}])
    [found] = check(data)
    steps = jsonpatch.apply_patch(data["sequences"][0], list(found.mend.patch))["steps"]
    assert [step["do"] for step in steps] == ["wait", "branch"]
    assert [step["id"] for step in steps[1]["otherwise"]] == ["a"]


def test_an_offer_of_one_course_fills_course_fields_and_one_of_two_does_not():
    starts = {"on": "purchased", "offer": "bees-once"}
    data = school([sequence("s", HELP, starts)], [], letter_with("{{ course.title }}"))
    assert check(data) == []
    second = {**data["courses"][0], "key": "wax"}
    data["courses"] = [*data["courses"], second]
    data["offers"] = [{**OFFER, "courses": ["bees", "wax"]}]
    assert [x.code for x in check(data)] == ["field_never_filled"]


def test_a_started_sequence_has_the_subject_of_the_one_that_starts_it():
    failed = {"on": "quiz_failed", "quiz": "bees/q1"}
    data = school(
        [
            sequence("s", [{"id": "g", "do": "start_sequence", "sequence": "t"}], failed),
            {**sequence("t", HELP), "starts": []},
        ],
        [],
        letter_with("{{ quiz.score }}"),
    )
    assert check(data) == []


def test_findings_while_a_letter_is_written_and_their_mends():
    blocks = [
        {"kind": "picture", "url": "http://pictures.example/hive.png"},
        {"kind": "button", "label": "Go", "url": "https://ab.cd/x7Yz"},
    ]
    loud = letter(
        "loud", "news", "OPEN NOW, {{ student.first_name | default('you') }}", name="Letter 3", blocks=blocks
    )
    twin = letter("twin", "news", "Open now", name="Spring")
    definitions = definitions_of(read(school([], [], loud, twin)))
    found = writing_findings(definitions, definitions.letters["loud"].letter, 120_000)
    assert [(x.code, x.pointer) for x in found] == [
        ("loud_subject", "/subject"), ("empty_preheader", "/preheader"), ("empty_name", "/name"),
        ("no_alt", "/blocks/0/alt"), ("plain_http", "/blocks/0/url"), ("short_link", "/blocks/1/url"),
        ("too_long", "/blocks"), ("same_subject", "/subject"),
    ]  # fmt: skip
    mends = [step for x in found if x.mend for step in x.mend.patch]
    assert [step["value"] for step in mends] == [
        "Open now, {{ student.first_name | default('you') }}", "https://pictures.example/hive.png",
    ]  # fmt: skip
    assert [x.code for x in writing_findings(definitions, definitions.letters["twin"].letter, 9_000)] == [
        "empty_letter", "empty_preheader", "same_subject",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("subject", "other", "codes"),
    [
        ("Re: your question", "x", ["pretended_answer"]),
        ("Fwd: the list", "x", ["pretended_answer"]),
        ("Regarding your hive", "x", []),
        ("Last chance!!", "x", ["excited_subject"]),
        ("Open! Come in!", "x", ["excited_subject"]),
        ("How is it going?", "x", []),
        ("How the year unfolds", "How the year unfold", ["same_subject"]),
        ("Module 1 is done", "Module 2 is done", []),
        ("How the year unfolds", "Where will your hive stand", []),
    ],
)
def test_subjects_that_filters_or_the_owner_stumble_over(subject, other, codes):
    one = letter(
        "one",
        "news",
        subject,
        preheader="Short",
        blocks=[{"kind": "text", "html": "<p>Hi</p>"}],
        name="Spring",
    )
    definitions = definitions_of(
        read(school([], [], one, letter("two", "news", other, name="Autumn and all")))
    )
    found = writing_findings(definitions, definitions.letters["one"].letter, 9_000)
    assert [x.code for x in found] == codes


def test_what_a_file_refuses_is_a_finding_while_it_is_written():
    definitions = definitions_of(read(of(HELP)))
    torn = definitions.letters["help"].letter.model_copy(update={"subject": "{{ student. }}"})
    assert [x.code for x in letter_findings(definitions, torn)] == ["unreadable_field"]
    lost = Plan(Sequence.model_validate(sequence("s", [send("a", "gone")])))
    assert "reference" in [x.code for x in sequence_findings(definitions, lost)]
    assert [x.code for x in layout_findings(Layout(key="l", name="L", header="logo"))] == ["no_logo"]
