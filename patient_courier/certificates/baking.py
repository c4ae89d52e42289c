"""A credential inside the picture of its certificate (Open Badges 3.0, section 5.3: an iTXt chunk of a PNG)."""

from __future__ import annotations

import io

from PIL import Image, PngImagePlugin

KEYWORD = "openbadgecredential"


def baked(png: bytes, credential: str) -> bytes:
    """The same picture with the credential's JSON in it, uncompressed."""
    out = io.BytesIO()
    chunks = PngImagePlugin.PngInfo()
    chunks.add_itxt(KEYWORD, credential)
    with Image.open(io.BytesIO(png)) as picture:
        picture.save(out, format="PNG", pnginfo=chunks, optimize=False)
    return out.getvalue()
