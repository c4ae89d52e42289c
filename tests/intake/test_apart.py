"""Files that end their reader: it is a process of its own, so they are refused with a sentence and the next one is read."""

import io
import os
import signal
import threading
import zipfile
from contextlib import closing

import pytest
from openpyxl import Workbook
from PIL import Image

from patient_courier.intake import apart
from patient_courier.intake.apart import Apart, Occupied
from patient_courier.intake.letter_files import NoLetter
from patient_courier.intake.people_file import UnreadableFile
from patient_courier.intake.pictures import NoPicture, made_anew


@pytest.fixture
def reader():
    with closing(Apart()) as found:
        yield found


def far_cells() -> bytes:
    """A spreadsheet of two cells that are as far from each other as can be."""
    book, out = Workbook(), io.BytesIO()
    book.active["A1"], book.active["XFD1048576"] = "mail", "x"
    book.save(out)
    return out.getvalue()


def unpacks_to_a_gigabyte() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr("[Content_Types].xml", "<Types/>")
        with file.open("xl/workbook.xml", "w", force_zip64=True) as sheet:
            for _ in range(1024):
                sheet.write(b" " * 1_000_000)
    return out.getvalue()


def test_what_is_read_apart_is_what_is_read_here(reader):
    table = reader.people(b"mail,name\na@example.org,Ana\n")
    assert (table.columns, table.rows) == (["mail", "name"], [["a@example.org", "Ana"]])
    assert reader.people(b"mail\n" + b"a@example.org\n" * 2_500).rows == [["a@example.org"]] * 2_500
    letter = reader.letter("x.md", "# Grüße\n\nHello\n\n***\n\nthere".encode())
    assert letter.subject == "Grüße" and [x["kind"] for x in letter.blocks] == ["text", "divider", "text"]
    out = io.BytesIO()
    Image.new("RGB", (40, 20), "red").save(out, "PNG")
    assert reader.picture(out.getvalue()) == made_anew(out.getvalue())
    assert reader.report(b"Subject: hi\n\nhello").kind == "nothing"


def test_what_is_refused_keeps_its_sentence(reader):
    with pytest.raises(NoLetter, match=r"\.eml, \.html or \.md"):
        reader.letter("x.doc", b"hello")
    with pytest.raises(NoPicture, match="Save it as JPEG or PNG"):
        reader.picture(b"<svg/>")
    with pytest.raises(UnreadableFile, match="empty"):
        reader.people(b"  ")


@pytest.mark.parametrize("make", [far_cells, unpacks_to_a_gigabyte])
def test_a_small_spreadsheet_that_takes_all_memory_is_refused_and_the_next_file_is_read(reader, make):
    with pytest.raises(UnreadableFile, match=r"can't be read|anew"):
        reader.people(make())
    assert reader.people(b"mail\na@example.org\n").rows == [["a@example.org"]]


def test_a_file_that_takes_too_long_is_refused(reader, monkeypatch):
    monkeypatch.setitem(apart.SECONDS, "letter", 0)
    # Comments that seem to close what they hold open: the one nesting that is not seen beforehand.
    slow = ("<b><blockquote><!--</blockquote></b>--><p>" * 40_000).encode()
    with pytest.raises(NoLetter, match="too much memory or time"):
        reader.letter("x.html", slow)
    monkeypatch.undo()
    assert reader.letter("x.html", b"<p>hello").blocks


def test_a_reader_that_was_ended_from_outside_is_begun_anew(reader):
    reader.report(b"")
    assert reader._process is not None
    os.kill(reader._process.pid, signal.SIGKILL)
    reader._process.wait()
    assert reader.letter("x.txt", b"hello").blocks


def test_a_reader_that_has_grown_gives_its_memory_back(reader):
    out = io.BytesIO()
    Image.new("RGBA", (4800, 4800)).save(out, "PNG")
    assert reader.picture(out.getvalue()).width == 1200
    assert reader._process is not None and reader._process.wait() == 0
    large = io.BytesIO()
    Image.new("RGB", (7740, 7740)).save(large, "PNG")
    with pytest.raises(NoPicture, match="more than 24 million"):
        reader.picture(large.getvalue())
    photograph = io.BytesIO()
    Image.new("RGB", (7740, 7740)).save(photograph, "JPEG")
    assert reader.picture(photograph.getvalue()).width == 1200


def test_who_would_wait_behind_too_many_is_told_to_come_again(reader, monkeypatch):
    monkeypatch.setattr(apart, "LONGEST_WAIT", 0.01)
    with reader._turn, pytest.raises(Occupied, match="being read"):
        reader.report(b"")
    monkeypatch.setattr(apart, "LONGEST_WAIT", 60.0)
    with reader._turn:
        waiting = [threading.Thread(target=reader.report, args=(b"",)) for _ in range(apart.MOST_WAITING)]
        for one in waiting:
            one.start()
        while reader._waiting.acquire(blocking=False):  # until all of them wait
            reader._waiting.release()
        with pytest.raises(Occupied, match="Many files"):
            reader.report(b"")
    for one in waiting:
        one.join()
    assert reader.report(b"").kind == "nothing"
