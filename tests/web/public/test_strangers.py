"""What strangers can ask for, and what what they bring can do."""

from __future__ import annotations

import threading
from collections import Counter

import pytest

from patient_courier.core.checks.letters import letter_findings
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.letters import Letter
from patient_courier.web import drawings
from patient_courier.web.printed_certificate import example_address
from tests.waiting import until
from tests.web.conftest import finished, purchase

DRAWN = "patient_courier.web.public.certificates.draw"


@pytest.fixture
def drawn(monkeypatch):
    """How often something was drawn, and by which thread."""
    import patient_courier.web.public.certificates as module

    real, seen = module.draw, []

    def draw(certificate, form):
        seen.append((form, threading.get_ident()))
        return real(certificate, form)

    monkeypatch.setattr(DRAWN, draw)
    return seen


def test_an_example_is_drawn_once_however_many_ask_at_once(app, drawn):
    app.report(purchase())
    answers: Counter[int] = Counter()

    def ask() -> None:
        answers[app.client.get("/certificate/example/bees.png").status_code] += 1

    askers = [threading.Thread(target=ask) for _ in range(drawings.MOST_WAITING)]
    for one in askers:
        one.start()
    for one in askers:
        one.join()
    assert answers == {200: drawings.MOST_WAITING} and len(drawn) == 1
    first = app.client.get("/certificate/example/bees.png")
    kept = {"If-None-Match": first.headers["etag"]}
    again = app.client.get("/certificate/example/bees.png", headers=kept)
    assert (again.status_code, again.content, len(drawn)) == (304, b"", 1)


def test_a_certificate_is_drawn_anew_when_something_on_it_changes_and_only_then(app, code, drawn):
    first = app.client.get(f"/certificate/{code}.pdf")
    assert app.client.get(f"/certificate/{code}.pdf").headers["etag"] == first.headers["etag"]
    app.client.put(f"/api/certificates/{code}", json={"name": "Ana Reis"})
    other = app.client.get(f"/certificate/{code}.pdf")
    assert other.headers["etag"] != first.headers["etag"] and other.content != first.content
    assert [form for form, _ in drawn] == ["pdf", "pdf"]
    assert app.client.get(f"/certificate/{code}.png").content.startswith(b"\x89PNG")


def test_who_asks_for_many_new_drawings_is_told_to_come_later_and_pages_are_not(
    app, code, drawn, monkeypatch
):
    monkeypatch.setattr(drawings, "MOST_NEW", drawings.RateLimitItemPerHour(1, 1, "few"))
    assert app.client.get(f"/certificate/{code}.pdf").status_code == 200
    answer = app.client.get(f"/certificate/{code}.png")
    assert (answer.status_code, answer.headers["retry-after"]) == (429, "3600")
    assert app.client.get(f"/certificate/{code}.pdf").status_code == 200  # at hand
    assert app.client.get(f"/certificate/{code}").status_code == 200
    monkeypatch.setattr(drawings, "MOST_WAITING", 0)
    assert app.client.get(f"/certificate/{code}.png").status_code == 503


def test_what_is_kept_is_bounded_and_the_oldest_goes_first(app, code, drawn, monkeypatch):
    size = len(app.client.get(f"/certificate/{code}.pdf").content)
    monkeypatch.setattr(drawings, "MOST_KEPT", size + 10)
    app.client.get(f"/certificate/{code}.png")
    app.client.get(f"/certificate/{code}.png")
    assert len(drawn) == 2
    app.client.get(f"/certificate/{code}.pdf")
    assert len(drawn) == 3


def test_a_course_that_nobody_is_in_is_not_shown_to_strangers(app):
    public = ["/issuer/achievements/bees", "/certificate/example/bees.png"]
    assert {app.client.get(one).status_code for one in public} == {404}
    with app.post_office.database.reading() as session:
        definitions: Definitions = app.post_office.library.load(session)
    owners = example_address(definitions, "bees").partition("8484")[2]
    assert app.client.get(owners).headers["content-type"] == "image/png"
    assert app.client.get(owners[:-1] + "!").status_code == 404
    app.report(purchase())
    assert {app.client.get(one).status_code for one in public} == {200}


