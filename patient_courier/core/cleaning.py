"""The gate for HTML that a letter or a layout is written in: only what mail needs, and nothing that acts."""

from __future__ import annotations

import re

import nh3

from patient_courier.core.school.looks import PICTURES
from patient_courier.core.school.text import clean_text

TEXT_TAGS = {
    "p", "br", "strong", "b", "em", "i", "u", "a", "ul", "ol", "li", "h2", "h3", "blockquote", "img",
}  # fmt: skip
_ALIGNED = {"p", "h2", "h3"}
_ALIGN = re.compile(r"\s*text-align:\s*(left|center|right)\s*;?\s*")
_PICTURE = re.compile(rf"(https?://|{PICTURES})", re.IGNORECASE)
_TEXT_ATTRIBUTES = {
    "a": {"href"},
    "img": {"src", "alt", "width"},
    **{key: {"style"} for key in _ALIGNED},
}


def clean(html: str) -> str:
    """Simple text markup and nothing else; links only to the web or to a mail address, pictures from the web or from here.

    Cleaned once more afterwards: a character reference can stand for what nothing can carry.
    """
    found = nh3.clean(
        html,
        tags=TEXT_TAGS,
        attributes=_TEXT_ATTRIBUTES,
        attribute_filter=_text_attribute,
        url_schemes={"http", "https", "mailto"},
        link_rel=None,
    )
    return clean_text(found)


def _text_attribute(tag: str, name: str, value: str) -> str | None:
    if name == "style":
        align = _ALIGN.fullmatch(value)
        return f"text-align:{align[1]}" if align else None
    if name == "src":
        return value if _PICTURE.match(value) else None
    if name == "width":
        return value if value.isascii() and value.isdigit() and 0 < int(value[:5]) <= 600 else None
    return value


_FRAME_TAGS = TEXT_TAGS | {
    "table", "thead", "tbody", "tfoot", "tr", "td", "th", "caption", "col", "colgroup", "center", "div", "span",
    "h1", "h4", "hr", "small", "sup", "sub", "font",
}  # fmt: skip
_FRAME_ATTRIBUTES = {
    "*": {
        "style", "class", "id", "align", "valign", "width", "height", "bgcolor", "border", "role", "dir", "lang", "title",
    },
    "table": {"cellpadding", "cellspacing"},
    "td": {"colspan", "rowspan"},
    "th": {"colspan", "rowspan"},
    "a": {"href"},
    "img": {"src", "alt"},
    "font": {"color", "face", "size"},
}  # fmt: skip
_STYLE = re.compile(r"<style\b[^>]*>(.*?)</style\s*>", re.IGNORECASE | re.DOTALL)
# What in a style sheet could load or run something, or end it early.
_LOADING = re.compile(r"@import[^;}]*;?|url\s*\([^)]*\)?", re.IGNORECASE)
_BAD_STYLE = re.compile(
    r"@import|expression\s*\(|url\s*\(|javascript:|behavior\s*:|-moz-binding|<", re.IGNORECASE
)


def clean_frame(html: str) -> tuple[str, str]:
    """A pasted frame as (style sheet, what stands in its body): tables, texts, pictures; nothing that runs or loads by itself."""
    sheets = [_BAD_STYLE.sub("", _LOADING.sub("", sheet)) for sheet in _STYLE.findall(html)]
    body = nh3.clean(
        _STYLE.sub("", html),
        tags=_FRAME_TAGS,
        clean_content_tags={"script", "style", "title", "noscript", "template"},
        attributes=_FRAME_ATTRIBUTES,
        attribute_filter=_frame_attribute,
        url_schemes={"http", "https", "mailto"},
        link_rel=None,
    )
    return clean_text("\n".join(sheets)), clean_text(body)


def _frame_attribute(tag: str, name: str, value: str) -> str | None:
    if name == "style":
        return None if _BAD_STYLE.search(value) else value
    if name == "src":
        return value if _PICTURE.match(value) else None
    return value
