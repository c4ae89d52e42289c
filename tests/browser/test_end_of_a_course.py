"""From the last quiz to the certificate in hand, and what comes after: with and without approval, on a desk and a phone."""

from __future__ import annotations

import json
import re
from urllib.request import urlopen

from playwright.sync_api import Page, expect

from tests.browser.test_first_minutes import make_student, move_on_a_day, run
from tests.browser.test_workbench import choose


def learn_all_but_the_last_quiz(page: Page, course: str) -> None:
    """What would take a person an hour of clicking is reported at once; the last quiz is left."""
    page.evaluate(
        """async (course) => {
            const {csrf} = await (await fetch("/api/session")).json();
            const student = new URL(location).searchParams.get("as");
            const room = await (await fetch(`/api/practice/classroom/${student}`)).json();
            const parts = room.courses.find((one) => one.key === course).modules;
            const todo = [...parts.flatMap((m) => m.lessons.map((x) => ["complete", x.key])), ...parts.flatMap((m) => m.quizzes.map((x) => ["take_quiz", x.key])).slice(0, -1)];
            for (const [what, object] of todo) {
                const body = JSON.stringify({student, do: what, object, score: what === "complete" ? null : 90});
                const done = await fetch("/api/practice/do", {method: "POST", headers: {"Content-Type": "application/json", "X-CSRF-Token": csrf}, body});
                if (!done.ok) throw new Error(await done.text());
            }
        }""",
        course,
    )
    page.reload()


def a_week_later(page: Page) -> None:
    """What would take eight clicks on “A day”."""
    page.evaluate(
        """async () => {
            const {csrf} = await (await fetch("/api/session")).json();
            const body = JSON.stringify({to: "until", until: "2026-03-11T18:00:00"});
            const done = await fetch("/api/clock", {method: "POST", headers: {"Content-Type": "application/json", "X-CSRF-Token": csrf}, body});
            if (!done.ok) throw new Error(await done.text());
        }"""
    )


def open_letter(page: Page, subject: str) -> None:
    page.get_by_test_id("mail").filter(has_text=subject).first.click()
    expect(page.get_by_test_id("mail-subject")).to_contain_text(subject)


def letter(page: Page):
    return page.frame_locator("iframe[title='The letter']")


def certificate_row(page: Page):
    return page.locator(".certificate")


def test_too_early_then_through_the_last_quiz_to_the_certificate_and_its_check(page: Page):
    page.goto("/practice")
    make_student(page, "Oliwia", "Europe/Lisbon")
    page.locator("article", has_text="First Hive").first.get_by_role("button", name="Buy").click()
    expect(page.get_by_test_id("mail")).to_have_count(1)
    with page.expect_popup() as early:
        certificate_row(page).get_by_role("link", name="Ask for it").click()
    expect(early.value.get_by_role("heading", level=1)).to_have_text("A little way to go")
    expect(early.value.get_by_text("35 things are still open")).to_be_visible()
    early.value.close()
    learn_all_but_the_last_quiz(page, "first-hive")
    page.get_by_role("button", name="Hand in").click()
    expect(certificate_row(page)).to_contain_text("issued")
    open_letter(page, "your certificate for First Hive")
    with page.expect_popup() as popup:
        letter(page).get_by_role("link", name="Your certificate").click()
    mine = popup.value
    expect(mine.get_by_role("heading", level=1)).to_have_text("Your certificate")
    picture = mine.get_by_alt_text("The certificate")
    assert picture.evaluate("image => image.decode().then(() => image.naturalWidth)") > 1_000
    mine.context.grant_permissions(["clipboard-read", "clipboard-write"])
    mine.get_by_role("button", name="Copy").first.click()
    expect(mine.get_by_role("button", name="Copied")).to_be_visible()
    address = mine.evaluate("navigator.clipboard.readText()")
    with mine.expect_download() as pdf:
        mine.get_by_role("link", name="PDF, for printing").click()
    assert pdf.value.path().read_bytes().startswith(b"%PDF")
    mine.close()
    with page.expect_popup() as naming:
        certificate_row(page).get_by_role("link", name="Say how my name is printed").click()
    naming.value.get_by_label("How should your name be printed?").fill("Oliwia Żółkiewska")
    naming.value.get_by_role("button", name="Print it so").click()
    expect(naming.value.get_by_text("Oliwia Żółkiewska")).to_be_visible()
    naming.value.close()
    # A stranger with a phone.
    stranger = page.context.browser.new_page(viewport={"width": 390, "height": 800})
    stranger.goto(address)
    expect(stranger.get_by_role("heading", name="This certificate is valid")).to_be_visible()
    expect(stranger.get_by_text("Oliwia Żółkiewska has finished")).to_be_visible()
    assert stranger.evaluate("document.documentElement.scrollWidth") <= 390
    with urlopen(f"{address}/credential.json") as answer:
        assert json.load(answer)["credentialSubject"]["achievement"]["name"].startswith("First Hive")
    page.get_by_role("button", name="As the owner: take it back").click()
    expect(certificate_row(page)).to_contain_text("taken back")
    stranger.reload()
    expect(stranger.get_by_role("heading", name="Taken back")).to_be_visible()
    expect(stranger.get_by_text("Oliwia")).to_have_count(0)
    stranger.close()


