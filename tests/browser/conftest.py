"""The demo school served for real, and a headless Chromium that uses it as a person does."""

from __future__ import annotations

import fcntl
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Browser, ConsoleMessage, Page, expect, sync_playwright

from patient_courier.demo.loading import load_demo
from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.web.app import create_app
from tests.browser.serving import free_port, served

CHROMIUM = "/usr/bin/chromium"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
expect.set_options(timeout=25_000)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    assert Path(CHROMIUM).exists(), "Install Debian's chromium to run the browser tests"
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield found
        found.close()


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo school, loaded once for all workers of a run; every test opens a copy."""
    folder = tmp_path_factory.getbasetemp()
    if "PYTEST_XDIST_WORKER" in os.environ:
        folder = folder.parent
    path = folder / "demo.db"
    with (folder / "demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not path.exists():
            load_demo(folder / "loading.db", Settings(smtp_host="")).close()
            (folder / "loading.db").rename(path)
    return path


@pytest.fixture
def site(tmp_path: Path, demo_file: Path) -> Iterator[str]:
    """The address of a demo school that has just been opened, served by a thread of this process."""
    port = free_port()
    database = Database(Path(shutil.copy(demo_file, tmp_path / "demo.db")))
    post = Post(database, Settings(demo=True, smtp_host="", port=port))
    try:
        with served(create_app(post), port) as address:
            yield address
    finally:
        database.close()


# Gone after a few seconds, a notice may be missed between two looks on a busy machine.
WATCH = """
(text) => {
  window.noticed = new Promise((shown, missing) => {
    new MutationObserver((_, watch) => {
      const notices = [...document.querySelectorAll(".ant-message-notice")];
      if (!notices.some((notice) => notice.textContent.includes(text))) return;
      watch.disconnect();
      shown();
    }).observe(document.body, { childList: true, subtree: true, characterData: true });
    setTimeout(() => missing(new Error("No notice said: " + text)), 25000);
  });
}
"""


@contextmanager
def noticed(page: Page, text: str) -> Iterator[None]:
    """What is done inside makes the place show a notice with this text, be it still there or gone again."""
    page.evaluate(WATCH, text)
    yield
    page.evaluate("() => window.noticed")


def _is_fault(message: ConsoleMessage) -> bool:
    """Refusals by the server are part of the game; the browser reports them all the same. So it does that a clock which a
    test has put in can't run in a letter's frame, where no script may."""
    part_of_it = ("Failed to load resource", "Blocked script execution in 'about:srcdoc'")
    return message.type == "error" and not any(words in message.text for words in part_of_it)


@contextmanager
def console_kept_clean(page: Page) -> Iterator[Page]:
    """A page that must say nothing in its console until it is done with."""
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.on("console", lambda message: errors.append(message.text) if _is_fault(message) else None)
    yield page
    assert errors == []


@pytest.fixture
def page(browser: Browser, site: str) -> Iterator[Page]:
    """A page whose console must stay clean."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=site)
    with console_kept_clean(context.new_page()) as found:
        yield found
    context.close()
