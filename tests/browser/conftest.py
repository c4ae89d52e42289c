"""The demo school served for real, and a headless Chromium that uses it as a person does."""

from __future__ import annotations

import shutil
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, ConsoleMessage, Page, expect, sync_playwright

from patient_courier.demo.loading import load_demo
from patient_courier.settings import Settings

CHROMIUM = "/usr/bin/chromium"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
expect.set_options(timeout=25_000)


def free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    assert Path(CHROMIUM).exists(), "Install Debian's chromium to run the browser tests"
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield found
        found.close()


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo school, loaded once; every test opens a copy."""
    path = tmp_path_factory.mktemp("demo") / "demo.db"
    load_demo(path, Settings(smtp_host="")).close()
    return path


@pytest.fixture
def site(tmp_path: Path, demo_file: Path) -> Iterator[str]:
    """The address of a demo school that has just been opened."""
    port = free_port()
    shutil.copy(demo_file, tmp_path / "demo.db")
    command = [sys.executable, "-W", "ignore", "-m", "patient_courier.cli", "demo"]
    command += ["--database", str(tmp_path / "demo.db"), "--port", str(port)]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(240):
            try:
                httpx.get(f"{address}/api/session").raise_for_status()
                break
            except httpx.HTTPError:
                time.sleep(0.25)
        yield address
    finally:
        server.terminate()
        server.wait(timeout=30)


def _is_fault(message: ConsoleMessage) -> bool:
    """Refusals by the server are part of the game; the browser reports them all the same."""
    return message.type == "error" and "Failed to load resource" not in message.text


@pytest.fixture
def page(browser: Browser, site: str) -> Iterator[Page]:
    """A page whose console must stay clean."""
    found = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=site)
    errors: list[str] = []
    found.on("pageerror", lambda error: errors.append(str(error)))
    found.on("console", lambda message: errors.append(message.text) if _is_fault(message) else None)
    yield found
    found.close()
    assert errors == []
