"""SPF (RFC 7208): which machines may post for a domain, evaluated as receivers do, within the limits that they keep.

Longer than some, since sections 4 to 7 are one procedure: find the record, take its terms in order, count what they ask.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from ipaddress import IPv4Address, IPv6Address, ip_address, ip_network
from typing import Literal

from patient_courier.core.upkeep.names import Answer, Ask, Kind

Result = Literal["none", "neutral", "pass", "fail", "softfail", "temperror", "permerror"]
# Section 4.6.4: terms that ask for names, names that lead to nothing, and the names of one MX or PTR.
MOST_LOOKUPS, MOST_VOID, MOST_OF_ONE = 10, 2, 10
_QUALIFIERS: dict[str, Result] = {"+": "pass", "-": "fail", "~": "softfail", "?": "neutral"}
_TERM = re.compile(
    r"([+\-~?]?)(all|include|a|mx|ptr|ip4|ip6|exists)(?:[:](\S*?))?((?:/\d{1,3})?(?://\d{1,3})?)", re.I
)
_MODIFIER = re.compile(r"([A-Za-z][A-Za-z0-9_.-]*)=(\S*)")
_MACRO = re.compile(r"%\{([slodiphcrtv])(\d*)(r?)([.\-+,/_=]*)\}|%([%_-])|%", re.I)


class PermError(Exception):
    """The record can't be used as it stands (section 2.6.7); the message says why."""


class TempError(Exception):
    """A name could not be asked (section 2.6.6); the message says which."""


@dataclass
class Evaluation:
    """One question to a record: whether this machine may post for this sender; what was asked on the way."""

    ip: IPv4Address | IPv6Address
    sender: str
    helo: str
    ask: Ask
    lookups: int = 0
    void: int = 0
    asked: list[str] = field(default_factory=list)

    def names(self, name: str, kind: Kind) -> tuple[str, ...]:
        answer: Answer = self.ask(name, kind)
        if answer.failed:
            raise TempError(f"{name} could not be asked for {kind}: {answer.failed}")
        if not answer.found:
            self.void += 1
            if self.void > MOST_VOID:
                raise PermError(f"more than {MOST_VOID} of its names lead to nothing; the last is {name}")
        return answer.found

    def count(self, term: str) -> None:
        self.lookups += 1
        self.asked.append(term)
        if self.lookups > MOST_LOOKUPS:
            raise PermError(f"it asks for more than {MOST_LOOKUPS} names; the one too many is {term}")


@dataclass(frozen=True, slots=True)
class Said:
    """What a receiver finds. ``why`` is the term that decided or what is wrong; ``lookups`` is how many names were asked."""

    result: Result
    why: str
    lookups: int


def check_host(ip: str, domain: str, sender: str, helo: str, ask: Ask) -> Said:
    """Section 4: may the machine ``ip`` post for ``sender`` (an address) of ``domain``?"""
    one = Evaluation(ip_address(ip), sender if "@" in sender else f"postmaster@{domain}", helo, ask)
    try:
        result, why = _evaluate(one, domain)
    except PermError as error:
        result, why = "permerror", str(error)
    except TempError as error:
        result, why = "temperror", str(error)
    return Said(result, why, one.lookups)


def record_of(domain: str, ask: Ask) -> str | None:
    """Section 4.5: the SPF record of a domain; None without one. Raises PermError for several, TempError."""
    answer = ask(domain, "TXT")
    if answer.failed:
        raise TempError(f"{domain} could not be asked for TXT: {answer.failed}")
    found = [text for text in answer.found if text.lower() == "v=spf1" or text.lower().startswith("v=spf1 ")]
    if len(found) > 1:
        raise PermError(f"{domain} has {len(found)} SPF lines, and receivers take none of them then")
    return found[0] if found else None


def all_lookups(domain: str, ask: Ask) -> tuple[int, list[str]]:
    """How many names the whole record asks for, and which: the most that a receiver may come to, whoever posts.

    Raises PermError for a record that can't be used, TempError.
    """
    # A machine of the documentation's range (RFC 5737); names that hang on who posts are asked as of that one.
    one = Evaluation(ip_address("192.0.2.255"), f"postmaster@{domain}", domain, ask)
    _walk(one, domain)
    return one.lookups, one.asked


def _walk(one: Evaluation, domain: str) -> None:
    """Ask every term of a record and of those it includes, whether it would decide or not."""
    record = record_of(domain, one.ask)
    if record is None:
        raise PermError(f"it points to {domain}, which has no SPF line")
    terms, redirect = _parse(record)
    for _, kind, value, lengths in terms:
        if kind == "include":
            one.count(f"include:{value}")
            _walk(one, expand(value, one, domain))
        else:
            _matches(one, domain, kind, value, lengths)
    if redirect is not None and not any(kind == "all" for _, kind, _, _ in terms):
        one.count(f"redirect={redirect}")
        _walk(one, expand(redirect, one, domain))


def _evaluate(one: Evaluation, domain: str) -> tuple[Result, str]:
    if not _usable(domain):
        return "none", f"{domain} is no domain"
    record = record_of(domain, one.ask)
    if record is None:
        return "none", f"{domain} has no SPF line"
    terms, redirect = _parse(record)
    for qualifier, kind, value, lengths in terms:
        if _matches(one, domain, kind, value, lengths):
            return _QUALIFIERS[qualifier or "+"], f"{qualifier}{kind}{':' + value if value else ''}{lengths}"
    if redirect is None:
        return "neutral", "nothing in it is about this machine"
    one.count(f"redirect={redirect}")
    target = expand(redirect, one, domain)
    result, why = _evaluate(one, target)
    if result == "none":
        raise PermError(f"it points to {target}, which has no SPF line")
    return result, why


