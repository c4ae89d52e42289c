"""Which fonts certificates are set in, and which signs none of them has."""

from __future__ import annotations

import unicodedata
from functools import cache
from importlib import import_module
from pathlib import Path

from fontTools.ttLib import TTCollection, TTFont

FOLDER = Path(__file__).parent / "fonts"
_SCRIPTS = (
    "Arabic", "Hebrew", "Devanagari", "Bengali", "Tamil", "Telugu", "Gujarati", "Gurmukhi", "Kannada", "Malayalam",
    "Sinhala", "Thai", "Lao", "Khmer", "Myanmar", "Ethiopic", "Armenian", "Georgian",
)  # fmt: skip
# Han signs differ by language; simplified Chinese where the language is none of these.
_HAN = {"ja": "JP", "ko": "KR", "zh": "SC"}


def families(language: str) -> list[str]:
    """The fonts to try for each sign, in this order."""
    found = ["Noto Serif", *(f"Noto Sans {script}" for script in _SCRIPTS)]
    if _han() is not None:
        found.append(f"Noto Sans CJK {_HAN.get(language, 'SC')}")
    return found


def folders() -> list[str]:
    """Where the fonts lie: ours, and that of Chinese, Japanese and Korean where the extra “cjk” is installed."""
    han = _han()
    return [str(FOLDER), *([str(han.parent)] if han else [])]


def missing(text: str) -> str:
    """The signs of a text that no font has, each once; signs that are not seen count as had."""
    known = _known()
    signs = dict.fromkeys(unicodedata.normalize("NFC", text))
    return "".join(
        x for x in signs if ord(x) not in known and unicodedata.category(x) not in ("Cf", "Zs", "Mn")
    )


@cache
def _han() -> Path | None:
    try:
        return Path(str(import_module("noto_cjk_sans_otc").FONT_PATH))
    except ImportError:
        return None


@cache
def _known() -> frozenset[int]:
    found: set[int] = set()
    for path in FOLDER.glob("*.ttf"):
        with TTFont(path, lazy=True) as font:
            found |= font.getBestCmap().keys()
    han = _han()
    if han is not None:
        with TTCollection(han, lazy=True) as collection:
            found |= collection.fonts[0].getBestCmap().keys()
    return frozenset(found)
