"""A layout's colours in the dark: its own, made so that they can be read on dark paper (WCAG 2.2, 1.4.3 and 1.4.11)."""

from __future__ import annotations

from dataclasses import dataclass

from patient_courier.core.contrast import ENOUGH, luminance, mended, ratio
from patient_courier.core.school.looks import Layout

# Where nothing of a layout's own shows through: nearly black, with a light ink.
_GROUND, _PAPER, _INK = "#14191e", "#1f262d", "#e6eaee"
# So much of the layout's own colour is in its dark paper.
_OWN = 0.07
# WCAG 2.2, success criterion 1.4.11: for what is no text, such as a button on its paper.
ENOUGH_FOR_SHAPES = 3.0
# Below this a layout is dark as it is.
_DARK_PAPER = 0.18


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
    if luminance(layout.paper) < _DARK_PAPER:
        ground, paper, ink = layout.ground, layout.paper, mended(layout.ink, layout.paper)
    else:
        ground, paper = _mixed(_GROUND, layout.ground, _OWN), _mixed(_PAPER, layout.paper, _OWN)
        ink = mended(_INK, paper)
    button = _seen(layout.button, paper)
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


def _mixed(one: str, other: str, share: float) -> str:
    parts = ((int(one[at : at + 2], 16), int(other[at : at + 2], 16)) for at in (1, 3, 5))
    return "#" + "".join(f"{round(a + (b - a) * share):02x}" for a, b in parts)


def _seen(colour: str, paper: str) -> str:
    """A colour made lighter or darker until its shape stands out from the paper."""
    target = "#000000" if luminance(paper) > _DARK_PAPER else "#ffffff"
    for step in range(0, 101, 2):
        found = _mixed(colour, target, step / 100)
        if ratio(found, paper) >= ENOUGH_FOR_SHAPES:
            return found
    return target


def _on(ink: str, ground: str) -> str:
    """An ink that can be read on a ground: as it is, else black or white."""
    if ratio(ink, ground) >= ENOUGH:
        return ink
    return max("#000000", "#ffffff", key=lambda one: ratio(one, ground))
