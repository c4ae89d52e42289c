"""What was typed or chosen stays: two windows, a new layout, a new block, the way back."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.test_broadcasts import begin


def test_a_new_layout_is_what_is_changed_from_then_on(page: Page):
    page.goto("/school/look")
    page.get_by_role("button", name="Another layout").click()
    page.get_by_label("What do you call it?").fill("Winter")
    page.keyboard.press("Enter")
    expect(page.locator(".ant-select-selection-item", has_text="Winter").first).to_be_visible()
    expect(page.get_by_label("Name of the layout")).to_have_value("Winter")
    footer = page.locator("textarea[aria-label=Footer]")
    footer.fill("For the winter only.")
    footer.blur()
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name="Saved")).to_be_disabled()
    expect(page.get_by_label("Name of the layout")).to_have_value("Winter")
    saved = page.request.get("/api/layouts").json()["layouts"]
    footers = {one["body"]["name"]: one["body"]["footer"] for one in saved}
    assert footers["Winter"] == "For the winter only." and footers["Mallow Lane"] != footers["Winter"]


def not_told(page: Page) -> None:
    """This window does not hear any more that something has changed, as when one types faster than it asks."""
    frame = page.request.get("/api/frame").json()
    page.route("**/api/frame", lambda route: route.fulfill(json=frame))


def test_a_window_in_which_nothing_was_typed_follows_the_other(page: Page):
    page.goto("/letters/fh-stand")
    expect(page.get_by_role("textbox", name="Subject")).to_contain_text("hive")
    there = page.request.get("/api/letters/fh-stand").json()
    csrf = page.request.get("/api/session").json()["csrf"]
    headers = {"X-CSRF-Token": csrf, "If-Match": f'"{there["edition"]}"'}
    page.request.put(
        "/api/letters/fh-stand", data={**there["body"], "subject": "Said elsewhere"}, headers=headers
    )
    expect(page.get_by_role("textbox", name="Subject")).to_contain_text("Said elsewhere")
    expect(page.get_by_role("button", name="Version 2 saved")).to_be_visible()


def test_two_windows_never_overwrite_each_other_unseen(page: Page):
    """RFC 9110, section 13.1.1: a save over a newer edition is refused, and here both are shown."""
    other = page.context.new_page()
    for window in (page, other):
        window.goto("/letters/fh-stand")
        expect(window.get_by_role("textbox", name="Subject")).to_contain_text("hive")
    not_told(page)
    other.get_by_role("textbox", name="Preheader").click()
    other.keyboard.press("Control+End")
    other.keyboard.type(" Said in the other window.")
    other.get_by_role("button", name="Save", exact=True).click()
    expect(other.get_by_role("button", name="Version 2 saved")).to_be_visible()
    page.get_by_role("textbox", name="Subject").click()
    page.keyboard.press("Control+End")
    page.keyboard.type(" Said here")
    page.get_by_role("button", name="Save", exact=True).click()
    dialog = page.get_by_role("dialog", name="Saved in another window since you began")
    expect(dialog.get_by_role("group", name="Subject")).to_contain_text("Said here")
    expect(dialog.get_by_role("group", name="Preheader")).to_contain_text("Said in the other window.")
    dialog.get_by_role("button", name="Save what I chose").click()
    expect(page.get_by_role("button", name="Version 3 saved")).to_be_visible()
    now = page.request.get("/api/letters/fh-stand").json()["body"]
    assert now["subject"].endswith("Said here") and now["preheader"].endswith("Said in the other window.")
    other.close()


def test_a_broadcast_saved_as_one_types_says_so_too(page: Page):
    begin(page, "Fair")
    expect(page.get_by_label("Name of the broadcast")).to_have_value("Fair")
    key = page.url.rsplit("/", 1)[1]
    csrf = page.request.get("/api/session").json()["csrf"]
    there = page.request.get(f"/api/broadcasts/{key}").json()
    not_told(page)
    body = {"body": {**there["body"], "late": "skip"}, "pace": 7, "audience": None}
    page.request.put(f"/api/broadcasts/{key}", data=body, headers={"X-CSRF-Token": csrf})
    page.get_by_label("Name of the broadcast").fill("Spring fair")
    dialog = page.get_by_role("dialog", name="Saved in another window since you began")
    expect(dialog.get_by_role("group", name="Name")).to_contain_text("Spring fair")
    dialog.get_by_role("button", name="Save what I chose").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    now = page.request.get(f"/api/broadcasts/{key}").json()
    assert (now["body"]["name"], now["body"]["late"], now["pace"]) == ("Spring fair", "skip", 7)
