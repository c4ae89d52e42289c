"""Enrolments, refunds, previews and certificates: what is known about a student after a history."""

from patient_courier.core.rehearsing.rehearsal import rehearse
from tests.schools import COURSE, OFFER, bought, event, read, school, send, sequence

LEARNT = [
    event("2026-03-05", "lesson_completed", lesson="bees/l1"),
    event("2026-03-05", "lesson_completed", lesson="bees/l2"),
    event("2026-03-05", "lesson_completed", lesson="bees/l3"),
    event("2026-03-05", "quiz_taken", quiz="bees/q1", score=70),
]


def after(*events, **more):
    """The outcome and the facts about Ana after these events."""
    data = school([sequence("s", [send("x")], {"on": "complained"})], list(events)) | more
    outcome = rehearse(read(data))
    return outcome, outcome.states["ana"].facts


def test_a_refund_passes_the_enrolment_to_another_purchase_that_stands():
    second = {**OFFER, "key": "circle"}
    twice = [bought("2026-03-02"), event("2026-03-03", "purchased", offer="circle")]
    refund = event("2026-03-04", "refunded", offer="bees-once")
    _, facts = after(*twice, refund, offers=[OFFER, second])
    assert (facts.status("bees"), facts.enrolments["bees"].offer) == ("active", "circle")
    _, facts = after(*twice, refund, event("2026-03-05", "refunded", offer="circle"), offers=[OFFER, second])
    assert facts.status("bees") == "refunded"


def test_a_refund_leaves_an_enrolment_made_by_hand():
    by_hand = event("2026-03-01", "enrolled", course="bees", via="manual")
    _, facts = after(by_hand, bought("2026-03-02"), event("2026-03-03", "refunded", offer="bees-once"))
    assert facts.status("bees") == "active" and facts.bought() == []


def test_what_was_learnt_stays_known_through_a_refund_and_a_new_purchase():
    refund = event("2026-03-06", "refunded", offer="bees-once")
    _, facts = after(bought("2026-03-02"), *LEARNT, refund)
    assert facts.status("bees") == "refunded"
    outcome, facts = after(bought("2026-03-02"), *LEARNT, refund, bought("2026-03-07"))
    assert facts.status("bees") == "completed" and len(outcome.certificates) == 1


def test_without_an_enrolment_or_with_a_preview_there_is_no_certificate():
    preview = event("2026-03-01", "enrolled", course="bees", via="preview")
    for before in ([], [preview]):
        outcome, facts = after(*before, *LEARNT)
        assert "bees" in facts.courses and outcome.certificates == [] and facts.certificates == {}


def test_only_what_was_requested_can_be_approved_and_only_once():
    approval = {"courses": [{**COURSE, "certificate": {"approval": True}}]}
    yes = event("2026-03-06", "certificate_approved", course="bees")
    again = event("2026-03-07", "certificate_approved", course="bees")
    too_soon = event("2026-03-04", "certificate_approved", course="bees")
    outcome, _ = after(bought("2026-03-02"), too_soon, *LEARNT, **approval)
    assert outcome.certificates == []
    outcome, _ = after(bought("2026-03-02"), *LEARNT, yes, again, **approval)
    assert [found.at.format_iso() for found in outcome.certificates] == ["2026-03-06T12:00:00Z"]


def test_access_ends_when_it_says_and_a_new_purchase_begins_anew():
    limited = {"courses": [{**COURSE, "access": "P20D"}]}
    _, facts = after(bought("2026-03-02"), until="2026-03-22T11:59:59Z", **limited)
    assert facts.status("bees") == "active"
    _, facts = after(bought("2026-03-02"), until="2026-03-22T12:00:00Z", **limited)
    assert facts.status("bees") == "expired"
    _, facts = after(bought("2026-03-02"), bought("2026-03-23"), until="2026-03-24T12:00:00Z", **limited)
    assert facts.status("bees") == "active"
