"""A sign-up form as a stranger meets it: its page, the confirming letter, and what it tells nobody."""

from __future__ import annotations

import re
from email import message_from_bytes
from email.policy import default
from typing import Any

import pytest
from sqlalchemy import select

from patient_courier.store.base.tables import MailRow
from patient_courier.web.public import joining

CONSENT = "I want letters with news."


class Form:
    """A form of the school, and somebody at its page."""

    def __init__(self, app) -> None:
        self.app, self.client = app, app.client
        made = self.client.post("/api/sign-up-forms", json={"name": "Varroa Watch"}).json()
        self.key, self.body = made["body"]["key"], made["body"]
        self.save(open=True, consent=CONSENT, tag="varroa")

    def save(self, **more: Any) -> dict[str, Any]:
        self.body = self.body | more
        answer = self.client.put(f"/api/sign-up-forms/{self.key}", json={"body": self.body})
        assert answer.status_code == 200, answer.text
        return answer.json()

    def send(self, status: int = 200, **sent: str) -> str:
        """Post the form as it stands on another page: without the time at which it was shown."""
        answer = self.client.post(f"/join/{self.key}", data=sent)
        assert answer.status_code == status, answer.text
        return answer.text

    def letters(self, address: str) -> list[tuple[str, str]]:
        """Subject and plain text of what came to an address, the oldest first."""
        with self.app.post_office.database.reading() as session:
            rows = session.scalars(select(MailRow).where(MailRow.recipient == address).order_by(MailRow.id))
            mails = [message_from_bytes(row.raw, policy=default) for row in rows]
        return [(mail["subject"], mail.get_body(("plain",)).get_content()) for mail in mails]

    def link(self, address: str) -> str:
        """The path of the link in the newest letter to an address."""
        _, text = self.letters(address)[-1]
        return re.search(r"https?://[^/\s]+(/join/yes/[\w.-]+)", text)[1]

    def waiting(self) -> int:
        (line,) = self.client.get("/api/sign-up-forms").json()
        return line["waiting"]


@pytest.fixture
def form(app) -> Form:
    return Form(app)


def test_nothing_but_the_confirming_letter_before_the_yes_and_then_everything(form):
    page = form.client.get(f"/join/{form.key}").text
    assert CONSENT in page and 'name="website"' in page
    said = form.send(email="new@example.org", first_name="Noa", agrees="yes")
    assert "Look into your inbox" in said
    assert form.client.get("/api/students/new").status_code == 404
    assert [subject for subject, _ in form.letters("new@example.org")] == [
        "Please confirm that you want to hear from us"
    ]
    link = form.link("new@example.org")
    # A mail program that opens links by itself changes nothing.
    assert form.client.get(link).status_code == 200
    assert form.waiting() == 1
    assert "You are in" in form.client.post(link).text
    student = form.client.get("/api/students/new").json()
    assert (student["first_name"], student["news"], student["tags"]) == ("Noa", True, ["varroa"])
    (log,) = form.client.get("/api/students/new/consents").json()
    assert log["note"] == CONSENT
    assert re.fullmatch(r"by the sign-up form “Varroa Watch”, version 2, from \S+", log["how"])
    # Once is enough.
    assert "You are in" in form.client.post(link).text
    assert form.waiting() == 0
    (line,) = form.client.get("/api/sign-up-forms").json()
    assert (line["signed_up"], line["waiting"]) == (1, 0)


def test_bad_input_keeps_what_was_typed_and_says_what_is_wrong(form):
    form.save(asks=[{"name": "first_name", "label": "Your first name", "needed": True}])
    said = form.send(422, email="no address", first_name="", agrees="yes")
    assert "This is no e-mail address." in said and "This is needed." in said
    assert 'value="no address"' in said and "checked" in said
    assert form.waiting() == 0


def test_the_page_tells_a_stranger_nothing_and_the_letter_tells_the_known_one(form):
    same = form.send(email="new@example.org")
    # Ana is known, and wants news; the tag is still to be had.
    assert form.send(email="ana@example.org") == same
    form.client.post(form.link("ana@example.org"))
    assert form.client.get("/api/students/ana").json()["tags"] == ["varroa"]
    assert form.send(email="ANA@example.org") == same
    assert form.letters("ana@example.org")[-1][0] == "You are signed up already"
    assert form.waiting() == 1


def test_who_has_stopped_news_wants_it_again_only_by_their_own_yes(form):
    form.app.report({"type": "news_stopped", "at": "2026-03-02T09:00:00Z", "student": "ana"})
    form.save(confirm=False)
    form.send(email="ana@example.org", agrees="yes")
    assert form.client.get("/api/students/ana").json()["news"] is False
    form.save(confirm=True)
    form.send(email="ana@example.org", agrees="yes")
    form.client.post(form.link("ana@example.org"))
    assert form.client.get("/api/students/ana").json()["news"] is True


def test_who_has_complained_is_not_written_to(form):
    form.app.report({"type": "complained", "at": "2026-03-02T09:00:00Z", "student": "ana"})
    assert "Look into your inbox" in form.send(email="ana@example.org", agrees="yes")
    assert form.letters("ana@example.org") == []


def test_machines_are_told_what_everybody_is(form, monkeypatch):
    monkeypatch.setattr(joining, "FASTEST_SECONDS", 3600.0)  # however slow the machine is
    assert "Look into your inbox" in form.send(email="bot@example.org", website="https://spam.example")
    shown = form.client.get(f"/join/{form.key}").text
    when = re.search(r'name="when" value="([^"]+)"', shown)[1]
    # Faster than anybody types.
    assert "Look into your inbox" in form.send(email="bot@example.org", when=when)
    assert "That took long." in form.send(422, email="bot@example.org", when=when + "x")
    assert form.waiting() == 0 and form.letters("bot@example.org") == []
    for number in range(20):
        form.send(email=f"p{number}@example.org")
    form.send(429, email="last@example.org")


def test_who_does_not_confirm_is_forgotten_after_a_week(form):
    form.send(email="new@example.org", agrees="yes")
    link = form.link("new@example.org")
    form.app.move(to="until", until="2026-03-09T08:59:00Z")
    assert form.client.get(link).status_code == 200
    form.app.move(to="until", until="2026-03-09T09:01:00Z")
    assert form.client.post(link).status_code == 410
    assert form.client.get("/api/students/new").status_code == 404


def test_what_the_form_gives_sets_sequences_going(form):
    form.save(course="bees", confirm=False)
    (line,) = form.client.get("/api/sign-up-forms").json()
    assert line["runs"] == ["welcome"]
    form.send(email="new@example.org", first_name="Noa")
    assert [mail["subject"] for mail in form.app.inbox("new")] == ["Noa, come in"]


def test_the_owners_words_and_the_html_for_another_page(form):
    out = form.save(
        language="pt", texts={"button": "Quero", "look": "Veja o seu correio"}, title="Abelhas & mel"
    )
    assert ">Quero</button>" in out["html"] and out["html"].startswith(
        f'<form method="post" action="{out["address"]}">'
    )
    assert "Veja o seu correio" in form.send(email="new@example.org")
    page = form.client.get(f"/join/{form.key}").text
    assert 'lang="pt"' in page and "Abelhas &amp; mel" in page
    wrong = form.client.put(
        f"/api/sign-up-forms/{form.key}",
        json={"body": form.body | {"texts": {"letter": "{{ student.email }}"}}},
    )
    assert wrong.status_code == 422 and "merge fields" in wrong.json()["detail"]
    form.save(open=False)
    assert form.client.get(f"/join/{form.key}").status_code == 410
