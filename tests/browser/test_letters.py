"""A letter built from empty, seen on a phone, tested, posted by the practice classroom, clicked, found in its figures."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Error, Locator, Page, expect

from tests.browser.conftest import noticed
from tests.browser.test_broadcasts import picture
from tests.browser.test_first_minutes import buy_first_hive, make_student
from tests.waiting import until


def add(page: Page, kind: str) -> None:
    page.get_by_role("button", name="+ Add a block").last.click()
    page.get_by_role("menuitem", name=re.compile(f"^{kind}")).last.click()


def seen(page: Page):
    return page.frame_locator("iframe[title='The letter as this student sees it']")


def colour_of(button: Locator) -> str | None:
    """Its ground; None while the letter is being drawn anew."""
    try:
        return str(button.evaluate("button => getComputedStyle(button).backgroundColor"))
    except Error:
        return None


@pytest.mark.long
def test_a_letter_from_the_first_block_to_its_figures(page: Page):
    page.goto("/letters")
    page.get_by_role("button", name="New letter").click()
    page.get_by_label("What do you call it?").fill("Come in")
    page.keyboard.press("Enter")
    # Exactly this name: the dialog that goes away asks something with "subject" in it.
    page.get_by_role("textbox", name="Subject", exact=True).click()
    page.keyboard.type("Your place is ready")
    page.get_by_role("textbox", name="Preheader").click()
    page.keyboard.type("Here is the door")
    page.get_by_role("textbox", name="Text 1").click()
    page.keyboard.press("Control+End")
    page.keyboard.type("Welcome among the keepers.")
    for kind in ("Button", "Next lesson", "Course card", "Answer links", "Signature", "Note to self"):
        add(page, kind)
    expect(page.get_by_text("A note to yourself stands here.")).to_be_visible()
    letter = seen(page)
    for words in (
        "Welcome among the keepers.",
        "Open the course",
        "Your next lesson",
        "Have a look",
        "I am stuck",
        "Ines Valadares",
    ):
        expect(letter.get_by_text(words).first).to_be_visible()
    picture(page, "letter-1-blocks")
    # The note goes, comes back with one step, and goes again; the signature moves up by key.
    page.get_by_role("button", name="More for Note to self 7").click()
    page.get_by_role("menuitem", name="Remove").click()
    expect(page.get_by_label("Note 7")).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(page.get_by_label("Note 7")).to_be_visible()
    page.keyboard.press("Control+y")
    expect(page.get_by_label("Note 7")).to_have_count(0)
    page.get_by_label("Signature, block 6").focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(page.get_by_label("Answer links, block 6")).to_be_visible()
    # A block for some: the one shown does not see it, somebody else does.
    card = page.get_by_label("Course card, block 4")
    card.hover()
    card.get_by_role("button", name="Show only if …").click()
    # Nothing is asked until something is chosen, so nobody is left out by opening it.
    expect(card.get_by_text("nothing chosen yet: everybody sees it")).to_be_visible()
    card.get_by_role("button", name="Add a condition").click()
    expect(
        card.get_by_text("students see it now").or_(card.get_by_text("student sees it now"))
    ).to_be_visible()
    card.get_by_role("button", name="To everyone").click()
    # On a phone, in the dark, as text, as somebody with a long name.
    page.get_by_text("Phone", exact=True).click()
    expect(letter.get_by_text("Welcome among the keepers.")).to_be_visible()
    page.get_by_role("checkbox", name="Dark").check()
    # The buttons of this school are green, and stay so.
    colour = until(lambda: colour_of(letter.get_by_role("link", name="Open the course")))
    red, green, blue = map(int, re.findall(r"\d+", colour))
    assert green > red and green > blue, colour
    expect(page.get_by_text("Phone", exact=True)).to_be_visible()
    page.get_by_text("Plain text", exact=True).click()
    expect(page.locator("pre.plain-text")).to_contain_text("Welcome among the keepers.")
    page.get_by_text("Desk", exact=True).click()
    page.get_by_role("button", name="Somebody unusual").click()
    page.get_by_role("menuitem", name="Without a first name").click()
    expect(letter.get_by_text("Hello there,")).to_be_visible()
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name="Version 2 saved")).to_be_visible()
    key = page.url.rpartition("/")[2]
    page.get_by_role("button", name="Send me a test").click()
    page.get_by_role("button", name="Send", exact=True).click()
    expect(page.get_by_test_id("mail-subject")).to_have_text("Test: Your place is ready")
    page.get_by_role("button", name="Close", exact=True).click()

    # It takes the place of the access letter, by hand of the test; what follows is the student's.
    page.evaluate(
        """async (key) => {
            const csrf = (await (await fetch("/api/session")).json()).csrf;
            const found = (await (await fetch("/api/sequences/fh-welcome")).json()).body;
            found.steps.find((one) => one.letter === "fh-access").letter = key;
            const saved = await fetch("/api/sequences/fh-welcome", { method: "PUT", headers: { "X-CSRF-Token": csrf, "Content-Type": "application/json" }, body: JSON.stringify(found) });
            if (!saved.ok) throw new Error(await saved.text());
        }""",
        key,
    )
    page.goto("/practice")
    make_student(page, "Oliwia", "Europe/Lisbon")
    buy_first_hive(page)
    page.get_by_test_id("mail").first.click()
    expect(page.get_by_test_id("mail-subject")).to_have_text("Your place is ready")
    page.wait_for_timeout(3_500)  # nobody reads so fast
    with page.expect_popup() as popup:
        page.frame_locator("iframe[title='The letter']").get_by_role("link", name="Open the course").click()
    popup.value.close()
    page.goto(f"/letters/{key}/figures")
    expect(page.get_by_test_id("posted")).to_contain_text("1")
    for _ in range(20):
        page.reload()
        if page.get_by_role("row", name=re.compile("course.url")).count():
            break
        page.wait_for_timeout(1_000)
    expect(page.get_by_role("row", name=re.compile("course.url"))).to_contain_text("1")
    expect(page.get_by_test_id("clicked")).to_contain_text("1")
    picture(page, "letter-2-figures")
    page.get_by_test_id("clicked").click()
    expect(page.get_by_role("link", name="Oliwia")).to_be_visible()


def test_a_look_is_changed_once_and_all_letters_follow_with_its_contrast_mended(page: Page):
    page.goto("/school/look")
    letter = page.frame_locator(".see iframe").first
    expect(
        letter.get_by_text("MALLOW LANE APIARY SCHOOL")
        .or_(letter.get_by_text("Mallow Lane Apiary School"))
        .first
    ).to_be_visible()
    page.get_by_label("Text", exact=True).fill("#d0d0d0")
    expect(page.get_by_text(re.compile("The text has a contrast of 1"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Take #")).click()
    expect(page.get_by_text(re.compile("The text has a contrast of"))).to_have_count(0)
    page.get_by_label("Footer", exact=True).nth(1).fill("From our garden")
    page.get_by_label("Footer", exact=True).nth(1).press("Tab")
    expect(letter.get_by_text("From our garden")).to_be_visible()
    with noticed(page, "All letters that stand in it follow."):
        page.get_by_role("button", name="Save", exact=True).click()
    page.goto("/letters/fh-week")
    expect(seen(page).get_by_text("From our garden")).to_be_visible()
    picture(page, "look")


def test_a_student_chooses_their_post_on_a_phone(page: Page):
    page.goto("/practice")
    make_student(page, "Oliwia", "Europe/Lisbon")
    buy_first_hive(page)
    page.get_by_test_id("mail").first.click()
    link = page.frame_locator("iframe[title='The letter']").get_by_role("link", name="Choose your post")
    page.set_viewport_size({"width": 390, "height": 800})
    page.goto(str(link.get_attribute("href")))
    help_letters = page.get_by_label(re.compile("Help with First Hive"))
    expect(help_letters).to_be_checked()
    help_letters.uncheck()
    page.get_by_role("button", name="Save my choice").click()
    expect(page.get_by_role("status")).to_contain_text("Saved.")
    expect(page.get_by_label(re.compile("Help with First Hive"))).not_to_be_checked()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
