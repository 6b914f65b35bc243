"""Cells of lists that may be opened in a spreadsheet."""

from __future__ import annotations

from typing import TypeVar

T = TypeVar("T")


def plain(value: T) -> T | str:
    """Return a cell that no spreadsheet takes for a formula.

    Examples
    --------
    >>> plain("=1+1"), plain("Bell"), plain(-3.0)
    ("'=1+1", 'Bell', -3.0)
    """
    return f"'{value}" if isinstance(value, str) and value.startswith(("=", "+", "-", "@", "\t", "\r")) else value
