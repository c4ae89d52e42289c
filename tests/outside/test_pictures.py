"""The gate for pictures, with files made and read by the Pillow library and hostile ones.

Sources: EXIF orientation (CIPA DC-008, tag 0x0112); PNG (W3C PNG, third edition) as written by Pillow.
"""

import io
import struct
import zlib
from base64 import b64encode

import pytest
from PIL import Image

from patient_courier.core.school.file import Picture
from patient_courier.intake.pictures import NoPicture, from_file, made_anew


def picture(mode="RGB", size=(40, 20), form="PNG", **more):
    raw = io.BytesIO()
    Image.new(mode, size, "#ff0000" if mode != "LA" else 0).save(raw, form, **more)
    return raw.getvalue()


@pytest.mark.parametrize("form", ["PNG", "JPEG", "WEBP", "GIF"])
def test_usual_pictures_are_made_anew_and_nothing_else_of_them_is_kept(form):
    secret = b"GPS: 38.69 N 9.42 W"
    more = {"comment": secret} if form in ("JPEG", "GIF") else {}
    made = made_anew(picture(form=form, **more) + secret)
    found = Image.open(io.BytesIO(made.body))
    assert found.format == ("PNG" if made.key.endswith("png") else "JPEG") and found.size == (40, 20)
    assert secret not in made.body and not found.getexif()


def test_a_turned_photograph_stands_upright_and_a_large_one_is_made_smaller():
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter
    made = made_anew(picture(size=(3000, 1500), form="JPEG", exif=exif))
    assert (made.width, made.height) == (1200, 2400)
    assert made_anew(picture("RGBA")).key.endswith(".png")


def bomb():
    """A PNG whose head promises a picture of ten thousand million points."""
    head = struct.pack(">IIBBBBB", 100_000, 100_000, 8, 2, 0, 0, 0)

    def chunk(name, data):
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(b"\0" * 1000))
        + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize(
    "raw",
    [
        b"",
        b"GIF89a",
        b"<svg xmlns='http://www.w3.org/2000/svg'><script/></svg>",
        bomb(),
        picture()[:60],
        b"\xff\xd8\xff" + b"x" * 500,
        b"%PDF-1.7",
    ],
)
def test_what_is_no_picture_is_refused_with_what_to_do(raw):
    with pytest.raises(NoPicture, match=r"Save it|Make it smaller"):
        made_anew(raw)


def test_a_school_files_picture_is_kept_as_it_is_or_refused():
    made = made_anew(picture())
    kept = Picture(key=made.key, name="hive", data=b64encode(made.body).decode())
    assert from_file(kept) == made
    other = made_anew(picture(size=(41, 20)))
    for wrong in (
        kept.model_copy(update={"key": other.key}),
        kept.model_copy(update={"data": "???"}),
        kept.model_copy(update={"data": b64encode(b"<html>").decode()}),
    ):
        with pytest.raises(NoPicture):
            from_file(wrong)
