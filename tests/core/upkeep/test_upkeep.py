"""What keeps a school running: the pace of a mail server, which copies stay, what a refusal means, the recovery phrase."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from whenever import Instant

from patient_courier.core.school.values import parse_moment
from patient_courier.core.upkeep.advice import advice_on
from patient_courier.core.upkeep.alignment import aligned, shown_in, tags_of
from patient_courier.core.upkeep.coming_back import Doubtful, groups, prints_in
from patient_courier.core.upkeep.copies import CopyName, kept, last_night, read_name, staying
from patient_courier.core.upkeep.domain import look_at
from patient_courier.core.upkeep.mail_server import MailServer, Posting, check_host
from patient_courier.core.upkeep.names import Answer
from patient_courier.core.upkeep.pace import Pace
from patient_courier.core.upkeep.recovery import fresh_phrase, key_of

NOW = parse_moment("2026-03-02T12:00:00Z")
moments = st.integers(0, 400 * 86_400).map(lambda seconds: NOW.add(seconds=seconds))


@given(
    st.integers(1, 5), st.one_of(st.none(), st.integers(1, 12)), st.lists(st.integers(0, 40_000), max_size=60)
)
def test_no_window_ever_holds_more_than_its_pace(a_minute, a_day, waits):
    """Whoever posts only when there is something left keeps both limits, in every minute and every day."""
    pace, now, handed = Pace(a_minute, a_day), NOW, []
    for wait in waits:
        now = now.add(milliseconds=wait * 10)
        if pace.left(now, 100) > 0:
            pace.note(now)
            handed.append(now)
        else:
            assert pace.free_at(now) > now
    for at in handed:
        assert sum(at <= x < at.add(seconds=60) for x in handed) <= a_minute
        assert a_day is None or sum(at <= x < at.add(seconds=86_400) for x in handed) <= a_day


def test_a_pace_goes_on_after_a_start_from_what_was_handed_over_before_it():
    pace = Pace(2, 300, [NOW.subtract(seconds=30), NOW.subtract(seconds=10)])
    assert pace.left(NOW, 100) == 0 and pace.free_at(NOW) == NOW.add(seconds=30)
    assert pace.last_of(5, NOW) == NOW.add(seconds=3 * 60)
    assert pace.left(NOW.add(seconds=31), 100) == 1


def test_seven_days_four_weeks_and_twelve_months_of_nightly_copies_stay():
    nights = [parse_moment("2026-12-31T03:00:00Z").subtract(hours=24 * n) for n in range(700)]
    stay = sorted(kept(nights, "Europe/Lisbon"), reverse=True)
    days = [at.to_stdlib().date().isoformat() for at in stay]
    assert days[:7] == [f"2026-12-{day}" for day in range(31, 24, -1)]
    # The Sundays before this week, then the last night of each month before.
    assert days[7:9] == ["2026-12-20", "2026-12-13"] and "2026-11-30" in days and "2026-01-31" in days
    assert len(stay) == 7 + 2 + 11


@given(st.lists(moments, min_size=1, max_size=80), moments)
def test_letting_go_of_copies_one_night_at_a_time_never_loses_the_newest(taken, now):
    """Keeping is stable: what stays of what stays is all of it, and the newest copy is always among them."""
    stay = kept(taken, "Pacific/Auckland")
    assert max(taken) in stay and kept(stay, "Pacific/Auckland") == stay
    assert len(stay) <= 7 + 4 + 12
    assert last_night(now, "Pacific/Auckland") <= now < last_night(now, "Pacific/Auckland").add(hours=49)


def test_copies_by_hand_stay_for_thirty_days_and_push_no_nightly_one_out():
    by_hand = [CopyName(NOW.subtract(hours=24 * n), "by-hand", encrypted=False) for n in (1, 40, 50, 60)]
    night = CopyName(NOW.subtract(hours=24 + 3), "nightly", encrypted=True)
    assert staying([*by_hand, night], NOW, "UTC") == {*by_hand[:3], night}


def test_a_copys_name_says_when_and_why_and_nothing_else_passes_for_one():
    name = CopyName(NOW, "nightly", encrypted=True)
    assert str(name) == "school-2026-03-02T120000Z-nightly.db.age" and read_name(str(name)) == name
    for other in (
        "school.db",
        "../school-2026-03-02T120000Z-nightly.db",
        "school-2026-13-02T120000Z-nightly.db",
    ):
        assert read_name(other) is None


REFUSALS = {
    "535 5.7.8 Error: authentication failed": "copy both once more",
    "534 5.7.9 Application-specific password required": "password for this application",
    "530 5.7.0 Authentication Required": "user name and the password",
    "538 5.7.11 Encryption required for requested authentication mechanism": "STARTTLS",
    "550 5.7.1 Unable to relay": "port 587",
    "553 5.7.1 <ines@mallowlane.example>: Sender address rejected: not owned by user post": "Add the address",
    "550 5.7.26 This message fails DMARC": "sender's domain",
    "550 5.7.23 SPF validation failed": "SPF line",
    "550 5.7.20 No passing DKIM signature found": "DKIM",
    "550 5.7.25 reverse DNS validation failed": "provider of mail",
    "554 5.7.1 Service unavailable; client blocked using bl.example": "taken off",
    "550 5.7.1 Message rejected as spam by content filter": "plain sentences",
    "421 4.7.28 rate limit exceeded": "pace",
    "454 4.7.0 Too many messages, hourly quota": "pace",
    "421 4.7.0 too many connections from your host": "tried again",
    "451 4.7.1 Greylisted, please try again later": "quarter of an hour",
    "552 5.2.2 mailbox full": "room in that mailbox",
    "550 5.1.8 Sender address domain does not exist": "slip in the school's address",
    "550 5.1.1 no such user here": "slip in the address that the test",
    "552 5.3.4 Message size exceeds limit": "smaller",
    "501 5.5.4 Invalid domain name in HELO": "full name",
    "452 4.3.1 Insufficient system storage": "tried again",
    "can't be used: [Errno 111] Connection refused": "port",
    "can't be used: [Errno -2] Name or service not known": "slip in the server's name",
    "can't be used: timed out": "port 587",
    "can't be used: [SSL: WRONG_VERSION_NUMBER] wrong version number": "port 465",
    "can't show that it is the one: Hostname mismatch": "server's name exactly",
    "454 something nobody has heard of": "quarter of an hour",
    "554 something nobody has heard of": "Show your provider",
}


@pytest.mark.parametrize("said", REFUSALS)
def test_a_refusal_is_followed_by_what_to_do(said):
    assert REFUSALS[said].lower() in advice_on(said).do.lower()


def test_a_server_is_written_without_what_does_not_belong_to_its_name():
    assert check_host(" Mail.Example.com. ") == "mail.example.com" and check_host("[::1]") == "::1"
    assert check_host("mäil.example") == "xn--mil-qla.example"
    for wrong in (
        "https://mail.example.com",
        "mail.example.com:587",
        "",
        "a b.example",
        "-a.example",
        "x" * 300,
    ):
        with pytest.raises(ValueError, match="looks like mail"):
            check_host(wrong)
    with pytest.raises(ValueError, match="one line"):
        MailServer(host="mail.example.com", port=587, user="ines\r\nRCPT TO:<other@example.org>")
    assert Posting(senders=["a@example.org", "a@example.org"]).senders == ["a@example.org"]


def test_a_recovery_phrase_is_refused_when_a_word_is_wrong_and_always_gives_the_same_key():
    phrase = "legal winner thank year wave sausage worth useful legal winner thank yellow"
    assert str(key_of(phrase)) == str(key_of(f"  {phrase.upper()} ".replace(" ", "\n ")))
    assert key_of(phrase).to_public() is not None and str(key_of(fresh_phrase())) != str(key_of(phrase))
    for wrong, said in (
        (phrase.replace("yellow", "winner"), "another word"),
        (phrase.replace("sausage", "sosage"), "“sosage”"),
        ("legal winner", "these are 2"),
    ):
        with pytest.raises(ValueError, match=said):
            key_of(wrong)


def test_what_may_have_gone_out_is_grouped_by_source_letter_and_local_day():
    def one(id: int, at: str, fresh: bool = False, source: str = "sequence:s") -> Doubtful:
        return Doubtful(id, source, "l", parse_moment(at), f"s{id}", f"S{id}", fresh)

    found = groups(
        [
            one(1, "2026-03-02T23:30:00Z"),
            one(2, "2026-03-02T12:00:00Z"),
            one(3, "2026-03-03T00:30:00Z"),
            one(4, "2026-03-02T13:00:00Z", fresh=True),
            one(5, "2026-03-02T12:00:00Z", source="broadcast:s"),
        ],
        "Europe/Paris",
    )
    assert [(group.day, group.ids, group.fresh) for group in found] == [
        ("2026-03-02", (2,), False),
        ("2026-03-02", (5,), False),
        ("2026-03-03", (1, 3), False),
        ("2026-03-02", (4,), True),
    ]
    log = "status=sent <delivery-12.0123456789abcdef0123@mallowlane.example> <delivery-13@mallowlane.example>"
    assert prints_in(log) == {"0123456789abcdef0123"}


def test_a_letter_that_arrived_says_how_its_receiver_found_it_and_who_signed_it():
    source = (
        "Authentication-Results: mx.example.net;\r\n dkim=pass header.d=mallowlane.example header.s=bees;\r\n"
        "\tspf=softfail smtp.mailfrom=ines@mallowlane.example; dmarc=pass\r\n"
        "DKIM-Signature: v=1; a=rsa-sha256; d=provider.example; s=other; b=x\r\n"
        "DKIM-Signature: v=1; a=rsa-sha256; d=mallowlane.example;\r\n s=bees; b=y\r\n"
        "From: Ines <ines@mallowlane.example>\r\n\r\nAuthentication-Results: forged; spf=pass"
    )
    shown = shown_in(source)
    assert shown is not None
    assert (shown.spf, shown.dkim, shown.dmarc, shown.by) == ("softfail", "pass", "pass", "mx.example.net")
    assert (shown.selector, shown.signer) == ("bees", "mallowlane.example")
    assert shown_in("Hello, this is no source of a letter") is None


@pytest.mark.parametrize(
    ("received", "date", "off"),
    [
        # RFC 5322, appendix A.4 (from memory): taken by the second server at 10:05:43 -0400, by the first at 10:01:22.
        (
            ["Fri, 21 Nov 1997 10:05:43 -0600", "Fri, 21 Nov 1997 10:01:22 -0600"],
            "Fri, 21 Nov 1997 09:55:06 -0600",
            376.0,
        ),
        (["Mon, 30 Nov 2026 09:00:00 +0100 (CET)"], "Mon, 30 Nov 2026 08:10:00 +0000", -600.0),
        (["Mon, 30 Nov 2026 09:00:00 -0000"], "Mon, 30 Nov 2026 08:10:00 +0000", None),
        (["soon"], "Mon, 30 Nov 2026 08:10:00 +0000", None),
        ([], "Mon, 30 Nov 2026 08:10:00 +0000", None),
    ],
)
def test_a_letter_that_arrived_says_what_time_it_is_where_it_was_taken(received, date, off):
    lines = "".join(f"Received: from a by b\r\n\twith ESMTP; {one}\r\n" for one in received)
    shown = shown_in(f"{lines}From: ines@mallowlane.example\r\nDate: {date}\r\n\r\nHello")
    assert shown is not None and shown.clock_off == off


def test_an_empty_domain_is_told_what_to_publish_and_a_silent_name_server_is_no_fault_of_the_domain():
    found = {
        one.about: one
        for one in look_at("ines@bees.example", "mail.bees.example", lambda *_: Answer(missing=True))
    }
    assert {found[name].state for name in ("mx", "spf", "dmarc")} == {"mend"} and found[
        "dkim"
    ].state == "unknown"
    assert found["spf"].publish.value == "v=spf1 a:mail.bees.example ~all"
    assert (found["dmarc"].publish.name, found["dmarc"].publish.value) == (
        "_dmarc.bees.example",
        "v=DMARC1; p=none; rua=mailto:ines@bees.example",
    )
    silent = look_at("ines@bees.example", None, lambda *_: Answer(failed="timed out"), selector="bees")
    assert {one.state for one in silent} == {"unknown"}


def test_tags_and_alignment():
    assert tags_of("v=DMARC1;p=none ; rua=mailto:a@example.org") == {
        "v": "DMARC1",
        "p": "none",
        "rua": "mailto:a@example.org",
    }
    assert aligned("example.com", "news.example.com", "r") and not aligned(
        "example.com", "news.example.com", "s"
    )
    assert not aligned("a.co.uk", "b.co.uk", "r")


def test_the_moment_of_a_copy_is_kept_to_the_second():
    assert (
        read_name(str(CopyName(Instant.from_utc(2026, 3, 2, 4, 5, 6), "by-hand", encrypted=False)))
        is not None
    )
