"""The workbench as its owner uses it: course line, sequence editor, rehearsal, looking back; with mouse and keyboard."""

import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import noticed
from tests.browser.test_first_minutes import add_from_menu, run


def choose(page: Page, name: str, text: str) -> None:
    """Choose from a searchable list by typing."""
    page.get_by_role("combobox", name=name).last.focus()
    page.keyboard.type(text)
    page.locator(".ant-select-item-option-active:visible").last.wait_for()
    page.keyboard.press("Enter")


def new_sequence(page: Page, name: str) -> None:
    page.goto("/sequences")
    page.get_by_role("button", name="New sequence").click()
    page.get_by_placeholder("First Hive · welcome week").fill(name)
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("status")).to_have_text("Draft")


def start_with(page: Page, event: str, selector: str = "", thing: str = "") -> None:
    page.get_by_test_id("starts").click()
    page.get_by_role("option", name=event).first.click()
    if selector:
        choose(page, selector, thing)
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Or when something else happens")).to_be_hidden()


def add(page: Page, kind: str, where: str = "") -> None:
    """Add a step with a +."""
    button = page.get_by_role("button", name=where) if where else page.get_by_test_id("add-last")
    button.click()
    add_from_menu(page, kind)


def test_ask_after_module_2_nudge_who_does_not_go_on_leave_who_moves_alone_rehearse_and_run(page: Page):
    new_sequence(page, "First Hive · after module 2")
    start_with(page, "finishes a module", "Which module", "Choosing a hive")
    expect(page.get_by_test_id("starts")).to_have_text("When a student has finished module “Choosing a hive”")
    add(page, "send")
    choose(page, "Which letter", "One module down")
    card = page.locator("button.card", has_text="One module down")
    card.click()
    page.keyboard.press("f")
    choose(page, "What happens", "starts a lesson")
    choose(page, "Which lesson", "Installing a nucleus")
    page.get_by_role("spinbutton", name="At most").fill("2")
    page.keyboard.press("Tab")
    expect(page.get_by_text("up to 2 days")).to_be_visible()
    add(page, "send", "Add a first step to Time passes first")
    choose(page, "Which letter", "A week in")
    # A finding stands at the letter; one click mends it.
    nudge = page.locator("[data-step]", has_text="no first name").last
    expect(nudge).to_contain_text("6 of your students have no first name")
    with noticed(page, "The letter is mended and saved."):
        nudge.get_by_role("button", name="Write “there” where it is missing").click()
    expect(page.get_by_text("no first name")).to_have_count(0)

    page.get_by_role("button", name="Rehearse", exact=True).click()
    expect(page.get_by_text("with your unsaved changes")).to_be_visible()
    calendar = page.get_by_role("region", name="Calendar")
    own = calendar.locator("button.letter.own")
    expect(own).to_have_count(2)
    own.nth(1).click()
    why = page.get_by_test_id("why")
    expect(why.locator("li").first).to_contain_text("Finished module “Choosing a hive”")
    expect(why).to_contain_text("the time passed first")
    page.get_by_role("button", name="Read it as this student").click()
    expect(page.frame_locator("iframe").get_by_text("Hello Robin")).to_be_visible()
    # Whoever moves on is left alone.
    page.get_by_role("button", name="Add a move").click()
    page.get_by_role("spinbutton", name="Day").fill("8")
    choose(page, "What they do", "starts the lesson")
    choose(page, "Which lesson", "Installing a nucleus")
    expect(own).to_have_count(1)
    page.get_by_role("link", name="Sequences / First Hive · after module 2").click()
    with noticed(page, "Saved as version 2."):
        page.get_by_role("button", name="Save as version 2").click()
    run(page)
    expect(page.get_by_test_id("status")).to_have_text("Running")

    # Kept as a check, it says so when a later save makes something else come out.
    page.get_by_role("button", name="Rehearse", exact=True).click()
    expect(own).to_have_count(2)
    page.get_by_role("button", name="Keep as a check").click()
    page.get_by_placeholder("Who moves on is left alone").fill("who stops is asked again")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("✓ as kept")).to_be_visible()
    page.get_by_role("link", name="Sequences / First Hive · after module 2").click()
    page.locator("button.card", has_text="A week in").click()
    page.get_by_role("button", name="Remove").click()
    page.get_by_role("button", name="Save as version 3").click()
    expect(page.get_by_text("came out differently at the last save")).to_be_visible()
    page.get_by_role("link", name="See what changed").click()
    expect(page.get_by_text("no longer: Day")).to_be_visible()


