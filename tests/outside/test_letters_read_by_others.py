"""Every starter and demo letter, read by programs that we did not write.

Sources: the HTML standard by html5lib's strict parser; mail (RFC 5322, 2045, 2046) by the npm package postal-mime; what
mail programs support by the data set in the npm package caniemail, against MJML's own plain output; calendar files
(RFC 5545) by the npm package ical.js; contrast (WCAG 2.2) by the PyPI package wcag-contrast-ratio.
"""

import json
import re
import subprocess
from functools import cache
from html import unescape
from pathlib import Path

import html5lib
import pytest
import wcag_contrast_ratio
from hypothesis import given, settings
from hypothesis import strategies as st
from mjml import mjml2html

from patient_courier.core.checks.looks import layout_findings
from patient_courier.core.engine.block_texts import own_values
from patient_courier.core.engine.definitions import ready
from patient_courier.core.engine.fields import Source, value
from patient_courier.core.engine.happening import Subject
from patient_courier.core.engine.state import new_state
from patient_courier.core.letters.contrast import mended, ratio
from patient_courier.core.letters.dark import dark_of
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.school.file import Student
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import PLAIN_LAYOUT, Layout
from patient_courier.demo.history import demo_school, today
from patient_courier.post.calendar_file import calendar_files
from patient_courier.post.links import LinkSigner
from patient_courier.post.look import Look, look_of
from patient_courier.post.message import Sender, message
from patient_courier.post.prepared import prepare
from patient_courier.store.letters.starters import letter_starters

ROOT = Path(__file__).parents[2]
LINKS = LinkSigner("secret", "https://post.mallowlane.example").links(7, clicks=True, openings=True)
SENDER = Sender("Ines · Mallow Lane", "ines@mallowlane.example", None)
# Every name that tempts code: markup, right to left, very long, more than one line.
HOSTILE = [
    "<b>Ana</b> & \"'",
    "نور الخطيب",
    "A" * 300,
    "Ana\r\nBcc: x@example.org",
    "{{ student.email }}",
    "‮evil",
]
# What MJML's plain output does not use and some program lacks: without it a letter looks plainer and reads the same.
HARMLESS = {
    "background-color",
    "display:none",
    "letter-spacing",
    "opacity",
    "overflow",
    "<ul>, <ol> and <dl>",
}


@cache
def definitions():
    return definitions_of(demo_school().model_copy(update={"students": [], "events": []}))


def letters() -> list[Letter]:
    return [*letter_starters(), *(one.letter for one in definitions().letters.values())]


def values_for(letter: Letter, name: str = "Ana"):
    """The values of a student called so, who is in First Hive and has its certificate."""
    student = Student(
        key="ana", email="ana@example.org", first_name=name, last_name="Reis", timezone="Asia/Tokyo"
    )
    state = new_state(student, definitions().school, 0)
    objects = (("course", "first-hive"), ("module", "first-hive/m1"), ("lesson", "first-hive/l1"), ("quiz", "first-hive/q1"), ("offer", "first-hive-once"))  # fmt: skip
    source = Source(definitions(), state, Subject("course", "first-hive", objects), today())
    found = {f.name: value(f.name, source) for _, t in ready(letter).templates for f in t.fields}
    found |= {
        "certificate.url": "https://post.mallowlane.example/certificate/ABCD",
        "certificate.code": "ABCD",
    }
    own = own_values(ready(letter), source, today())
    return found | {name: "https://x.example/c.png" if name.endswith(".picture") and not here else here for name, here in own.items()}  # fmt: skip


def made(letter: Letter, name: str = "Ana", look: Look | None = None):
    prepared = prepare(letter, look or look_of(definitions(), letter, "first-hive"))
    values = values_for(letter, name)
    rendered = prepared.fill(values, "Asia/Tokyo", LINKS)
    files = calendar_files(prepared, values, "Asia/Tokyo", "Europe/Lisbon", "mallowlane.example", today())
    mail = message(rendered, SENDER, LINKS, message_id="d7@mallowlane.example", to=[(name, "ana@example.org")], date=today(), calendar=files)  # fmt: skip
    return rendered, mail


@cache
def read_by_others():
    """What the mail parser, the calendar reader and the support data make of them, and of MJML's own plain output."""
    asked = []
    for letter in letters():
        rendered, mail = made(letter)
        asked.append({"name": letter.key, "html": rendered.html, "eml": mail.raw.decode()})
    plain = "<mjml><mj-body><mj-section><mj-column><mj-text>a</mj-text><mj-button href='https://a.example'>b</mj-button><mj-image src='https://a.example/b.png' alt='x'></mj-image></mj-column></mj-section></mj-body></mjml>"
    asked.append({"name": "(plain)", "html": mjml2html(plain), "eml": None})
    done = subprocess.run(
        ["node", "checks/letters.mjs"], cwd=ROOT / "ui", input=json.dumps(asked), capture_output=True, text=True, check=True
    )  # fmt: skip
    return asked, json.loads(done.stdout)


def visible(html: str) -> str:
    """What is read on the page: without its head, what is hidden in it and the links of its frame."""
    body = re.sub(r"(?s)<head.*?</head>|<div style=\"display:none.*?</div>|<!--.*?-->", " ", html)
    return " ".join(unescape(re.sub(r"<[^>]+>", " ", body)).split())


