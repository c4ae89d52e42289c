"""Students as their owner works with them: found, chosen, tagged, taken in from a file, and erased."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.conftest import noticed
from tests.browser.test_broadcasts import picture

EXAMPLE = Path("ui/public/import-example.csv")


def test_students_are_found_by_conditions_chosen_tagged_and_untagged_again(page: Page):
    page.goto("/students")
    expect(page.get_by_test_id("total")).to_have_text("386")
    page.get_by_role("button", name="Conditions").click()
    page.get_by_role("button", name="Use an audience").click()
    page.get_by_role("menuitem", name="Ready for Queen Rearing").click()
    expect(page.get_by_role("button", name="has completed First Hive")).to_be_visible()
    expect(page.get_by_test_id("total")).not_to_have_text("386")
    number = page.get_by_test_id("total").text_content() or ""
    page.get_by_label("Choose all on this page").check()
    expect(page.get_by_test_id("chosen")).to_have_text(f"{number} students chosen")
    page.get_by_role("button", name="Tag", exact=True).click()
    page.get_by_role("combobox", name="Which tag").focus()
    page.keyboard.type("market stall")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Tag them").click()
    expect(page.get_by_text(f"done for {number} of {number}")).to_be_visible()
    picture(page, "8-bulk")
    with noticed(page, "Taken back."):
        page.get_by_role("button", name="Undo").click()
    page.get_by_role("link", name="Tags").click()
    expect(page.get_by_role("row", name="circle member")).to_be_visible()
    # Given and taken off again: the tag is known, and nobody has it.
    expect(page.get_by_role("row", name="market stall").get_by_role("button").first).to_have_text("0")


def test_a_file_is_tried_taken_in_and_undone(page: Page):
    page.goto("/students")
    page.get_by_role("link", name="Import").click()
    page.get_by_label("File of students").set_input_files(EXAMPLE)
    expect(page.get_by_text("cells divided by semicolons")).to_be_visible()
    page.get_by_role("button", name="Try it").click()
    found = page.get_by_test_id("tried")
    expect(found).to_contain_text("3 new")
    expect(found).to_contain_text("5 refused")
    expect(found).to_contain_text("the same address as in row 2")
    page.get_by_role("button", name="Take in 3 students").click()
    expect(page.get_by_text("Taken in.")).to_be_visible()
    page.get_by_role("link", name="To the students").click()
    expect(page.get_by_test_id("total")).to_have_text("389")
    page.get_by_label("Find a student").fill("tanaka")
    page.get_by_role("link", name="Mei Tanaka").click()
    expect(page.get_by_label("Consent log")).to_contain_text("import of “import-example.csv”")
    page.goto("/import")
    page.get_by_role("button", name="Undo", exact=True).click()
    page.get_by_role("button", name="Undo it").click()
    expect(page.get_by_text("Undone.")).to_be_visible()
    page.goto("/students")
    expect(page.get_by_test_id("total")).to_have_text("386")


def test_a_student_is_edited_their_post_stopped_and_erased_with_a_sentence(page: Page):
    page.goto("/students/abigail.hargrove")
    page.get_by_role("button", name="Edit").click()
    page.get_by_label("First name").fill("Abby")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("heading", name="Abby Hargrove")).to_be_visible()
    page.get_by_text("What we sent").click()
    expect(page.get_by_text(re.compile("Finished lesson"))).to_have_count(0)
    page.get_by_role("button", name="Stop news").click()
    page.get_by_label("Note").fill("told me on the phone")
    page.get_by_role("button", name="Stop", exact=True).last.click()
    expect(page.get_by_label("Consent log")).to_contain_text("told me on the phone")
    page.get_by_role("button", name="Erase this student").click()
    go = page.get_by_role("button", name="Erase for good")
    expect(go).to_be_disabled()
    page.get_by_label("Sentence to erase").fill("erase abigail.hargrove@example.org")
    picture(page, "9-erase")
    go.click()
    expect(page.get_by_test_id("total")).to_have_text("385")
