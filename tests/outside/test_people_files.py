"""Files of people that other programs write, and ours read back by them.

RFC 4180 (CSV); dialects as LibreOffice's and other spreadsheets' export dialogs offer them, written by hand: common
practice, no source. pandas 3 and openpyxl 3 write and read the others.
"""

from __future__ import annotations

import csv
import io

import pandas
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from patient_courier.core.people.importing import guess
from patient_courier.intake.people_file import read_people
from patient_courier.intake.spreadsheet import guarded

PEOPLE = [
    ["E-mail", "First name", "Last name", "Town"],
    ["ana@example.org", "Ana, Beatriz", "d’Aubépine", "São João"],
    ["jo@example.net", 'Jo "the hive"', "O'Neil; Smith", "Göteborg"],
    ["li@example.com", "two\nlines", "Œuvrard", "Zürich"],
]


def written(
    encoding: str, delimiter: str = ",", quoting: int = csv.QUOTE_MINIMAL, end: str = "\r\n"
) -> bytes:
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter, quoting=quoting, lineterminator=end).writerows(PEOPLE)
    return out.getvalue().encode(encoding)


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
@pytest.mark.parametrize("quoting", [csv.QUOTE_MINIMAL, csv.QUOTE_ALL])
def test_whatever_a_spreadsheet_writes_is_read_as_it_was(encoding, delimiter, quoting):
    found = read_people(written(encoding, delimiter, quoting))
    assert found.columns == PEOPLE[0]
    assert found.rows == PEOPLE[1:]


@pytest.mark.parametrize(
    ("encoding", "name"),
    [("cp1250", "Łukasz Żółć"), ("cp1251", "Мария Иванова из Софии")],
)
def test_other_old_encodings_are_told_by_what_stands_in_them(encoding, name):
    text = f"mail,name\r\nx@example.org,{name}\r\ny@example.org,{name}\r\n"
    assert read_people(text.encode(encoding)).rows[0] == ["x@example.org", name]


def test_the_examples_of_rfc_4180_section_2():
    """Line ends, a last line without one, quoted cells with line breaks, commas and doubled quotation marks."""
    text = 'aaa,bbb,ccc\r\n"aaa","b \r\nbb","ccc"\r\n"aaa","b""bb","c,cc"\r\nzzz,yyy,xxx'
    found = read_people(text.encode())
    assert found.columns == ["aaa", "bbb", "ccc"]
    assert found.rows == [["aaa", "b \r\nbb", "ccc"], ["aaa", 'b"bb', "c,cc"], ["zzz", "yyy", "xxx"]]


def test_what_pandas_writes_is_read_as_it_was(tmp_path):
    frame = pandas.DataFrame(PEOPLE[1:], columns=PEOPLE[0])
    assert read_people(frame.to_csv(index=False).encode()).rows == PEOPLE[1:]
    frame.to_excel(tmp_path / "people.xlsx", index=False)
    assert read_people((tmp_path / "people.xlsx").read_bytes()).rows == PEOPLE[1:]


def test_a_spreadsheet_with_numbers_dates_and_yes_or_no(tmp_path):
    book = Workbook()
    sheet = book.active
    sheet.append(["mail", "joined", "lessons", "news"])
    sheet.append(["ana@example.org", pandas.Timestamp("2026-03-02").to_pydatetime(), 12, True])
    book.save(tmp_path / "people.xlsx")
    found = read_people((tmp_path / "people.xlsx").read_bytes())
    assert found.rows == [["ana@example.org", "2026-03-02", "12", "yes"]]
    assert guess(found.columns, found.rows)[:2] == ["email", "enrolled"]


@pytest.mark.parametrize(
    "cell", ["=1+1", "+1", "-1", "@x", "\t=1", "  =1", "＝1", "'=1", "a=1", "O'Neil", ""]
)
def test_no_cell_of_ours_is_a_formula_when_another_program_reads_it(cell):
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows([["mail", "x"], ["ana@example.org", guarded(cell)]])
    frame = pandas.read_csv(io.StringIO(out.getvalue()), dtype=str, keep_default_na=False)
    read = frame["x"][0]
    assert not read.lstrip().startswith(("=", "+", "-", "@", "＝"))
    assert read_people(out.getvalue().encode()).rows == [["ana@example.org", cell]]


CELL = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=12)


@settings(max_examples=150)
@given(
    st.sampled_from(",;\t|"),
    st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
    st.integers(2, 5).flatmap(
        lambda width: st.lists(st.lists(CELL, min_size=width, max_size=width), min_size=2, max_size=6)
    ),
)
def test_any_table_that_python_writes_is_read_as_it_was(delimiter, quoting, rows):
    """Python's csv module (RFC 4180) with each delimiter; addresses in the first column, as in every file of people."""
    told = [["mail", *rows[0][1:]], *([f"p{n}@example.org", *row[1:]] for n, row in enumerate(rows[1:]))]
    # What stands in a cell must not look more like a table than the table does.
    told = [
        [cell.translate(dict.fromkeys(map(ord, ",;|\t'"), " ")).strip() or "x" for cell in row]
        for row in told
    ]
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter, quoting=quoting).writerows(told)
    found = read_people(out.getvalue().encode())
    assert found.rows == told[1:] and len(found.columns) == len(told[0])
