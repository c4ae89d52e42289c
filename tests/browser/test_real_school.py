"""A real school, begun empty and made by hand on the screens, with the real clock running; and what its pages ask for."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import httpx
import pytest
from argon2 import PasswordHasher
from playwright.sync_api import Browser, Page, Request, expect

from patient_courier.core.school.values import moment_text
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.intake.signature import sign
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import UserRow
from patient_courier.store.school.opening import open_school
from patient_courier.web.app import create_app
from tests.browser.conftest import console_kept_clean
from tests.browser.serving import free_port, served
from tests.browser.test_first_minutes import run
from tests.browser.test_workbench import add, choose, new_sequence, start_with
from tests.schools import read, school

PASSWORD = "a long enough password"
LEFT_ALONE_SECONDS = 10
MAY_ASK = 3
PLACES = [
    "/today", "/courses", "/courses/bees", "/courses/bees?tab=outline", "/courses/bees?tab=figures", "/purchases",
    "/certificates", "/sequences", "/sequences/bees-welcome", "/sequences/bees-welcome/figures",
    "/sequences/bees-welcome/rehearsal", "/letters", "/letters/come-in", "/letters/come-in/figures",
    "/letters/come-in/versions", "/broadcasts", "/students", "/students/ana-reis", "/tags", "/audiences", "/import",
    "/dispatch", "/dispatch/1", "/practice", "/school", "/school/connections", "/school/destinations",
    "/school/sign-up", "/school/mail", "/school/copies", "/school/coming-back", "/school/check-up",
    "/school/helpers", "/school/changes", "/who-is-told", "/check-up", "/weekly", "/notices", "/you", "/school/look",
]  # fmt: skip


@dataclass(frozen=True)
class Real:
    address: str
    post: Post


@pytest.fixture
def real(tmp_path: Path) -> Iterator[Real]:
    """A school in which nothing is yet, whose clock is the real one."""
    port = free_port()
    database = Database(tmp_path / "school.db")
    database.migrate()
    empty = read(school([], [], courses=[], offers=[], students=[], letters=[]))
    with database.writing() as session:
        open_school(session, empty, real_now(), practice=False)
        quick = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1).hash(PASSWORD)
        session.add(UserRow(email="ines@mallowlane.example", name="Ines", role="owner", password=quick))
    post = Post(database, Settings(smtp_host="", port=port))
    with served(create_app(post), port) as address:
        yield Real(address, post)
    database.close()


@contextmanager
def owner(browser: Browser, site: str) -> Iterator[Page]:
    """A page on which the owner has signed in."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=site)
    with console_kept_clean(context.new_page()) as page:
        page.goto("/")
        page.get_by_label("Your e-mail address").fill("ines@mallowlane.example")
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Today")).to_be_visible()
        yield page
    context.close()


class Asked:
    """The requests of a page to the school."""

    def __init__(self, page: Page) -> None:
        self.all: list[str] = []
        self._on_the_way: set[Request] = set()
        self._page = page
        page.on("request", self._begun)
        page.on("requestfinished", self._done)
        page.on("requestfailed", self._done)

    def _begun(self, request: Request) -> None:
        if "/api/" in request.url:
            self.all.append(request.url.partition("/api")[2])
            self._on_the_way.add(request)

    def _done(self, request: Request) -> None:
        self._on_the_way.discard(request)

    def end(self) -> None:
        self._page.remove_listener("request", self._begun)
        self._page.remove_listener("requestfinished", self._done)
        self._page.remove_listener("requestfailed", self._done)

    def rest(self, most: int) -> None:
        """Until everything is answered and nothing follows; a page that asks more than ``most`` times has no rest."""
        quiet = 0
        while quiet < 3 and len(self.all) <= most:
            self._page.wait_for_timeout(30)
            quiet = 0 if self._on_the_way else quiet + 1


def make_the_school(page: Page) -> None:
    """A course, a letter, a sequence that runs, a student in it: all by hand."""
    page.goto("/courses")
    page.get_by_role("button", name="New course").click()
    page.get_by_label("What is it called?").fill("Bees")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/courses/bees"))
    page.goto("/courses/bees?tab=outline")
    page.get_by_role("button", name="Add a module").click()
    page.get_by_role("button", name="Add a lesson").click()
    page.get_by_role("button", name="Save the course").click()
    expect(page.get_by_role("button", name="Saved")).to_be_disabled()
    page.goto("/letters")
    page.get_by_role("button", name="New letter").click()
    page.get_by_label("What do you call it?").fill("Come in")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/letters/come-in"))
    page.get_by_role("textbox", name="Subject", exact=True).click()
    page.keyboard.type("Your place is ready")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("Version 2 saved"))).to_be_visible()
    new_sequence(page, "Bees welcome")
    start_with(page, "enrols in a course", "Which course", "Bees")
    add(page, "send")
    choose(page, "Which letter", "Come in")
    page.get_by_role("button", name="Save as version").click()
    expect(page.get_by_role("button", name=re.compile("Version . saved"))).to_be_visible()
    run(page)
    expect(page.get_by_test_id("status")).to_have_text("Running")
    page.goto("/students")
    page.get_by_role("button", name="Add a student").click()
    page.get_by_test_id("first-name").fill("Ana")
    page.get_by_label("Last name").fill("Reis")
    page.get_by_label("E-mail address").fill("ana.reis@example.org")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/students/ana-reis"))


def asked_alone(page: Page, place: str) -> list[str]:
    """What a place asks for too much while nobody does anything; the browser's time alone is moved on.

    Something may have happened in the school meanwhile (a first check-up, a copy): then it is left alone once more.
    """
    asked = Asked(page)
    page.goto(place)
    for _ in range(3):  # what it asks for when it opens may wait for its timers
        asked.rest(1000)
        page.clock.run_for(1000)
    asked.rest(1000)
    assert asked.all, place
    for _ in range(3):
        asked.all.clear()
        for _ in range(LEFT_ALONE_SECONDS // 2):
            page.clock.run_for(2000)
            asked.rest(MAY_ASK)
        if len(asked.all) <= MAY_ASK:
            break
    asked.end()
    return asked.all if len(asked.all) > MAY_ASK else []


def report_enrolment(real: Real) -> None:
    """What a course site says, signed."""
    event = {
        "type": "enrolled",
        "at": moment_text(real_now()),
        "student": {"email": "ana.reis@example.org"},
        "course": "bees",
        "via": "manual",
    }
    text = json.dumps(event)
    headers = sign(real.post.secrets["intake"], "msg_1", datetime.now(UTC), text)
    assert httpx.post(f"{real.address}/intake/events", content=text, headers=headers).status_code == 200


@pytest.mark.long
def test_made_by_hand_its_letter_goes_out_and_pages_left_alone_are_quiet(browser: Browser, real: Real):
    with owner(browser, real.address) as page:
        make_the_school(page)
        # A page that is only looked at says by itself what has happened.
        page.goto("/dispatch")
        expect(page.get_by_role("heading", name="Dispatch log")).to_be_visible()
        report_enrolment(real)
        expect(page.get_by_role("link", name="Your place is ready")).to_be_visible()
        page.clock.install()
        loud = {place: asked for place in PLACES if (asked := asked_alone(page, place))}
        assert loud == {}
