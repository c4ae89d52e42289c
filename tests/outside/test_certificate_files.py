"""The certificate's PDF read by two libraries that did not write it, with names in twelve scripts.

Sources: ISO 216 (A4), ISO 32000 as read by pypdf and pdfminer.six. Text of scripts that are shaped and reordered is
compared by its title (a string of its own in the file), since readers differ on the page's.
"""

import io

import pytest
from pdfminer.high_level import extract_text
from PIL import Image
from pypdf import PdfReader

from patient_courier.certificates.drawing import Certificate, draw

NAMES = {
    "latin": "Zoë Łukasiewicz-Ñandú",
    "greek": "Αθηνά Παπαδοπούλου",
    "cyrillic": "Юлія Щербак",
    "arabic": "نور الخطيب",
    "hebrew": "נועה לוי",
    "devanagari": "प्रिया शर्मा",
    "bengali": "অনন্যা চট্টোপাধ্যায়",
    "tamil": "கவிதா முருகன்",
    "thai": "กนกวรรณ ศรีสุข",
    "armenian": "Անի Հակոբյան",
    "georgian": "ნინო ბერიძე",
    "ethiopic": "ሰላም ተስፋዬ",
}


def certificate(name, **more):
    return Certificate(
        title=f"Certificate: {name}", school="Mallow Lane Apiary School", name=name, course="First Hive", issued="3 March 2026",
        signed="Ines", number="ABCD-EFGH-JKLM", paper_colour="#ffffff", ink="#13283b", soft="#526473", accent="#9a5410", **more,
    )  # fmt: skip


@pytest.mark.parametrize("script", NAMES)
def test_a_pdf_with_fonts_inside_that_others_read(script):
    name = NAMES[script]
    body = draw(certificate(name), "pdf")
    reader = PdfReader(io.BytesIO(body))
    assert len(reader.pages) == 1 and len(body) < 150_000
    width, height = (float(x) * 25.4 / 72 for x in reader.pages[0].mediabox[2:])
    assert (round(width), round(height)) == (297, 210)
    assert reader.metadata.title == f"Certificate: {name}" and reader.trailer["/Root"]["/Lang"] == "en"
    fonts = reader.pages[0]["/Resources"]["/Font"].values()
    inner = [font.get_object()["/DescendantFonts"][0].get_object() for font in fonts]
    assert inner and all(
        any(f"/FontFile{kind}" in one["/FontDescriptor"] for kind in ("", "2", "3")) for one in inner
    )
    for text in (reader.pages[0].extract_text(), extract_text(io.BytesIO(body))):
        assert "has finished the course" in text and "ABCD-EFGH-JKLM" in text
        if script in ("latin", "greek", "cyrillic", "armenian", "georgian", "ethiopic"):
            assert name in text


def test_a_hostile_name_is_text_and_a_long_one_stays_on_the_page():
    for name in ("#panic() $x$ *b* <b> \\ @ref", "A" * 300, "Ana " * 75, "a\u0000b\u202ec\n\nd"):
        body = draw(certificate(name), "pdf")
        assert len(PdfReader(io.BytesIO(body)).pages) == 1
    assert "#panic()" in extract_text(io.BytesIO(draw(certificate("#panic() *b*"), "pdf")))


def test_the_picture_is_the_same_each_time_and_no_larger_than_a_letter_needs():
    one, other = (draw(certificate("Ana Reis"), "png") for _ in range(2))
    assert one == other and Image.open(io.BytesIO(one)).size[0] in range(1150, 1200)


@pytest.mark.parametrize("design", ["frame", "band", "corners", "plain"])
@pytest.mark.parametrize(
    ("paper", "upright", "width", "height"),
    [
        ("a4", False, 297, 210),
        ("a4", True, 210, 297),
        ("letter", False, 279, 216),
        ("letter", True, 216, 279),
    ],
)
def test_every_design_stands_on_one_page_of_its_paper(design, paper, upright, width, height):
    """ISO 216 for A4, ANSI/ASME Y14.1 size A for Letter, to the millimetre."""
    logo = io.BytesIO()
    Image.new("RGB", (120, 120), "#f2b632").save(logo, "PNG")
    made = certificate("Ana " * 20, design=design, paper=paper, upright=upright, hours="40 hours of study", heading="Diploma", wording="has kept bees in", logo=logo.getvalue(), signature=logo.getvalue())  # fmt: skip
    reader = PdfReader(io.BytesIO(draw(made, "pdf")))
    (page,) = reader.pages
    assert [round(float(x) * 25.4 / 72) for x in page.mediabox[2:]] == [width, height]
    text = page.extract_text()
    assert all(words in text for words in ("Diploma", "has kept bees in", "40 hours of study", "First Hive"))
