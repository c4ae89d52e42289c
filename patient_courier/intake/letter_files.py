"""Letters from files: a saved mail (.eml), HTML or Markdown becomes a subject and blocks."""

from __future__ import annotations

import re
from dataclasses import dataclass
from email import message_from_bytes
from email.message import EmailMessage
from html import escape
from typing import Any

from charset_normalizer import from_bytes
from cmarkgfm import markdown_to_html
from cmarkgfm.cmark import Options

from patient_courier.core.letters.cleaning import TEXT_TAGS, clean, plain_markup, title_of
from patient_courier.core.school.text import clean_line, clean_text
from patient_courier.intake.mail_bounds import BoundedMail, has_many_parts

# What only tables and boxes hold apart stays apart as paragraphs.
_CELLS = ("td", "tr", "table", "div", "section", "article", "h1", "h4", "h5", "h6")
_EMPTY = re.compile(r"<p[^>]*>(?:\s|&nbsp;|<br>)*</p>")
_FIRST_HEADING = re.compile(r"\A\s*#\s+(.+)$", re.MULTILINE)


class NoLetter(ValueError):
    """A file that no letter can be made of; the message says what to do."""


@dataclass(frozen=True, slots=True)
class Read:
    """What stands in the file: a subject, perhaps empty, and blocks in the form of the school file."""

    subject: str
    blocks: list[dict[str, Any]]


def read_letter_file(name: str, raw: bytes) -> Read:
    """A letter from a file; its kind is told by the end of its name. Raises NoLetter."""
    ending = name.lower().rpartition(".")[2]
    match ending:
        case "eml":
            return _from_mail(raw)
        case "html" | "htm":
            return _from_html(_decoded(raw))
        case "md" | "markdown" | "txt":
            return _from_markdown(_decoded(raw))
        case _:
            raise NoLetter(
                "Letters come in as .eml, .html or .md files. Save it as one of these and try again."
            )


def _from_mail(raw: bytes) -> Read:
    if has_many_parts(raw):
        raise NoLetter("This mail has too many parts. Copy its text into a letter instead.")
    try:
        mail = message_from_bytes(raw, policy=BoundedMail())
        assert isinstance(mail, EmailMessage)
        part = mail.get_body(("html", "plain"))
        text = part.get_content() if part is not None else ""
        subject = clean_line(str(mail["Subject"] or ""))
    except (LookupError, ValueError, AssertionError, AttributeError, RecursionError) as error:
        raise NoLetter("This mail can't be read: its text is in a form that nobody knows.") from error
    if part is None or not str(text).strip():
        raise NoLetter("There is no text in this mail.")
    found = (
        _from_html(str(text)).blocks
        if part.get_content_type() == "text/html"
        else _text_blocks(_paragraphs(str(text)))
    )
    return Read(subject, found)


def _from_html(text: str) -> Read:
    inside = plain_markup(text, {*TEXT_TAGS, *_CELLS, "hr"})
    for tag in _CELLS:
        inside = inside.replace(f"</{tag}>", f"</{tag}><p></p>")
    return Read(clean_line(title_of(text)).strip(), _text_blocks(inside))


def _from_markdown(text: str) -> Read:
    heading = _FIRST_HEADING.match(text)
    subject = clean_line(heading[1]).strip() if heading else ""
    rest = text[heading.end() :] if heading else text
    html = markdown_to_html(rest, options=Options.CMARK_OPT_UNSAFE)  # cleaned like all HTML
    return Read(subject, _text_blocks(plain_markup(html, {*TEXT_TAGS, "hr"})))


def _paragraphs(text: str) -> str:
    found = [part.strip() for part in re.split(r"\n\s*\n", clean_text(text)) if part.strip()]
    return "".join(f"<p>{escape(part).replace(chr(10), '<br>')}</p>" for part in found)


def _text_blocks(html: str) -> list[dict[str, Any]]:
    """Markup out of plain_markup, cleaned, cut where a line stood across it."""
    found: list[dict[str, Any]] = []
    for piece in html.split("<hr>"):
        text = _EMPTY.sub("", clean(piece)).strip()
        if not text:
            continue
        if found:
            found.append({"kind": "divider"})
        found.append({"kind": "text", "html": text if text.startswith("<") else f"<p>{text}</p>"})
    if not found:
        raise NoLetter("There is no text in this file.")
    return found


def _decoded(raw: bytes) -> str:
    """The text of a file: UTF-8, or what its bytes look most like."""
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        best = from_bytes(raw).best()
        if best is None:
            raise NoLetter(
                "The letters of this file can't be told. Save it as UTF-8 and try again."
            ) from None
        return str(best)
