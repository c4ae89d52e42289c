"""The sender's domain as the standards have it, asked through dnspython of a name server that speaks the protocol.

RFC 7208 Appendix A.1 and section 7.4, RFC 7489 sections 3.1 and 6.6.3: names, records and results from memory of them.
"""

from collections.abc import Iterator

import pytest
from checkdmarc.spf import parse_spf_record

from patient_courier.core.upkeep.domain import dmarc_record, look_at
from patient_courier.core.upkeep.names import Ask
from patient_courier.core.upkeep.spf import Evaluation, PermError, all_lookups, check_host, expand
from patient_courier.post.names import Names
from patient_courier.practice.stand_ins.names import DEMO_ZONE, NameServer, zone_of

ZONE = {
    ("example.com", "MX"): ["10 mail-a.example.com.", "20 mail-b.example.com."],
    ("example.com", "A"): ["192.0.2.10", "192.0.2.11"],
    ("amy.example.com", "A"): ["192.0.2.65"],
    ("bob.example.com", "A"): ["192.0.2.66"],
    ("mail-a.example.com", "A"): ["192.0.2.129"],
    ("mail-b.example.com", "A"): ["192.0.2.130"],
    ("example.org", "MX"): ["10 mail-c.example.org."],
    ("mail-c.example.org", "A"): ["192.0.2.140"],
    **{
        (f"{last}.2.0.192.in-addr.arpa", "PTR"): [f"{name}."]
        for last, name in {
            10: "example.com", 11: "example.com", 65: "amy.example.com", 66: "bob.example.com",
            129: "mail-a.example.com", 130: "mail-b.example.com", 140: "mail-c.example.org",
        }.items()
    },
    ("4.0.0.10.in-addr.arpa", "PTR"): ["bob.example.com."],
}  # fmt: skip
# Each record with the machines it lets through, of all those named above.
SIMPLE = {
    "v=spf1 +all": {"10", "11", "65", "66", "129", "130", "140", "10.0.0.4"},
    "v=spf1 a -all": {"10", "11"},
    "v=spf1 a:example.org -all": set(),
    "v=spf1 mx -all": {"129", "130"},
    "v=spf1 mx:example.org -all": {"140"},
    "v=spf1 mx mx:example.org -all": {"129", "130", "140"},
    "v=spf1 mx/30 mx:example.org/30 -all": {"129", "130", "140"},
    "v=spf1 ptr -all": {"10", "11", "65", "66", "129", "130"},
    "v=spf1 ip4:192.0.2.128/28 -all": {"129", "130", "140"},
}
MACHINES = ["10", "11", "65", "66", "129", "130", "140", "10.0.0.4"]


def asking(zone: dict[tuple[str, str], list[str]]) -> Iterator[Names]:
    server = NameServer(zone_of(zone))
    try:
        yield Names(("127.0.0.1", server.port))
    finally:
        server.stop()


@pytest.fixture
def demo() -> Iterator[Ask]:
    server = NameServer(DEMO_ZONE)
    yield Names(("127.0.0.1", server.port))
    server.stop()


@pytest.mark.parametrize("record", SIMPLE)
def test_the_simple_examples_of_rfc_7208_let_through_whom_they_say(record):
    for names in asking({**ZONE, ("example.com", "TXT"): [record]}):
        through = {
            last
            for last in MACHINES
            if check_host(
                last if "." in last else f"192.0.2.{last}",
                "example.com",
                "bob@example.com",
                "x.example",
                names,
            ).result
            == "pass"
        }
        assert through == SIMPLE[record]


