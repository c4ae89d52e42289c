"""Does it help? A trial set up as a sentence, lived through by the practice clock, and its answer with the names behind it."""

from playwright.sync_api import Page, expect

from tests.browser.conftest import noticed

SEQUENCE = "vw-five"
# What a course site would report, done by hand for many: they come in, and nearly all who are written to get keen.
COME_IN = """
async ([sequence, number]) => {
  const { csrf } = await (await fetch("/api/session")).json();
  const ask = async (method, path, body) => {
    const headers = { "X-CSRF-Token": csrf, "Content-Type": "application/json" };
    const answer = await fetch(path, { method, headers, body: JSON.stringify(body) });
    if (!answer.ok) throw new Error(`${path}: ${await answer.text()}`);
    return answer.json();
  };
  for (let n = 0; n < number; n++) {
    const { key } = await ask("POST", "/api/students", { email: `new${n}@example.org`, first_name: `New ${n}` });
    await ask("POST", `/api/students/${key}/enrolments`, { course: "varroa-watch" });
  }
  const trial = (await (await fetch(`/api/sequences/${sequence}/trial`)).json()).now.key;
  const names = await (await fetch(`/api/sequences/${sequence}/trials/${trial}/names?held_back=false`)).json();
  for (const one of names.items.slice(2)) await ask("POST", `/api/students/${one.key}/tags`, { add: ["keen"], remove: [] });
  return names.total;
}
"""


def test_a_trial_is_set_up_lived_through_and_answered(page: Page):
    page.goto(f"/sequences/{SEQUENCE}")
    page.get_by_role("link", name="nobody held back").click()
    page.get_by_role("button", name="1 in 5").click()
    page.get_by_role("combobox", name="How many are held back").press("ArrowDown")
    page.get_by_title("1 in 2").click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="finished this course").click()
    page.get_by_role("combobox", name="What happens").fill("gets a tag")
    page.keyboard.press("Enter")
    page.get_by_role("combobox", name="Which tag").fill("keen")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(page.get_by_text("got the tag “keen”")).to_be_visible()
    expect(page.get_by_test_id("plan")).to_contain_text("It can't be told sooner.")
    with noticed(page, "The trial has begun"):
        page.get_by_role("button", name="Begin the trial now").click()
    expect(page.get_by_text("Nobody has come in yet.")).to_be_visible()
    written_to = page.evaluate(COME_IN, [SEQUENCE, 80])
    assert 20 < written_to < 60
    page.goto(f"/sequences/{SEQUENCE}/trial")
    expect(page.get_by_text("Nothing can be said yet")).to_be_visible()
    expect(page.get_by_role("button", name=f"{written_to} still open")).to_be_visible()
    before = page.get_by_test_id("school-time").inner_text()
    page.get_by_role("button", name="Move on").click()
    page.get_by_label("Date to move to").fill("2026-04-14")
    page.get_by_role("button", name="Go", exact=True).click()
    expect(page.get_by_test_id("school-time")).not_to_have_text(before)
    expect(page.get_by_test_id("school-time")).to_contain_text("14 Apr")
    page.goto(f"/sequences/{SEQUENCE}/trial")
    expect(page.get_by_role("status").filter(has_text="It helps: by")).to_be_visible()
    page.get_by_role("button", name="2 did not").click()
    expect(page.get_by_role("dialog")).to_contain_text("Written to, did not: 2")
    page.get_by_role("dialog").get_by_role("link").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("New")
