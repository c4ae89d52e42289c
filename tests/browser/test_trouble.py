"""What the owner sees when nothing can be saved, and what a student sees on the way to another address."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect


def test_that_nothing_can_be_saved_is_said_on_every_place_and_goes_away(page: Page):
    page.goto("/today")
    expect(page.get_by_role("heading", name="Needs you")).to_be_visible()
    refused = {"status": 503, "json": {"detail": "Nothing can be saved at the moment: the disk is full."}}
    page.route("**/api/frame", lambda route: route.fulfill(**refused))
    page.goto("/letters")
    expect(page.get_by_role("alert")).to_contain_text("the disk is full")
    page.unroute("**/api/frame")
    page.goto("/letters")
    expect(page.get_by_role("heading", name="Letters", exact=True)).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_new_address_is_asked_for_and_agreed_to_in_the_old_inbox(page: Page):
    """The whole way as a student goes it, from the link in a letter."""
    page.goto("/today")
    expect(page.get_by_role("heading", name="Needs you")).to_be_visible()
    log = page.request.get("/api/deliveries").json()["items"]
    inboxes = (page.request.get(f"/api/practice/inbox/{one['student']}").json() for one in log)
    letter = next(found[0]["id"] for found in inboxes if found)
    csrf = page.request.get("/api/session").json()["csrf"]
    opened = page.request.post(f"/api/practice/mail/{letter}/open", headers={"x-csrf-token": csrf})
    page.goto(re.search(r"/post/preferences/[^\"\s]+", opened.json()["html"])[0])
    page.get_by_label("Another address").fill("another@example.net")
    page.get_by_role("button", name="Change it").click()
    expect(page.get_by_role("heading", name="Look into your new inbox")).to_be_visible()
