"""Somebody signs up on a phone, says yes in the letter, and gets the first letter of the course."""

from __future__ import annotations

from playwright.sync_api import Browser, expect

from patient_courier.web.public import joining
from tests.browser.conftest import console_kept_clean

WHO = "noa.levin@example.org"


def test_from_the_page_to_the_course_letter_on_a_phone(browser: Browser, site: str, monkeypatch):
    monkeypatch.setattr(joining, "FASTEST_SECONDS", 0.0)  # this test types faster than anybody
    context = browser.new_context(viewport={"width": 390, "height": 800}, base_url=site)
    with console_kept_clean(context.new_page()) as page:
        # The owner looks what the form sets going, and opens its page.
        page.goto("/school/sign-up/varroa-watch")
        expect(page.get_by_test_id("runs")).to_contain_text("Varroa Watch")
        page.goto("/join/varroa-watch")
        assert page.evaluate("document.documentElement.scrollWidth") == 390
        page.get_by_label("Your first name").fill("Noa")
        page.get_by_label("Your e-mail address").fill("noa.levin")
        page.evaluate("document.forms[0].noValidate = true")
        page.get_by_role("button", name="Sign up").click()
        expect(page.get_by_text("This is no e-mail address.")).to_be_visible()
        expect(page.get_by_label("Your first name")).to_have_value("Noa")
        page.get_by_label("Your e-mail address").fill(WHO)
        page.get_by_role("button", name="Sign up").click()
        expect(page.get_by_role("heading", name="Look into your inbox")).to_be_visible()

        page.goto("/practice")
        page.get_by_label("The inbox of any address").fill(WHO)
        mails = page.get_by_test_id("mail")
        expect(mails).to_have_count(1)
        mails.first.click()
        letter = page.frame_locator("iframe[title='The letter']")
        link = letter.get_by_role("link", name="Yes, that was me").get_attribute("href")
        assert link is not None
        page.goto(link)
        page.get_by_role("button", name="Yes, that was me").click()
        expect(page.get_by_role("heading", name="You are in")).to_be_visible()

        page.goto("/practice")
        page.get_by_label("The inbox of any address").fill(WHO)
        expect(mails.first).to_contain_text("Noa")
        expect(mails).to_have_count(2)
    context.close()
