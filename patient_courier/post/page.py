"""A letter as HTML: blocks in the school's frame, made with MJML, fields filled in last.

The frame of one letter version is made once, with marks where the merge fields
stand; a student's values are put at the marks. So nothing a student is called
can change the markup.
"""

from __future__ import annotations

import re
from html import escape

import nh3
from mjml import mjml2html

from patient_courier.core.merge import Field
from patient_courier.core.school.letters import (
    AnswersBlock,
    Block,
    ButtonBlock,
    DividerBlock,
    Letter,
    PictureBlock,
    TextBlock,
)
from patient_courier.core.school.text import clean_text
from patient_courier.post.marks import ANSWER, Marks

_INK, _SOFT, _LINK, _PAPER, _RED = "#13283b", "#526473", "#1b4f8a", "#ffffff", "#b5382a"
_SERIF, _SANS = "Literata, Georgia, serif", "'Public Sans', Helvetica, Arial, sans-serif"
TEXT_TAGS = {"p", "br", "strong", "b", "em", "i", "u", "a", "ul", "ol", "li", "h2", "h3", "blockquote"}
_STYLES = {
    "p": "margin:0 0 16px",
    "ul": "margin:0 0 16px;padding-left:24px",
    "ol": "margin:0 0 16px;padding-left:24px",
    "h2": "margin:8px 0 10px;font-size:20px",
    "h3": "margin:8px 0 8px;font-size:17px",
    "blockquote": f"margin:0 0 16px;padding-left:16px;border-left:3px solid #c6d3dc;color:{_SOFT}",
    "a": f"color:{_LINK}",
}
_TAG = re.compile(rf"<({'|'.join(sorted(_STYLES, key=len, reverse=True))})(?=[ >])")

_ANSWER_LOOK = f'background-color="#e1ebf6" color="{_LINK}" padding="0 32px 8px"'

WHY = {
    "service": "You get this letter because it belongs to your place in a course.",
    "course_help": "You get this letter because you are in this course.",
    "news": "You get this letter because you asked for news.",
}
STOP = {
    "service": "Choose your post",
    "course_help": "Stop help with this course",
    "news": "Stop news letters",
}


def html_parts(letter: Letter, school_name: str, postal_address: str) -> tuple[str | Field, ...]:
    """The page of a letter, cut at its merge fields. Raises ValueError when it can't be drawn."""
    marks = Marks()
    body = "".join(_block(block, marks) for block in letter.blocks)
    source = _FRAME.format(
        preview=f"<mj-preview>{marks.text(letter.preheader)}</mj-preview>" if letter.preheader else "",
        school=escape(school_name),
        body=body or "<mj-text> </mj-text>",
        address=escape(postal_address).replace("\n", "<br />"),
        why=WHY[letter.purpose],
        stop_label=STOP[letter.purpose],
        stop=marks.mark(Field("links.stop")),
        preferences=marks.mark(Field("links.preferences")),
        view=marks.mark(Field("links.view_online")),
        ink=_INK,
        soft=_SOFT,
        link=_LINK,
        paper=_PAPER,
        red=_RED,
        serif=_SERIF,
        sans=_SANS,
    )
    return marks.cut(mjml2html(source))


def clean(html: str) -> str:
    """Simple text markup and nothing else; links only to the web or to a mail address.

    Cleaned once more afterwards: a character reference can stand for what nothing can carry.
    """
    found = nh3.clean(
        html,
        tags=TEXT_TAGS,
        attributes={"a": {"href"}},
        url_schemes={"http", "https", "mailto"},
        link_rel=None,
    )
    return clean_text(found)


def _styled(html: str) -> str:
    """Text markup with its styles on the elements: many mail programs drop style sheets."""
    return _TAG.sub(lambda tag: f'<{tag[1]} style="{_STYLES[tag[1]]}"', html)


def _block(block: Block, marks: Marks) -> str:
    match block:
        case TextBlock():
            return f"<mj-text>{_styled(clean(marks.text(block.html, html=True)))}</mj-text>"
        case ButtonBlock():
            return f'<mj-button href="{marks.link(block.url)}">{marks.text(block.label)}</mj-button>'
        case PictureBlock():
            link = f' href="{marks.link(block.link)}"' if block.link else ""
            return f'<mj-image src="{marks.link(block.url)}" alt="{marks.text(block.alt)}"{link}></mj-image>'
        case DividerBlock():
            return "<mj-divider></mj-divider>"
        case AnswersBlock():
            question = f"<mj-text>{marks.text(block.question)}</mj-text>" if block.question else ""
            return question + "".join(
                f'<mj-button href="{marks.mark(Field(ANSWER + choice.key))}" {_ANSWER_LOOK}>{marks.text(choice.label)}</mj-button>'
                for choice in block.answers
            )
    raise TypeError(f"no such block: {block!r}")


_FRAME = """<mjml><mj-head>{preview}<mj-attributes>
<mj-all font-family="{serif}"></mj-all>
<mj-text font-size="16px" line-height="1.55" color="{ink}" padding="0 32px"></mj-text>
<mj-button background-color="{link}" color="#ffffff" border-radius="6px" font-family="{sans}" font-size="15px" font-weight="600" align="left" padding="8px 32px 20px"></mj-button>
<mj-divider border-width="1px" border-color="#c6d3dc" padding="8px 32px 20px"></mj-divider>
</mj-attributes></mj-head>
<mj-body background-color="#e8eef2" width="600px"><mj-section padding="24px 0 0"></mj-section>
<mj-section background-color="{paper}" padding="24px 0 6px"><mj-column>
<mj-text font-family="{sans}" font-size="13px" font-weight="700" letter-spacing="0.04em" text-transform="uppercase" color="{red}" padding="0 32px 16px">{school}</mj-text>
{body}
</mj-column></mj-section>
<mj-section padding="16px 0 32px"><mj-column>
<mj-text font-family="{sans}" font-size="12px" line-height="1.6" color="{soft}">{address}<br />{why} <a href="{stop}" style="color:{soft}">{stop_label}</a> · <a href="{preferences}" style="color:{soft}">All your post</a> · <a href="{view}" style="color:{soft}">Read in the browser</a></mj-text>
</mj-column></mj-section></mj-body></mjml>"""
