"""A school that runs for years, in the real interface: from a link in an empty folder to a lost disk and back; a helper's
first day."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.restoring import restore
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.web.app import create_app, create_beginning
from tests.browser.conftest import console_kept_clean, noticed
from tests.browser.serving import free_port, served
from tests.post.far_side import FarSide
from tests.waiting import until

PASSWORD = "a long enough password"


@contextmanager
def somebody(browser: Browser, site: str, width: int = 1280) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": width, "height": 800}, base_url=site)
    with console_kept_clean(context.new_page()) as page:
        yield page
    context.close()


def sign_in(page: Page, email: str = "ines@mallowlane.example") -> None:
    page.goto("/")
    page.get_by_label("Your e-mail address").fill(email)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Today")).to_be_visible()


def fill_in_the_server(page: Page, port: int) -> None:
    page.get_by_label("Server", exact=True).fill("localhost")
    box = page.get_by_role("combobox", name="Security", exact=True)
    box.locator("xpath=ancestor::div[contains(@class, 'ant-select-selector')]").click()
    page.get_by_title("No security (only on this machine)").click()
    page.get_by_label("Port", exact=True).fill(str(port))
    page.keyboard.press("Tab")


@pytest.mark.long
@pytest.mark.parametrize("width", [1280, 390])
def test_from_the_printed_link_to_a_letter_a_copy_a_lost_disk_and_back(
    browser: Browser, tmp_path: Path, width: int
):
    port, far = free_port(), FarSide()
    settings = Settings(
        database=tmp_path / "var" / "school.db", smtp_host="", port=port, name_server="127.0.0.1:1"
    )
    made = create_beginning(settings)
    with served(made, port) as site, somebody(browser, site, width) as page:
        page.goto("/")
        expect(page.get_by_role("heading", name="There is no school here yet")).to_be_visible()
        page.goto(made.link)
        page.get_by_label("What is your school called?").fill("Mallow Lane Apiary School")
        page.get_by_label("Your name").fill("Ines Valadares")
        page.get_by_label("Your e-mail address").fill("ines@mallowlane.example")
        page.get_by_label("Postal address").fill("Rua das Abelhas 4, Cascais")
        zone = page.get_by_role("combobox", name="Time zone")
        zone.fill("Lisbon")
        page.keyboard.press("Enter")
        page.get_by_label("A password").fill(PASSWORD)
        page.get_by_role("button", name="Open the school").click()
        # A server that is not there says so, with what to do; the right one takes the test letter.
        fill_in_the_server(page, 1)
        page.get_by_role("button", name="Send the test").click()
        expect(page.get_by_text("Nothing listens at this port")).to_be_visible()
        page.get_by_label("Port", exact=True).fill(str(far.port))
        page.keyboard.press("Tab")
        page.get_by_role("button", name="Send the test").click()
        expect(page.get_by_text("Look into the mailbox of ines@mallowlane.example")).to_be_visible()
        assert b"A test letter" in far.taken[0][1]
        page.get_by_role("button", name="Keep it and go on").click()
        page.get_by_role("button", name="Make a course").click()
        expect(page).to_have_url(re.compile("/courses$"))
        page.goto("/school/mail")
        expect(page.get_by_label("The sender's domain")).to_contain_text("could not be asked for")
        page.goto("/school/copies")
        until(lambda: list((tmp_path / "var" / "copies").glob("*-nightly.db")))
        page.reload()
        expect(page.get_by_text("every night").first).to_be_visible()
        # Encrypted from now on: the phrase is shown once, and asked for once more.
        page.get_by_role("button", name="Encrypt copies").click()
        words = page.get_by_test_id("phrase").get_by_role("listitem")
        expect(words).to_have_count(12)
        phrase = " ".join(words.all_inner_texts())
        page.get_by_role("button", name="I have written it down").click()
        page.get_by_label("Now from your paper").fill(phrase)
        page.get_by_role("button", name="Encrypt from now on").click()
        expect(page.get_by_text("Copies are encrypted.")).to_be_visible()
        page.get_by_role("button", name="Make a copy now").click()
        expect(page.get_by_role("cell", name="with the recovery phrase")).to_be_visible()
    (copy,) = (tmp_path / "var" / "copies").glob("*.age")
    kept = Path(shutil.copy(copy, tmp_path))
    shutil.rmtree(tmp_path / "var")
    restore(kept, settings, lambda: phrase, replace=False)
    database = Database(settings.database)
    with served(create_app(Post(database, settings)), port) as site, somebody(browser, site, width) as page:
        sign_in(page)
        expect(page.get_by_role("alert").first).to_contain_text("Nothing is posted until you have looked")
        page.get_by_role("link", name="Look now").click()
        expect(page.get_by_text("no letter fell due in that time")).to_be_visible()
        page.get_by_role("button", name="Let the post go on").click()
        expect(page).to_have_url(re.compile("/today$"))
        expect(page.get_by_text("Nothing is posted until you have looked")).to_have_count(0)
    database.close()
    far.close()


def test_a_helpers_first_day(browser: Browser, demo_file: Path, tmp_path: Path):
    port = free_port()
    database = Database(Path(shutil.copy(demo_file, tmp_path / "demo.db")))
    post = Post(database, Settings(demo=True, smtp_host="", port=port))
    with served(create_app(post), port) as site:
        with somebody(browser, site) as page:
            page.goto("/school/helpers")
            page.get_by_role("button", name="Let somebody in").click()
            page.get_by_label("Their e-mail address").fill("rui@example.org")
            expect(page.get_by_text("sees no addresses and posts nothing")).to_be_visible()
            page.get_by_role("button", name="Invite them").click()
            link = page.get_by_test_id("once").inner_text()
        with somebody(browser, site, 390) as page:
            page.goto(link)
            expect(page.get_by_text("You are invited with rui@example.org")).to_be_visible()
            page.get_by_label("Your name").fill("Rui")
            page.get_by_label("A password").fill(PASSWORD)
            page.get_by_role("button", name="Come in").click()
            expect(page.get_by_role("heading", name="Today")).to_be_visible()
            page.get_by_role("button", name="Menu").click()
            for hidden in ("Students", "Dispatch log", "School"):
                expect(page.get_by_role("link", name=hidden, exact=True)).to_have_count(0)
            page.goto("/sequences/fh-welcome")
            expect(page.get_by_role("button", name="Rehearse")).to_be_visible()
            expect(page.get_by_role("button", name="Pause", exact=True)).to_be_hidden()
            page.goto("/letters/fh-access")
            expect(page.get_by_label("Subject").first).to_be_visible()
            page.goto("/you")
            expect(page.get_by_text("here", exact=True)).to_be_visible()
        with somebody(browser, site) as page:
            page.goto("/school/helpers")
            page.get_by_role("row", name="Rui").get_by_role("button", name="Let them go").click()
            page.get_by_role("dialog").get_by_role("button", name="Let them go").click()
            expect(page.get_by_role("row", name="rui@example.org")).to_have_count(0)
            with noticed(page, "No letter went to them"):
                page.get_by_role("button", name="Let somebody in").click()
                page.get_by_label("Their e-mail address").fill("rui@example.org")
                page.get_by_role("button", name="Invite them").click()
    database.close()
