"""A letter as HTML: blocks in the frame of its layout, fields filled in last.

The page of one letter version is made once, with marks where the merge fields
stand; a student's values are put at the marks. So nothing a student is called
can change the markup.
"""

from __future__ import annotations

import re

from patient_courier.core.school.blocks import ColumnsBlock
from patient_courier.core.school.letters import Letter
from patient_courier.post.blocks import Drawing
from patient_courier.post.frame import Framed, framed
from patient_courier.post.look import Look
from patient_courier.post.marks import Marks, Part

# Says that the letter was seen: there is such a picture only where openings are noted.
SEEN = "links.seen"
_PICTURE = '<img src="{}" alt="" width="1" height="1" style="display:block;border:0;width:1px;height:1px" />'


_BETWEEN_CELLS = re.compile(r"</t[dr]>(?=<)")


def html_parts(letter: Letter, look: Look) -> tuple[Part, ...]:
    """The page of a letter, cut at its merge fields. Raises ValueError when it can't be drawn."""
    marks = Marks()
    preheader = marks.text(letter.preheader) if letter.preheader else ""
    html = framed(Framed(preheader, _sections(letter, look, marks), letter.purpose), look, marks)
    seen = marks.section(SEEN, _PICTURE.format(marks.value(SEEN)))
    head, _, tail = html.rpartition("</body>")
    # White space between the parts of a table is none to see; short lines are quoted once for all students (post/message.py).
    return marks.cut(_BETWEEN_CELLS.sub(r"\g<0>\n", f"{head}{seen}</body>{tail}"))


def _sections(letter: Letter, look: Look, marks: Marks) -> str:
    """The blocks as MJML sections: those in a row share one, columns have their own."""
    drawing = Drawing(look, marks)
    found: list[str] = []
    row: list[str] = []

    def end_row() -> None:
        if row:
            column = f"<mj-column>{''.join(row)}</mj-column>"
            found.append(
                f'<mj-section css-class="paper" background-color="{look.layout.paper}" padding="0">{column}</mj-section>'
            )
            row.clear()

    for number, block in enumerate(letter.blocks):
        place = f"blocks/{number}"
        if isinstance(block, ColumnsBlock):
            end_row()
            found.append(drawing.columns(place, block))
        else:
            row.append(drawing.column(place, block))
    if not found and not any(row):
        row.append("<mj-text> </mj-text>")
    end_row()
    return "".join(found)
