"""What the domain of the school's address says to receivers of its letters: MX, SPF, DKIM, DMARC; and what to publish."""

from __future__ import annotations

import re
from base64 import b64decode
from dataclasses import dataclass
from typing import Literal

from patient_courier.core.upkeep import spf
from patient_courier.core.upkeep.alignment import Shown, aligned, organizational, tags_of
from patient_courier.core.upkeep.names import Ask

State = Literal["good", "mend", "unknown"]
# Who is told by e-mail to publish; a selector as RFC 6376 has it.
_SELECTOR = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9._-]{0,62})")
# How long the public part of an RSA key of 1,024 and of 2,048 bits is, in bytes (RFC 8301 asks for the former at least).
_SHORT_KEY, _GOOD_KEY = 162, 294


@dataclass(frozen=True, slots=True)
class Publish:
    """A line for the domain's names, as their page asks for it."""

    name: str
    kind: str
    value: str


@dataclass(frozen=True, slots=True)
class Found:
    """One thing about the domain: how it stands, in a sentence, with what is there now and what to publish."""

    about: Literal["mx", "spf", "dkim", "dmarc", "unknown"]
    state: State
    sentence: str
    there: str | None = None
    publish: Publish | None = None


def look_at(
    address: str, server: str | None, ask: Ask, *, selector: str | None = None, shown: Shown | None = None
) -> list[Found]:
    """Everything about the domain of an address that letters come from. ``server`` is whom they are handed to."""
    domain = address.rpartition("@")[2].encode("idna").decode().lower()
    selector = (shown.selector if shown else None) or selector
    signer = (shown.signer if shown else None) or domain
    return [
        _mx(domain, ask),
        _spf(domain, server, ask),
        _dkim(domain, signer, selector, ask),
        _dmarc(domain, address, ask),
        *_shown(domain, shown, ask),
        Found(
            "unknown",
            "unknown",
            "What can't be known from here: from which machines your provider really posts, and how each receiver weighs it. "
            "A letter that has arrived says that: paste its source above.",
        ),
    ]


def _mx(domain: str, ask: Ask) -> Found:
    answer = ask(domain, "MX")
    if answer.failed:
        return Found(
            "mx", "unknown", f"The mail servers of {domain} could not be asked for: {answer.failed}."
        )
    if answer.found and all(text.split()[-1] == "." for text in answer.found):
        return Found(
            "mx",
            "mend",
            f"{domain} says that it takes no mail at all (RFC 7505), so answers and bounces are lost.",
        )
    if answer.found:
        return Found(
            "mx", "good", f"{domain} takes mail, so answers and bounces arrive.", ", ".join(answer.found)
        )
    if ask(domain, "A").found or ask(domain, "AAAA").found:
        return Found(
            "mx",
            "mend",
            f"{domain} names no mail server. Mail is tried at its web address then, which is seldom right.",
            publish=Publish(domain, "MX", "10 the mail server that your provider names"),
        )
    return Found(
        "mx",
        "mend",
        f"{domain} can't get mail, so answers and bounces are lost, and many receivers refuse what comes from it.",
        publish=Publish(domain, "MX", "10 the mail server that your provider names"),
    )


def _spf(domain: str, server: str | None, ask: Ask) -> Found:
    try:
        record = spf.record_of(domain, ask)
        if record is None:
            return Found(
                "spf",
                "mend",
                f"{domain} does not say who may post for it. Some receivers refuse such letters.",
                publish=Publish(domain, "TXT", f"v=spf1 {_term_for(domain, server, ask)} ~all"),
            )
        lookups, _ = spf.all_lookups(domain, ask)
    except spf.TempError as error:
        return Found("spf", "unknown", f"The SPF line could not be looked at: {error}.")
    except spf.PermError as error:
        there = " | ".join(ask(domain, "TXT").found) or None
        said = f"The SPF line can't be used, so receivers take none: {error}. Keep a single line with fewer terms."
        return Found("spf", "mend", said, there)
    if re.search(r"(^|\s)\+?all(\s|$)", record):
        said = "The SPF line lets every machine in the world post for you. Write ~all at its end."
        better = re.sub(r"\+?\ball\b", "~all", record)
        return Found("spf", "mend", said, record, Publish(domain, "TXT", better))
    addresses = _addresses(server, ask)
    passes = [
        spf.check_host(ip, domain, f"postmaster@{domain}", server or domain, ask).result for ip in addresses
    ]
    term = _term_for(domain, server, ask)
    names = f"{lookups} of {spf.MOST_LOOKUPS} names asked for"
    if addresses and "pass" not in passes and term not in record.split():
        added = re.sub(r"(\s[?~-]?all)?\s*$", "", record)
        end = record[len(added) :].strip() or "~all"
        said = (
            f"The SPF line does not name {server}, to which letters are handed. If your provider posts from there, add it; "
            "if it posts from elsewhere, its page says what to add."
        )
        return Found(
            "spf", "mend", f"{said} ({names}.)", record, Publish(domain, "TXT", f"{added} {term} {end}")
        )
    said = f"The SPF line can be used ({names})"
    about = f", and names {server}." if server and (passes or term in record.split()) else "."
    return Found("spf", "good", said + about, record)


def _addresses(server: str | None, ask: Ask) -> list[str]:
    if server is None:
        return []
    return [*ask(server, "A").found, *ask(server, "AAAA").found]


def _term_for(domain: str, server: str | None, ask: Ask) -> str:
    """What names the server's machines in an SPF line: what its own domain publishes for that, or its addresses."""
    if server is None:
        return "mx"
    above = organizational(server)
    if above != organizational(domain):
        for name in (f"_spf.{above}", f"spf.{above}", above):
            try:
                if spf.record_of(name, ask):
                    return f"include:{name}"
            except (spf.PermError, spf.TempError):
                continue
    return f"a:{server}"


