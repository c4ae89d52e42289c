"""Certificates over HTTP: numbered, listed, named by wish, taken back and issued again, as CSV and as an archive."""

import csv
import io
import re
import zipfile

from patient_courier.core.engine.fields import certificate_code
from tests.waiting import until
from tests.web.conftest import NOW, another_school, finished, purchase


def page(app, code):
    found = app.client.get(f"/certificate/{code}")
    return found.status_code, re.search(r"<h1>(.*?)</h1>", found.text)[1], found.text


def test_whoever_has_the_number_sees_that_it_stands_and_nobody_can_guess_it(app, code):
    status, title, text = page(app, code.lower().replace("-", " "))
    assert (status, title, "ana@example.org" in text) == (
        200,
        "This certificate is valid",
        False,
    ) and "It is valid." in text
    assert app.client.get(f"/certificate/{code}.png").content.startswith(b"\x89PNG")
    assert app.client.get(f"/certificate/{code}.pdf").content.startswith(b"%PDF")
    # What anybody could work out from the school's name and the student's key is another number.
    assert certificate_code("Mallow Lane Apiary School", "ana", "bees") != code
    assert page(app, "AAAA-AAAA-AAAA")[:2] == (404, "No such certificate")
    # The letter prints the same number, and the school's new name changes nothing.
    school = app.client.get("/api/school").json()["body"]
    app.client.put("/api/school", json={"body": {**school, "name": "Another Lane"}})
    letter = {**app.client.get("/api/letters/access").json()["body"], "blocks": [{"kind": "text", "html": "<p>{{ certificate.code }}</p>"}, {"kind": "certificate"}]}  # fmt: skip
    seen = app.client.post(
        "/api/letters/preview", json={"letter": letter, "student": "ana", "course": "bees"}
    ).json()
    assert code in seen["text"] and f"/certificate/{code}.png" in seen["html"] and page(app, code)[0] == 200


def test_a_name_is_put_right_under_the_same_number(app, code):
    app.client.put(f"/api/certificates/{code}", json={"name": "Ana Maria <b>Reis</b>"})
    assert "Ana Maria &lt;b&gt;Reis&lt;/b&gt;" in page(app, code)[2]
    found = app.client.get("/api/certificates", params={"q": "maria"}).json()["items"]
    assert [(one["code"], one["own_name"], one["student_name"]) for one in found] == [(code, True, "Ana")]
    assert app.client.put(f"/api/certificates/{code}", json={"name": " "}).json()["name"] == "Ana"


def test_one_that_is_taken_back_says_so_and_can_be_issued_again(app, code):
    assert app.client.post(f"/api/certificates/{code}/take-back").json()["state"] == "taken_back"
    status, title, text = page(app, code)
    assert (status, title, "Ana" in text) == (200, "Taken back", False)
    assert app.client.get(f"/certificate/{code}.pdf").status_code == 404
    assert app.client.post(f"/api/certificates/{code}/take-back").status_code == 409
    assert app.client.get("/api/certificates", params={"state": "stands"}).json()["total"] == 0
    step = {"id": "c", "do": "certificate", "course": "bees"}
    again = {
        "key": "again",
        "name": "Again",
        "starts": [{"on": "signed_up", "form": "again"}],
        "steps": [step],
    }
    assert app.client.put("/api/sequences/again", json=again).status_code == 200
    app.client.post("/api/sequences/again/status", json={"status": "running"})
    app.report({"type": "signed_up", "at": NOW, "student": "ana", "form": "again"})
    assert page(app, code)[1] == "This certificate is valid"
    assert app.client.get("/api/students/ana").json()["certificates"][0]["revoked"] is False


