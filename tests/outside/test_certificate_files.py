"""The certificate's PDF read by two libraries that did not write it, with names in twelve scripts.

Sources: ISO 216 (A4), ISO 32000 as read by pypdf and pdfminer.six, ISO 19005-2 by what it asks to be in the file,
ISO/IEC 18004 as read by ZXing, glyphs as HarfBuzz shapes them. Text of scripts that are shaped and reordered is compared
by its title (a string of its own in the file), since readers differ on the page's.
"""

import io
from dataclasses import replace
from pathlib import Path

import pytest
import uharfbuzz
import zxingcpp
from fontTools.ttLib import TTFont
from pdfminer.converter import PDFLayoutAnalyzer
from pdfminer.high_level import extract_text
from pdfminer.pdfinterp import PDFPageInterpreter, PDFResourceManager
from pdfminer.pdfpage import PDFPage
from PIL import Image
from pypdf import PdfReader
from whenever import Instant

from patient_courier.certificates.drawing import Certificate, draw
from patient_courier.certificates.scripts import FOLDER, missing

CHECK = "https://post.mallowlane.example/certificate/ABCD-EFGH-IJKL"

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
        title=f"Certificate: {name}", description="First Hive", school="Mallow Lane Apiary School", name=name, course="First Hive",
        issued="3 March 2026", issued_at=Instant.from_utc(2026, 3, 3), signed="Ines", number="ABCD-EFGH-JKLM", check=CHECK, paper_colour="#ffffff", ink="#13283b", soft="#526473", accent="#9a5410", **more,
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
    # PDF/A with structure: said in the metadata, with tags and no layer of colours that only a screen has.
    said = reader.xmp_metadata
    assert (said.pdfaid_part, said.pdfaid_conformance) == ("2", "A")
    assert reader.trailer["/Root"]["/MarkInfo"]["/Marked"] and "/StructTreeRoot" in reader.trailer["/Root"]
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
    for name in (
        "#panic() $x$ *b* <b> \\ @ref",
        "A" * 300,
        "Ana " * 75,
        "a\u0000b\u202ec\n\nd",
        "Ana \U0001f41d\ue000",
    ):
        body = draw(certificate(name), "pdf")
        assert len(PdfReader(io.BytesIO(body)).pages) == 1
    assert "#panic()" in extract_text(io.BytesIO(draw(certificate("#panic() *b*"), "pdf")))


def test_the_picture_is_the_same_each_time_and_no_larger_than_a_letter_needs():
    one, other = (draw(certificate("Ana Reis"), "png") for _ in range(2))
    assert one == other and Image.open(io.BytesIO(one)).size[0] in range(1390, 1420)


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
    # However much there is to say, nothing stands on the square.
    full = replace(
        made,
        name="Ana Maria " * 18,
        wording="and has kept bees " * 10,
        course="A long title of a course " * 6,
    )
    assert [x.text for x in zxingcpp.read_barcodes(Image.open(io.BytesIO(draw(full, "png"))))] == [CHECK]


class Glyphs(PDFLayoutAnalyzer):
    """The widths of the glyphs on a page, in the order they are set, by the font's name."""

    def __init__(self):
        super().__init__(PDFResourceManager())
        self.found = {}

    def render_char(self, matrix, font, fontsize, scaling, rise, cid, ncs, graphicstate):
        self.found.setdefault(font.fontname.partition("+")[2], []).append(round(font.char_width(cid) * 1000))
        return super().render_char(matrix, font, fontsize, scaling, rise, cid, ncs, graphicstate)


def set_in(body):
    glyphs = Glyphs()
    for page in PDFPage.get_pages(io.BytesIO(body)):
        PDFPageInterpreter(glyphs.rsrcmgr, glyphs).process_page(page)
    return glyphs.found


def shaped(word, path):
    """The widths of a word's glyphs in the order they stand from left to right, as HarfBuzz has them."""
    data = Path(path).read_bytes()
    font = uharfbuzz.Font(uharfbuzz.Face(data))
    buffer = uharfbuzz.Buffer()
    buffer.add_str(word)
    buffer.guess_segment_properties()
    uharfbuzz.shape(font, buffer)
    metrics, order = TTFont(io.BytesIO(data)), TTFont(io.BytesIO(data)).getGlyphOrder()
    unit = metrics["head"].unitsPerEm / 1000
    return [round(metrics["hmtx"][order[x.codepoint]][0] / unit) for x in buffer.glyph_infos]


@pytest.mark.parametrize("script", NAMES)
def test_names_are_shaped_as_an_independent_shaper_has_them(script):
    bold = script in ("latin", "greek", "cyrillic")
    path = FOLDER / ("NotoSerif-Bold.ttf" if bold else f"NotoSans{script.title()}-Regular.ttf")
    found = set_in(draw(certificate(NAMES[script]), "pdf"))
    line = next(widths for name, widths in found.items() if name.replace("-", "").startswith(path.stem.replace("-Regular", "").replace("-", "")))  # fmt: skip
    for word in NAMES[script].split():
        glyphs = shaped(word, path)
        spots = [line[i : i + len(glyphs)] for i in range(len(line))]
        assert any(all(abs(a - b) <= 1 for a, b in zip(spot, glyphs, strict=True)) for spot in spots if len(spot) == len(glyphs)), (glyphs, line)  # fmt: skip


@pytest.mark.parametrize("design", ["frame", "band", "corners", "plain"])
def test_a_phone_reads_the_square_also_on_dark_paper(design):
    dark = {"paper_colour": "#13283b", "ink": "#ffffff", "soft": "#c6d3dc"} if design == "band" else {}
    made = replace(certificate("Ana Reis", design=design, upright=design == "plain"), **dark)
    picture = Image.open(io.BytesIO(draw(made, "png")))
    assert [one.text for one in zxingcpp.read_barcodes(picture)] == [CHECK]


def test_signs_that_no_font_has_are_known_before():
    assert all(missing(name) == "" for name in NAMES.values())
    assert missing("Ana \U00010380\U0001f41d\U00010380 Reis\u200d") == "\U00010380\U0001f41d"
