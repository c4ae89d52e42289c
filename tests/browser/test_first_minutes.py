"""What a new user lives through in the first minutes, done in the real interface."""

import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import noticed


def make_student(page: Page, name: str, zone: str) -> None:
    page.get_by_role("button", name="Make a student").first.click()
    page.get_by_test_id("first-name").fill(name)
    page.get_by_test_id("email").fill(f"{name.lower()}@example.org")
    page.get_by_role("combobox", name="Time zone").fill(zone)
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Make", exact=True).click()
    expect(page.get_by_text("You are")).to_contain_text(name)


def buy_first_hive(page: Page) -> None:
    page.locator("article", has_text="First Hive").first.get_by_role("button", name="Buy").click()


def add_from_menu(page: Page, kind: str) -> None:
    """Choose a kind of step in the menu that is open."""
    page.locator(f".ant-dropdown:not(.ant-dropdown-hidden) [data-menu-id={kind}]").last.click()


def run(page: Page) -> None:
    """Run the sequence on screen, for those who come from now on."""
    page.get_by_role("button", name="Run", exact=True).click()
    slip = page.get_by_role("dialog", name=re.compile("^Run"))
    expect(slip.get_by_test_id("run-slip")).to_contain_text("From now on")
    slip.get_by_role("button", name="Run", exact=True).click()


def move_on_a_day(page: Page) -> None:
    before = page.get_by_test_id("school-time").inner_text()
    page.get_by_role("button", name="Move on").click()
    page.get_by_role("button", name="A day", exact=True).click()
    expect(page.get_by_test_id("school-time")).not_to_have_text(before)
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="A day", exact=True)).to_be_hidden()


def test_buy_read_move_the_clock_ask_why_change_and_do_it_again(page: Page):
    page.goto("/practice")
    make_student(page, "Oliwia", "Pacific/Auckland")
    buy_first_hive(page)
    mails = page.get_by_test_id("mail")
    expect(mails).to_have_count(1)
    mails.first.click()
    expect(page.get_by_test_id("mail-subject")).to_have_text("Oliwia, your place in First Hive is ready")
    letter = page.frame_locator("iframe[title='The letter']")
    expect(letter.get_by_text("Hello Oliwia,")).to_be_visible()
    expect(letter.get_by_text("First Hive: a beekeeper's opening year")).to_be_visible()
    link = letter.get_by_role("link", name="Open the course")
    expect(link).to_have_attribute("href", re.compile(r"^http://127\.0\.0\.1:\d+/post/go/[\w.-]+/\d$"))
    page.get_by_role("button", name="All letters").click()

    # It is 23:04 in Auckland; the next letter comes at ten there, not at ten in Lisbon.
    move_on_a_day(page)
    expect(mails).to_have_count(2)
    expect(mails.first).to_contain_text("Oliwia, this is how your year with bees unfolds")
    expect(mails.first).to_contain_text("Wed 4 Mar, 10:00")

    page.get_by_role("link", name="Dispatch log").click()
    page.get_by_placeholder("Name, address or subject").fill("oliwia")
    expect(page.get_by_text("2 deliveries")).to_be_visible()
    page.get_by_role("link", name="Oliwia, this is how your year").click()
    story = page.get_by_test_id("story").locator("li")
    expect(story.nth(0)).to_contain_text("Enrolled in First Hive")
    expect(story.nth(1)).to_have_text("Waited until Wed 4 Mar, 10:00.")
    expect(page.get_by_role("heading", name="Why it went out")).to_be_visible()

    # The owner changes the wait …
    page.get_by_role("link", name="Sequences", exact=True).click()
    page.get_by_role("link", name="First Hive · welcome week").click()
    page.get_by_role("button", name="next day at 10:00").click()
    page.get_by_label("How many").fill("2")
    page.get_by_label("Time of day").fill("8:30")
    page.get_by_label("Time of day").press("Enter")
    expect(page.get_by_role("button", name=re.compile("2 days later at 08:30"))).to_be_visible()
    expect(page.get_by_text("Day 2", exact=True)).to_be_visible()
    page.get_by_role("button", name="Save as version 2").click()
    asked = page.get_by_role("dialog", name="Save as version 2")
    expect(asked).to_contain_text("students are inside now")
    asked.get_by_role("button", name="Save").click()
    expect(
        page.get_by_text(re.compile("Saved as version 2.*finish on the version they are on"))
    ).to_be_visible()

    # … and the subject of the letter behind it.
    page.locator("button.card", has_text="How the beekeeping year unfolds").click()
    page.get_by_role("button", name="Edit this letter").click()
    subject = page.get_by_role("textbox", name="Subject")
    subject.click()
    page.keyboard.press("End")
    page.keyboard.type(", month by month")
    expect(page.get_by_test_id("seen-subject")).to_contain_text("unfolds, month by month")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("From now on this is what goes out")).to_be_visible()

    page.get_by_role("link", name="Practice classroom").click()
    make_student(page, "Rita", "Europe/Lisbon")
    buy_first_hive(page)
    expect(mails).to_have_count(1)
    move_on_a_day(page)
    expect(mails).to_have_count(1)
    move_on_a_day(page)
    expect(mails).to_have_count(2)
    expect(mails.first).to_contain_text("Rita, this is how your year with bees unfolds, month by month")
    # 08:30 is before the posting hours open at nine.
    expect(mails.first).to_contain_text("Fri 6 Mar, 09:00")


