"""The gate for pictures: what comes in is opened, turned upright, made small enough and written anew.

So nothing of a file but its picture is kept: no place where it was taken, no second file hidden in it.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import io
from dataclasses import dataclass

from PIL import Image, ImageOps, UnidentifiedImageError

from patient_courier.core.school.file import Picture

MOST_BYTES = 12_000_000
# What a picture may have where it must be unpacked whole, as three or four bytes each, and what where a smaller one can be
# taken out of it (JPEG): fits into the memory that a reading process has.
_MOST_PIXELS, _MOST_PIXELS_JPEG = 24_000_000, 60_000_000
# Twice the width of a letter, for sharp screens.
WIDEST, TALLEST = 1200, 2400
_FORMATS = ("PNG", "JPEG", "WEBP", "GIF")


class NoPicture(ValueError):
    """What came is no picture that can be used; the message says what to do."""


@dataclass(frozen=True, slots=True)
class Made:
    """A picture as it is kept; the key is a digest of its bytes with the ending of its format (png or jpg)."""

    key: str
    width: int
    height: int
    body: bytes

    @property
    def media_type(self) -> str:
        return media_type(self.key)


def media_type(key: str) -> str:
    return "image/png" if key.endswith(".png") else "image/jpeg"


def made_anew(raw: bytes) -> Made:
    """The picture in a file of any usual kind, at most 1200 by 2400 pixels. Raises NoPicture."""
    found = _opened(raw, _FORMATS, smaller=True)
    try:
        upright = ImageOps.exif_transpose(found)
        clear = upright.mode in ("RGBA", "LA", "PA") or "transparency" in upright.info
        plain = upright.convert("RGBA" if clear else "RGB")
        plain.thumbnail((WIDEST, TALLEST))
        plain.info.clear()  # comments and profiles would be written along
        out = io.BytesIO()
        if clear:
            plain.save(out, "PNG", optimize=True)
        else:
            plain.save(out, "JPEG", quality=86, optimize=True, progressive=True)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise NoPicture("This picture is broken. Save it again, or choose another one.") from error
    return _made(out.getvalue(), "png" if clear else "jpg", plain)


def from_file(picture: Picture) -> Made:
    """A picture out of a school file: kept as it is when it is one of ours. Raises NoPicture."""
    try:
        body = base64.b64decode(picture.data, validate=True)
    except (binascii.Error, ValueError) as error:
        raise NoPicture(f"The picture {picture.key} is not in Base64.") from error
    found = _opened(body, ("PNG", "JPEG"))
    made = _made(body, picture.key.rpartition(".")[2], found)
    if made.key != picture.key or (found.format == "PNG") != picture.key.endswith(".png"):
        raise NoPicture(f"The picture {picture.key} is not what its key says. Export the school again.")
    return made


def _made(body: bytes, ending: str, image: Image.Image) -> Made:
    return Made(f"{hashlib.sha256(body).hexdigest()[:32]}.{ending}", image.width, image.height, body)


def _opened(raw: bytes, formats: tuple[str, ...], *, smaller: bool = False) -> Image.Image:
    if len(raw) > MOST_BYTES:
        raise NoPicture("This picture is larger than 12 MB. Make it smaller first.")
    try:
        found = Image.open(io.BytesIO(raw), formats=formats)
        most = _MOST_PIXELS_JPEG if found.format in ("JPEG", "MPO") else _MOST_PIXELS
        if found.width * found.height <= most:
            if smaller:
                # Taken out at the smallest size that is enough, whichever way it will be turned.
                found.draft("RGB", (TALLEST, TALLEST))
            found.load()
            return found
    except UnidentifiedImageError as error:
        raise NoPicture(
            "This is no picture that mail programs show. Save it as JPEG or PNG and try again."
        ) from error
    except Image.DecompressionBombError:
        most = _MOST_PIXELS_JPEG
    except (OSError, ValueError, SyntaxError) as error:
        raise NoPicture("This picture is broken. Save it again, or choose another one.") from error
    raise NoPicture(f"This picture has more than {most // 1_000_000} million pixels. Make it smaller first.")
