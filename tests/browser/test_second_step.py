"""A second step, in the real interface: Chromium's virtual authenticator (W3C Web Authentication, section 11) holds the key."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import update

from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import SessionRow
from patient_courier.web.app import create_app
from tests.browser.serving import free_port, served
from tests.browser.test_first_start import sign_in, somebody
from tests.web.conftest import school_file as school_file

# What the browser answers a question for a passkey with, for whoever would send it once more.
KEEPS_WHAT_IS_SHOWN = """
const send = window.fetch;
window.fetch = async (request, ...more) => {
  if (request.url?.endsWith("/api/session/second")) window.shown = await request.clone().text();
  return send(request, ...more);
};
"""


def sign_out(page: Page) -> None:
    menu = page.get_by_role("button", name="Menu")
    if menu.is_visible():
        menu.click()
    page.get_by_role("button", name="Sign out Ines").click()


@pytest.mark.parametrize("width", [1280, 390])
def test_a_passkey_is_made_opens_the_school_alone_and_proves_it_once_more(
    browser: Browser, school_file: Path, tmp_path: Path, width: int
):
    port = free_port()
    database = Database(Path(shutil.copy(school_file, tmp_path)))
    address = f"http://localhost:{port}"
    post = Post(database, Settings(smtp_host="", port=port, site=address))
    with served(create_app(post), port), somebody(browser, address, width) as page:
        devtools = page.context.new_cdp_session(page)
        devtools.send("WebAuthn.enable")
        machine = devtools.send(
            "WebAuthn.addVirtualAuthenticator",
            {
                "options": {
                    "protocol": "ctap2",
                    "transport": "internal",
                    "hasResidentKey": True,
                    "hasUserVerification": True,
                    "isUserVerified": True,
                    "automaticPresenceSimulation": True,
                }
            },
        )["authenticatorId"]
        page.add_init_script(KEEPS_WHAT_IS_SHOWN)
        sign_in(page)
        page.goto("/you")
        page.get_by_role("button", name="Make a passkey").click()
        page.get_by_label("What do you call it?").fill("The laptop")
        page.get_by_role("button", name="Make it").click()
        codes = page.get_by_role("status").get_by_role("listitem")
        expect(codes).to_have_count(10)
        code = codes.first.inner_text()
        page.get_by_role("button", name="I have kept them").click()
        expect(page.get_by_text("The laptop")).to_be_visible()
        sign_out(page)
        page.get_by_role("button", name="Use a passkey").click()
        expect(page.get_by_role("heading", name="You", exact=True)).to_be_visible()
        # What was shown opens nothing a second time, nor as the answer to another question.
        replayed = json.loads(page.evaluate("() => window.shown"))
        assert httpx.post(f"{address}/api/session/second", json=replayed).status_code == 403
        asked = httpx.post(f"{address}/api/session/passkey", json={"ticket": ""}).json()
        other = httpx.post(f"{address}/api/session/second", json={**replayed, "ticket": asked["ticket"]})
        assert other.status_code == 422 and "does not open this school" in other.text
        # What opens the school is asked for once more, and done then.
        with database.writing() as session:
            session.execute(update(SessionRow).values(proved=None))
        page.goto("/school")
        with page.expect_download() as kept:
            page.get_by_role("button", name="Export the school").click()
            once_more = page.get_by_role("dialog").get_by_role("button", name="Use your passkey")
            expect(once_more).to_be_visible()
            once_more.click()
        assert kept.value.suggested_filename == "school.json"
        # After the password it is the second step; a finger that is not known opens nothing.
        devtools.send("WebAuthn.setUserVerified", {"authenticatorId": machine, "isUserVerified": False})
        sign_out(page)
        page.get_by_role("button", name="Use a passkey").click()
        expect(page.get_by_role("alert")).to_be_visible()
        devtools.send("WebAuthn.setUserVerified", {"authenticatorId": machine, "isUserVerified": True})
        page.get_by_label("Your e-mail address").fill("ines@mallowlane.example")
        page.get_by_label("Password").fill("a long enough password")
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="One step more")).to_be_visible()
        page.get_by_role("button", name="Use your passkey").click()
        expect(page.get_by_role("heading", name="School")).to_be_visible()
        # Lost: a recovery code.
        devtools.send("WebAuthn.removeVirtualAuthenticator", {"authenticatorId": machine})
        sign_out(page)
        page.get_by_label("Your e-mail address").fill("ines@mallowlane.example")
        page.get_by_label("Password").fill("a long enough password")
        page.get_by_role("button", name="Sign in").click()
        page.get_by_label("a recovery code").fill("wrong-code")
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("does not hold")
        page.get_by_label("a recovery code").fill(code)
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="School")).to_be_visible()
    database.close()