def test_a_sequence_built_by_keyboard_saved_run_and_kept_over_a_reload(page: Page):
    page.goto("/sequences")
    page.get_by_role("button", name="New sequence").click()
    expect(page.get_by_placeholder("First Hive · welcome week")).to_be_focused()
    page.keyboard.type("Honey · a question later")
    page.keyboard.press("Enter")
    page.get_by_test_id("starts").click()
    expect(page.get_by_role("option").first).to_contain_text("enrols in a course")
    expect(page.get_by_role("textbox", name="What happens")).to_be_focused()
    page.keyboard.type("enrols")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("starts")).to_contain_text("When a student has enrolled in First Hive")
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Or when something else happens")).to_be_hidden()
    page.get_by_test_id("add-last").click()
    add_from_menu(page, "send")
    page.get_by_role("combobox", name="Which letter").click()
    page.keyboard.type("A list for the kitchen")
    page.keyboard.press("Enter")
    card = page.locator("[data-step] button.card")
    expect(card).to_contain_text("A list for the kitchen")
    card.focus()
    page.keyboard.press("w")
    expect(page.get_by_role("button", name="next day at 10:00")).to_be_visible()
    page.get_by_role("button", name="next day at 10:00").focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(page.locator("[data-step]").first).to_contain_text("next day")
    expect(page.get_by_text("Day 1", exact=True)).to_be_visible()

    page.reload()
    expect(page.get_by_text("Unsaved changes from earlier are shown")).to_be_visible()
    with noticed(page, "Saved as version 2."):
        page.get_by_role("button", name="Save as version 2").click()
    run(page)
    expect(page.get_by_test_id("status")).to_have_text("Running")

    card.click()
    page.keyboard.press("Delete")
    expect(card).to_have_count(0)
    # Leaving asks nothing: what is not saved waits here, with the way back.
    with noticed(page, "Your changes wait here, in this browser"):
        page.get_by_role("link", name="Letters").click()
    expect(page.get_by_role("heading", name="Letters", exact=True)).to_be_visible()
    page.go_back()
    expect(page.get_by_test_id("status")).to_be_visible()
    expect(card).to_have_count(0)
    page.reload()
    page.get_by_role("button", name="Show what is saved instead").click()
    expect(card).to_have_count(1)


def test_merge_fields_are_chips_with_fallbacks_and_a_blank_one_says_so(page: Page):
    page.goto("/letters/hw-access")
    text = page.get_by_role("textbox", name="Text 1")
    text.click()
    page.keyboard.press("Control+End")
    page.get_by_role("button", name="Insert a merge field into Text 1").click()
    page.get_by_label("Find a merge field").fill("last name")
    page.get_by_role("button", name=re.compile("^last name")).click()
    # Three students have no last name, so its fallback is asked for at once.
    expect(page.get_by_text("3 of your students have none")).to_be_visible()
    chip = text.locator(".chip", has_text="last name")
    expect(chip).to_be_visible()
    page.get_by_role("combobox", name="See the letter as this student").focus()
    page.keyboard.type("keeper")
    page.get_by_text(re.compile(r"keeper\d+@example")).first.click()
    expect(page.get_by_role("alert")).to_contain_text("“last name” has no value")
    chip.click()
    page.get_by_label("if empty, write").fill("friend")
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(page.frame_locator("iframe").get_by_text("friend")).to_be_visible()


def test_today_names_letters_to_come_that_could_not_go_out_and_leads_to_them(page: Page):
    csrf = {"X-CSRF-Token": page.request.get("/api/session").json()["csrf"]}
    body = page.request.get("/api/letters/fh-money").json()["body"]
    asked = {**body, "subject": "{{ certificate.url }}"}
    assert page.request.put("/api/letters/fh-money", data=asked, headers=csrf).ok
    page.goto("/today")
    ahead = page.get_by_test_id("stuck-ahead")
    expect(ahead).to_contain_text("students have no certificate url")
    ahead.get_by_role("link", name="Look at the letter").click()
    expect(page).to_have_url(re.compile("/letters/fh-money$"))


def test_needs_you_says_why_a_letter_waits_and_lets_an_event_be_put_aside(page: Page):
    page.goto("/today")
    stuck = page.locator("article", has_text="students have no first name").first
    many = int(re.search(r"(\d+) students have no first name", stuck.inner_text())[1])
    stuck.get_by_role("button", name="Try all again").click()
    expect(page.get_by_text("has no value for this student and no fallback").first).to_be_visible()
    # One mend for all: a fallback in the letter, then they go out together.
    stuck.get_by_role("link", name="Mend the letter").click()
    page.get_by_role("textbox", name="Text 3").locator(".chip", has_text="first name").click()
    page.get_by_label("if empty, write").fill("Hello")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("button", name="Saved")).to_be_visible()
    page.goto("/today")
    page.locator("article", has_text="students have no first name").first.get_by_role(
        "button", name="Try all again"
    ).click()
    expect(page.get_by_text(f"{many} letters are on their way")).to_be_visible()
    expect(page.locator("article", has_text="students have no first name")).to_have_count(0)
    event = page.locator("article", has_text="An event could not be used")
    expect(event).to_contain_text("first-hive/l32")
    event.get_by_role("button", name="Put aside").click()
    expect(event).to_have_count(0)


def test_a_phone_is_enough_for_today_a_student_and_the_log(page: Page):
    page.set_viewport_size({"width": 390, "height": 800})
    for place in (
        "/today",
        "/students/vasco.reis",
        "/dispatch",
        "/sequences/fh-welcome",
        "/practice",
        "/school",
        "/courses",
        "/courses/first-hive",
    ):
        page.goto(place)
        page.wait_for_load_state("networkidle")
        too_wide = page.evaluate("document.documentElement.scrollWidth > 390")
        assert not too_wide, place
    page.get_by_role("button", name="Menu").click()
    page.get_by_role("link", name="Today").click()
    expect(page.get_by_role("heading", name="Today")).to_be_visible()
