"""A certificate as a picture and as a PDF, set by Typst: names in twenty scripts, shaped as they should be."""

from __future__ import annotations

import json
import tempfile
import threading
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from typing import Literal

import typst

_HERE = Path(__file__).parent
# Dots to the inch of the picture: 1170 pixels across.
_PPI = 100.0


@dataclass(frozen=True, slots=True)
class Certificate:
    """What is printed and how; colours as ``#rrggbb``. ``logo`` and ``signature`` are pictures (PNG or JPEG)."""

    title: str
    school: str
    name: str
    course: str
    issued: str
    signed: str
    number: str
    paper_colour: str
    ink: str
    soft: str
    accent: str
    heading: str = "Certificate"
    before: str = "This is to say that"
    wording: str = "has finished the course"
    hours: str = ""
    design: Literal["frame", "band", "corners", "plain"] = "frame"
    paper: Literal["a4", "letter"] = "a4"
    upright: bool = False
    logo: bytes | None = None
    signature: bytes | None = None


_PICTURES = ("logo", "signature")
_mutex = threading.Lock()


@cache
def _folder() -> Path:
    """An empty folder of our own: the only place that can be read from while a page is set."""
    root = Path(tempfile.mkdtemp(prefix="certificates-"))
    (root / "certificate.typ").write_bytes((_HERE / "certificate.typ").read_bytes())
    return root


@cache
def _compiler() -> typst.Compiler:
    """Made once: reading the fonts takes most of the time."""
    root = _folder()
    return typst.Compiler(
        input=str(root / "certificate.typ"),
        root=str(root),
        font_paths=[str(_HERE / "fonts")],
        ignore_system_fonts=True,
    )


def draw(certificate: Certificate, form: Literal["png", "pdf"]) -> bytes:
    """The certificate as PNG or PDF, one page. Raises RuntimeError when a picture can't be read."""
    told = {name: value for name, value in asdict(certificate).items() if name not in _PICTURES}
    given = told | {name: getattr(certificate, name) is not None for name in _PICTURES}
    inputs = {"data": json.dumps(given, ensure_ascii=False)}
    with _mutex:
        for name in _PICTURES:
            picture = getattr(certificate, name)
            if picture is not None:
                (_folder() / name).write_bytes(picture)
        compiler = _compiler()
        if form == "pdf":
            found = compiler.compile(format="pdf", sys_inputs=inputs)
        else:
            found = compiler.compile(format="png", ppi=_PPI, sys_inputs=inputs)
    return bytes(found[0] if isinstance(found, list) else found)
