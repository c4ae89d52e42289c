"""The check-up: what is seen becomes findings, the worst first, each with what to do."""

from dataclasses import replace

import pytest

from patient_courier.core.school.values import parse_moment
from patient_courier.core.upkeep.check_up import Machine, School, check_up
from patient_courier.core.upkeep.domain import Found

NOW = parse_moment("2026-03-02T12:00:00Z")
MACHINE = Machine(
    now=NOW,
    address="https://post.mallowlane.example",
    site=None,
    certificate_ends=NOW.add(hours=24 * 60),
    clock_off=0.5,
    size=1_000_000_000,
    free=40_000_000_000,
    open_files=(),
    damage=None,
)
SCHOOL = School(
    practice=False,
    newest_copy=NOW.subtract(hours=9),
    copies_failing=None,
    second_place=True,
    oldest_queued=None,
    by_mailroom=False,
    mail=None,
    mailbox=None,
    silent=(),
    unused_keys=(),
    newest_event=NOW.subtract(hours=1),
)
WRONG = [
    ("The school's address", "serious", {"site": "it answers 502 there."}, {}),
    ("The school's address", "serious", {"address": "http://post.mallowlane.example"}, {}),
    ("The school's address", "mend", {"address": "http://127.0.0.1:8484", "certificate_ends": None}, {}),
    ("Certificate", "mend", {"certificate_ends": NOW.add(hours=24 * 20)}, {}),
    ("Certificate", "serious", {"certificate_ends": NOW.add(hours=24 * 6)}, {}),
    ("Clock", "serious", {"clock_off": -600.0}, {}),
    ("Clock", "serious", {"clock_off": None}, {"newest_event": NOW.add(hours=1)}),
    ("Clock", "unknown", {"clock_off": None}, {}),
    ("Clock", "serious", {}, {"mail_clock": 400.0}),
    ("Clock", "serious", {"clock_off": None}, {"mail_clock": -400.0}),
    ("Disk", "serious", {"free": 400_000_000}, {}),
    ("Disk", "mend", {"free": 3_000_000_000}, {}),
    ("Files", "serious", {"open_files": ("/school/school.db",)}, {}),
    ("Database", "serious", {"damage": "row 7 missing from an index"}, {}),
    ("Copies", "serious", {}, {"newest_copy": None}),
    ("Copies", "serious", {}, {"newest_copy": NOW.subtract(hours=37)}),
    ("Copies", "serious", {}, {"copies_failing": "No copy could be made in /copies: the disk is full"}),
    ("Copies", "mend", {}, {"second_place": False}),
    ("Mail", "serious", {}, {"by_mailroom": True}),
    ("Mail", "serious", {}, {"mail": "550 5.7.1 not you"}),
    ("Mail", "serious", {}, {"oldest_queued": NOW.subtract(hours=3)}),
    ("What comes back", "mend", {}, {"mailbox": "mail.example.com refuses the name and password"}),
    ("Connections", "mend", {}, {"silent": ("The shop has been silent for four days.",)}),
    ("Keys", "mend", {}, {"unused_keys": ("Spreadsheet",)}),
]


def test_a_school_that_is_well_is_told_so():
    found = check_up(MACHINE, SCHOOL, [Found("spf", "good", "The SPF line can be used.")])
    assert {one.how for one in found} == {"good"} and not any(one.do for one in found)


@pytest.mark.parametrize(("about", "how", "machine", "school"), WRONG)
def test_each_thing_that_is_not_well_comes_first_and_says_what_to_do(about, how, machine, school):
    found = check_up(replace(MACHINE, **machine), replace(SCHOOL, **school), [])
    first = found[0]
    assert (first.about, first.how) == (about, how), found
    assert first.do or how == "unknown"
    assert [one.how for one in found[1:]] == ["good"] * (len(found) - 1)


def test_the_domain_is_summed_up_and_a_practice_school_needs_no_copies_or_server():
    domain = [Found("spf", "mend", "No SPF line."), Found("dkim", "unknown", "Nobody knows.")]
    practice = replace(SCHOOL, practice=True, newest_copy=None, by_mailroom=True)
    found = check_up(MACHINE, practice, domain)
    assert [(one.about, one.how) for one in found if one.how != "good"] == [("The sender's domain", "mend")]
