"""A certificate as a picture and as a PDF, set by Typst: names in twenty scripts, shaped as they should be."""

from __future__ import annotations

import io
import json
import tempfile
import threading
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from typing import Literal

import segno
import typst
from whenever import Instant

from patient_courier.certificates.scripts import families, folders, missing

_HERE = Path(__file__).parent
# Dots to the inch of the picture: 1403 pixels across an A4 page.
_PPI = 120.0
# ISO 19005-2 level A: fonts inside, structure for reading out, text that can be copied.
_STANDARD: Literal["a-2a"] = "a-2a"


@dataclass(frozen=True, slots=True)
class Certificate:
    """What is printed and how; colours as ``#rrggbb``. ``logo`` and ``signature`` are pictures (PNG or JPEG).

    ``check`` is the web address of its page, which the square leads to; ``language`` is of ISO 639.
    """

    title: str
    description: str
    school: str
    name: str
    course: str
    issued: str
    issued_at: Instant
    signed: str
    number: str
    check: str
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
    language: str = "en"
    logo: bytes | None = None
    signature: bytes | None = None


_FILES = ("logo", "signature")
_mutex = threading.Lock()


@cache
def _folder() -> Path:
    """An empty folder of our own: the only place that can be read from while a page is set."""
    root = Path(tempfile.mkdtemp(prefix="certificates-"))
    (root / "certificate.typ").write_bytes((_HERE / "certificate.typ").read_bytes())
    return root


@cache
def _compiler(own: bool) -> typst.Compiler:
    """Made once: reading the fonts takes most of the time. ``own``: with our fonts alone, so that every machine sets the same."""
    root = _folder()
    return typst.Compiler(
        input=str(root / "certificate.typ"), root=str(root), font_paths=folders(), ignore_system_fonts=own
    )


def draw(certificate: Certificate, form: Literal["png", "pdf"]) -> bytes:
    """The certificate as PNG or PDF, one page; the same certificate gives the same bytes.

    Signs that none of our fonts has are looked for in those of the machine; what those lack too is a box, in a PDF that
    is no PDF/A then. Raises RuntimeError when a picture can't be read.
    """
    given = _given(certificate)
    inputs = {"data": json.dumps(given, ensure_ascii=False)}
    complete = not missing("".join(str(x) for x in given.values()))
    with _mutex:
        (_folder() / "check.svg").write_bytes(square(certificate.check))
        for name in _FILES:
            picture = getattr(certificate, name)
            if picture is not None:
                (_folder() / name).write_bytes(picture)
        compiler = _compiler(complete)
        if form == "pdf":
            seconds = certificate.issued_at.timestamp()
            found = compiler.compile(
                format="pdf",
                sys_inputs=inputs,
                pdf_standards=[_STANDARD] if complete else [],
                timestamp=seconds,
            )
        else:
            found = compiler.compile(format="png", ppi=_PPI, sys_inputs=inputs)
    body = found[0] if isinstance(found, list) else found
    assert body is not None
    return bytes(body)


def square(address: str) -> bytes:
    """A web address as a QR code (ISO/IEC 18004) in SVG, black on white, with its quiet zone; a seventh may be damaged (level M)."""
    out = io.BytesIO()
    segno.make(address, error="m", boost_error=False).save(out, kind="svg", border=4, light="#ffffff")
    return out.getvalue()


def _fit(text: str) -> str:
    """Without the three signs that no PDF/A may have (ISO 19005-2, section 6.2.11.7.3)."""
    return text.translate({0x0: None, 0xFEFF: None, 0xFFFE: None})


def _given(certificate: Certificate) -> dict[str, object]:
    told = {name: value for name, value in asdict(certificate).items() if name not in (*_FILES, "issued_at")}
    told = {name: _fit(value) if isinstance(value, str) else value for name, value in told.items()}
    printed = certificate.check.split("://", 1)[-1].removesuffix(f"/{certificate.number}")
    return {
        **told,
        **{name: getattr(certificate, name) is not None for name in _FILES},
        "check_at": printed,
        "fonts": families(certificate.language),
    }
