"""What a creator stumbled over: each of these failed before it was mended."""

from __future__ import annotations

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import noticed
from tests.browser.test_broadcasts import begin, left
from tests.browser.test_first_minutes import add_from_menu, run
from tests.browser.test_workbench import choose, new_sequence, start_with
from tests.waiting import until


def test_a_nudge_takes_in_those_who_stand_there_and_says_before_what_each_gets(page: Page):
    page.goto("/courses/first-hive")
    page.get_by_role("button", name="Draft a nudge here").click()
    page.get_by_role("button", name="Run", exact=True).click()
    slip = page.get_by_role("dialog", name=re.compile("^Run"))
    slip.get_by_role("radio", name=re.compile("have done nothing for a week")).check()
    expect(
        slip.get_by_role("button", name=re.compile(r"\d+ get “Nudge: Where a hive can stand” first"))
    ).to_have_count(2)
    expect(slip.get_by_text("has stopped help letters for this course")).to_be_visible()
    slip.get_by_role("button", name="Run", exact=True).click()
    expect(page.get_by_text(re.compile(r"\d+ follow in \d+ seconds"))).to_be_visible()
    expect(page.get_by_test_id("status")).to_have_text("Running")
    with noticed(page, "Taken back."):
        page.get_by_role("button", name="Take it back").click()
    expect(page.get_by_test_id("status")).to_have_text("Draft")
    # Nobody was reached, and the course line says so: a letter that hangs there covers nobody by itself.
    page.goto("/courses/first-hive")
    expect(page.locator('[data-stop="first-hive/l2"]')).to_contain_text("no letter reaches them")


def test_approving_says_what_will_go_out_and_offers_a_letter_where_nothing_does(page: Page):
    page.goto("/today")
    tray = page.get_by_role("region", name="Certificates to approve")
    card = tray.locator("article", has_text="Queen Rearing").first
    expect(card.get_by_text("it is issued, but no letter tells them")).to_be_visible()
    card.get_by_role("button", name="Draft one").click()
    expect(page.get_by_test_id("starts")).to_contain_text("certificate")
    run(page)
    expect(page.get_by_test_id("status")).to_have_text("Running")
    page.goto("/today")
    expect(card.get_by_text(re.compile(r"Approved, “.*” goes out Tue 3 Mar"))).to_be_visible()


def test_several_people_are_chosen_by_keyboard_one_after_the_other(page: Page):
    begin(page, "To a few")
    page.get_by_role("button", name="Add a condition").click()
    before = left(page, 0)
    page.get_by_role("button", name="A few by name").click()
    # What one click took out comes back with one click.
    page.get_by_role("button", name="Put it back").click()
    until(lambda: left(page, 0) == before)
    page.get_by_role("button", name="A few by name").click()
    picker = page.get_by_role("combobox", name="Which students")
    for name in ("Vasco Reis", "Devika", "Alfie"):
        picker.focus()
        page.keyboard.type(name)
        expect(page.locator(".ant-select-item-option-active")).to_contain_text(name)
        page.keyboard.press("Enter")
        expect(picker).to_have_value("")
    expect(page.locator(".pick .ant-select-selection-item")).to_have_count(3)


def test_a_letter_about_a_student_is_marked_to_you(page: Page):
    """Nothing is said of guards that were not asked, and it does not stand in the history as sent to them."""
    new_sequence(page, "Told")
    start_with(page, "enrols in a course", "Which course", "Honey")
    page.get_by_test_id("add-last").click()
    add_from_menu(page, "tell")
    choose(page, "Which letter", "A list for the kitchen")
    run(page)
    expect(page.get_by_test_id("status")).to_have_text("Running")
    csrf = {"X-CSRF-Token": page.request.get("/api/session").json()["csrf"]}
    student = page.request.get("/api/students?q=vasco").json()["items"][0]["key"]
    page.request.post(
        f"/api/students/{student}/enrolments",
        data={"course": "honey-weekend", "preview": False},
        headers=csrf,
    )
    page.goto("/dispatch")
    line = page.locator("tbody tr", has_text="Told").first
    expect(line).to_contain_text("you about")
    line.get_by_role("link").click()
    story = page.get_by_test_id("story")
    expect(story).to_contain_text("It goes to you, not to the student")
    expect(story).not_to_contain_text("has not stopped")
    page.goto(f"/students/{student}")
    expect(page.get_by_text(re.compile("Not to the student · to you"))).to_be_visible()


