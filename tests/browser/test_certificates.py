"""A certificate that waits for approval: seen on Today, approved, looked up by a stranger on a phone, taken back."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect


def test_from_the_tray_to_the_page_a_stranger_looks_up_and_back(page: Page):
    page.goto("/today")
    tray = page.get_by_role("region", name="Certificates to approve")
    first = tray.locator("article").first
    expect(first).to_contain_text("10 of 10 lessons, 100%")
    name = first.get_by_role("link").first.inner_text()
    waiting = int(re.search(r"\d+", tray.get_by_role("heading").inner_text())[0])
    first.get_by_role("button", name="Approve", exact=True).click()
    expect(tray.get_by_role("heading")).to_contain_text(str(waiting - 1))
    page.goto("/certificates")
    row = page.get_by_role("row").filter(has_text=name)
    expect(row).to_contain_text("Queen Rearing for Small Yards")
    code = row.get_by_role("link").first.inner_text()
    row.get_by_role("button", name="Name", exact=True).click()
    page.get_by_label("How the name is printed").fill("Dr. Amélie Vieira-Nováková")
    page.keyboard.press("Enter")
    expect(page.get_by_role("row").filter(has_text=code)).to_contain_text("Dr. Amélie Vieira-Nováková")
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto(f"/certificate/{code.lower()}")
    expect(page.get_by_text("It is valid.")).to_contain_text("Dr. Amélie Vieira-Nováková")
    picture = page.get_by_alt_text("The certificate")
    expect(picture).to_be_visible()
    assert picture.evaluate("image => image.naturalWidth") > 1_000
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(f"/certificates?q={code}")
    page.get_by_role("button", name="Take back").click()
    page.get_by_role("button", name="Take it back").click()
    expect(page.get_by_role("row").filter(has_text=code)).to_contain_text("taken back")
    page.goto(f"/certificate/{code}")
    expect(page.get_by_role("heading", name="Taken back")).to_be_visible()
    expect(page.get_by_text("Amélie")).to_have_count(0)


def test_a_design_is_chosen_with_the_longest_name_of_the_school_in_view(page: Page):
    page.goto("/courses/first-hive?tab=outline")
    page.get_by_role("button", name="How it looks").click()
    picture = page.get_by_alt_text("The certificate with this name")
    expect(picture).to_be_visible()
    before = picture.get_attribute("src")
    page.get_by_role("combobox", name="Difficult names of your school").click()
    page.locator(".ant-select-item-option").first.click()
    expect(picture).not_to_have_attribute("src", str(before))
    before = picture.get_attribute("src")
    page.get_by_text("Corners", exact=True).click()
    expect(picture).not_to_have_attribute("src", str(before))
    page.get_by_role("button", name="Save the course").click()
    expect(page.get_by_role("button", name="Saved", exact=True)).to_be_visible()
