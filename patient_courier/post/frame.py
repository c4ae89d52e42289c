"""The frame of a layout, made with MJML: tables, styles on the elements, 600 px wide, readable in the dark."""

from __future__ import annotations

import re
from dataclasses import dataclass
from html import escape

import css_inline
from mjml import mjml2html

from patient_courier.core.letters.cleaning import clean_frame
from patient_courier.core.letters.dark import dark_of
from patient_courier.core.letters.merge import Field
from patient_courier.core.school.letters import Purpose
from patient_courier.core.school.text import clean_line, clean_text
from patient_courier.post.blocks import FACES, RADII, RULE, SANS
from patient_courier.post.look import Look
from patient_courier.post.marks import Marks

WHY: dict[Purpose, str] = {
    "service": "You get this letter because it belongs to your place in a course.",
    "course_help": "You get this letter because you are in this course.",
    "news": "You get this letter because you asked for news.",
}
STOP: dict[Purpose, str] = {
    "service": "Stop all but letters like this",
    "course_help": "Stop help with this course",
    "news": "Stop news letters",
}
_DARK = """<mj-raw><meta name="color-scheme" content="light dark" /><meta name="supported-color-schemes" content="light dark" /></mj-raw>
<mj-style>:root {{ color-scheme: light dark; supported-color-schemes: light dark; }}
@media (prefers-color-scheme: dark) {{
body, .ground, .ground > div {{ background: {dark.ground} !important; }}
.paper, .paper > table, .paper > table > tbody > tr > td {{ background: {dark.paper} !important; }}
.paper div, .paper p, .paper td, .paper h2, .paper h3, .paper li, .paper strong {{ color: {dark.ink} !important; }}
.paper .school-name div {{ color: {dark.accent} !important; }}
.foot div, .foot a {{ color: {dark.soft} !important; }}
.paper a:not(.go) {{ color: {dark.link} !important; }}
.paper .answer a, .paper a.answer {{ border-color: {dark.link} !important; background: transparent !important; }}
.paper .answer td {{ background: transparent !important; }}
.paper .button td, .paper .button a, .paper a.go {{ background: {dark.button} !important; color: {dark.button_ink} !important; }}
}}</mj-style>"""
_HEAD = """<mj-head>{preview}<mj-attributes><mj-all font-family="{face}"></mj-all>
<mj-text font-size="{size}px" line-height="1.55" color="{ink}" padding="0 32px"></mj-text>
<mj-table color="{ink}" font-size="{size}px" line-height="1.5"></mj-table>
<mj-image padding="4px 32px 20px" align="left"></mj-image>
<mj-button background-color="{button}" color="{button_ink}" border-radius="{radius}" font-family="{sans}" font-size="15px" font-weight="600" align="left" padding="8px 32px 20px"></mj-button>
<mj-divider border-width="1px" border-color="{rule}" padding="8px 32px 20px"></mj-divider>
</mj-attributes>{dark}</mj-head>"""
_PAPER = '<mj-section css-class="paper" background-color="{paper}" padding="{padding}">{inside}</mj-section>'
_INLINER = css_inline.CSSInliner(load_remote_stylesheets=False)
_CONTENT = re.compile(r"\{\{\s*content\s*\}\}")
_FIELD = re.compile(r"\{\{\s*([a-z_.]+)\s*\}\}")
# What a pasted frame must have a place for, with the words for it.
NEEDED = {
    "content": "the letter itself: {{ content }}",
    "links.stop": "the link to stop these letters: {{ links.stop }}",
    "school.postal_address": "the school's postal address: {{ school.postal_address }}",
}


def lacking(html: str) -> list[str]:
    """What a pasted frame has no place for, in words, once everything that may not be in it is gone."""
    found = set(_FIELD.findall(clean_frame(html)[1]))
    return [words for name, words in NEEDED.items() if name not in found]


@dataclass(frozen=True, slots=True)
class Framed:
    """A letter's inside and what the frame says round it; ``sections`` are MJML sections."""

    preheader: str
    sections: str
    purpose: Purpose


