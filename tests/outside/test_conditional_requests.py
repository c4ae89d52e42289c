"""Saves that name what they began from, as RFC 9110 has it.

Section 8.8.3 (ETag: an opaque tag in quotation marks), 13.1.1 (If-Match: a list of tags or ``*``, compared strongly, so
that a weak tag never matches; 412 when it is false), 13.1.2 (If-None-Match: ``*`` is false when there is anything).
"""

from __future__ import annotations

import re

import pytest

from tests.web.broadcasts.test_broadcasts import ok
from tests.web.conftest import app, school_file  # noqa: F401 - fixtures

# An entity-tag of section 8.8.3: not weak, no quotation mark inside.
ENTITY_TAG = re.compile(r'^"[\x21\x23-\x7e\x80-\xff]*"$')
PLACES = ("/api/letters/access", "/api/sequences/welcome", "/api/courses/bees", "/api/school")


def saved(app, place, headers):  # noqa: F811
    body = ok(app.client.get(place))["body"]
    body = {"body": body} if place == "/api/school" else body
    return app.client.put(place, json=body, headers=headers)


@pytest.mark.parametrize("place", PLACES)
def test_what_is_edited_has_a_tag_and_a_save_over_another_is_refused(app, place):  # noqa: F811
    answer = app.client.get(place)
    tag = answer.headers["etag"]
    assert ENTITY_TAG.match(tag) and answer.json()["edition"] == tag.strip('"')
    for held in (tag, f'"other", {tag}', "*"):
        assert saved(app, place, {"If-Match": held}).status_code == 200, held
    for refused in ('"other"', f"W/{tag}", tag.strip('"'), f'"{tag.strip(chr(34))}x"'):
        answer = saved(app, place, {"If-Match": refused})
        assert answer.status_code == 412, refused
        assert "nothing was overwritten" in answer.json()["detail"].lower(), refused
    assert saved(app, place, {}).status_code == 200  # a precondition is the client's to make


@pytest.mark.parametrize("place", PLACES[:3])
def test_something_new_is_made_only_where_there_is_nothing(app, place):  # noqa: F811
    assert saved(app, place, {"If-None-Match": "*"}).status_code == 412
    body = ok(app.client.get(place))["body"]
    fresh = place.rpartition("/")[0] + "/quite-new"
    assert app.client.put(fresh, json=body, headers={"If-None-Match": "*"}).status_code == 200
    assert app.client.put(fresh, json=body, headers={"If-None-Match": "*"}).status_code == 412
    # And there is nothing to match where there is nothing.
    nowhere = place.rpartition("/")[0] + "/nowhere"
    assert app.client.put(nowhere, json=body, headers={"If-Match": "*"}).status_code == 412


def test_a_save_gives_the_tag_that_the_next_one_names(app):  # noqa: F811
    body = ok(app.client.get("/api/letters/access"))["body"]
    tag = app.client.get("/api/letters/access").headers["etag"]
    for subject in ("One", "Two", "Three"):
        answer = app.client.put(
            "/api/letters/access", json={**body, "subject": subject}, headers={"If-Match": tag}
        )
        assert answer.status_code == 200
        stale, tag = tag, answer.headers["etag"]
        assert stale != tag == app.client.get("/api/letters/access").headers["etag"]
        late = app.client.put("/api/letters/access", json=body, headers={"If-Match": stale})
        assert late.status_code == 412
    assert ok(app.client.get("/api/letters/access"))["body"]["subject"] == "Three"


def test_running_and_pausing_is_no_other_edition(app):  # noqa: F811
    tag = app.client.get("/api/sequences/welcome").headers["etag"]
    for status in ("paused", "running", "closed"):
        ok(app.client.post("/api/sequences/welcome/status", json={"status": status}))
        assert app.client.get("/api/sequences/welcome").headers["etag"] == tag
