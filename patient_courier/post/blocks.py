"""A letter's blocks as MJML, each in the colours and the type of its layout."""

from __future__ import annotations

import re
from dataclasses import dataclass
from html import escape

from patient_courier.core.engine.block_texts import shown_name
from patient_courier.core.letters.cleaning import clean
from patient_courier.core.letters.merge import Field
from patient_courier.core.school.blocks import (
    AnswersBlock,
    AnyBlock,
    ButtonBlock,
    CertificateBlock,
    ColumnsBlock,
    CourseCardBlock,
    DividerBlock,
    EventBlock,
    NextLessonBlock,
    NoteBlock,
    PictureBlock,
    SignatureBlock,
    SpaceBlock,
    TextBlock,
)
from patient_courier.core.school.looks import PICTURES
from patient_courier.core.school.text import clean_line, clean_text
from patient_courier.core.school.values import THIS
from patient_courier.post.look import Look
from patient_courier.post.marks import ANSWER, CLAIM, CLAIM_LABEL, EVENT, NAME, Marks

SANS = "'Public Sans', Helvetica, Arial, sans-serif"
FACES = {
    "serif": "Literata, Georgia, serif",
    "sans": SANS,
    "typewriter": "'Courier Prime', 'Courier New', Courier, monospace",
}
RADII = {"square": "0", "rounded": "6px", "round": "24px"}
RULE = "#c6d3dc"
_SPACES = {"small": 12, "medium": 28, "large": 56}
_RAW = "<mj-raw>{}</mj-raw>"
_TAG = re.compile(r"<(p|ul|ol|h2|h3|blockquote|a|img)((?: [^>]*)?)>")
_OWN_STYLE = re.compile(r' style="([^"]*)"')


