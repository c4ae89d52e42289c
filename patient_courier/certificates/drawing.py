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
    """What is printed; colours as ``#rrggbb``."""

    title: str
    school: str
    name: str
    course: str
    issued: str
    signed: str
    number: str
    paper: str
    ink: str
    soft: str
    accent: str


_mutex = threading.Lock()


@cache
def _compiler() -> typst.Compiler:
    """Made once: reading the fonts takes most of the time. Its root is an empty folder, so that no file can be read."""
    root = Path(tempfile.mkdtemp(prefix="certificates-"))
    page = root / "certificate.typ"
    page.write_bytes((_HERE / "plain.typ").read_bytes())
    return typst.Compiler(
        input=str(page), root=str(root), font_paths=[str(_HERE / "fonts")], ignore_system_fonts=True
    )


def draw(certificate: Certificate, form: Literal["png", "pdf"]) -> bytes:
    """The certificate as PNG or PDF (one page, A4 across)."""
    inputs = {"data": json.dumps(asdict(certificate), ensure_ascii=False)}
    with _mutex:
        compiler = _compiler()
        if form == "pdf":
            found = compiler.compile(format="pdf", sys_inputs=inputs)
        else:
            found = compiler.compile(format="png", ppi=_PPI, sys_inputs=inputs)
    return bytes(found[0] if isinstance(found, list) else found)
