"""Figures of letters as the screen shows them: each with the range its share lies in."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel

from patient_courier.core.figures.rates import rate

# What is shown of letters that have gone out, and out of which number it is a share.
SHARES = {
    "posted": None,
    "delivered": "posted",
    "opened": "delivered",
    "clicked": "delivered",
    "answered": "delivered",
    "stopped": "delivered",
    "complained": "delivered",
    "bounced": "posted",
}


class Figure(BaseModel):
    """How many letters something is true of, and between which shares (0 to 1) it lies, of how many."""

    what: str
    number: int
    of: int | None
    share: float | None
    low: float | None
    high: float | None
    small: bool


def figures_of(numbers: Mapping[str, int]) -> list[Figure]:
    """Every figure, from how many letters each outcome is true of."""
    return [_figure(what, numbers[what], numbers[of] if of else None) for what, of in SHARES.items()]


def _figure(what: str, number: int, of: int | None) -> Figure:
    found = rate(number, of) if of else None
    return Figure(
        what=what,
        number=number,
        of=of,
        share=found.fraction if found else None,
        low=found.low if found else None,
        high=found.high if found else None,
        small=found.small if found else False,
    )
