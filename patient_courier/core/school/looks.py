"""The school's look: layouts, which are the frames round its letters, and the signature."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from patient_courier.core.school.text import FilledLine, Line, Text
from patient_courier.core.school.values import Key, Model

# Where uploaded pictures are; letters name them by their path, since a school's address may change.
PICTURES = "/pictures/"
# A colour as CSS has it (CSS Color 4, section 5.2), six digits long: mail programs know no other spelling everywhere.
Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
Address = Annotated[Line, Field(max_length=2000)]


class NamedLink(Model):
    label: Annotated[FilledLine, Field(max_length=200)]
    url: Address


class Signature(Model):
    """Who signs: a name, a few lines, a picture, links."""

    name: Annotated[Line, Field(max_length=200)] = ""
    text: Annotated[Text, Field(max_length=2000)] = ""
    picture: Address | None = None
    links: Annotated[list[NamedLink], Field(max_length=8)] = []


class Layout(Model):
    """A frame: header, colours, type, the shape of buttons, footer. Widths and sizes are CSS pixels.

    ``html`` is a frame of the school's own instead; then only the footer's texts, the type and the colours of what
    stands inside are taken from the rest.
    """

    key: Key
    name: Annotated[FilledLine, Field(max_length=200)]
    logo: Address | None = None
    logo_width: Annotated[int, Field(ge=24, le=536)] = 160
    header: Literal["name", "logo", "both", "none"] = "name"
    align: Literal["left", "center"] = "left"
    ground: Colour = "#e8eef2"
    paper: Colour = "#ffffff"
    ink: Colour = "#13283b"
    soft: Colour = "#526473"
    accent: Colour = "#b5382a"
    link: Colour = "#1b4f8a"
    button: Colour = "#1b4f8a"
    button_ink: Colour = "#ffffff"
    type: Literal["serif", "sans", "typewriter"] = "serif"
    size: Annotated[int, Field(ge=14, le=20)] = 16
    button_shape: Literal["square", "rounded", "round"] = "rounded"
    footer: Annotated[Text, Field(max_length=2000)] = ""
    links: Annotated[list[NamedLink], Field(max_length=8)] = []
    signature: Signature | None = None
    html: Annotated[Text, Field(max_length=200_000)] | None = None


# What stands round letters while the school has no layout of its own.
PLAIN_LAYOUT = Layout(key="plain", name="Plain")
