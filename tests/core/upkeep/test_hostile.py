"""Whatever stands in the names of a domain or in a mail that came: it is read, or refused as the standard says, and nothing breaks."""

from __future__ import annotations

from collections import Counter

from hypothesis import given, settings
from hypothesis import strategies as st

from patient_courier.core.upkeep.alignment import aligned, organizational, shown_in, tags_of
from patient_courier.core.upkeep.coming_back import prints_in
from patient_courier.core.upkeep.domain import look_at
from patient_courier.core.upkeep.names import Answer
from patient_courier.core.upkeep.spf import MOST_LOOKUPS, check_host
from patient_courier.intake.mailbox import Written

RESULTS = {"none", "neutral", "pass", "fail", "softfail", "temperror", "permerror"}
SEEN: Counter[str] = Counter()
NAMES = st.sampled_from(
    ["bees.example", "a.bees.example", "b.bees.example", "%{d}", "%{i}._spf.%{d2}", "%{x}", "", "bees"]
)
TERMS = st.one_of(
    st.sampled_from(
        [
            "-all",
            "~all",
            "?all",
            "+all",
            "a",
            "mx",
            "ptr",
            "a/24",
            "mx//64",
            "all:x",
            "a:",
            "include:",
            "exp=x",
            "v=spf1",
        ]
    ),
    st.builds(
        lambda kind, name: f"{kind}:{name}", st.sampled_from(["include", "a", "mx", "ptr", "exists"]), NAMES
    ),
    st.builds(lambda name: f"redirect={name}", NAMES),
    st.sampled_from(
        [
            "ip4:192.0.2.0/24",
            "ip4:300.0.0.1",
            "ip4:192.0.2.1/40",
            "ip6:2001:db8::/32",
            "ip6:192.0.2.1",
            "ip4:::1",
        ]
    ),
    st.text(max_size=8).filter(lambda text: not text.isspace()),
)
RECORDS = st.lists(TERMS, max_size=8).map(lambda terms: " ".join(["v=spf1", *terms]))
ANSWERS = st.one_of(
    st.just(Answer(missing=True)),
    st.just(Answer()),
    st.just(Answer(failed="timed out")),
    st.just(Answer(("192.0.2.1",))),
    RECORDS.map(lambda record: Answer((record,))),
    st.tuples(RECORDS, RECORDS).map(lambda both: Answer(both)),
)


@settings(max_examples=300)
@given(
    st.lists(ANSWERS, min_size=1, max_size=6), st.sampled_from(["192.0.2.1", "198.51.100.7", "2001:db8::1"])
)
def test_any_spf_record_ends_in_one_of_the_seven_results_within_the_limit(answers, ip):
    """RFC 7208 sections 2.6 and 4.6.4: also of records that include each other without end."""
    asked = 0

    def ask(name, kind):
        nonlocal asked
        asked += 1
        found = answers[sum(map(ord, name)) % len(answers)]
        if kind == "MX" and found.found:
            return Answer(("10 mx.bees.example.",))
        if kind in ("A", "AAAA") and found.found:
            return Answer(("192.0.2.1",) if kind == "A" else ("2001:db8::1",))
        return found

    said = check_host(ip, "bees.example", "ines@bees.example", "x.example", ask)
    assert said.result in RESULTS and said.lookups <= MOST_LOOKUPS + 1
    assert asked < 60
    SEEN[said.result] += 1
    for one in look_at("ines@bees.example", "mx.bees.example", ask, selector="s1"):
        assert one.sentence and one.state in ("good", "mend", "unknown")


def test_the_records_came_to_many_ends():
    assert {"permerror", "none", "temperror"} < SEEN.keys() and len(SEEN) >= 5, SEEN


@given(st.text(max_size=300), st.text(max_size=60), st.text(max_size=60))
def test_any_text_is_taken_apart_without_a_fault(text, left, right):
    tags_of(text)
    assert prints_in(text) == set() or "delivery-" in text
    assert aligned(left, left, "s") and organizational(left) == organizational(organizational(left))
    assert aligned(left, right, "s") <= aligned(left, right, "r")
    found = shown_in(
        f"From: a@bees.example\nAuthentication-Results: {text}\nDKIM-Signature: {text}\n\n{text}"
    )
    assert found is not None
    # A result is one word of letters, so nothing of a stranger's comes on screen by it.
    assert all(word is None or word.isalpha() for word in (found.spf, found.dkim, found.dmarc))


@given(st.binary(max_size=2_000))
def test_any_head_of_a_mail_says_at_most_from_whom_and_to_which_letter(raw):
    found = Written(b"From: " + raw)
    assert len(found.email) <= 320 and len(found.subject) <= 500 and len(found.digest) == 64
    assert not any(c in found.subject for c in "\r\n\0")


def test_who_answers_by_themselves_and_what_goes_to_many_is_no_answer():
    head = b"From: Ana <ana@example.org>\r\nSubject: Re: come in\r\nIn-Reply-To: <delivery-41.0123456789abcdef0123@mallowlane.example>\r\n"
    mine = Written(head + b"\r\nHello")
    assert (mine.email, mine.subject, mine.delivery, mine.by_machine) == (
        "ana@example.org",
        "Re: come in",
        41,
        False,
    )
    for line in (b"Auto-Submitted: auto-replied\r\n", b"Precedence: bulk\r\n"):
        assert Written(line + head + b"\r\n").by_machine
    assert not Written(b"Auto-Submitted: no\r\n" + head).by_machine
    older = Written(
        b"From: a@example.org\r\nReferences: <delivery-7@mallowlane.example> <other@example.org>\r\n\r\n"
    )
    assert older.delivery == 7 and Written(b"").delivery is None