def framed(inside: Framed, look: Look, marks: Marks) -> str:
    """The whole page of a letter, as HTML with marks. Raises ValueError when it can't be drawn."""
    layout = look.layout
    head = _HEAD.format(
        preview=f"<mj-preview>{inside.preheader}</mj-preview>" if inside.preheader else "",
        face=FACES[layout.type],
        size=layout.size,
        ink=layout.ink,
        button=layout.button,
        button_ink=layout.button_ink,
        radius=RADII[layout.button_shape],
        sans=SANS,
        rule=RULE,
        dark=_DARK.format(dark=dark_of(layout)),
    )
    if layout.html is not None:
        return _pasted(layout.html, head, inside, look, marks)
    body = (
        '<mj-section padding="24px 0 0"></mj-section>'
        + _PAPER.format(
            paper=layout.paper, padding="24px 0 0", inside=f"<mj-column>{_header(look)}</mj-column>"
        )
        + inside.sections
        + _PAPER.format(
            paper=layout.paper,
            padding="0 0 6px",
            inside='<mj-column><mj-spacer height="1px"></mj-spacer></mj-column>',
        )
        + _footer(inside.purpose, look, marks)
    )
    return mjml2html(
        f'<mjml>{head}<mj-body css-class="ground" background-color="{layout.ground}" width="600px">{body}</mj-body></mjml>'
    )


def _header(look: Look) -> str:
    layout, found = look.layout, ""
    if layout.logo and layout.header in ("logo", "both"):
        source = escape(look.absolute(clean_line(layout.logo)))
        found += f'<mj-image src="{source}" alt="{escape(look.school)}" width="{layout.logo_width}px" align="{layout.align}" padding="0 32px 16px"></mj-image>'
    if layout.header in ("name", "both") or (layout.header == "logo" and not layout.logo):
        found += (
            f'<mj-text css-class="school-name" font-family="{SANS}" font-size="13px" font-weight="700" letter-spacing="0.04em" text-transform="uppercase" '
            f'color="{layout.accent}" align="{layout.align}" padding="0 32px 16px">{escape(look.school)}</mj-text>'
        )
    return found or '<mj-spacer height="4px"></mj-spacer>'


def _footer(purpose: Purpose, look: Look, marks: Marks) -> str:
    layout = look.layout

    def link(address: str, label: str) -> str:
        return f'<a href="{address}" style="color:{layout.soft}">{label}</a>'

    own = " · ".join(link(marks.link(one.url), escape(clean_line(one.label))) for one in layout.links)
    ways = [
        link(marks.mark(Field("links.stop")), STOP[purpose]),
        link(marks.mark(Field("links.preferences")), "Choose your post"),
        link(marks.mark(Field("links.view_online")), "Read in the browser"),
    ]
    lines = [
        _lines(layout.footer),
        own,
        _lines(look.postal_address),
        f"{WHY[purpose]} {' · '.join(ways)}",
    ]
    text = "<br />".join(line for line in lines if line)
    return (
        f'<mj-section css-class="foot" padding="16px 0 32px"><mj-column><mj-text font-family="{SANS}" font-size="12px" '
        f'line-height="1.6" color="{layout.soft}" align="{layout.align}">{text}</mj-text></mj-column></mj-section>'
    )


def _lines(text: str) -> str:
    return escape(clean_text(text)).replace("\n", "<br />")


def _pasted(html: str, head: str, inside: Framed, look: Look, marks: Marks) -> str:
    """The letter's sections in a frame of the school's own."""
    sheet, frame = clean_frame(html)
    if sheet:  # on the elements too: many mail programs drop style sheets
        frame = _INLINER.inline_fragment(frame, sheet)
    drawn = mjml2html(f'<mjml>{head}<mj-body width="600px">{inside.sections}</mj-body></mjml>')
    before, _, rest = drawn.partition("<body")
    opening, _, content = rest.partition(">")
    content = content.rpartition("</body>")[0]
    values = {
        "school.name": escape(look.school),
        "school.postal_address": _lines(look.postal_address),
        "links.stop": marks.mark(Field("links.stop")),
        "links.preferences": marks.mark(Field("links.preferences")),
        "links.view_online": marks.mark(Field("links.view_online")),
        "why": WHY[inside.purpose],
    }
    frame = _FIELD.sub(lambda field: values.get(field[1], field[0]), frame)
    # Once, and as it is: a letter's own text is no frame.
    frame = _CONTENT.sub(lambda _: content, frame, count=1)
    head_end = f"<style>{sheet}</style></head>" if sheet else "</head>"
    return f"{before.replace('</head>', head_end, 1)}<body{opening}>{frame}</body></html>"
