"""The one gate for text that comes from outside: names, titles, addresses, running text, keys.

What no mail, page or file can carry is taken out (control characters, half
characters, code points that stand for no character) and the rest is brought
into Unicode's composed form (NFC, UAX #15), so that the same name is the same
text wherever it came from. Keys and addresses are refused instead: they must
stay what the other side calls them.
"""

from __future__ import annotations

import re
import unicodedata
from typing import Annotated

from pydantic import AfterValidator, BeforeValidator, Field

# Control characters but tab and line feed, halves of surrogate pairs, and code points that are no
# characters (Unicode 23.7): XML 1.0 (section 2.2) can't hold most of them, and no mail should.
_UNFIT = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff]")
# Everything that some program takes for the end of a line, and tabs.
_BREAKS = re.compile("[\t\r\n\x0b\x0c\x1c\x1d\x1e\x85\u2028\u2029]+")
_LINE_ENDS = re.compile("\r\n?|[\x0b\x0c\x1c\x1d\x1e\x85\u2028\u2029]")
_HALVES = re.compile("[\ud800-\udfff]")


def clean_line(value: str) -> str:
    """Text for one line: breaks become a space, what can't be carried is left out, composed (NFC)."""
    if value.isascii() and value.isprintable():
        return value
    return unicodedata.normalize("NFC", _UNFIT.sub("", _BREAKS.sub(" ", value)))


def clean_text(value: str) -> str:
    """Text of any number of lines: line ends become ``\\n``, what can't be carried is left out, composed (NFC)."""
    if value.isascii() and value.isprintable():
        return value
    return unicodedata.normalize("NFC", _UNFIT.sub("", _LINE_ENDS.sub("\n", value)))


def without_halves(value: str) -> str:
    """The text with U+FFFD where half of a surrogate pair stands, so that it can be encoded at all."""
    return _HALVES.sub("\ufffd", value)


def shortened(value: str, most: int = 80) -> str:
    """The text fit to be named in a sentence: one clean line, cut where it is long."""
    line = clean_line(value)
    return line if len(line) <= most else line[: most - 1] + "…"


def is_fit(value: str) -> bool:
    """Whether the gate would let this line through as it is, form aside."""
    return not (_UNFIT.search(value) or _BREAKS.search(value))


def _fit_key(value: str) -> str:
    if not is_fit(value):
        raise ValueError("a key has no line breaks, control characters or halves of characters in it")
    return value


def _fit_address(value: str) -> str:
    if not is_fit(value):
        raise ValueError("a web address has no line breaks or control characters in it")
    return value


def _if_text(value: object) -> object:
    return clean_line(value) if isinstance(value, str) else value


Line = Annotated[str, AfterValidator(clean_line)]
Text = Annotated[str, AfterValidator(clean_text)]
# Cleaned before its length is looked at: a title of nothing but control characters is empty.
FilledLine = Annotated[str, Field(min_length=1), BeforeValidator(_if_text)]
AddressText = Annotated[str, AfterValidator(_fit_address)]
KeyText = Annotated[str, AfterValidator(_fit_key)]