@dataclass(frozen=True, slots=True)
class Drawing:
    """Draws blocks in one look, with one set of marks."""

    look: Look
    marks: Marks

    def column(self, place: str, block: AnyBlock) -> str:
        """A block that stands in a column, behind its condition."""
        found = self._inner(place, block)
        if found and block.only_if is not None:
            return self.marks.section(shown_name(place), found, _RAW)
        return found

    def columns(self, place: str, block: ColumnsBlock) -> str:
        """Two columns as a section of their own; below 480 px they stand below each other."""
        sides = []
        for side in ("left", "right"):
            inner = "".join(
                self.column(f"{place}/{side}/{at}", one) for at, one in enumerate(getattr(block, side))
            )
            sides.append(f'<mj-column width="50%">{inner or "<mj-text> </mj-text>"}</mj-column>')
        section = f'<mj-section css-class="paper" background-color="{self.look.layout.paper}" padding="0 8px">{"".join(sides)}</mj-section>'
        return section if block.only_if is None else self.marks.section(shown_name(place), section, _RAW)

    def _inner(self, place: str, block: AnyBlock) -> str:
        marks = self.marks
        match block:
            case TextBlock():
                return f"<mj-text>{self.styled(clean(marks.text(block.html, html=True)))}</mj-text>"
            case ButtonBlock():
                return f'<mj-button css-class="button" href="{marks.link(block.url)}">{marks.text(block.label)}</mj-button>'
            case PictureBlock():
                link = f' href="{marks.link(block.link)}"' if block.link else ""
                source = self.look.absolute(marks.link(block.url, picture=True))
                return f'<mj-image src="{source}" alt="{marks.text(block.alt)}"{link}></mj-image>'
            case DividerBlock():
                return "<mj-divider></mj-divider>"
            case SpaceBlock():
                return f'<mj-spacer height="{_SPACES[block.size]}px"></mj-spacer>'
            case AnswersBlock():
                return self._answers(block)
            case CourseCardBlock():
                return self._card(place, block)
            case NextLessonBlock():
                return self._next_lesson(place, block)
            case CertificateBlock():
                return self._certificate(place, block)
            case EventBlock():
                return self._event(place, block)
            case SignatureBlock():
                return self._signature()
            case NoteBlock():
                return ""
            case ColumnsBlock():
                pass
        raise TypeError(f"no such block: {block!r}")

    def _certificate(self, place: str, block: CertificateBlock) -> str:
        marks, picture = self.marks, self.marks.value(f"{place}.picture")
        address = marks.value(f"{place}.link" if block.claim else "certificate.url")
        ask = f'<a href="{marks.value(NAME)}" style="color:{self.look.layout.soft}">Should your name be printed differently?</a>'
        there = (
            f'<mj-image src="{picture}" alt="Your certificate" href="{address}/yours" border="1px solid {RULE}" padding="4px 32px 6px"></mj-image>'
            f'<mj-text font-family="{SANS}" font-size="13px" padding="0 32px 20px">{ask}</mj-text>'
        )
        if not block.claim:
            return there
        button = f'<mj-button href="{marks.value(CLAIM)}">{CLAIM_LABEL}</mj-button>'
        return marks.section(f"{place}.picture", there, _RAW) + marks.section(f"{place}.claim", button, _RAW)

    def styled(self, html: str) -> str:
        """Text markup with its styles on the elements: many mail programs drop style sheets."""
        layout = self.look.layout
        styles = {
            "p": "margin:0 0 16px",
            "ul": "margin:0 0 16px;padding-left:24px",
            "ol": "margin:0 0 16px;padding-left:24px",
            "h2": "margin:8px 0 10px;font-size:20px",
            "h3": "margin:8px 0 8px;font-size:17px",
            "blockquote": f"margin:0 0 16px;padding-left:16px;border-left:3px solid {RULE};color:{layout.soft}",
            "a": f"color:{layout.link}",
            "img": "max-width:100%;height:auto;border:0",
        }

        def one(tag: re.Match[str]) -> str:
            own = _OWN_STYLE.search(tag[2])
            rest = _OWN_STYLE.sub("", tag[2])
            style = styles[tag[1]] + (f";{own[1]}" if own else "")
            return f'<{tag[1]} style="{style}"{rest}>'

        return _TAG.sub(one, html).replace(f'src="{PICTURES}', f'src="{self.look.site}{PICTURES}')

    def _answers(self, block: AnswersBlock) -> str:
        marks, layout = self.marks, self.look.layout
        question = f"<mj-text>{self.lines(block.question)}</mj-text>" if block.question else ""
        addresses = [marks.mark(Field(ANSWER + choice.key)) for choice in block.answers]
        labels = [marks.text(choice.label) for choice in block.answers]
        if block.beside:
            style = (
                f"display:inline-block;margin:0 8px 10px 0;padding:9px 16px;border:1px solid {layout.link};"
                f"border-radius:{RADII[layout.button_shape]};color:{layout.link};font:600 15px {SANS};text-decoration:none"
            )
            beside = " ".join(
                f'<a href="{address}" class="answer" style="{style}">{label}</a>'
                for address, label in zip(addresses, labels, strict=True)
            )
            return f'{question}<mj-text padding="8px 32px 10px">{beside}</mj-text>'
        look = f'background-color="{layout.paper}" color="{layout.link}" border="1px solid {layout.link}" padding="0 32px 8px"'
        return question + "".join(
            f'<mj-button css-class="answer" href="{address}" {look}>{label}</mj-button>'
            for address, label in zip(addresses, labels, strict=True)
        )

    def lines(self, text: str) -> str:
        """Text of several lines as one paragraph."""
        return f'<p style="margin:0 0 12px">{self.marks.text(text)}</p>'.replace("\n", "<br />")

    def _button(self, address: str, label: str) -> str:
        layout = self.look.layout
        style = (
            f"display:inline-block;background:{layout.button};color:{layout.button_ink};padding:10px 20px;"
            f"border-radius:{RADII[layout.button_shape]};font:600 15px {SANS};text-decoration:none"
        )
        return f'<a href="{address}" class="go" style="{style}">{label}</a>'

    def _box(self, inside: str, picture: str = "") -> str:
        """A framed card, with a picture over its whole width."""
        box = f"border:1px solid {RULE};border-radius:8px"
        return (
            f'<mj-table css-class="card" padding="4px 32px 20px"><tr><td style="padding:0"><div style="{box}">{picture}'
            f'<div style="padding:16px 20px 18px">{inside}</div></div></td></tr></mj-table>'
        )

    def _card(self, place: str, block: CourseCardBlock) -> str:
        marks, layout = self.marks, self.look.layout

        def part(name: str, markup: str) -> str:
            return marks.section(f"{place}.{name}", markup)

        own = block.course == THIS and block.offer is None
        title = marks.value("course.title" if own else f"{place}.title")
        image = f'<img src="{marks.value(f"{place}.picture")}" alt="" width="536" style="display:block;width:100%;height:auto;border:0;border-radius:8px 8px 0 0" />'
        summary = f'<p style="margin:6px 0 0;line-height:1.5">{marks.value(f"{place}.summary")}</p>'
        price = f'<p style="margin:8px 0 0;font:700 15px {SANS};color:{layout.accent}">{marks.value(f"{place}.price")}</p>'
        button = f'<p style="margin:14px 0 0">{self._button(marks.value(f"{place}.url"), marks.text(block.label))}</p>'
        text = f'<p style="margin:0;font-size:19px;line-height:1.3;font-weight:700">{title}</p>'
        return self._box(
            text + part("summary", summary) + part("price", price) + part("url", button),
            part("picture", image),
        )

    def _next_lesson(self, place: str, block: NextLessonBlock) -> str:
        marks, layout = self.marks, self.look.layout
        small = f"margin:0;font:600 12px {SANS};color:{layout.soft}"
        minutes = marks.section(f"{place}.minutes", f" · {marks.value(f'{place}.minutes')} minutes")
        title = marks.value("next_lesson.title")
        button = self._button(marks.value("next_lesson.url"), marks.text(block.label))
        return self._box(
            f'<p style="{small}">Your next lesson{minutes}</p>'
            f'<p style="margin:4px 0 14px;font-size:18px;line-height:1.35;font-weight:700">{title}</p>{button}'
        )

    def _event(self, place: str, block: EventBlock) -> str:
        """When and where, a link to join, and one that puts it into a calendar."""
        marks, layout = self.marks, self.look.layout
        where = f'<p style="margin:2px 0 0">{marks.text(block.place)}</p>' if block.place else ""
        join = f"{self._button(marks.link(block.url), 'Join')}&nbsp;&nbsp;" if block.url else ""
        keep = f'<a href="{marks.value(EVENT + place)}" style="color:{layout.link};font:600 14px {SANS}">Put it into your calendar</a>'
        return self._box(
            f'<p style="margin:0;font:600 13px {SANS};color:{layout.accent}">{marks.value(f"{place}.when")}</p>'
            f'<p style="margin:3px 0 0;font-size:18px;line-height:1.35;font-weight:700">{marks.text(block.title)}</p>{where}'
            f'<p style="margin:14px 0 0">{join}{keep}</p>'
        )

    def _signature(self) -> str:
        """Name, lines, links; the picture beside them. Nothing while the school has none."""
        found = self.look.signature
        if found is None:
            return ""
        layout = self.look.layout
        lines = escape(clean_text(found.text)).replace("\n", "<br />")
        links = " · ".join(
            f'<a href="{self.marks.link(one.url)}" style="color:{layout.link}">{escape(clean_line(one.label))}</a>'
            for one in found.links
        )
        texts = [
            f"<strong>{escape(clean_line(found.name))}</strong>" if found.name else "",
            lines,
            links,
        ]
        said = f'<td style="vertical-align:middle;line-height:1.5">{"<br />".join(text for text in texts if text)}</td>'
        source = self.look.absolute(self.marks.link(found.picture, picture=True)) if found.picture else ""
        picture = (
            f'<td width="72" style="vertical-align:middle;padding-right:16px"><img src="{source}" alt="" width="64" height="64" style="display:block;border-radius:32px;border:0" /></td>'
            if source
            else ""
        )
        return f'<mj-table css-class="signature" padding="4px 32px 20px" font-size="15px"><tr>{picture}{said}</tr></mj-table>'
