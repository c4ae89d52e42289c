"""Draw the demo school's pictures and write them, as they are kept, to patient_courier/demo/pictures.json."""

from __future__ import annotations

import io
import json
from base64 import b64encode
from math import cos, pi, sin
from pathlib import Path

from PIL import Image, ImageDraw

from patient_courier.intake.pictures import made_anew

OUT = Path(__file__).parents[1] / "patient_courier/demo/pictures.json"
SCALE = 2  # drawn larger, then made smaller, so that edges are smooth
HONEY, AMBER, CREAM, GREEN, DEEP, SKY, WOOD, INK = (
    "#f2b632", "#c97f16", "#fbf3e2", "#7d9c63", "#46653f", "#cfe3ea", "#b98b5a", "#2b2118",
)  # fmt: skip


def new(width: int, height: int, ground: str | None) -> tuple[Image.Image, ImageDraw.ImageDraw]:
    size = (width * SCALE, height * SCALE)
    image = Image.new("RGB", size, ground) if ground else Image.new("RGBA", size, (0, 0, 0, 0))
    return image, ImageDraw.Draw(image)


def hexagon(
    draw: ImageDraw.ImageDraw, x: float, y: float, radius: float, fill: str, line: str | None = None
) -> None:
    corners = [
        ((x + radius * cos(pi / 3 * k)) * SCALE, (y + radius * sin(pi / 3 * k)) * SCALE) for k in range(6)
    ]
    draw.polygon(corners, fill=fill, outline=line, width=2 * SCALE if line else 0)


def box(
    draw: ImageDraw.ImageDraw, x: float, y: float, width: float, height: float, fill: str, round: float = 3
) -> None:
    draw.rounded_rectangle(
        [x * SCALE, y * SCALE, (x + width) * SCALE, (y + height) * SCALE], round * SCALE, fill=fill
    )


def oval(draw: ImageDraw.ImageDraw, x: float, y: float, wide: float, high: float, fill: str) -> None:
    draw.ellipse([(x - wide) * SCALE, (y - high) * SCALE, (x + wide) * SCALE, (y + high) * SCALE], fill=fill)


def bee(draw: ImageDraw.ImageDraw, x: float, y: float, size: float) -> None:
    oval(draw, x - size * 0.25, y - size * 0.55, size * 0.35, size * 0.5, "#eef6f8")
    oval(draw, x + size * 0.3, y - size * 0.5, size * 0.3, size * 0.45, "#eef6f8")
    oval(draw, x, y, size, size * 0.55, HONEY)
    for part in (-0.45, 0.05, 0.55):
        box(draw, x + size * part - size * 0.1, y - size * 0.48, size * 0.2, size * 0.96, INK, size * 0.1)
    oval(draw, x - size * 1.05, y, size * 0.32, size * 0.34, INK)


def hive(draw: ImageDraw.ImageDraw, x: float, y: float, boxes: list[str]) -> None:
    """Boxes standing on ``y``, the lowest first."""
    box(draw, x - 8, y - 10, 176, 12, "#8a6238")
    for colour in boxes:
        y -= 58
        box(draw, x, y - 8, 160, 54, colour)
        box(draw, x + 62, y + 14, 36, 8, "#6f4d29", 4)
    box(draw, x - 8, y - 26, 176, 18, "#d8d5cc")


def meadow(draw: ImageDraw.ImageDraw, width: int, height: int) -> None:
    oval(draw, width * 0.22, height * 1.02, width * 0.5, height * 0.42, "#a9c08d")
    oval(draw, width * 0.85, height * 1.08, width * 0.6, height * 0.5, GREEN)
    box(draw, 0, height * 0.86, width, height * 0.2, DEEP, 0)


def logo() -> Image.Image:
    image, draw = new(96, 96, None)
    hexagon(draw, 48, 48, 46, HONEY)
    hexagon(draw, 48, 48, 38, CREAM)
    bee(draw, 51, 52, 19)
    return image


def first_hive() -> Image.Image:
    image, draw = new(1072, 440, SKY)
    oval(draw, 880, 96, 52, 52, "#f6dd8f")
    meadow(draw, 1072, 440)
    hive(draw, 300, 384, ["#e9e2d0", HONEY])
    hive(draw, 560, 396, [AMBER, "#e9e2d0", "#d9a441"])
    for x, y, size in ((210, 150, 13), (480, 120, 16), (510, 250, 10), (800, 190, 14), (250, 290, 9)):
        bee(draw, x, y, size)
    return image


def queen_rearing() -> Image.Image:
    image, draw = new(1072, 440, "#e6c98f")
    for row in range(8):
        for column in range(16):
            x, y = 20 + column * 78 + (row % 2) * 39, 10 + row * 67
            hexagon(draw, x, y, 41, CREAM if (row * 7 + column * 3) % 5 else HONEY, AMBER)
    oval(draw, 536, 230, 120, 52, "#8f5a1a")
    oval(draw, 640, 232, 92, 40, AMBER)
    for part in (0, 34, 68):
        box(draw, 610 + part, 200, 9, 64, "#5d3a10", 4)
    oval(draw, 432, 226, 36, 34, INK)
    oval(draw, 520, 216, 12, 12, "#ffffff")
    return image


def honey_weekend() -> Image.Image:
    image, draw = new(1072, 440, CREAM)
    box(draw, 0, 350, 1072, 90, WOOD, 0)
    for x, high in ((210, 190), (400, 230), (600, 170), (780, 210)):
        box(draw, x, 360 - high, 140, high, HONEY, 16)
        box(draw, x, 360 - high, 140, high * 0.35, "#f9d985", 16)
        box(draw, x + 12, 336 - high, 116, 30, "#f4efe4", 6)
        box(draw, x + 22, 375 - high * 0.66, 96, high * 0.36, "#ffffff", 4)
        hexagon(draw, x + 70, 375 - high * 0.66 + high * 0.18, 20, AMBER)
    return image


def ines() -> Image.Image:
    """A veil and a hat, no face: the keeper behind it stays unseen."""
    image, draw = new(160, 160, "#dfe8d4")
    oval(draw, 80, 172, 70, 52, "#f4f1e8")
    oval(draw, 80, 84, 40, 46, "#3a4a3d")
    oval(draw, 80, 50, 68, 14, "#d9b26a")
    oval(draw, 80, 38, 36, 24, "#e4c283")
    box(draw, 46, 40, 68, 8, "#8f5a1a", 0)
    bee(draw, 122, 96, 9)
    return image


def main() -> None:
    found = {}
    for name, image in {
        "logo": logo(), "first-hive": first_hive(), "queen-rearing": queen_rearing(), "honey-weekend": honey_weekend(), "ines": ines(),
    }.items():  # fmt: skip
        small = image.resize((image.width // SCALE, image.height // SCALE), Image.Resampling.LANCZOS)
        raw = io.BytesIO()
        small.save(raw, "PNG")
        made = made_anew(raw.getvalue())
        found[name] = {"key": made.key, "name": name, "data": b64encode(made.body).decode()}
        print(name, made.key, len(made.body))
    OUT.write_text(json.dumps(list(found.values()), indent=1) + "\n")


if __name__ == "__main__":
    main()
