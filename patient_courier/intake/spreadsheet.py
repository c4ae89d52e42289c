"""Text in files that people open with a spreadsheet: nothing in it is taken for a formula there.

Common practice, no source: an apostrophe in front makes a cell text in every spreadsheet program.
"""

from __future__ import annotations

import re

# What begins a formula, also behind spaces and in full-width forms, and what moves on to the next cell.
_FORMULA = re.compile(r"\s*[=+\-@\t\r\uff1d\uff0b\uff0d\uff20]")


def guarded(cell: str) -> str:
    """The cell so that it stays text; :func:`unguarded` gives it back as it was."""
    return f"'{cell}" if _FORMULA.match(cell) or _FORMULA.match(cell.lstrip("'")) else cell


def unguarded(cell: str) -> str:
    return cell[1:] if cell.startswith("'") and _FORMULA.match(cell.lstrip("'")) else cell
