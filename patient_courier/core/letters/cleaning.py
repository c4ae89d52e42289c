"""The gate for HTML that a letter or a layout is written in: only what mail needs, and nothing that acts."""

from __future__ import annotations

import re
from html import unescape

import nh3

from patient_courier.core.school.looks import PICTURES
from patient_courier.core.school.text import clean_text

TEXT_TAGS = {
    "p", "br", "strong", "b", "em", "i", "u", "a", "ul", "ol", "li", "h2", "h3", "blockquote", "img",
}  # fmt: skip
# Elements whose content is never text of a letter.
_UNREAD = {"script", "style", "title", "noscript", "template"}
_TAG = re.compile(r"<(/?)([a-zA-Z][a-zA-Z0-9]*)")
# Tags without an end of their own (HTML, sections 13.1.2 and 13.1.2.4).
_CLOSE_THEMSELVES = {
    "area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr",
    "html", "head", "body", "p", "li", "dt", "dd", "option", "thead", "tbody", "tfoot", "tr", "td", "th",
}  # fmt: skip
_NESTING = re.compile(r"</?(?!(?:p|br|hr)\b)[a-zA-Z][^<>]*>?")
DEEPEST = 200
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
        _flat_enough(html),
        tags=TEXT_TAGS,
        attributes=_TEXT_ATTRIBUTES,
        attribute_filter=_text_attribute,
        url_schemes={"http", "https", "mailto"},
        link_rel=None,
    )
    return clean_text(found)


def plain_markup(html: str, tags: set[str]) -> str:
    """HTML from anywhere as well-formed markup of these tags, without what is not read: styles, scripts, comments, titles.

    Attributes are those of text; none holds a ``<``, so that tags can be looked for as text.
    """
    return nh3.clean(
        _flat_enough(html),
        tags=tags,
        clean_content_tags=_UNREAD,
        attributes=_TEXT_ATTRIBUTES,
        attribute_filter=lambda tag, name, value: value.replace("<", ""),
        url_schemes={"http", "https", "mailto"},
        link_rel=None,
    )


def title_of(html: str) -> str:
    """The text of the title that HTML has in its head, or nothing."""
    return unescape(next(iter(_inside(html, "title")), ""))


def _inside(html: str, tag: str) -> list[str]:
    """What stands in each element of a kind whose content is text (title, style)."""
    found = nh3.clean(
        _flat_enough(html), tags={tag}, clean_content_tags=_UNREAD - {tag}, attributes={}, strip_comments=True
    )
    return [piece.partition(f"</{tag}>")[0] for piece in found.split(f"<{tag}>")[1:]]


def _flat_enough(html: str) -> str:
    """The HTML as it is; what is nested deeper than any text keeps its paragraphs only.

    Whoever reads it takes time for each level that is open, so this is asked of the text before it is read.
    """
    depth = 0
    for tag in _TAG.finditer(html):
        if tag[2].lower() not in _CLOSE_THEMSELVES:
            depth += -1 if tag[1] else 1
        if depth > DEEPEST:
            return _NESTING.sub("", html)
    return html


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
# What in a style sheet could load or run something, or end it early.
_LOADING = re.compile(r"@import[^;}]*;?|url\s*\([^)]*\)?", re.IGNORECASE)
_BAD_STYLE = re.compile(
    r"@import|expression\s*\(|url\s*\(|javascript:|behavior\s*:|-moz-binding|<", re.IGNORECASE
)


def clean_frame(html: str) -> tuple[str, str]:
    """A pasted frame as (style sheet, what stands in its body): tables, texts, pictures; nothing that runs or loads by itself."""
    sheets = [_BAD_STYLE.sub("", _LOADING.sub("", sheet)) for sheet in _inside(html, "style")]
    body = nh3.clean(
        _flat_enough(html),
        tags=_FRAME_TAGS,
        clean_content_tags=_UNREAD,
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