def test_a_gap_on_the_course_line_becomes_a_nudge_that_is_played_against_the_last_90_days(page: Page):
    page.goto("/courses")
    page.get_by_role("link", name=re.compile("First Hive")).click()
    stop = page.locator('[data-stop="first-hive/l2"]')
    expect(stop).to_contain_text("No letter here")
    stop.get_by_role("button", name=re.compile("students at Where a hive can stand")).click()
    expect(page.get_by_role("dialog")).to_contain_text("silent")
    page.get_by_role("dialog").get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Draft a nudge here").click()
    expect(page.locator("button.flag")).to_contain_text("started lesson “Where a hive can stand”")
    page.get_by_role("button", name="Rehearse", exact=True).click()
    page.get_by_role("button", name="Last 90 days again").click()
    expect(page.get_by_test_id("replay-sum")).to_have_text(re.compile(r"\d+ letters to \d+ students"))
    page.get_by_role("button", name="Every path").click()
    expect(page.get_by_text("2 ways through the sequence")).to_be_visible()


def test_branches_undo_keys_and_a_fault_that_keeps_it_from_running(page: Page):
    new_sequence(page, "Honey · two ways")
    start_with(page, "enrols in a course", "Which course", "Honey")
    add(page, "branch")
    expect(page.get_by_role("button", name="Which way?")).to_be_visible()
    choose(page, "What is asked", "has the tag")
    page.get_by_role("combobox", name="Which tag").focus()
    page.keyboard.type("keen")
    page.keyboard.press("Enter")
    expect(page.get_by_text("If the student has the tag “keen”")).to_be_visible()
    expect(page.get_by_text("No student has the tag “keen”")).to_be_visible()
    add(page, "send", "Add a first step to If the student has the tag “keen”")
    expect(page.get_by_role("alert")).to_contain_text("No letter is chosen here yet")
    choose(page, "Which letter", "A list for the kitchen")
    expect(page.get_by_role("alert")).to_have_count(0)
    card = page.locator("button.card")
    card.focus()
    page.keyboard.press("w")
    expect(page.get_by_role("button", name="next day at 10:00")).to_be_visible()
    page.get_by_role("button", name="next day at 10:00").focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(page.get_by_text("This is decided before the wait")).to_be_visible()
    page.get_by_role("button", name="Wait first, then decide").click()
    expect(page.get_by_text("This is decided before the wait")).to_have_count(0)
    expect(page.locator("[data-step]").first).to_contain_text("next day")
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("This is decided before the wait")).to_be_visible()
    page.get_by_role("button", name="Redo").click()
    # Out of its lane, and back in.
    card.click()
    page.get_by_role("button", name="Move out of the lane").click()
    expect(page.get_by_text("Straight on.")).to_have_count(2)
    page.get_by_role("button", name="Move into the lane above").click()
    expect(page.get_by_text("Straight on.")).to_have_count(1)
    with noticed(page, "Saved as version 2."):
        page.get_by_role("button", name="Save as version 2").click()
    card.click()
    page.keyboard.press("Delete")
    with noticed(page, "Saved as version 3."):
        page.get_by_role("button", name="Save as version 3").click()


def test_the_palette_goes_anywhere_and_a_starter_is_fitted_to_a_course(page: Page):
    page.goto("/today")
    expect(page.get_by_role("heading", name="Today")).to_be_visible()
    page.keyboard.press("Control+k")
    page.get_by_role("combobox", name="Go to").fill("queen rearing welcome sequence")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/sequences/qr-welcome$"))
    page.goto("/sequences")
    page.get_by_role("button", name="Begin with a starter").click()
    choose(page, "For which course", "Honey")
    page.get_by_role("button", name="Take Nudges").click()
    expect(page.get_by_test_id("starts")).to_contain_text("watched 50% of any lesson of Honey Weekend")
