"""Header fields of a message: what goes into one passes here, and nothing in it is decoded or runs on into the next.

Names and subjects are data. Text that is plain goes out as it is; anything else, a text that looks like an encoded word
included, becomes encoded words (RFC 2047), so that a reader sees exactly what was given.
"""

from __future__ import annotations

import re
from base64 import b64encode
from functools import lru_cache

import idna

from patient_courier.core.school.courses import check_email
from patient_courier.core.school.text import clean_line

# RFC 2047 section 2: an encoded word has at most 75 characters, a line that holds one at most 76.
_WORD, _LINE = 75, 76
_FRAME = len("=?utf-8?q?") + len("?=")
# RFC 5322 section 2.1.1.
_LONGEST_LINE = 998
# RFC 5322 section 3.2.3: words of a phrase that need no quotation marks.
_ATOMS = re.compile(r"[A-Za-z0-9!#$%&'*+\-/=?^_`{|}~]+( [A-Za-z0-9!#$%&'*+\-/=?^_`{|}~]+)*")
# An address that needs no second look: atoms of RFC 5322 section 3.4.1 at a host of RFC 1123 section 2.1.
_USUAL = re.compile(
    r"[a-z0-9_+-]{1,20}(\.[a-z0-9_+-]{1,20}){0,2}@([a-z0-9]([a-z0-9-]{0,40}[a-z0-9])?\.){1,4}[a-z]{2,20}",
    re.IGNORECASE | re.ASCII,
)
# RFC 2047 section 5, rule 3: what stands for itself in an encoded word of a phrase.
_SAFE = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789!*+-/")


class Unfit(ValueError):
    """Something that can't stand in a header or an envelope; the message says what."""


def text_field(name: str, value: str) -> bytes:
    """A field of running text, such as the subject, folded, with its line end."""
    value = clean_line(value).strip()
    return _field(name, value if _is_plain(value) and len(value) <= _LINE - len(name) - 2 else None, value)


def address_field(name: str, people: list[tuple[str, str]]) -> bytes:
    """A field of addresses, ``people`` as (name, address). Raises Unfit for an address that no server takes."""
    first = len(name) + 2
    written: list[str] = []
    for called, address in people:
        written.append(_mailbox(clean_line(called).strip(), address, first if not written else 1))
    return structured_field(name, ",\r\n ".join(written))


def structured_field(name: str, value: str) -> bytes:
    """A field whose value is already in its standard's form. Raises Unfit when it would not stay one field."""
    for line in value.split("\r\n "):
        if not (line.isprintable() and len(line) + len(name) + 3 <= _LONGEST_LINE):
            raise Unfit(f"“{clean_line(line)[:60]}” can't stand in the header {name}")
    return f"{name}: {value}\r\n".encode()


def _field(name: str, plain: str | None, value: str) -> bytes:
    return structured_field(name, plain if plain is not None else encoded_words(value, len(name) + 2))


def _mailbox(called: str, address: str, first: int) -> str:
    wire = wire_address(address)
    if not called:
        return wire
    if _is_plain(called) and len(called) < _LINE - 30:
        phrase = called if _ATOMS.fullmatch(called) else '"' + re.sub(r'(["\\])', r"\\\1", called) + '"'
    else:
        phrase = encoded_words(called, first)
    gap = " " if first + len(phrase.rpartition("\r\n")[2]) + len(wire) + 3 <= _LINE else "\r\n "
    return f"{phrase}{gap}<{wire}>"


def _is_plain(value: str) -> bool:
    """Printable ASCII that no reader takes for something else, and that folding would not change."""
    return value.isascii() and value.isprintable() and "=?" not in value and "  " not in value


@lru_cache(maxsize=1024)
def encoded_words(value: str, first: int) -> str:
    """The text as encoded words, folded; ``first`` characters stand in front of it in its line."""
    raw = value.encode()
    quoted = sum(byte not in _SAFE and byte != 32 for byte in raw) * 3 < len(raw)
    words, room = [], min(_WORD, _LINE - first) - _FRAME
    held = b""
    for character in value:
        more = held + character.encode()
        if _length(more, quoted) > room and held:
            words.append(_word(held, quoted))
            held, room = character.encode(), _WORD - _FRAME
        else:
            held = more
    words.append(_word(held, quoted))
    return "\r\n ".join(words)


def _length(raw: bytes, quoted: bool) -> int:
    if not quoted:
        return (len(raw) + 2) // 3 * 4
    return sum(1 if byte in _SAFE or byte == 32 else 3 for byte in raw)


def _word(raw: bytes, quoted: bool) -> str:
    if not quoted:
        return f"=?utf-8?b?{b64encode(raw).decode()}?="
    text = "".join(chr(b) if b in _SAFE else "_" if b == 32 else f"={b:02X}" for b in raw)
    return f"=?utf-8?q?{text}?="


@lru_cache(maxsize=4096)
def wire_address(address: str) -> str:
    """The address as a mail server gets it, its domain in ASCII (RFC 5891). Raises Unfit."""
    if _USUAL.fullmatch(address) and len(address) < 250:
        return address
    try:
        name, _, domain = check_email(address).rpartition("@")
        if not domain.isascii():
            domain = idna.encode(domain, uts46=True).decode()
    except (ValueError, UnicodeError) as error:
        raise Unfit(str(error)) from error
    return f"{name}@{domain}"
