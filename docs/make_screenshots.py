"""Pictures of the main places, made from the demo school as it is when it is opened for the first time.

    make screenshots

Each place is one PNG at 1280x800 in docs/screenshots.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx
from playwright.sync_api import Page, sync_playwright

OUT = Path(__file__).parent / "screenshots"
PORT = 8491
BROWSER = {
    "executable_path": "/usr/bin/chromium",
    "args": ["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
}


def buy(page: Page, name: str, email: str) -> None:
    """Be a student: buy, and get the access letter."""
    page.get_by_role("button", name="Make a student").first.click()
    page.get_by_test_id("first-name").fill(name)
    page.get_by_test_id("email").fill(email)
    page.get_by_role("button", name="Make", exact=True).click()
    page.locator("article", has_text="First Hive").first.get_by_role("button", name="Buy").click()
    page.get_by_test_id("mail").first.wait_for()


def letter_in_practice(page: Page) -> None:
    """Buy, move on a day, open the newest letter."""
    buy(page, "Tomás", "tomas@example.org")
    page.get_by_role("button", name="Move on").click()
    page.get_by_role("button", name="A day").click()
    page.get_by_test_id("mail").nth(1).wait_for()
    page.keyboard.press("Escape")
    page.mouse.click(700, 30)
    page.get_by_test_id("mail").first.click()


def their_certificate(page: Page) -> None:
    """What a student gets: the newest certificate's own page."""
    link = page.get_by_role("link", name="Their page").first
    page.goto(f"http://127.0.0.1:{PORT}{link.get_attribute('href')}")
    page.wait_for_load_state("networkidle")


def one_who_goes_quiet(page: Page) -> None:
    """A made-up student who finishes a module and then does nothing."""
    page.get_by_role("button", name="Add a move").click()
    page.get_by_role("spinbutton", name="Day").fill("9")
    page.get_by_role("combobox", name="What they do").focus()
    page.keyboard.type("finishes the whole module")
    page.keyboard.press("Enter")
    page.get_by_role("combobox", name="Which module").focus()
    page.keyboard.type("Before the bees")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Day 9").click()
    page.locator("button.letter.own").nth(3).click()


PLACES = {
    "today": ("/today", None),
    "course": ("/courses/first-hive", None),
    "rehearsal": ("/sequences/fh-welcome/rehearsal", one_who_goes_quiet),
    "connection": ("/school/connections/shop", None),
    "destination": ("/school/destinations/the-mailing-list", None),
    "certificate": ("/certificates", their_certificate),
    "feedback": ("/courses/first-hive?tab=feedback", None),
    "sequence": ("/sequences/fh-welcome", None),
    "letter": ("/letters/news-swarm-season", None),
    "look": ("/school/look", None),
    "broadcast": ("/broadcasts/swarm-season", None),
    "students": ("/students", None),
    "student": ("/students/vasco.reis", None),
    "dispatch-log": ("/dispatch", None),
    "delivery": ("/dispatch/2000", None),
    "school": ("/school", None),
    "practice": ("/practice", letter_in_practice),
    "who-is-told": ("/who-is-told?course=first-hive", None),
    "check-up": ("/check-up", None),
}


def main(wanted: list[str]) -> None:
    OUT.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "patient_courier.cli", "demo"]
        command += ["--database", f"{folder}/demo.db", "--port", str(PORT)]
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        try:
            wait_for_server()
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(**BROWSER)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                for name, (path, act) in PLACES.items():
                    if wanted and name not in wanted:
                        continue
                    page.goto(f"http://127.0.0.1:{PORT}{path}")
                    page.wait_for_load_state("networkidle")
                    if act:
                        act(page)
                    page.wait_for_timeout(700)
                    page.locator(".ant-message-notice").first.wait_for(state="detached")
                    page.screenshot(path=OUT / f"{name}.png")
                    print(name)
                browser.close()
        finally:
            server.terminate()
            server.wait()


def wait_for_server() -> None:
    for _ in range(120):
        try:
            httpx.get(f"http://127.0.0.1:{PORT}/api/session").raise_for_status()
            return
        except httpx.HTTPError:
            time.sleep(0.5)
    raise SystemExit("the demo did not come up")


if __name__ == "__main__":
    main(sys.argv[1:])