def test_the_drafted_end_with_approval_on_a_phone_and_a_low_answer_that_comes_to_the_owner(page: Page):
    page.goto("/courses/queen-rearing")
    choose(page, "The next course", "Honey Weekend")
    page.get_by_role("button", name="Draft the end of the course").click()
    expect(page.get_by_text("Queen Rearing for Small Yards: the certificate").first).to_be_visible()
    expect(page.get_by_text("Queen Rearing for Small Yards: what comes next").first).to_be_visible()
    run(page)
    expect(page.get_by_test_id("status")).to_have_text("Running")
    page.goto("/practice")
    make_student(page, "Tomas", "Europe/Lisbon")
    page.set_viewport_size({"width": 390, "height": 800})
    page.locator("article", has_text="Queen Rearing").first.get_by_role("button", name="Buy").click()
    expect(page.get_by_test_id("mail")).to_have_count(1)
    learn_all_but_the_last_quiz(page, "queen-rearing")
    page.get_by_role("button", name="Hand in").click()
    expect(certificate_row(page)).to_contain_text("waits for the owner")
    page.goto("/today")
    tray = page.get_by_role("region", name="Certificates to approve")
    tray.get_by_role("button", name="Show all").click()
    mine = tray.locator("article", has_text="Tomas")
    expect(mine).to_contain_text("Finished 10 lessons in 0 minutes")
    mine.get_by_role("button", name="Approve", exact=True).click()
    expect(mine).to_have_count(0)
    page.goto("/practice?as=tomas")
    open_letter(page, "Tomas: your certificate")
    with page.expect_popup() as popup:
        letter(page).get_by_role("link", name="Your certificate").click()
    popup.value.set_viewport_size({"width": 390, "height": 800})
    expect(popup.value.get_by_role("heading", level=1)).to_have_text("Your certificate")
    assert popup.value.evaluate("document.documentElement.scrollWidth") <= 390
    popup.value.close()
    page.set_viewport_size({"width": 1280, "height": 800})
    page.get_by_role("button", name="All letters").click()
    move_on_a_day(page)
    a_week_later(page)
    open_letter(page, "How was Queen Rearing")
    with page.expect_popup() as popup:
        letter(page).get_by_role("link", name=re.compile("^2 · ")).click()
    thanks = popup.value
    thanks.get_by_role("button", name="Send it").click()
    thanks.get_by_label("What went wrong?").fill("The videos of grafting were too dark.")
    thanks.get_by_role("button", name="Send it").click()
    expect(thanks.get_by_text("will read it.")).to_be_visible()
    thanks.close()
    page.goto("/today")
    expect(page.get_by_text("Tomas gave 2 of 5 on Queen Rearing")).to_be_visible()
    expect(page.get_by_text("“The videos of grafting were too dark.”")).to_be_visible()
    page.goto("/courses/queen-rearing?tab=feedback")
    expect(page.get_by_text("too dark")).to_be_visible()
    expect(page.get_by_text("1 of 1")).to_be_visible()