def test_they_go_out_as_csv_and_as_one_archive(app, code):
    app.report(finished("kai"))
    app.client.put(f"/api/certificates/{code}", json={"name": "=1+1"})
    rows = list(csv.reader(io.StringIO(app.client.get("/api/certificates/csv").text.lstrip("\ufeff"))))
    assert rows[0][:2] == ["number", "name"] and len(rows) == 3
    assert "'=1+1" in {row[1] for row in rows}
    job = app.client.post("/api/certificates/archive", json={"course": "bees"}).json()
    where = f"/api/certificates/archive/{job['id']}"
    until(lambda: app.client.get(where).json()["state"] == "done")
    file = app.client.get(f"/api/certificates/archive/{job['id']}/file").content
    with zipfile.ZipFile(io.BytesIO(file)) as archive:
        assert f"{code}.pdf" in archive.namelist() and len(archive.namelist()) == 2
        assert all(archive.read(name).startswith(b"%PDF") for name in archive.namelist())
    assert app.client.post("/api/certificates/archive", json={"course": "nothing"}).status_code == 404


def test_what_waits_for_approval_comes_with_its_evidence_and_is_settled_once(app):
    course = app.client.get("/api/courses/bees").json()["body"]
    app.client.put("/api/courses/bees", json={**course, "certificate": {"approval": True}})
    app.report(finished("ana"))
    app.report(finished("kai"))
    first, second = app.client.get("/api/approvals").json()
    assert (first["name"], first["progress"], first["lessons_done"], first["open"]) == ("Ana", 100, 3, [])
    assert first["hurried"] == "Finished 3 lessons in 0 minutes; they last 11 minutes."
    assert (first["quizzes"][0]["attempts"], first["quizzes"][0]["score"]) == (1, 90)
    assert app.client.get("/api/frame").json()["needs_you"] == 2
    kai = {"student": second["student"], "course": "bees"}
    assert app.client.post("/api/approvals/decline", json=kai).status_code == 204
    assert app.client.post("/api/approvals/decline", json=kai).status_code == 409
    both = {"items": [{"student": "ana", "course": "bees"}, kai]}
    both["items"] *= 3  # named three times, it is one certificate
    assert app.client.post("/api/approvals/approve", json=both).json() == {"issued": 1, "told": 0}
    assert app.client.post("/api/approvals/approve", json=both).status_code == 409
    assert [one["student"] for one in app.client.get("/api/certificates").json()["items"]] == ["ana"]
    assert app.client.get("/api/frame").json()["needs_you"] == 0


def test_a_student_says_once_how_their_name_is_printed_by_the_link_in_their_letter(app):
    body = app.client.get("/api/letters/year").json()["body"]
    app.client.put("/api/letters/year", json={**body, "blocks": [{"kind": "certificate"}]})
    app.report(finished("ana"))
    app.move(to="day")
    mail = app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()
    link = re.search(r"http://127\.0\.0\.1:8484(/post/name/[^\s\"<>]+)", mail["html"])[1]
    assert "How should your name be printed?" in app.client.get(link).text
    assert "Write your name" in app.client.post(link, data={"name": "  "}).text
    assert "It is printed so" in app.client.post(link, data={"name": "Ana\r\n Maria <i>Reis</i>"}).text
    (one,) = app.client.get("/api/certificates").json()["items"]
    assert (one["name"], one["own_name"]) == ("Ana Maria <i>Reis</i>", True)
    again = app.client.post(link, data={"name": "Somebody Else"}).text
    assert "Ana Maria &lt;i&gt;Reis&lt;/i&gt;" in again and "Somebody" not in again
    assert app.client.post(link.replace("/name/", "/stop/"), data={}).status_code == 404
    app.client.post(f"/api/certificates/{one['code']}/take-back")
    assert app.client.get(link).status_code == 410


