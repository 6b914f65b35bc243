"""Cells of lists that may be opened in a spreadsheet."""

from __future__ import annotations

import unicodedata
from typing import TypeVar

T = TypeVar("T")
_PASSED_OVER = " \t\r\n\0\u200b\ufeff"


def plain(value: T) -> T | str:
    """Return a cell that no spreadsheet takes for a formula.

    Examples
    --------
    >>> plain("=1+1"), plain(" ＝1"), plain("Bell"), plain(-3.0)
    ("'=1+1", "' ＝1", 'Bell', -3.0)
    """
    if not isinstance(value, str):
        return value
    # Spreadsheets look past blanks and marks that take no room, and take full-width signs for the signs.
    first = unicodedata.normalize("NFKC", value).lstrip(_PASSED_OVER)[:1]
    return f"'{value}" if value[:1] in ("\t", "\r") or first in tuple("=+-@") else value
