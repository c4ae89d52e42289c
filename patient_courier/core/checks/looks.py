"""Findings in a layout: colours that can't be read, a header without what it should show."""

from __future__ import annotations

from collections.abc import Iterator

from patient_courier.core.checks.finding import Finding, Mend
from patient_courier.core.letters.contrast import ENOUGH, mended, ratio
from patient_courier.core.school.looks import Layout

_PAIRS = (
    ("ink", "paper", "The text"),
    ("accent", "paper", "The school's name"),
    ("link", "paper", "A link"),
    ("soft", "ground", "The footer"),
    ("button_ink", "button", "What a button says"),
)


def layout_findings(layout: Layout) -> Iterator[Finding]:
    """Everything to say about a layout; pointers lead into it."""
    for name, ground, what in _PAIRS:
        here, there = getattr(layout, name), getattr(layout, ground)
        found = ratio(here, there)
        if found < ENOUGH:
            better = mended(here, there)
            patch = ({"op": "replace", "path": f"/{name}", "value": better},)
            sentence = f"{what} has a contrast of {found:.1f} to what it stands on; {ENOUGH} is the least that all can read (WCAG 2.2, 1.4.3)."
            yield Finding(
                "warning",
                "contrast",
                sentence,
                pointer=f"/{name}",
                mend=Mend(f"Take {better}", "layout", layout.key, patch),
            )
    if layout.header in ("logo", "both") and not layout.logo:
        yield Finding(
            "warning", "no_logo", "There is no logo yet, so the school's name stands there.", pointer="/logo"
        )