def test_a_design_is_seen_before_it_is_saved_and_holds_for_what_is_issued_from_then_on(app, code):
    course = app.client.get("/api/courses/bees").json()["body"]
    before = app.client.get(f"/certificate/{code}.png").content
    design = {**course["certificate"], "design": "band", "heading": "Diploma", "hours": 12, "upright": True}
    drawn = app.client.post(
        "/api/certificates/preview", json={"course": {**course, "certificate": design}, "name": "Zoë"}
    )
    assert (
        drawn.content.startswith(b"\x89PNG") and app.client.get(f"/certificate/{code}.png").content == before
    )
    saved = app.client.put("/api/courses/bees", json={**course, "certificate": design})
    assert saved.json()["body"]["certificate"]["hours"] == 12
    # What was issued stays as it is, until the owner issues it again under the same number.
    assert app.client.get(f"/certificate/{code}.png").content == before
    app.report(finished("kai"))
    listed = app.client.get("/api/certificates", params={"course": "bees"}).json()
    assert listed["older"] == 1 and {x["student"]: x["older_design"] for x in listed["items"]} == {
        "ana": True,
        "kai": False,
    }
    again = {"course": "bees", "code": code}
    assert app.client.post("/api/certificates/again", json=again).json() == {"changed": 1}
    assert app.client.post("/api/certificates/again", json={"course": "bees"}).json() == {"changed": 0}
    assert (
        app.client.get(f"/certificate/{code}.png").content != before
        and "12 hours of study" in page(app, code)[2]
    )
    wrong = {**course, "certificate": {**design, "design": "gold"}}
    assert app.client.post("/api/certificates/preview", json={"course": wrong}).status_code == 422


def claim_link(app):
    """The link in Ana's newest letter by which she asks for her certificate."""
    mail = app.client.post(f"/api/practice/mail/{app.inbox()[0]['id']}/open").json()
    return re.search(r"http://127\.0\.0\.1:8484(/post/claim/[^\s\"<>]+)", mail["html"])[1]


def test_who_asks_too_early_reads_what_is_open_and_who_is_through_asks_the_owner(app):
    course = app.client.get("/api/courses/bees").json()["body"]
    app.client.put("/api/courses/bees", json={**course, "certificate": None})
    body = app.client.get("/api/letters/access").json()["body"]
    app.client.put("/api/letters/access", json={**body, "blocks": [{"kind": "certificate", "claim": True}]})
    app.report(purchase("ana"))
    app.settle()
    link = claim_link(app)
    assert "There is no certificate" in app.client.get(link).text
    app.client.put("/api/courses/bees", json=course)
    app.report({"type": "lesson_completed", "at": NOW, "student": "ana", "lesson": "bees/l1"})
    for answer in (app.client.get(link), app.client.post(link)):
        assert "A little way to go" in answer.text and "25% through" in answer.text
        assert answer.text.count("<li>") == 3 and "Lesson 1" not in answer.text
    assert app.client.get("/api/approvals").json() == []
    # Finished while there was no certificate to have: now there is one to ask for, which the owner looks at.
    app.client.put("/api/courses/bees", json={**course, "certificate": None})
    app.report(finished("ana")[2:])
    app.client.put("/api/courses/bees", json=course)
    assert "Well done!" in app.client.get(link).text and app.client.get("/api/approvals").json() == []
    assert "It is on its way" in app.client.post(link).text
    asked = {"student": "ana", "course": "bees"}
    assert app.client.post("/api/approvals/decline", json=asked).status_code == 204
    assert "Not quite yet" in app.client.get(link).text and app.client.get("/api/approvals").json() == []
    assert "It is on its way" in app.client.post(link).text
    assert app.client.post("/api/approvals/approve", json={"items": [asked]}).json() == {
        "issued": 1,
        "told": 0,
    }
    assert "Your certificate" in app.client.get(link).text and "Share it" in app.client.get(link).text
    (one,) = app.client.get("/api/certificates").json()["items"]
    app.client.post(f"/api/certificates/{one['code']}/take-back")
    assert "Well done!" in app.client.get(link).text
    # What was put aside before it was issued and taken back is no answer to a new request.
    app.move(to="hour")
    assert (
        "It is on its way" in app.client.post(link).text and len(app.client.get("/api/approvals").json()) == 1
    )
    assert app.client.get(link.replace("/claim/", "/name/")).status_code == 404
    assert app.client.get(f"{link}/nothing").status_code == 410


