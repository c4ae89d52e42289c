"""A layout's colours in the dark: its own, made so that they can be read on dark paper (WCAG 2.2, 1.4.3 and 1.4.11)."""

from __future__ import annotations

from dataclasses import dataclass

from patient_courier.core.letters.contrast import ENOUGH, is_dark, mended, mixed, ratio
from patient_courier.core.school.looks import Layout

# Where nothing of a layout's own shows through: nearly black, with a light ink.
_GROUND, _PAPER, _INK = "#14191e", "#1f262d", "#e6eaee"
# So much of the layout's own colour is in its dark paper.
_OWN = 0.07
# WCAG 2.2, success criterion 1.4.11: for what is no text, such as a button on its paper.
ENOUGH_FOR_SHAPES = 3.0


@dataclass(frozen=True, slots=True)
class Dark:
    """Colours as ``#rrggbb``, each for what the layout has under that name."""

    ground: str
    paper: str
    ink: str
    soft: str
    accent: str
    link: str
    button: str
    button_ink: str


def dark_of(layout: Layout) -> Dark:
    """The colours of a layout for those who read in the dark."""
    if is_dark(layout.paper):
        ground, paper, ink = layout.ground, layout.paper, mended(layout.ink, layout.paper)
    else:
        ground, paper = mixed(_GROUND, layout.ground, _OWN), mixed(_PAPER, layout.paper, _OWN)
        ink = mended(_INK, paper)
    button = mended(layout.button, paper, ENOUGH_FOR_SHAPES)
    return Dark(
        ground=ground,
        paper=paper,
        ink=ink,
        soft=mended(layout.soft, ground),
        accent=mended(layout.accent, paper),
        link=mended(layout.link, paper),
        button=button,
        button_ink=_on(layout.button_ink, button),
    )


def _on(ink: str, ground: str) -> str:
    """An ink that can be read on a ground: as it is, else black or white."""
    if ratio(ink, ground) >= ENOUGH:
        return ink
    return max("#000000", "#ffffff", key=lambda one: ratio(one, ground))
