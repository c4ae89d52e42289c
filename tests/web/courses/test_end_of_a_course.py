"""What comes after a certificate, over HTTP: feedback with words, its figures and CSV, drafts, who is nearly there."""

import csv
import io
import re

import pytest

from tests.web.conftest import NOW, finished, purchase

ANSWERS = [
    {"key": str(n), "label": f"{n} of 5", "value": n, "ask": "Why?" if n < 5 else ""} for n in range(1, 6)
]
ANSWERS[4] |= {
    "page": "Thank you, {{ student.first_name | default('you') }}!",
    "url": "{{ course.review_url }}",
}


@pytest.fixture
def asked(app):
    """Ana and Kai have finished, and the letter with the question has reached them."""
    course = app.client.get("/api/courses/bees").json()["body"]
    body = app.client.get("/api/letters/access").json()["body"]
    blocks = [{"kind": "answers", "question": "How was it?", "answers": ANSWERS}]
    for path, changed in (("/api/courses/bees", {**course, "review_url": "https://learn.example/review"}), ("/api/letters/access", {**body, "blocks": blocks})):  # fmt: skip
        assert app.client.put(path, json=changed).status_code == 200
    app.report(finished("ana"))
    app.report(finished("kai"))
    return {student: link(app, student) for student in ("ana", "kai")}


def link(app, student):
    mail = app.client.post(f"/api/practice/mail/{app.inbox(student)[-1]['id']}/open").json()
    return re.search(r"http://127\.0\.0\.1:8484(/post/answer/[^\s\"<>]+)/1\b", mail["html"])[1]


def feedback(app, **query):
    return app.client.get("/api/courses/bees/feedback", params=query).json()


def test_a_low_answer_asks_for_words_and_comes_to_the_owner_with_them(app, asked):
    assert feedback(app)["answered"] == {
        "part": 0,
        "whole": 2,
        "percent": 0,
        "low": 0,
        "high": 66,
        "small": True,
    }
    assert "<textarea" in app.client.post(f"{asked['ana']}/2").text
    (item,) = (x for x in app.client.get("/api/needs-you").json() if x["kind"] == "words")
    assert (item["title"], item["sentence"]) == (
        "Ana gave 2 of 5 on First Hive",
        "They wrote nothing beside it.",
    )
    before = app.client.get("/api/frame").json()["needs_you"]
    for wrong in ("", " \n ", "a" * 5001):
        answer = app.client.post(f"{asked['ana']}/2", data={"what": "words", "words": wrong})
        assert answer.status_code == 422 and "Write something" in answer.text
    text = 'Too <b>fast</b>,\r\nand "loud"\u0000.'
    assert "will read it" in app.client.post(f"{asked['ana']}/2", data={"what": "words", "words": text}).text
    (item,) = (x for x in app.client.get("/api/needs-you").json() if x["kind"] == "words")
    assert item["sentence"] == '“Too <b>fast</b>,\nand "loud".”'
    (said,) = app.client.get("/api/students/ana").json()["words"]
    assert (said["value"], said["words"][:8]) == (2, "Too <b>f")
    assert app.client.post(f"/api/needs-you/words/{item['id']}", json={"action": "done"}).status_code == 204
    assert app.client.get("/api/frame").json()["needs_you"] == before - 1
    # A better answer takes the place of the first, and is no event for the tray.
    app.client.post(f"{asked['ana']}/4")
    assert all(x["kind"] != "words" for x in app.client.get("/api/needs-you").json())
    assert feedback(app)["figures"]["counts"] == [0, 0, 0, 1, 0]


def test_who_is_glad_is_thanked_and_led_to_the_review(app, asked):
    text = app.client.post(f"{asked['kai']}/5").text
    assert "Thank you, you!" in text and 'href="https://learn.example/review">Write a review' in text
    assert "<textarea" not in text
    assert (
        "nothing to write"
        in app.client.post(f"{asked['kai']}/5", data={"what": "words", "words": "hello"}).text
    )
    course = app.client.get("/api/courses/bees").json()["body"]
    app.client.put("/api/courses/bees", json={**course, "review_url": None})
    assert "Write a review" not in app.client.post(f"{asked['kai']}/5").text


