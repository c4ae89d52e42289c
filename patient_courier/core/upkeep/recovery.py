"""The recovery phrase: twelve words (BIP-39) from which the key that opens encrypted copies is made, and nothing else.

The phrase stands for 128 bits drawn by lot; the key is derived from them by HKDF (RFC 5869), so the phrase alone suffices
on a new machine, and nothing on the old one can open a copy. The key is one of age (age-encryption.org/v1): its own
program reads it.
"""

from __future__ import annotations

import hmac
from functools import cache
from hashlib import sha256

from mnemonic import Mnemonic
from pyrage import x25519

_SALT, _PURPOSE = b"patient-courier", b"copies of a school, key 1"
_LETTERS = "qpzry9x8gf2tvdw0s3jn54khce6mua7l"
_PREFIX = "age-secret-key-"


@cache
def _words() -> Mnemonic:
    return Mnemonic("english")


def fresh_phrase() -> str:
    """Twelve words, drawn by lot."""
    return str(_words().generate(128))


def key_of(phrase: str) -> x25519.Identity:
    """The key that a phrase stands for. Raises ValueError with what to do when a word is wrong or missing."""
    words = phrase.lower().split()
    if len(words) != 12:
        raise ValueError(f"The recovery phrase has twelve words; these are {len(words)}.")
    unknown = [word for word in words if word not in _words().wordlist]
    if unknown:
        raise ValueError(f"“{unknown[0][:40]}” is none of the words of such phrases. Look for a slip.")
    if not _words().check(" ".join(words)):
        raise ValueError(
            "These words do not make a recovery phrase: one is another word, or two have changed places."
        )
    entropy = bytes(_words().to_entropy(words))
    return x25519.Identity.from_str(_bech32(_hkdf(entropy)).upper())


def _hkdf(entropy: bytes) -> bytes:
    """RFC 5869, for one block: thirty-two bytes."""
    middle = hmac.digest(_SALT, entropy, sha256)
    return hmac.digest(middle, _PURPOSE + b"\x01", sha256)


def _bech32(data: bytes) -> str:
    """BIP-173 without its bound on the length, as age has it."""
    bits = "".join(f"{byte:08b}" for byte in data)
    bits += "0" * (-len(bits) % 5)
    values = [int(bits[at : at + 5], 2) for at in range(0, len(bits), 5)]
    spread = [ord(c) >> 5 for c in _PREFIX] + [0] + [ord(c) & 31 for c in _PREFIX]
    check = _polymod(spread + values + [0] * 6) ^ 1
    values += [(check >> 5 * (5 - at)) & 31 for at in range(6)]
    return f"{_PREFIX}1{''.join(_LETTERS[value] for value in values)}"


def _polymod(values: list[int]) -> int:
    found = 1
    for value in values:
        top = found >> 25
        found = (found & 0x1FFFFFF) << 5 ^ value
        for at, generator in enumerate((0x3B6A57B2, 0x26508E6D, 0x1EA119FA, 0x3D4233DD, 0x2A1462B3)):
            found ^= generator if (top >> at) & 1 else 0
    return found