def test_a_broadcast_where_they_live_is_planned_until_its_first_letter(page: Page):
    """The list is drawn up at UTC+14:00's moment (ENGINE, section 11); until a letter is due everything can be changed."""
    begin(page, "Wednesday evening")
    page.get_by_role("button", name="Students of one course").click()
    page.get_by_role("menuitem", name="First Hive").click()
    page.get_by_text("where each student lives").click()
    page.get_by_label("Day").fill("5 Mar 2026")
    page.get_by_label("Time", exact=True).fill("18:00")
    page.keyboard.press("Tab")
    key = page.url.rsplit("/", 1)[1]
    csrf = {"X-CSRF-Token": page.request.get("/api/session").json()["csrf"]}
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    letter = page.request.get(f"/api/broadcasts/{key}").json()["body"]["letter"]
    body = page.request.get(f"/api/letters/{letter}").json()["body"]
    page.request.put(f"/api/letters/{letter}", data={**body, "subject": "On Wednesday"}, headers=csrf)
    assert page.request.post(f"/api/broadcasts/{key}/schedule", data={"at_once": False}, headers=csrf).ok
    page.request.post("/api/clock", data={"to": "until", "until": "2026-03-05T04:30"}, headers=csrf)
    page.goto(f"/broadcasts/{key}")
    expect(page.locator(".pill").first).to_have_text("Planned")
    expect(page.get_by_text(re.compile("The first letter goes out Thu 5 Mar"))).to_be_visible()
    until(lambda: page.request.get(f"/api/broadcasts/{key}").json()["started"])
    page.get_by_role("button", name="Change or call off").click()
    expect(page.locator(".pill").first).to_have_text("Draft")
    expect(page.get_by_label("Day")).to_have_value("Thu 5 Mar 2026")


def test_what_is_typed_into_a_new_block_stands_in_it(page: Page):
    page.goto("/letters/fh-stand")
    expect(page.get_by_role("textbox", name="Subject", exact=True)).to_contain_text("hive")
    page.get_by_role("combobox", name="See the letter as this student").wait_for()
    page.get_by_role("button", name="+ Add a block").click()
    page.get_by_role("menuitem", name=re.compile("^Text")).click()
    block = page.get_by_role("textbox", name=re.compile(r"^Text \d+")).last
    expect(block).to_be_focused()
    page.keyboard.type("nobody panics now")
    expect(block).to_have_text("nobody panics now")
    page.keyboard.press("Control+s")
    expect(page.get_by_role("button", name="Version 2 saved")).to_be_visible()


def test_the_way_back_finds_what_was_searched_for_and_where(page: Page):
    page.goto("/students")
    page.get_by_label("Find a student").fill("a")
    expect(page).to_have_url(re.compile("q=a"))
    page.get_by_role("listitem", name="2").click()
    expect(page.locator(".ant-pagination-item-active")).to_have_text("2")
    # Of what is shown while that page is still under way, nobody is on it.
    name = page.request.get("/api/students?q=a&page=2").json()["items"][30]["name"]
    there = page.get_by_role("link", name=name, exact=True)
    there.scroll_into_view_if_needed()
    there.click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    page.go_back()
    expect(page.get_by_label("Find a student")).to_have_value("a")
    expect(page.locator(".ant-pagination-item-active")).to_have_text("2")
    expect(page.get_by_role("link", name=name, exact=True)).to_be_in_viewport()
    page.goto("/letters")
    page.get_by_label("Find a letter").fill("bees")
    page.get_by_role("link", name="Order your spring bees").click()
    page.get_by_role("textbox", name="Subject", exact=True).wait_for()
    page.go_back()
    expect(page.get_by_label("Find a letter")).to_have_value("bees")


def test_the_keys_of_the_editor_work_from_anywhere_and_the_ring_is_seen(page: Page):
    page.goto("/sequences/fh-welcome")
    page.get_by_test_id("status").wait_for()
    page.locator("body").press("w")
    expect(page.get_by_role("button", name="next day at 10:00").first).to_be_visible()
    # The keyboard stands in what was made: its first field; Escape goes back to the step, and keys act again.
    expect(page.get_by_role("complementary", name="The chosen step").locator("input").first).to_be_focused()
    page.keyboard.press("Escape")
    steps = page.locator("[data-step]").count()
    page.keyboard.press("Delete")
    expect(page.locator("[data-step]")).to_have_count(steps - 1)
    page.get_by_role("link", name="Sequences /").focus()
    page.keyboard.press("Tab")
    page.keyboard.press("Shift+Tab")
    ring = page.get_by_role("link", name="Sequences /").evaluate(
        "one => { const s = getComputedStyle(one); return [s.outlineStyle, s.outlineWidth] }"
    )
    assert ring == ["solid", "2px"]