def test_figures_words_and_csv_of_a_course(app, asked):
    app.client.patch("/api/students/kai", json={"first_name": '=Kai, "K"\n'})
    app.client.post(f"{asked['ana']}/3")
    app.client.post(f"{asked['ana']}/3", data={"what": "words", "words": "=SUM(1,2)\nand more"})
    app.client.post(f"{asked['kai']}/5")
    found = feedback(app)
    assert (found["figures"]["counts"], found["figures"]["mean"], found["answered"]["percent"]) == (
        [0, 0, 1, 0, 1],
        4.0,
        100,
    )
    assert found["figures"]["glad"] | {"small": None} == {"part": 1, "whole": 2, "percent": 50, "low": 9, "high": 91, "small": None}  # fmt: skip
    assert [one["words"] for one in found["months"]] == ["March 2026"] and found["has_ending"] is False
    assert [one["student"] for one in feedback(app, with_words=True)["opinions"]] == ["ana"]
    text = app.client.get("/api/courses/bees/feedback.csv").content.decode("utf-8-sig")
    assert text.count("\r\n") == 3  # RFC 4180: a line break inside a field stays what it is
    rows = {row["address"]: row for row in csv.DictReader(io.StringIO(text, newline=""))}
    assert (
        rows["ana@example.org"]["words"] == "'=SUM(1,2)\nand more"
        and rows["ana@example.org"]["rating"] == "3"
    )
    assert rows["kai@example.org"]["words"] == ""
    file = app.client.get("/api/school/file").json()
    assert [(x["student"], x["value"]) for x in file["words"]] == [("ana", 3), ("kai", 5)]
    assert app.client.get("/api/courses/nothing/feedback").status_code == 404


def test_the_end_and_a_reminder_are_drafted_and_who_is_nearly_there_is_on_today(app):
    made = app.client.post("/api/courses/bees/ending", json={"next": ""})
    assert made.status_code == 201
    sequence = app.client.get(f"/api/sequences/{made.json()['key']}").json()
    assert sequence["status"] == "draft" and feedback(app)["has_ending"] is True
    assert app.client.get("/api/courses/bees/line").json()["has_ending"] is True
    assert app.client.post("/api/courses/bees/ending", json={"next": "nothing"}).status_code == 404
    course = app.client.get("/api/courses/bees").json()["body"]
    app.client.put("/api/courses/bees", json={**course, "certificate": None})
    refused = app.client.post("/api/courses/bees/ending", json={})
    assert refused.status_code == 409 and "outline" in refused.json()["detail"]
    lessons = [{"key": f"l{n}", "title": f"L{n}"} for n in range(1, 6)]
    app.client.put(
        "/api/courses/bees", json={**course, "modules": [{"key": "m1", "title": "M", "lessons": lessons}]}
    )
    app.report([purchase("ana"), *({"type": "lesson_completed", "at": NOW, "student": "ana", "lesson": f"bees/l{n}"} for n in range(1, 5))])  # fmt: skip
    assert app.client.get("/api/today").json()["nearly"] == []
    app.move(to="until", until="2026-03-10T12:00:00Z")
    (nearly,) = app.client.get("/api/today").json()["nearly"]
    assert (nearly["course"], nearly["students"], nearly["reminded"]) == ("bees", 1, False)
    kept = app.client.post("/api/audiences", json={"name": "Nearly", "condition": nearly["condition"]}).json()
    assert kept["students"] == 1
    key = app.client.post("/api/courses/bees/reminder").json()["key"]
    app.client.post(f"/api/sequences/{key}/status", json={"status": "running"})
    (nearly,) = app.client.get("/api/today").json()["nearly"]
    assert nearly["reminded"] is True


def test_in_the_practice_classroom_a_course_is_finished_at_once_and_its_certificate_gone_through(app):
    def here():
        return app.client.get("/api/practice/certificates/ana").json()

    refused = app.client.post("/api/practice/do", json={"student": "ana", "do": "finish", "object": "bees"})
    assert (refused.status_code, here()) == (409, [])
    app.report(purchase("ana"))
    app.settle()
    (one,) = here()
    assert (one["standing"], one["code"]) == ("open", None)
    assert "4 things are still open" in app.client.get(one["claim_page"]).text
    done = app.client.post("/api/practice/do", json={"student": "ana", "do": "finish", "object": "bees"})
    assert done.json() == {"taken": 4, "known": 0}
    (one,) = here()
    assert one["standing"] == "issued"
    assert "How should your name be printed?" in app.client.get(one["name_page"]).text
    assert (
        app.client.get(one["claim_page"], follow_redirects=False).headers["location"]
        == f"/certificate/{one['code']}/yours"
    )
    app.client.post(f"/api/certificates/{one['code']}/take-back")
    (one,) = here()
    assert (one["standing"], one["taken_back"]) == ("ready", True)