def test_the_whole_school_made_again_from_its_file_checks_the_same_numbers(app, code, tmp_path):
    app.client.put(f"/api/certificates/{code}", json={"name": "Ana Maria Reis"})
    app.report(finished("kai"))
    kais = next(
        x["code"] for x in app.client.get("/api/certificates").json()["items"] if x["student"] == "kai"
    )
    app.client.post(f"/api/certificates/{kais}/take-back")
    public = app.client.get("/issuer").json()
    assert app.client.get("/api/school/file").json()["signing_keys"][0]["private"] is None
    kept = app.client.get("/api/school/file", params={"keys": True})
    before = app.client.get(f"/certificate/{code}/credential.json").json()
    with another_school(tmp_path) as other:
        assert other.post("/api/school/file", content=kept.content).status_code == 200
        text = other.get(f"/certificate/{code}").text
        assert "Ana Maria Reis" in text and "It is valid." in text
        assert "Taken back" in other.get(f"/certificate/{kais}").text
        after = other.get(f"/certificate/{code}/credential.json").json()
        assert after["credentialStatus"] == before["credentialStatus"]
        assert after["proof"]["verificationMethod"] == before["proof"]["verificationMethod"]
        assert other.get("/issuer").json()["verificationMethod"] == public["verificationMethod"]
        # The student's next letter names the same number.
        assert other.get("/api/students/ana").json()["certificates"][0]["code"] == code


def test_putting_aside_with_a_letter_says_what_is_missing_and_waits_for_the_owners_words(app):
    course = app.client.get("/api/courses/bees").json()["body"]
    app.client.put("/api/courses/bees", json={**course, "certificate": {"approval": True}})
    app.report(finished("ana"))
    asked = {"student": "ana", "course": "bees"}
    key = app.client.post("/api/approvals/write", json=asked).json()["key"]
    assert app.client.get("/api/approvals").json() == []
    draft = app.client.get(f"/api/broadcasts/{key}").json()["body"]
    assert (draft["status"], draft["course"], draft["to"]) == (
        "draft",
        "bees",
        {"is": "student", "keys": ["ana"]},
    )
    letter = app.client.get(f"/api/letters/{draft['letter']}").json()["body"]
    assert "Finished 3 lessons in 0 minutes" in letter["blocks"][0]["html"]
    assert "[Say here" in letter["blocks"][0]["html"] and letter["blocks"][2]["claim"] is True
    assert app.client.post("/api/approvals/write", json=asked).status_code == 409


def test_what_was_taken_back_stays_void_when_its_student_is_erased(app, code):
    app.report(finished("kai"))
    place = app.client.get(f"/certificate/{code}/credential.json").json()["credentialStatus"][
        "statusListIndex"
    ]
    app.client.post(f"/api/certificates/{code}/take-back")
    before = app.client.get("/issuer/status/0").json()["credentialSubject"]["encodedList"]
    assert (
        app.client.post("/api/students/ana/erase", json={"sentence": "erase ana@example.org"}).status_code
        == 204
    )
    assert page(app, code)[0] == 404
    assert app.client.get("/issuer/status/0").json()["credentialSubject"]["encodedList"] == before
    assert app.client.get("/api/school/file").json()["void_places"] == [int(place)]


def test_a_school_file_with_certificates_that_cannot_be_is_refused_with_sentences(app, code, tmp_path):
    file = app.client.get("/api/school/file", params={"keys": True}).json()
    twice = {**file, "certificates": file["certificates"] * 2}
    stranger = {**file, "certificates": [{**file["certificates"][0], "student": "nobody"}]}
    (key,) = file["signing_keys"]
    halves = {**file, "signing_keys": [{**key, "private": "A" * 43 + "="}]}
    with another_school(tmp_path) as other:
        for wrong, said in ((twice, "is used by another certificate"), (stranger, "there is no student “nobody”"), (halves, "do not belong together")):  # fmt: skip
            answer = other.post("/api/school/file", json=wrong)
            assert answer.status_code in (409, 422) and said in answer.json()["detail"]
        assert other.get("/api/students").json()["total"] == 0
        assert other.post("/api/school/file", json=file).status_code == 200