def _dkim(domain: str, signer: str, selector: str | None, ask: Ask) -> Found:
    if not selector:
        return Found(
            "dkim",
            "unknown",
            "Whether letters are signed can only be told from one that has arrived: paste its source, or give the selector "
            "that your provider names.",
        )
    if not _SELECTOR.fullmatch(selector):
        return Found(
            "dkim", "unknown", f"“{selector[:60]}” is no selector: it is a short word such as mail or s1."
        )
    name = f"{selector}._domainkey.{signer}"
    answer = ask(name, "TXT")
    if answer.failed:
        return Found("dkim", "unknown", f"The key at {name} could not be asked for: {answer.failed}.")
    found = [tags_of(text) for text in answer.found if "p" in tags_of(text)]
    if not found:
        said = f"There is no key at {name}. Receivers can't check the signature then."
        return Found(
            "dkim",
            "mend",
            said,
            publish=Publish(name, "TXT", "v=DKIM1; k=rsa; p= the key that your provider shows"),
        )
    key = found[0]
    there = answer.found[0]
    if not key["p"]:
        return Found(
            "dkim",
            "mend",
            f"The key at {name} has been withdrawn. Publish the newer one of your provider.",
            there,
        )
    if key.get("k", "rsa") == "rsa":
        try:
            length = len(b64decode(key["p"].replace(" ", ""), validate=True))
        except ValueError:
            return Found(
                "dkim",
                "mend",
                f"The key at {name} is cut or has a slip in it. Copy it once more, whole.",
                there,
            )
        if length < _SHORT_KEY:
            return Found(
                "dkim",
                "mend",
                f"The key at {name} is too short to be taken (RFC 8301). Ask for one of 2,048 bits.",
                there,
            )
        if length < _GOOD_KEY:
            return Found(
                "dkim",
                "good",
                f"There is a key at {name}. It is short; ask for one of 2,048 bits one day.",
                there,
            )
    if not aligned(domain, signer, "r"):
        said = f"Letters are signed for {signer}, which is not {domain}: DMARC does not count that. Switch signing on for {domain}."
        return Found("dkim", "mend", said, there)
    return Found("dkim", "good", f"There is a key at {name}, for checking the signature.", there)


def dmarc_record(domain: str, ask: Ask) -> tuple[str | None, str]:
    """RFC 7489 section 6.6.3: the policy that holds for a domain, and where it stands. Raises spf.TempError."""
    place = f"_dmarc.{domain}"
    for name in dict.fromkeys((place, f"_dmarc.{organizational(domain)}")):
        answer = ask(name, "TXT")
        if answer.failed:
            raise spf.TempError(f"{name} could not be asked for TXT: {answer.failed}")
        found = [text for text in answer.found if re.match(r"v\s*=\s*DMARC1\s*(;|$)", text)]
        if len(found) == 1:
            return found[0], name
        if len(found) > 1:
            return None, name
    return None, place


def _dmarc(domain: str, address: str, ask: Ask) -> Found:
    try:
        record, place = dmarc_record(domain, ask)
    except spf.TempError as error:
        return Found("dmarc", "unknown", f"The DMARC line could not be looked at: {error}.")
    fresh = Publish(place, "TXT", f"v=DMARC1; p=none; rua=mailto:{address}")
    if record is None:
        several = len([text for text in ask(place, "TXT").found if text.startswith("v=DMARC1")]) > 1
        if several:
            return Found(
                "dmarc", "mend", f"{place} has several DMARC lines, so receivers take none. Keep one."
            )
        said = (
            "There is no DMARC line. Large receivers ask for one from everybody who posts much. This one changes nothing and has "
            "reports sent to you; when these look well, write p=quarantine."
        )
        return Found("dmarc", "mend", said, publish=fresh)
    tags = tags_of(record)
    policy = tags.get("sp") if place != f"_dmarc.{domain}" and "sp" in tags else tags.get("p")
    if policy not in ("none", "quarantine", "reject"):
        return Found(
            "dmarc",
            "mend",
            "The DMARC line has no p= that receivers know. Write p=none to begin with.",
            record,
            fresh,
        )
    says = {
        "none": "asks for nothing to be done with letters that fail",
        "quarantine": "has letters that fail put with the unwanted ones",
        "reject": "has letters that fail refused",
    }[policy]
    strict = [name for tag, name in (("aspf", "SPF"), ("adkim", "DKIM")) if tags.get(tag, "r").lower() == "s"]
    only = f" It asks {' and '.join(strict)} to agree with {domain} to the letter." if strict else ""
    return Found("dmarc", "good", f"The DMARC line {says}.{only}", record)


def _shown(domain: str, shown: Shown | None, ask: Ask) -> list[Found]:
    """What the receiver of a letter that arrived has found."""
    if shown is None:
        return []
    by = f"{shown.by} found: " if shown.by else "The receiver found: "
    parts = [
        f"{name} {said}"
        for name, said in (("SPF", shown.spf), ("DKIM", shown.dkim), ("DMARC", shown.dmarc))
        if said
    ]
    if not parts:
        said = "The letter that arrived says nothing about SPF, DKIM and DMARC: its receiver does not write that down."
        return [Found("unknown", "unknown", said)]
    wrong = [x for x in (shown.spf, shown.dkim, shown.dmarc) if x and x != "pass"]
    return [Found("unknown", "mend" if wrong else "good", f"{by}{', '.join(parts)}.")]
