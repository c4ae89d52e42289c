"""A shop is connected by somebody who has read nothing: from the copied address to the access letter, and a waiting order."""

from __future__ import annotations

import re
from collections.abc import Iterator

import httpx
import pytest
from argon2 import PasswordHasher
from playwright.sync_api import Browser, Page, expect

from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.practice.stand_ins.pages import stand_in
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.school.opening import open_school
from patient_courier.store.school.users import add_user
from patient_courier.web.app import create_app
from tests.browser.conftest import console_kept_clean, noticed
from tests.browser.serving import free_port, served
from tests.schools import letter, read, school, send, sequence

PASSWORD = "a long enough password"
ACCESS = [{"kind": "text", "html": "<p>Come in, the hive is open.</p>"}]


@pytest.fixture
def shop() -> Iterator[str]:
    """The stand-in shop, served."""
    with served(stand_in("shop"), free_port()) as address:
        yield address


@pytest.fixture
def page(browser: Browser, tmp_path) -> Iterator[Page]:
    """The owner of a real school that nobody is in yet: a course, its offer, and a running sequence with its access letter."""
    file = read(
        school(
            [sequence("welcome", [send("access")])],
            [],
            letter(
                "access", "service", "{{ student.first_name | default('Hello') }}, come in", blocks=ACCESS
            ),
            students=[],
        )
    )
    database, port = Database(tmp_path / "school.db"), free_port()
    database.migrate()
    quick = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1).hash(PASSWORD)
    with database.writing() as session:
        open_school(session, file, real_now(), practice=False)
        add_user(session, email="ines@mallowlane.example", name="Ines", role="owner", password=quick)
    post = Post(database, Settings(smtp_host="", port=port))
    with served(create_app(post), port) as address:
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
        with console_kept_clean(context.new_page()) as found:
            found.goto("/school/connections")
            found.get_by_role("textbox", name="E-mail").fill("ines@mallowlane.example")
            found.get_by_label("Password").fill(PASSWORD)
            found.keyboard.press("Enter")
            yield found
        context.close()
    database.close()


def order(shop: str, **form: str) -> None:
    """Fill in the shop's page and send what it says."""
    answer = httpx.post(shop, data={"to": "", "habit": "once", **form}, follow_redirects=True)
    assert "<td>200</td>" in answer.text


def connect(page: Page, name: str) -> str:
    """Connect something new; returns the address it was given."""
    page.get_by_role("button", name="Connect something").click()
    page.get_by_label("What you call it").fill(name)
    page.keyboard.press("Enter")
    expect(page.get_by_text("Nothing has come yet")).to_be_visible()
    return page.get_by_test_id("address").inner_text()


def is_the(page: Page, value: str, meaning: str) -> None:
    """Click a value of the message, and say what it is."""
    tree = page.get_by_role("region", name="The message as it came")
    tree.get_by_role("button", name=value, exact=True).click()
    page.get_by_role("group", name="What is this?").get_by_role("button", name=meaning, exact=True).click()


def test_a_shop_connected_by_pointing_at_its_first_order(page: Page, shop: str):
    address = connect(page, "My shop")
    person = {"mail": "ana.reis@example.org", "given": "Ana", "family": "Reis"}
    order(shop, to=address, topic="order.paid", sku="FH-1", at="2026-03-03T14:05:00Z", **person)

    # It shows up by itself, as it came.
    tree = page.get_by_role("region", name="The message as it came")
    expect(tree.get_by_role("button", name="ana.reis@example.org")).to_be_visible()
    expect(page.get_by_text("Still to do:")).to_be_visible()
    is_the(page, "ana.reis@example.org", "the student's address")
    is_the(page, "Ana", "their first name")
    is_the(page, "Reis", "their last name")
    is_the(page, "1001", "what tells it from others, such as an order number")
    is_the(page, "2026-03-03T14:05:00Z", "when it happened")
    tree.get_by_role("button", name="Each of these is one thing that happened").click()
    is_the(page, "order.paid", "a condition: only messages like this")
    is_the(page, "FH-1", "what was bought")
    what = page.get_by_role("region", name="What the messages would become")
    expect(what).to_contain_text("Would wait: Nobody has said yet what the offer “FH-1” is.")

    # What the unknown product is, is said once.
    page.get_by_role("combobox", name="What FH-1 is").click()
    page.get_by_role("option", name="First Hive").or_(
        page.locator(".ant-select-item-option", has_text="First Hive")
    ).last.click()
    expect(what).to_contain_text("This would be: Ana Reis bought First Hive on Tue 3 Mar, 14:05.")
    expect(page.get_by_role("link", name="Students")).to_contain_text("0")

    page.get_by_role("button", name="Save", exact=True).click()
    page.get_by_role("button", name="Switch on").click()
    dialog = page.get_by_role("dialog", name="Switch on “My shop”")
    dialog.get_by_role("radio", name=re.compile("as the past")).click()
    expect(dialog.get_by_test_id("follows")).to_contain_text("Nothing would be posted.")
    dialog.get_by_role("radio", name=re.compile("as if they came now")).click()
    expect(dialog.get_by_test_id("follows")).to_contain_text("“Access” goes out at once")
    dialog.get_by_role("radio", name=re.compile("Leave them")).click()
    dialog.get_by_role("button", name="Switch on").click()
    expect(page.get_by_test_id("state")).to_have_text("On")

    # The next order goes all the way.
    order(
        shop,
        to=address,
        topic="order.paid",
        sku="FH-1",
        at="",
        mail="rui@example.org",
        given="Rui",
        family="Sá",
    )
    expect(what).to_contain_text("Taken in: Rui Sá bought First Hive")
    page.get_by_role("link", name="Dispatch log").click()
    page.get_by_role("link", name="Rui, come in").click()
    expect(page.frame_locator("iframe").first.get_by_text("Come in, the hive is open.")).to_be_visible()


def test_a_waiting_order_is_solved_in_the_tray_after_saying_what_that_posts(page: Page, shop: str):
    address = connect(page, "My shop")
    order(shop, to=address, topic="order.paid", sku="FH-1", mail="ana@example.org", given="Ana", family="")
    page.get_by_role("button", name="Yes to all").click()
    expect(page.get_by_role("region", name="Guesses")).to_have_count(0)
    page.get_by_role("combobox", name="What FH-1 is").click()
    page.locator(".ant-select-item-option", has_text="First Hive").last.click()
    page.get_by_role("button", name="Save", exact=True).click()
    page.get_by_role("button", name="Switch on").click()
    page.get_by_role("dialog").get_by_role("button", name="Switch on").click()
    expect(page.get_by_test_id("state")).to_have_text("On")
    for name in ("Bo", "Cy"):
        order(shop, to=address, topic="order.paid", sku="FH-2", mail=f"{name}@example.org", given=name)

    page.get_by_role("link", name="Today").click()
    tray = page.locator("article", has_text="2 orders of something called FH-2")
    tray.get_by_role("combobox", name="What FH-2 is").click()
    page.locator(".ant-select-item-option", has_text="First Hive").last.click()
    expect(tray.get_by_test_id("follows")).to_contain_text("2 “Access” go out at once")
    with noticed(page, "2 events went in."):
        tray.get_by_role("button", name="Take them in").click()
    expect(page.get_by_text("Nothing waits for you.")).to_be_visible()
    page.get_by_role("link", name="Dispatch log").click()
    expect(page.get_by_role("link", name="Bo, come in")).to_be_visible()
    expect(page.get_by_role("link", name="Cy, come in")).to_be_visible()
