"""Who is told what from an empty cell to a letter that goes out; the weekly letter; and a finding from Today to its mending."""

import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import noticed
from tests.browser.test_first_minutes import run
from tests.browser.test_workbench import add, choose


def move_to(page: Page, date: str, shown: str) -> None:
    page.get_by_role("button", name="Move on").click()
    page.get_by_label("Date to move to").fill(date)
    page.get_by_role("button", name="Go", exact=True).click()
    expect(page.get_by_test_id("school-time")).to_contain_text(shown)


def test_an_empty_cell_begins_a_sequence_runs_and_is_told_there(page: Page):
    page.goto("/school")
    page.get_by_role("button", name="Who is told what").click()
    choose(page, "Which course", "Honey")
    cell = page.get_by_test_id("told-inactive-student")
    expect(cell).to_contain_text("Most schools say where to go on")
    cell.get_by_role("button", name="Say it: Silent, The student").click()
    page.get_by_role("button", name="Take the starter").click()
    expect(page).to_have_url(re.compile(r"/sequences/"))
    page.goto("/who-is-told?course=honey-weekend")
    draft = page.get_by_test_id("told-inactive-student")
    expect(draft).to_contain_text("a draft, posts nothing yet")
    expect(draft).to_contain_text("Most schools say where to go on")
    # The site says something, too: then it would be said twice.
    draft.get_by_role("button", name="Say it").click()
    page.get_by_label("What it sends").fill("its own reminder")
    page.get_by_role("button", name="Note it").click()
    expect(draft).to_contain_text("its own reminder")
    expect(draft).not_to_contain_text("Most schools")
    draft.get_by_role("link").first.click()
    page.get_by_role("button", name="Begin with the letter").or_(
        page.get_by_test_id("status")
    ).first.wait_for()


def test_begun_empty_written_run_and_paused_from_the_cell(page: Page):
    page.goto("/who-is-told?course=honey-weekend")
    cell = page.get_by_test_id("told-access_ending-student")
    cell.get_by_role("button", name="Say it").click()
    page.get_by_role("button", name="Begin one").click()
    expect(page.get_by_label("Name of the sequence")).to_have_value("Honey Weekend · access is about to end")
    add(page, "send")
    choose(page, "Which letter", "A list for the kitchen")
    run(page)
    expect(page.get_by_test_id("status")).to_have_text("Running")
    page.goto("/who-is-told?course=honey-weekend")
    expect(cell).to_contain_text("A list for the kitchen")
    expect(cell).not_to_contain_text("Most schools")
    with noticed(page, "nobody gets a letter of it until it runs again"):
        cell.get_by_role("button", name="Pause: Honey Weekend · access is about to end").click()
    expect(cell).to_contain_text("paused, posts nothing")
    expect(cell).to_contain_text("Most schools say until when")


def test_one_student_is_told_by_the_engine(page: Page):
    page.goto("/who-is-told")
    choose(page, "Which student", "Ana Pinheiro")
    choose(page, "does what", "buys")
    choose(page, "Which offer", "Honey")
    told = page.get_by_test_id("told-one")
    expect(told).to_contain_text("Bought Honey Weekend")
    expect(told.get_by_text("Then this goes out")).to_be_visible()
    expect(told).to_contain_text("Honey Weekend: your recordings")
    expect(told).to_contain_text("A list for the kitchen")


def test_the_weekly_letter_comes_on_monday_into_the_mailroom_and_is_a_page(page: Page):
    page.goto("/weekly")
    expect(page.get_by_text("It is posted to you on Monday at eight")).to_be_visible()
    move_to(page, "2026-03-09", "9 Mar")
    page.goto("/practice")
    page.get_by_label("The inbox of any address").fill("ines@mallowlane.example")
    page.keyboard.press("Enter")
    line = page.get_by_role("button", name=re.compile("Your week: .*need"))
    # The letter is handed over beside everything else.
    expect(line).to_be_visible(timeout=60_000)
    line.click()
    letter = page.frame_locator("iframe")
    expect(letter.get_by_text("One thing worth doing")).to_be_visible()
    expect(letter.get_by_text(re.compile("^Letters posted: "))).to_be_visible()
    expect(letter.get_by_role("link", name="See what it is")).to_be_visible()
    page.keyboard.press("Escape")
    page.goto("/weekly")
    page.get_by_role("navigation", name="Which letter").get_by_role("button", name="Mon 9 Mar").click()
    expect(page.get_by_text("the seven days until Mon 9 Mar, 08:00")).to_be_visible()


def test_notices_are_wished_for_a_kind_and_otherwise_for_one_course(page: Page):
    page.goto("/notices")
    page.get_by_role("combobox", name="Paid back: how soon").press("ArrowDown")
    page.get_by_title("at once, several in one").last.click()
    page.get_by_role("button", name="Paid back: otherwise in one course").click()
    choose(page, "Paid back: which course", "Honey")
    expect(page.get_by_role("combobox", name="Paid back in Honey Weekend: how soon")).to_be_visible()
    page.goto("/who-is-told")
    cell = page.get_by_test_id("told-refunded-person:1")
    expect(cell).to_contain_text("at once, several in one")
    expect(cell).to_contain_text("at eight the next morning")
    expect(cell).not_to_contain_text("Most schools")


def test_a_finding_leads_from_today_to_its_names_a_draft_and_aside(page: Page):
    page.goto("/today")
    worst = page.get_by_role("heading", name="Worth a look")
    expect(worst).to_be_visible()
    page.get_by_role("link", name=re.compile("^The whole check-up")).click()
    finding = page.get_by_test_id("finding-address_bounces")
    finding.get_by_role("button", name="See who they are").click()
    expect(page.get_by_role("dialog")).to_contain_text("8 students")
    page.get_by_role("dialog").get_by_role("button", name="Close").click()
    finding.get_by_role("button", name="Put aside").click()
    page.get_by_label("Why may it stay as it is?").fill("I have written to them on paper")
    page.get_by_role("dialog").get_by_role("button", name="Put aside").click()
    expect(finding).to_have_count(0)
    page.get_by_text("1 finding put aside").click()
    expect(page.get_by_text("I have written to them on paper")).to_be_visible()
    page.get_by_role("button", name="Look again").click()
    expect(page.get_by_text(re.compile("findings, those"))).to_be_visible()
    stalled = page.get_by_test_id("finding-stalled_unwritten").first
    with noticed(page, "Drafted, with a letter"):
        stalled.get_by_role("button", name=re.compile("^Draft a letter for the ")).click()
    expect(page).to_have_url(re.compile("/sequences/"))


def test_a_planned_broadcast_is_taken_back_from_its_cell(page: Page):
    page.goto("/who-is-told")
    cell = page.get_by_test_id("told-day-student")
    with noticed(page, "is a draft again"):
        cell.get_by_role("button", name="Take back: Swarm season: bring your questions").click()
    expect(cell).to_have_count(0)
    page.goto("/broadcasts/swarm-season")
    expect(page.get_by_role("button", name=re.compile("^Plan|^Post"))).to_be_visible()