def test_a_sequence_is_shown_with_what_was_found_in_it_and_without_when_nothing_could_be_asked(page: Page):
    new_sequence(page, "Half a thought")
    held: list[Route] = []
    page.route("**/api/sequences/check", lambda route: held.append(route))
    with page.expect_response("**/api/sequences/half-a-thought"):
        page.reload()
    until(lambda: page.evaluate("1") and held)  # to be asked something lets the browser say what it does
    expect(page.get_by_test_id("starts")).to_be_hidden()
    for route in held:
        route.continue_()
    expect(page.get_by_text("There are no steps yet")).to_be_visible()
    expect(page.get_by_test_id("starts")).to_be_visible()
    page.unroute("**/api/sequences/check")
    page.route("**/api/sequences/check", lambda route: route.abort())
    page.reload()
    expect(page.get_by_test_id("starts")).to_be_visible()


def test_a_draft_is_saved_however_unfinished_and_run_lists_what_is_missing(page: Page):
    new_sequence(page, "Half a thought")
    start_with(page, "enrols in a course", "Which course", "Honey")
    page.get_by_test_id("add-last").click()
    add_from_menu(page, "branch")
    choose(page, "What is asked", "has the tag")
    page.get_by_role("button", name="Save as version 2").click()
    expect(page.get_by_role("button", name="Saved, unfinished")).to_be_visible()
    page.evaluate("localStorage.clear()")
    page.reload()
    expect(page.get_by_role("button", name="Which way?")).to_be_visible()
    page.get_by_role("button", name="Run", exact=True).click()
    dialog = page.get_by_role("dialog", name="Before it can run")
    dialog.get_by_role("button").filter(has_text=re.compile("tag", re.IGNORECASE)).first.click()
    expect(page.get_by_role("combobox", name="Which tag")).to_be_visible()
    # A letter is written from inside, and is chosen when one comes back; nothing asks to leave.
    page.get_by_test_id("add-last").click()
    add_from_menu(page, "send")
    page.get_by_role("button", name="Write a new letter").click()
    page.get_by_role("textbox", name="Subject", exact=True).click()
    page.keyboard.type("A first word")
    page.keyboard.press("Control+s")
    expect(page.get_by_role("button", name="Version 2 saved")).to_be_visible()
    page.get_by_role("link", name="Back to the sequence").click()
    expect(page.locator("button.card", has_text="Half a thought · letter 1")).to_be_visible()


def test_a_letter_is_sent_again_with_its_reasons_and_the_history_says_who_did(page: Page):
    page.goto("/students/vasco.reis")
    page.get_by_role("button", name="Send it again").first.click()
    slip = page.get_by_test_id("again")
    expect(slip).to_contain_text("Vasco Reis")
    expect(slip).to_contain_text("The one before: sent")
    with noticed(page, "It is on its way."):
        page.get_by_role("button", name="Send it now").click()
    expect(page.get_by_text(re.compile("again, by Ines"))).to_be_visible()
    page.locator("ol .letter a").first.click()
    expect(page.get_by_test_id("story")).to_contain_text("sent it again by hand")


def test_nothing_is_wider_than_a_phone(page: Page):
    page.set_viewport_size({"width": 390, "height": 780})
    for place in (
        "/sequences/fh-welcome/rehearsal",
        "/sequences/fh-welcome",
        "/students",
        "/courses/first-hive",
        "/import",
    ):
        page.goto(place)
        page.wait_for_load_state("networkidle")
        wide = page.evaluate(
            "[document.querySelector('.place-room').scrollWidth, document.documentElement.scrollWidth]"
        )
        assert max(wide) <= 390, (place, wide)


def test_what_hangs_on_nothing_can_be_thrown_away_and_the_rest_says_why_not(page: Page):
    new_sequence(page, "A mistake")
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Throw away").click()
    page.get_by_role("dialog").get_by_role("button", name="Throw away").click()
    expect(page).to_have_url(re.compile("/sequences$"))
    expect(page.get_by_text("A mistake", exact=True)).to_have_count(0)
    page.goto("/courses/first-hive?tab=outline")
    page.get_by_role("button", name="Throw this course away").click()
    page.get_by_role("dialog").get_by_role("button", name="Throw away").click()
    expect(page.get_by_text(re.compile("can't be thrown away: .* came into it"))).to_be_visible()