@pytest.mark.parametrize(
    ("text", "expected"),
    {
        "%{s}": "strong-bad@email.example.com",
        "%{o}": "email.example.com",
        "%{d4}": "email.example.com",
        "%{d2}": "example.com",
        "%{d1}": "com",
        "%{dr}": "com.example.email",
        "%{d2r}": "example.email",
        "%{l}": "strong-bad",
        "%{l-}": "strong.bad",
        "%{lr}": "strong-bad",
        "%{lr-}": "bad.strong",
        "%{l1r-}": "strong",
        "%{ir}.%{v}._spf.%{d2}": "3.2.0.192.in-addr._spf.example.com",
        "%{lr-}.lp.%{ir}.%{v}._spf.%{d2}": "bad.strong.lp.3.2.0.192.in-addr._spf.example.com",
        "%{d2}.trusted-domains.example.net": "example.com.trusted-domains.example.net",
    }.items(),
)
def test_the_macros_of_rfc_7208_section_7_4(text, expected):
    from ipaddress import ip_address

    one = Evaluation(ip_address("192.0.2.3"), "strong-bad@email.example.com", "x.example", lambda *_: None)  # type: ignore[arg-type, return-value]
    assert expand(text, one, "email.example.com") == expected
    six = Evaluation(ip_address("2001:db8::cb01"), "strong-bad@email.example.com", "x", lambda *_: None)  # type: ignore[arg-type, return-value]
    assert expand("%{ir}.%{v}._spf.%{d2}", six, "email.example.com") == (
        "1.0.b.c.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.8.b.d.0.1.0.0.2.ip6._spf.example.com"
    )


def test_ten_names_may_be_asked_for_and_an_eleventh_spoils_the_line():
    """RFC 7208 section 4.6.4; counted the same by checkdmarc, which asks nobody when it is given the record."""
    ten = "v=spf1 " + " ".join(f"a:n{n}.example.com" for n in range(10)) + " -all"
    zone = {**ZONE, **{(f"n{n}.example.com", "A"): ["192.0.2.1"] for n in range(11)}}
    none = {
        **zone,
        ("example.com", "TXT"): ["v=spf1 include:a.example.com -all"],
        ("a.example.com", "TXT"): [ten],
    }
    for names in asking({**zone, ("example.com", "TXT"): [ten]}):
        assert all_lookups("example.com", names)[0] == 10
        # With nobody to ask it counts the terms alone, as they stand.
        count = parse_spf_record(ten, "example.com", nameservers=["127.0.0.1"], timeout=0.01)
        assert count["dns_lookups"] == 10
    for names in asking(none):
        with pytest.raises(PermError, match="more than 10"):
            all_lookups("example.com", names)
        assert check_host("192.0.2.200", "example.com", "", "", names).result == "permerror"


@pytest.mark.parametrize(
    ("records", "result"),
    [
        (["v=spf1 -all", "v=spf1 +all"], "permerror"),
        (["v=spf1 ip4:300.1.1.1 -all"], "permerror"),
        (["v=spf1 include:nothing.example.com -all"], "permerror"),
        (["v=spf1 redirect=amy.example.com"], "permerror"),
        (["v=spf1 unknown:thing -all"], "permerror"),
        (["v=spf1 a:v1.example.com a:v2.example.com a:v3.example.com ?all"], "permerror"),
        (["v=spf10 -all", "something else"], "none"),
        (["v=spf1 ?all"], "neutral"),
        (["v=spf1 ~all"], "softfail"),
        (["v=spf1 moo=bar -all"], "fail"),
    ],
)
def test_results_of_rfc_7208_section_2_6(records, result):
    for names in asking({**ZONE, ("example.com", "TXT"): records}):
        assert (
            check_host("192.0.2.200", "example.com", "bob@example.com", "x.example", names).result == result
        )


def test_the_policy_of_the_organizational_domain_holds_below_it():
    zone = {
        ("_dmarc.example.com", "TXT"): ["v=DMARC1; p=reject; sp=quarantine"],
        ("example.com", "A"): ["192.0.2.1"],
    }
    for names in asking(zone):
        assert dmarc_record("news.example.com", names) == (
            "v=DMARC1; p=reject; sp=quarantine",
            "_dmarc.example.com",
        )
        said = next(
            one for one in look_at("a@news.example.com", None, names) if one.about == "dmarc"
        ).sentence
        assert "put with the unwanted ones" in said


def test_the_demo_school_is_signed_and_named_and_lacks_one_line(demo):
    found = {
        one.about: one
        for one in look_at("ines@mallowlane.example", "smtp.post.example", demo, selector="bees")
    }
    assert {name: found[name].state for name in ("mx", "spf", "dkim", "dmarc")} == {
        "mx": "good", "spf": "good", "dkim": "good", "dmarc": "mend",
    }  # fmt: skip
    elsewhere = {one.about: one for one in look_at("ines@mallowlane.example", "mx.post.example", demo)}
    assert (
        elsewhere["spf"].state == "good"
    )  # its addresses are not in it, but what names them is there already
