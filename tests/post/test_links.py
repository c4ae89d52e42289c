"""Signed links: each is for one delivery and one purpose, and nobody can make one without the secret."""

from __future__ import annotations

import time
from unittest.mock import patch

import pytest
from hypothesis import given
from hypothesis import strategies as st
from itsdangerous import URLSafeSerializer

from patient_courier.post import links
from patient_courier.post.links import PLACES, LinkSigner

SITE = "https://post.example"
SIGNER = LinkSigner("a secret", SITE)
ADDRESS = st.emails()


@given(st.integers(0, 2**63 - 1), st.sampled_from(PLACES), st.sampled_from(PLACES))
def test_a_token_names_its_delivery_for_its_purpose_and_nothing_for_another(delivery, place, other):
    token = SIGNER.token(place, delivery)
    assert SIGNER.delivery(place, token) == delivery
    assert place == other or SIGNER.delivery(other, token) is None
    assert LinkSigner("another secret", SITE).delivery(place, token) is None


@given(st.sampled_from(PLACES), st.text(max_size=60))
def test_whatever_is_made_up_names_nothing(place, text):
    assert SIGNER.delivery(place, text) is None
    assert SIGNER.move(text) is None and SIGNER.agreement("agree", text) is None


@given(st.sampled_from(PLACES), st.integers(1, 10**9), st.data())
def test_a_token_with_one_sign_changed_names_nothing(place, delivery, data):
    token = SIGNER.token(place, delivery)
    at = data.draw(st.integers(0, len(token.rstrip("=")) - 2))  # the last sign holds bits that mean nothing
    other = data.draw(st.sampled_from("abcXYZ019-_.").filter(lambda sign: sign != token[at]))
    assert SIGNER.delivery(place, token[:at] + other + token[at + 1 :]) is None


@pytest.mark.parametrize("place", PLACES)
def test_links_from_before_each_purpose_had_a_signature_work_where_they_led(place):
    old = URLSafeSerializer("a secret", salt="letter-links")
    assert SIGNER.delivery(place, old.dumps(7)) == (
        7 if place in ("stop", "preferences", "view", "answer") else None
    )
    assert SIGNER.delivery(place, old.dumps("7")) is None


@given(st.integers(1, 10**6), ADDRESS, ADDRESS)
def test_a_new_address_is_asked_confirmed_agreed_to_and_refused_by_links_of_their_own(student, before, after):
    moved = SIGNER.move_address(student, before, after).rpartition("/")[2]
    agree, keep = (SIGNER.agreement_address(act, student, before, after) for act in ("agree", "keep"))
    assert agree.startswith(f"{SITE}/post/agree/") and keep.startswith(f"{SITE}/post/keep/")
    tokens = {"moved": moved, "agree": agree.rpartition("/")[2], "keep": keep.rpartition("/")[2]}
    wanted = (student, before, after)
    assert [SIGNER.move(token) == wanted for token in tokens.values()] == [True, False, False]
    assert [SIGNER.agreement("agree", token) == wanted for token in tokens.values()] == [False, True, False]
    assert [SIGNER.agreement("keep", token) == wanted for token in tokens.values()] == [False, False, True]


@pytest.mark.parametrize(
    ("read", "seconds"), [("move", links.MOVE_SECONDS), ("agreement", links.AGREE_SECONDS)]
)
def test_they_end_after_their_time(read, seconds):
    if read == "move":
        token = SIGNER.move_address(1, "a@example.org", "b@example.org").rpartition("/")[2]
        look = lambda: SIGNER.move(token)  # noqa: E731
    else:
        token = SIGNER.agreement_address("keep", 1, "a@example.org", "b@example.org").rpartition("/")[2]
        look = lambda: SIGNER.agreement("keep", token)  # noqa: E731
    now = time.time()
    for later, stands in ((seconds - 5, True), (seconds + 5, False)):
        with patch("itsdangerous.timed.time.time", return_value=now + later):
            assert (look() is not None) == stands


def test_what_is_not_noted_has_no_way_round_and_reading_in_the_browser_decides_nothing():
    plain = SIGNER.links(7, answers=False, events=False, names=False)
    assert (plain.go, plain.seen, plain.event, plain.name, plain.claim, plain.answer) == (
        None,
        None,
        None,
        None,
        None,
        "",
    )
    whole = SIGNER.links(7, clicks=True, openings=True)
    assert whole.to_target(3).startswith(f"{SITE}/post/go/") and whole.to_target(3).endswith("/3")
    assert whole.to_answer("a/b c").endswith("/a%2Fb%20c") and whole.seen.endswith(".gif")
    shown = SIGNER.read_only(7)
    decides = {shown.stop, shown.preferences, shown.name, shown.claim}
    assert decides == {f"{SITE}/post/from-the-letter"}
    assert shown.view_online == whole.view_online and shown.answer == whole.answer
    nowhere = SIGNER.nowhere()
    assert all(
        "/post/test/" in one for one in (nowhere.stop, nowhere.preferences, nowhere.answer, nowhere.claim)
    )
