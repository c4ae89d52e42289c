"""The measure of a broadcast: planned by a new user from the first click to the slip, taken back, stopped halfway."""

from __future__ import annotations

import os
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.conftest import noticed
from tests.browser.test_workbench import choose

# Where to keep pictures of the way, for whoever wants to look at them.
PICTURES = os.environ.get("PICTURES", "")


def picture(page: Page, name: str) -> None:
    if PICTURES:
        page.wait_for_timeout(600)
        page.screenshot(path=Path(PICTURES) / f"{name}.png")


def begin(page: Page, name: str) -> None:
    page.goto("/today")
    page.get_by_role("link", name="Broadcasts").click()
    page.get_by_role("button", name="New broadcast").click()
    page.get_by_label("Name of the broadcast").fill(name)
    page.keyboard.press("Enter")
    expect(page.get_by_text("Who gets it")).to_be_visible()


def write(page: Page, subject: str) -> None:
    """Write the letter of the broadcast and come back."""
    page.get_by_role("button", name="Write it").click()
    page.get_by_role("textbox", name="Subject", exact=True).click()
    page.keyboard.type(subject)
    page.get_by_role("textbox", name="Text 1").click()
    page.keyboard.press("Control+End")
    page.keyboard.type("Come and look into the hives.")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name="Version 2 saved")).to_be_visible()
    page.get_by_role("link", name="Back to the broadcast").click()


def left(page: Page, line: int) -> int:
    """How many are left after a line."""
    count = page.get_by_role("button", name="left: their names").nth(line)
    expect(count).to_have_text(re.compile(r"→\s*\d+"))
    found = re.search(r"→\s*(\d+)", count.text_content() or "")
    assert found
    return int(found[1])


def test_planned_as_a_new_user_would_with_a_test_letter_and_a_slip(page: Page):
    begin(page, "Open apiary on Saturday")
    write(page, "Saturday: the apiary is open")
    page.get_by_role("button", name="Students of one course").click()
    page.get_by_role("menuitem", name="First Hive").click()
    expect(page.get_by_role("button", name="is enrolled in First Hive")).to_be_visible()
    page.get_by_role("button", name="is enrolled in First Hive").click()
    page.get_by_role("checkbox", name="finished").uncheck()
    page.get_by_role("button", name="Done").click()
    expect(page.get_by_role("button", name="is active in First Hive")).to_be_visible()
    active = left(page, 0)
    assert 0 < active < 386
    page.get_by_role("button", name="Leave some out").click()
    choose(page, "Which offer", "Queen Rearing")
    page.get_by_role("button", name="Done").click()
    expect(page.get_by_role("button", name="has bought Queen Rearing")).to_be_visible()
    fitting = left(page, 1)
    assert 0 < fitting <= active
    picture(page, "1-who")
    # The two I spoke to yesterday.
    boxes = page.get_by_role("checkbox", name="Write to")
    for _ in range(2):
        page.locator("tr:not(.off)").get_by_role("checkbox", name="Write to").first.uncheck()
    expect(page.get_by_text("taken out by you").first).to_be_visible()
    assert boxes.count() > 2
    page.get_by_text("where each student lives").click()
    page.get_by_label("Day").fill("2026-03-05")
    page.get_by_label("Day").press("Tab")
    expect(page.get_by_text("Auckland").first).to_be_visible()
    expect(page.get_by_role("button", name="inside a sequence that holds broadcasts")).to_be_visible()
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    will = page.get_by_test_id("will")
    expect(page.locator(".sum.stale")).to_have_count(0)
    number = int(will.text_content() or "0")
    assert 0 < number < fitting - 2
    picture(page, "2-when")
    page.reload()
    expect(will).to_have_text(str(number))
    expect(page.get_by_label("Name of the broadcast")).to_have_value("Open apiary on Saturday")
    page.get_by_role("button", name="Send me a test").click()
    expect(page.get_by_test_id("mail-subject")).to_have_text("Test: Saturday: the apiary is open")
    expect(page.get_by_text("To Ines Valadares <ines@mallowlane.example>")).to_be_visible()
    picture(page, "3-test")
    page.get_by_role("button", name="Close", exact=True).click()
    page.get_by_role("button", name="Review and post").click()
    slip = page.get_by_test_id("slip")
    expect(slip).to_contain_text(f"({number})")
    expect(slip).to_contain_text("On Thu 5 Mar at 09:00 where each of them lives: first in Auckland")
    expect(slip).to_contain_text("do not want news")
    expect(slip).to_contain_text("Two you have taken out by hand.")
    picture(page, "4-slip")
    page.get_by_role("button", name=f"Post to {number} then").click()
    expect(page.get_by_text("Planned for Thu 5 Mar, 09:00 where they live.")).to_be_visible()
    page.get_by_role("link", name="Today").click()
    expect(page.get_by_role("link", name="Open apiary on Saturday").first).to_be_visible()


def test_post_now_is_taken_back_within_the_minute(page: Page):
    begin(page, "A word to everyone")
    write(page, "A word")
    page.get_by_role("button", name="Review and post").click()
    expect(page.get_by_text("You have not seen this letter in your own inbox")).to_be_visible()
    page.get_by_text("post it now instead").click()
    page.get_by_role("button", name=re.compile(r"Post now to \d+")).click()
    expect(page.get_by_text(re.compile(r"It goes out in \d+ seconds"))).to_be_visible()
    picture(page, "5-minute")
    with noticed(page, "It is a draft again. Nothing was posted."):
        page.get_by_role("button", name="Take it back").first.click()
    expect(page.get_by_role("button", name="Review and post")).to_be_visible()


def test_a_broadcast_is_paused_and_stopped_halfway_and_says_who_did_not_get_it(page: Page):
    begin(page, "In small portions")
    write(page, "In small portions")
    page.get_by_role("button", name="Posting hours, pace").click()
    page.get_by_label("Letters a minute").fill("120")
    page.get_by_label("Letters a minute").press("Tab")
    page.get_by_label("Day").fill("2026-03-03")
    page.get_by_role("textbox", name="Time").first.fill("10:05")
    page.get_by_role("textbox", name="Time").first.press("Tab")
    page.get_by_role("button", name="Review and post").click()
    page.get_by_role("button", name=re.compile(r"Post to \d+ then")).click()
    expect(page.get_by_text("Planned for Tue 3 Mar, 10:05.")).to_be_visible()
    page.get_by_role("button", name="Move on").click()
    page.get_by_role("button", name="To the next in line").click()
    expect(page.get_by_role("button", name="Pause", exact=True)).to_be_visible()
    page.get_by_role("button", name="Pause", exact=True).click()
    expect(page.get_by_text("paused, nothing goes out")).to_be_visible()
    picture(page, "6-paused")
    page.get_by_role("button", name="Stop the rest").click()
    page.get_by_role("button", name="Stop the rest").last.click()
    expect(page.get_by_text("Stopped", exact=True).first).to_be_visible()
    page.get_by_role("button", name=re.compile(r"You stopped the broadcast before")).click()
    expect(page.get_by_role("link", name="their letter").first).to_be_visible()
    picture(page, "7-stopped")
