"""Who hears of the school, as its owner sets it up: a destination tried with a sample, a key, a list."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import noticed
from tests.browser.test_workbench import choose
from tests.receiver import Receiver, receiving


@pytest.fixture
def receiver() -> Iterator[Receiver]:
    with receiving() as found:
        yield found


def test_a_destination_is_added_tried_and_hears_of_the_next_purchase(page: Page, receiver: Receiver):
    page.goto("/school")
    page.get_by_role("button", name="Destinations and keys").click()
    page.get_by_role("button", name="Add a destination").click()
    ask = page.get_by_role("dialog")
    ask.get_by_label("What you call it").fill("My ledger")
    ask.get_by_label("The address it takes messages at").fill(receiver.url)
    ask.get_by_role("checkbox", name="tag given").check()
    ask.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("heading", name="My ledger")).to_be_visible()
    expect(page.get_by_test_id("once")).to_have_text(re.compile(r"^whsec_"))
    page.get_by_role("button", name="Post the sample").click()
    log = page.get_by_role("region", name="What it was told")
    expect(log.get_by_role("button", name=re.compile("Taken.*bought.*a sample"))).to_be_visible()
    expect(log.get_by_text("204")).to_be_visible()
    # What it was told is what came there.
    assert receiver.told()[0]["data"]["student"]["email"] == "robin.sample@example.org"

    receiver.answer = 500
    page.goto("/students/abigail.hargrove")
    page.get_by_role("button", name="Add a tag").click()
    choose(page, "Which tag", "circle member")
    page.get_by_role("dialog").get_by_role("button", name="Do it").click()
    expect(page.get_by_text("Got the tag “circle member”")).to_be_visible()
    page.goto("/school/destinations/my-ledger")
    line = log.get_by_role("button", name=re.compile("Waits.*tag given.*abigail.hargrove.*answered 500"))
    line.click()
    receiver.answer = 204
    with noticed(page, "It is posted again."):
        log.get_by_role("button", name="Try it now").click()
    expect(log.get_by_role("button", name=re.compile("Taken.*tag given.*abigail.hargrove"))).to_be_visible()


def test_a_key_and_a_list_are_shown_once_and_ended(page: Page, site: str):
    page.goto("/school/destinations")
    keys = page.get_by_role("region", name="Keys of programs")
    keys.get_by_role("button", name="Make a key").click()
    ask = page.get_by_role("dialog")
    ask.get_by_label("What you call it").fill("The newsletter tool")
    ask.get_by_role("checkbox", name="It may change tags and enrolments").check()
    ask.get_by_role("button", name="Make the key").click()
    key = keys.get_by_test_id("once").inner_text()
    asked = page.request.get(f"{site}/api/v1/students?limit=1", headers={"Authorization": f"Bearer {key}"})
    assert asked.status == 200 and asked.json()["next"]
    keys.get_by_role("button", name="I have it").click()
    expect(page.get_by_text(key)).to_have_count(0)
    row = keys.get_by_role("row", name=re.compile("The newsletter tool"))
    expect(row).to_contain_text("read students and figures; change tags and enrolments")
    row.get_by_role("button", name="End it").click()
    with noticed(page, "It opens nothing any more."):
        page.get_by_role("dialog").get_by_role("button", name="End it").click()
    # What stands below moves up when its row goes.
    expect(row.get_by_role("button", name="End it")).to_have_count(0)
    again = page.request.get(f"{site}/api/v1/students", headers={"Authorization": f"Bearer {key}"})
    assert again.status == 401

    lists = page.get_by_role("region", name="Lists that tools fetch")
    lists.get_by_role("button", name="Make a list").click()
    page.get_by_role("dialog").locator(".ant-select").first.click()
    page.locator(".ant-select-item-option", has_text="those with a tag").click()
    choose(page, "Which one", "circle member")
    page.get_by_role("dialog").get_by_role("button", name="Make the list").click()
    address = lists.get_by_test_id("once").inner_text()
    lines = page.request.get(address).text()
    expect(lists.get_by_role("row", name=re.compile("Tagged circle member"))).to_contain_text(
        f"{len(lines.splitlines()) - 1} students"
    )