def test_a_claim_is_only_of_a_course_that_the_student_is_in(app):
    other = {"key": "secret", "title": "Not yet told", "certificate": {"approval": False}, "modules": []}
    assert app.client.put("/api/courses/secret", json=other).status_code == 200
    app.report(purchase())
    app.inbox()
    token = app.post_office.signer.token("claim", 1)
    assert app.client.get(f"/post/claim/{token}/bees").status_code == 200
    answer = app.client.get(f"/post/claim/{token}/secret")
    assert answer.status_code == 410 and "Not yet told" not in answer.text


@pytest.mark.parametrize(
    ("name", "status"), [("\u200b", 422), ("\u200b\u2060 .", 422), ("x" * 121, 422), ("Ana\u200d Reis", 200)]
)
def test_a_name_for_the_certificate_has_a_letter_and_is_not_too_long(app, name, status):
    app.report(finished("ana"))
    app.inbox()
    token = app.post_office.signer.token("name", 1)
    answer = app.client.post(f"/post/name/{token}/bees", data={"name": name})
    assert answer.status_code == status
    (one,) = app.client.get("/api/certificates").json()["items"]
    assert one["name"] == ("Ana" if status == 422 else name)


def test_the_same_answer_again_changes_nothing_and_changing_ones_mind_has_an_end(app):
    choices = [{"key": key, "label": key, "add_tags": [key]} for key in ("yes", "no")]
    body = app.client.get("/api/letters/access").json()["body"]
    asks = {**body, "blocks": [{"kind": "answers", "question": "Well?", "answers": choices}]}
    assert app.client.put("/api/letters/access", json=asks).status_code == 200
    app.report(purchase())
    app.inbox()
    token = app.post_office.signer.token("answer", 1)

    def answered() -> int:
        return sum(
            x["text"].startswith("Answered") for x in app.client.get("/api/students/ana").json()["timeline"]
        )

    for _ in range(50):
        assert app.client.post(f"/post/answer/{token}/yes").status_code == 200
    assert answered() == 1
    assert app.client.post(f"/post/answer/{token}/no").status_code == 200
    assert answered() == 2
    given = [app.client.post(f"/post/answer/{token}/{('yes', 'no')[n % 2]}").status_code for n in range(60)]
    assert set(given) == {200, 429} and answered() == 20
    preferences = app.post_office.signer.token("preferences", 1)
    chosen = [
        app.client.post(f"/post/preferences/{preferences}", data={"shown": "news"}).status_code
        for _ in range(40)
    ]
    assert set(chosen) == {200, 429}


@pytest.mark.parametrize(
    "link",
    [
        "{{ student.first_name }}",
        "https://{{ student.first_name }}/x",
        "{{ student.fields.site | default('https://x.example') }}",
    ],
)
def test_no_link_leads_where_a_students_own_data_says(app, link):
    blocks = [
        {"kind": "button", "label": "Go", "url": link},
        {"kind": "text", "html": f'<p><a href="{link}">there</a></p>'},
    ]
    letter = app.client.get("/api/letters/access").json()["body"]
    app.client.put("/api/letters/access", json={**letter, "blocks": blocks})
    app.report(
        purchase(
            {
                "email": "eve@example.org",
                "first_name": "https://evil.example",
                "fields": {"site": "https://evil.example"},
            }
        )
    )
    app.settle()
    with app.post_office.database.reading() as session:
        from sqlalchemy import text

        raw = until(
            lambda: session.execute(text("SELECT raw FROM mail WHERE recipient = 'eve@example.org'")).scalar()
        )
    html = raw.decode().replace("=\r\n", "").replace("=3D", "=")
    assert 'href="https://evil' not in html and "<https://evil" not in html
    with app.post_office.database.reading() as session:
        definitions = app.post_office.library.load(session)
    body = Letter.model_validate({**letter, "blocks": blocks})
    found = [one for one in letter_findings(definitions, body) if one.code == "bad_link"]
    assert found and all("student's own data" in one.sentence for one in found)


def test_an_address_with_a_sign_that_can_not_be_seen_is_refused(app):
    body = app.client.get("/api/sequences/welcome").json()["body"]
    call = {"id": "c", "do": "call", "url": "https://ex\x00ample.org/hook"}
    answer = app.client.put("/api/sequences/welcome", json={**body, "steps": [call]})
    assert answer.status_code == 422 and "control characters" in answer.json()["detail"]