def _parse(record: str) -> tuple[list[tuple[str, str, str, str]], str | None]:
    """The terms in order, as (qualifier, mechanism, value, prefix lengths), and where it redirects to. Raises PermError."""
    terms, redirect, seen = [], None, set()
    for text in record.split()[1:]:
        modifier = _MODIFIER.fullmatch(text)
        if modifier:
            name, value = modifier[1].lower(), modifier[2]
            if name in ("redirect", "exp"):
                if name in seen or not value:
                    raise PermError(f"“{text}” stands there twice or says nothing")
                seen.add(name)
                redirect = value if name == "redirect" else redirect
            continue
        term = _TERM.fullmatch(text)
        if term is None:
            raise PermError(f"“{text}” can't be read")
        kind, value, lengths = term[2].lower(), term[3], term[4]
        if kind in ("include", "exists", "ip4", "ip6") and not value:
            raise PermError(f"“{text}” needs something after the colon")
        if value == "" and kind in ("a", "mx", "ptr"):
            raise PermError(f"“{text}” needs a name after the colon")
        if (kind in ("all", "include", "exists", "ptr") and lengths) or (kind == "all" and value is not None):
            raise PermError(f"“{text}” can't be read")
        if kind in ("ip4", "ip6"):
            _network(kind, value, lengths)
        terms.append((term[1], kind, value or "", lengths))
    return terms, redirect


def _network(kind: str, value: str, lengths: str) -> IPv4Address | IPv6Address:
    try:
        network = ip_network(f"{value}{lengths}", strict=False)
    except ValueError as error:
        raise PermError(f"“{kind}:{value}{lengths}” is no number of a machine") from error
    if network.version != (4 if kind == "ip4" else 6):
        raise PermError(f"“{kind}:{value}{lengths}” is of the other kind")
    return network.network_address


def _matches(one: Evaluation, domain: str, kind: str, value: str, lengths: str) -> bool:
    """Section 5: whether a mechanism is about this machine."""
    match kind:
        case "all":
            return True
        case "ip4" | "ip6":
            return one.ip in ip_network(f"{value}{lengths}", strict=False)
        case _:
            pass
    one.count(f"{kind}:{value}" if value else kind)
    target = expand(value, one, domain) if value else domain
    match kind:
        case "include":
            result, why = _evaluate(one, target)
            if result == "none":
                raise PermError(f"it includes {target}, and {why}")
            return result == "pass"
        case "a":
            return _holds(one, target, lengths)
        case "mx":
            hosts = [text.split()[-1] for text in one.names(target, "MX")]
            if len(hosts) > MOST_OF_ONE:
                raise PermError(f"{target} has more than {MOST_OF_ONE} MX lines")
            return any(_holds(one, host.rstrip("."), lengths, inside=True) for host in hosts if host != ".")
        case "exists":
            return bool(one.names(target, "A"))
        case _:  # ptr, section 5.5
            back = one.ask(one.ip.reverse_pointer, "PTR").found[:MOST_OF_ONE]
            names = [name.rstrip(".").lower() for name in back]
            wanted = target.lower()
            fitting = (name for name in names if name == wanted or name.endswith(f".{wanted}"))
            return any(_holds(one, name, "", inside=True) for name in fitting)


def _holds(one: Evaluation, name: str, lengths: str, *, inside: bool = False) -> bool:
    """Whether one of a name's addresses, with the bits that count, is this machine. ``inside`` an MX or PTR none is void."""
    kind: Kind = "A" if one.ip.version == 4 else "AAAA"
    if inside:
        answer = one.ask(name, kind)
        if answer.failed:
            raise TempError(f"{name} could not be asked for {kind}: {answer.failed}")
        found = answer.found
    else:
        found = one.names(name, kind)
    four, _, six = (
        lengths.lstrip("/").partition("//") if not lengths.startswith("//") else ("", "", lengths[2:])
    )
    bits = (four or "32") if one.ip.version == 4 else (six or "128")
    if int(bits) > one.ip.max_prefixlen:
        raise PermError(f"“{lengths}” is longer than a number")
    return any(one.ip in ip_network(f"{address}/{bits}", strict=False) for address in found)


def expand(text: str, one: Evaluation, domain: str) -> str:
    """Section 7: macros in a name filled in. Raises PermError for what is none."""
    local, _, of = one.sender.rpartition("@")
    dotted = ".".join(one.ip.exploded.replace(":", "")) if one.ip.version == 6 else str(one.ip)
    values = {
        "s": one.sender,
        "l": local or "postmaster",
        "o": of,
        "d": domain,
        "i": dotted,
        "p": "unknown",
        "v": "in-addr" if one.ip.version == 4 else "ip6",
        "h": one.helo,
        "c": str(one.ip),
        "r": "unknown",
        "t": "0",
    }

    def fill(found: re.Match[str]) -> str:
        if found[5]:
            return {"%": "%", "_": " ", "-": "%20"}[found[5]]
        if found[1] is None:
            raise PermError(f"“{text}” has a % that means nothing")
        parts = re.split(f"[{re.escape(found[4] or '.')}]", values[found[1].lower()])
        if found[3]:
            parts.reverse()
        if found[2]:
            if int(found[2]) == 0:
                raise PermError(f"“{text}” asks for no part of a name")
            parts = parts[-int(found[2]) :]
        return ".".join(parts)

    filled = _MACRO.sub(fill, text).rstrip(".")
    # Section 7.3: what is longer than a name may be loses its left labels.
    while len(filled) > 253 and "." in filled:
        filled = filled.partition(".")[2]
    return filled


def _usable(domain: str) -> bool:
    labels = domain.rstrip(".").split(".")
    return len(labels) > 1 and all(0 < len(label) <= 63 for label in labels)
