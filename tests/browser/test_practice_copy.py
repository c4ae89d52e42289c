"""A real school and its practice copy, in the real interface: made, practised in, taken over, thrown away; what was changed."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import text

from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.web.app import create_app
from tests.browser.serving import free_port, served
from tests.browser.test_first_start import sign_in, somebody
from tests.web.conftest import school_file as school_file


@pytest.fixture
def real(school_file: Path, tmp_path: Path) -> Iterator[str]:
    """The address of a school on real time."""
    port = free_port()
    database = Database(Path(shutil.copy(school_file, tmp_path / "school.db")))
    with database.writing() as session:
        session.execute(text("DELETE FROM clock"))
        session.execute(text("UPDATE school SET practice = 0"))
    settings = Settings(smtp_host="", port=port, database=tmp_path / "school.db")
    with served(create_app(Post(database, settings)), port) as address:
        yield address
    database.close()


def make_the_copy(page: Page) -> None:
    page.get_by_role("link", name="Practice classroom").click()
    expect(page.get_by_text("This school writes to real students")).to_be_visible()
    page.get_by_role("button", name="Make a practice copy").click()
    page.get_by_role("button", name="Open the practice classroom").click()
    expect(page.get_by_role("note", name="Practice copy")).to_be_visible()


def test_practised_in_a_copy_taken_over_as_a_draft_and_thrown_away(browser: Browser, real: str):
    with somebody(browser, real) as page:
        sign_in(page)
        make_the_copy(page)
        expect(page).to_have_title(re.compile("^practice · "))
        # Being a student there: what they do is posted to the mailroom of the copy.
        page.goto("/practice-copy/practice?as=ana")
        page.get_by_role("button", name=re.compile("^Buy|^Enrol")).first.click()
        expect(page.get_by_text("Ana, come in").first).to_be_visible()
        # A sequence changed there.
        page.get_by_role("link", name="Sequences").click()
        page.get_by_role("link", name="welcome").click()
        name = page.get_by_label("Name of the sequence")
        name.fill("Welcome, slower")
        page.get_by_role("button", name="Save as version 2").click()
        dialog = page.get_by_role("dialog")
        saved = page.get_by_role("button", name="Version 2 saved")
        # Whoever is inside is asked about first.
        expect(saved.or_(dialog.get_by_role("button", name="Save"))).to_be_visible()
        if dialog.is_visible():
            dialog.get_by_role("button", name="Save").click()
        expect(saved).to_be_visible()
        take = page.get_by_role("button", name="Take it over")
        expect(take).to_be_enabled()
        take.click()
        expect(dialog.get_by_text("Welcome, slower").first).to_be_visible()
        dialog.get_by_role("button", name="Make it a draft there").click()
        dialog.get_by_role("link", name="Open it there").click()
        # In the school: a draft, and the one that runs is as it was; and it is written down who did it.
        expect(page.get_by_test_id("status")).to_have_text("Draft")
        expect(page.get_by_role("note", name="Practice copy")).to_have_count(0)
        page.goto("/school/changes")
        expect(page.get_by_text("Sequence “Welcome, slower (from practice)” made")).to_be_visible()
        page.goto("/students/ana")
        expect(page.get_by_text("Ana, come in")).to_have_count(0)
        page.goto("/practice-copy/today")
        page.get_by_role("button", name="Throw it away").click()
        page.get_by_role("dialog").get_by_role("button", name="Throw it away").click()
        expect(page.get_by_role("button", name="Make a practice copy")).to_be_visible()


def test_on_a_telephone_the_band_and_what_was_changed_are_there(browser: Browser, real: str):
    with somebody(browser, real, 390) as page:
        sign_in(page)
        page.get_by_role("button", name="Menu").click()
        make_the_copy(page)
        page.goto("/practice-copy/letters/year")
        expect(page.get_by_role("note", name="Practice copy")).to_be_in_viewport()
        page.get_by_role("textbox", name="Subject", exact=True).click()
        page.keyboard.press("ControlOrMeta+a")
        page.keyboard.type("A new year")
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.get_by_role("button", name="Version 2 saved")).to_be_visible()
        page.goto("/practice-copy/school/changes")
        expect(page.get_by_text("Letter “Year”")).to_be_visible()
        page.get_by_role("button", name="Put it back").click()
        page.get_by_role("dialog").get_by_role("button", name="Put it back").click()
        expect(page.get_by_text("Letter “Year”")).to_have_count(2)
        page.goto("/school/changes")
        expect(page.get_by_text("Practice copy made")).to_be_visible()
        expect(page.get_by_text("Letter “Year”")).to_have_count(0)