def test_another_mail_parser_reads_them_whole():
    asked, found = read_by_others()
    for letter, sent, got in zip(letters(), asked, found, strict=False):
        rendered, _ = made(letter)
        assert got["subject"] == rendered.subject.strip(), letter.key
        assert got["from"] == {"address": "ines@mallowlane.example", "name": "Ines · Mallow Lane"}
        assert [one["address"] for one in got["to"]] == ["ana@example.org"]
        assert got["html"].strip() == sent["html"].strip(), letter.key
        assert got["text"].strip() == rendered.text.strip(), letter.key


def test_a_date_comes_as_a_calendar_file_that_another_reader_understands():
    _, found = read_by_others()
    dates = {one["name"]: one["dates"] for one in found if one["dates"]}
    assert set(dates) == {"live-session", "news-swarm-season"}
    (swarm,) = dates["news-swarm-season"]
    # Eleven in Lisbon in winter is eleven UTC.
    assert (swarm["start"], swarm["end"]) == ("2026-03-07T11:00:00.000Z", "2026-03-07T12:00:00.000Z")
    assert swarm["summary"] == "Swarm season: questions and answers, live" and swarm["location"] == "Online"


def test_they_need_no_more_of_a_mail_program_than_plain_mjml_but_what_does_no_harm():
    asked, found = read_by_others()
    base = set(found[-1]["lacking"])
    for sent, got in zip(asked[:-1], found[:-1], strict=True):
        assert set(got["lacking"]) - base <= HARMLESS, sent["name"]
        assert "<link" not in sent["html"] and "@import" not in sent["html"]  # no web fonts
        assert "max-width:600px" in sent["html"] and len(sent["html"].encode()) < 100_000


@pytest.mark.parametrize("name", HOSTILE)
def test_the_html_is_valid_whatever_the_student_is_called_and_its_structure_stays(name):
    for letter in letters():
        rendered, mail = made(letter, name)
        # The strict parser takes what MJML writes; Outlook's conditional comments are comments to it.
        tree = html5lib.HTMLParser(strict=True).parse(rendered.html)
        plain = html5lib.HTMLParser(strict=True).parse(made(letter, "Ana")[0].html)
        assert [e.tag for e in tree.iter()] == [e.tag for e in plain.iter()], letter.key
        # Without pictures the words for them stand there, or nothing where a picture only adorns.
        pictures = [e for e in tree.iter() if str(e.tag).endswith("}img")]
        assert pictures and all("alt" in e.attrib for e in pictures)
        assert b"\nBcc:" not in mail.raw


def test_plain_text_says_what_the_html_says():
    for letter in letters():
        rendered, _ = made(letter)
        text = set(re.findall(r"\w{4,}", rendered.text.lower()))
        shown = set(re.findall(r"\w{4,}", visible(rendered.html).lower()))
        frame = set(
            re.findall(
                r"\w{4,}", "mallow lane apiary school read in the browser join put it into your calendar"
            )
        )
        links = set(re.findall(r"\w{4,}", " ".join(re.findall(r"https?://\S+", rendered.text)).lower()))
        assert shown - text - frame == set(), letter.key
        assert text - shown - links - {"your", "certificate", "calendar", "next", "lesson"} <= {"mailto"}, (
            letter.key
        )


def parts(colour):
    return tuple(int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5))


@given(*[st.from_regex(r"#[0-9a-f]{6}", fullmatch=True)] * 7)
def test_whatever_colours_a_layout_has_it_can_be_read_in_the_dark(
    paper, ground, ink, link, soft, button, button_ink
):
    """WCAG 2.2, 1.4.3 for text and 1.4.11 for the shape of a button, by wcag-contrast-ratio; a good button stays as it is."""
    own = {"paper": paper, "ground": ground, "ink": ink, "link": link, "soft": soft}
    layout = Layout(key="x", name="X", button=button, button_ink=button_ink, accent=link, **own)
    dark = dark_of(layout)
    read = lambda one, other: wcag_contrast_ratio.rgb(parts(one), parts(other))  # noqa: E731
    pairs = [
        (dark.ink, dark.paper),
        (dark.link, dark.paper),
        (dark.accent, dark.paper),
        (dark.soft, dark.ground),
    ]
    for one, other in [*pairs, (dark.button_ink, dark.button)]:
        assert wcag_contrast_ratio.passes_AA(read(one, other)), (one, other)
    assert read(dark.button, dark.paper) >= 3
    if read(button, dark.paper) >= 3:
        assert dark.button == button
    assert read(dark.paper, "#ffffff") > read(dark.paper, "#000000") or dark.paper == paper


@given(st.from_regex(r"#[0-9a-f]{6}", fullmatch=True), st.from_regex(r"#[0-9a-f]{6}", fullmatch=True))
@settings(max_examples=300)
def test_contrast_is_the_standards_and_a_mend_is_enough(one, other):
    # The library has the threshold of an older text of the standard (0.03928), which 8-bit colours do not tell apart.
    assert ratio(one, other) == pytest.approx(wcag_contrast_ratio.rgb(parts(one), parts(other)), rel=1e-9)
    better = mended(one, other)
    assert wcag_contrast_ratio.passes_AA(wcag_contrast_ratio.rgb(parts(better), parts(other)))


def test_the_plain_layout_and_the_demos_can_be_read_and_a_pale_one_is_found():
    for layout in (PLAIN_LAYOUT, *definitions().layouts.values()):
        assert [one for one in layout_findings(layout) if one.code == "contrast"] == []
    pale = Layout(key="pale", name="Pale", ink="#c0c0c0")
    found = next(one for one in layout_findings(pale) if one.pointer == "/ink")
    assert found.mend and ratio(found.mend.patch[0]["value"], "#ffffff") >= 4.5
