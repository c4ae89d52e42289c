"""How well a colour can be read on another (WCAG 2.2: “contrast ratio”, “relative luminance”)."""

from __future__ import annotations

# WCAG 2.2, success criterion 1.4.3: for text of usual size.
ENOUGH = 4.5


def ratio(one: str, other: str) -> float:
    """The contrast ratio of two colours written ``#rrggbb``, from 1 to 21."""
    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def luminance(colour: str) -> float:
    """The relative luminance of a colour, from 0 (black) to 1 (white)."""
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    red, green, blue = (
        part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts
    )
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def mended(colour: str, ground: str, enough: float = ENOUGH) -> str:
    """The colour made darker or lighter, in small steps, until it has contrast enough with its ground."""
    target = "#ffffff" if is_dark(ground) else "#000000"
    for step in range(0, 101, 2):
        found = mixed(colour, target, step / 100)
        if ratio(found, ground) >= enough:
            return found
    return target


def mixed(one: str, other: str, share: float) -> str:
    """The first colour with so much (0 to 1) of the other in it."""
    parts = ((int(one[at : at + 2], 16), int(other[at : at + 2], 16)) for at in (1, 3, 5))
    return "#" + "".join(f"{round(a + (b - a) * share):02x}" for a, b in parts)


def is_dark(ground: str) -> bool:
    """Whether white can be read on it better than black."""
    return luminance(ground) <= 0.18
