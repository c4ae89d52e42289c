"""Letters that come back and complaints, from the mailroom's far side, the intake and a folder."""

import time
from datetime import UTC, datetime

import pytest
from sqlalchemy import text

from patient_courier.dispatch.returns import waiting_in
from patient_courier.intake.signature import sign
from patient_courier.post.far_side import report_of
from tests.waiting import until
from tests.web.conftest import purchase


def student(app, key="ana"):
    return app.client.get(f"/api/students/{key}").json()


def student_once(app, test, key="ana"):
    """A student's page, once it is so."""
    return until(lambda: found if test(found := student(app, key)) else None)


def post_report(app, raw, secret=None):
    headers = sign(
        secret or app.post_office.secrets["intake"],
        f"m{time.monotonic_ns()}",
        datetime.now(UTC),
        raw.decode(),
    )
    return app.client.post("/intake/mail", content=raw, headers=headers)


def letter(app, key="ana"):
    """The raw letter in a student's inbox."""
    app.settle()
    with app.post_office.database.reading() as session:
        query = text("SELECT raw FROM mail WHERE recipient = :to ORDER BY id DESC LIMIT 1")
        return session.execute(query, {"to": f"{key}@example.org"}).scalar_one()


@pytest.mark.parametrize(
    ("trouble", "works", "complained", "words"),
    [
        ("unknown", False, False, None),
        ("unknown_later", False, False, "Came back for good"),
        ("full", True, False, "Came back for now"),
        ("complaint", True, True, "Reported as unwanted"),
    ],
)
def test_what_the_far_side_plays_is_seen_on_the_students_page(app, trouble, works, complained, words):
    assert app.client.put("/api/practice/trouble/ana", json={"kind": trouble}).json()["kind"] == trouble
    app.report(purchase())
    found = student_once(app, lambda s: not s["address_works"] if words is None else s["returns"])
    assert (found["address_works"], found["complained"]) == (works, complained)
    if words:
        assert found["returns"][0]["words"].startswith(words)
        figures = {
            x["what"]: x["number"] for x in app.client.get("/api/letters/access/figures").json()["figures"]
        }
        came = "complained" if complained else "bounced"
        assert (figures["posted"], figures[came], figures["delivered"]) == (1, 1, int(complained))
        names = app.client.get(f"/api/letters/access/figures/{came}").json()
        assert [one["key"] for one in names["items"]] == ["ana"]
    if not works:
        assert app.client.post("/api/students/ana/address-works").json()["address_works"]


def test_a_greylisting_server_gets_the_letter_on_the_next_try_and_once(app, monkeypatch):
    monkeypatch.setattr("patient_courier.dispatch.outbox.FIRST_RETRY_SECONDS", 1)
    app.client.put("/api/practice/trouble/ana", json={"kind": "greylisting"})
    app.report(purchase())
    assert len(app.inbox()) == 1 and student(app)["address_works"]
    with app.post_office.database.reading() as session:
        assert session.execute(
            text("SELECT tries, status FROM deliveries WHERE letter = 'access'")
        ).all() == [(2, "sent")]


def test_a_full_mailbox_is_given_up_after_three_days_within_two_weeks(app, monkeypatch):
    app.report(purchase())
    raw = report_of("full", letter(app), "ana@example.org")
    assert post_report(app, raw).json() == {"became": "noted"}
    assert post_report(app, raw).json() == {"became": "known"}
    for day in ("2026-03-03T12:00", "2026-03-04T12:00"):
        app.move(to="until", until=day)
        # Each day another letter: by hand, since the sequence has only two.
        with app.post_office.database.writing() as session:
            session.execute(text("UPDATE returns SET digest = digest || :day"), {"day": day})
        became = post_report(app, raw).json()["became"]
    assert became == "stopped" and not student(app)["address_works"]
    assert student(app)["returns"][0]["words"].startswith("Came back for now: 550 5.2.2")


def test_a_report_that_proves_nothing_or_is_not_signed_stops_nobody(app, tmp_path):
    app.report(purchase())
    own = letter(app)
    raw = report_of("unknown_later", own, "ana@example.org")
    forged = raw.replace(b"/post/stop/", b"/post/stop/x")
    assert post_report(app, forged).status_code == 422
    assert post_report(app, b"Subject: hi\r\n\r\nhello").status_code == 422
    assert post_report(app, raw, secret="whsec_" + "A" * 43 + "=").status_code == 401
    assert student(app)["address_works"]
    # From a folder: one that can't be used does not keep the next from being read.
    folder = tmp_path / "reports"
    (folder / "new").mkdir(parents=True)
    app.post_office.settings.reports_folder = folder
    (folder / "1.eml").write_bytes(forged)
    (folder / "new" / "2").write_bytes(raw)
    app.post_office._reading.nudge()
    student_once(app, lambda s: not s["address_works"])
    until(lambda: not waiting_in(folder))
    assert (folder / "not-taken" / "1.eml").exists() and (folder / "taken" / "2").exists()
