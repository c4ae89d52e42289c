"""A credential inside the picture of its certificate (Open Badges 3.0, section 5.3: an iTXt chunk of a PNG)."""

from __future__ import annotations

import io

from PIL.PngImagePlugin import putchunk

KEYWORD = b"openbadgecredential"
# The signature of a PNG and its first chunk, IHDR (PNG third edition, sections 5.2 and 11.2.1): others come behind.
_HEAD = 8 + 25


def baked(png: bytes, credential: str) -> bytes:
    """The same picture with the credential's JSON in it, uncompressed (section 11.3.3.3: keyword, flags, languages, text)."""
    out = io.BytesIO()
    out.write(png[:_HEAD])
    putchunk(out, b"iTXt", KEYWORD, b"\0\0\0\0\0", credential.encode())
    out.write(png[_HEAD:])
    return out.getvalue()
