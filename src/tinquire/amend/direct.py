"""The commonest amendment done the shortest way: single cells set in the bytes of a file."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from functools import lru_cache

from tinquire.amend.change import Change, display_text, same_value
from tinquire.amend.schema import Amendment, LookChange
from tinquire.amend.targets import cell_value
from tinquire.cells.address import cell_name, parse_cell
from tinquire.cells.dates import DateSystem
from tinquire.cells.display import show
from tinquire.cells.values import Value
from tinquire.formula.language.mentions import mentions
from tinquire.packages.raw_xml import Unusual
from tinquire.workbook.direct_workbook import DirectBook

__all__ = ["amend_bytes", "suits"]


_NO_LOOK = LookChange()


def suits(amendment: Amendment) -> bool:
    """Whether an amendment sets one cell of a named sheet to a plain value, and nothing more."""
    value, expect = amendment.value, amendment.expect
    return (
        amendment.at is not None
        and _place(amendment) is not None
        and value is not None
        and not isinstance(value, datetime.date)
        and not isinstance(expect, datetime.date)
        and amendment.look == _NO_LOOK
        and not (amendment.format or amendment.expect_formula or amendment.expect_cells is not None)
        and amendment.matching is None
    )


def _place(amendment: Amendment) -> tuple[str, int, int] | None:
    """Sheet, row and column of a single cell; None for all else."""
    return _single_cell(amendment.at or "", amendment.sheet)


@lru_cache(maxsize=256)
def _single_cell(at: str, sheet: str | None) -> tuple[str, int, int] | None:
    mention = next(iter(mentions(at)), None)
    if mention is None or ":" in mention.spelled or (mention.start, mention.end) != (0, len(at)):
        return None
    sheet = mention.sheets[0] if len(mention.sheets) == 1 else sheet
    if sheet is None or mention.outside or any(sign in sheet for sign in "*?["):
        return None
    try:
        return (sheet, *parse_cell(mention.spelled))
    except ValueError:
        return None


def amend_bytes(data: bytes, amendments: Sequence[Amendment]) -> tuple[list[Change], bytes]:
    """The changes and the new bytes of a file.

    Raises Unusual when the file or what is found in it is not plain: what the cells hold is not as expected, too, for
    the longer way says what is wrong.
    """
    book = DirectBook(data)
    changes = []
    for number, amendment in enumerate(amendments, start=1):
        position = _place(amendment)
        if position is None or amendment.value is None:
            raise Unusual
        known = book.cell(*position)
        value = cell_value(amendment.value, book.date_system)
        if known.formula or (
            amendment.expect is not None
            and not same_value(_blank(known.value), cell_value(amendment.expect, book.date_system))
        ):
            raise Unusual
        if same_value(known.value, value):
            continue
        sheet, row, column = position
        code = book.number_format(known.style)
        shown = _display(known.value, code, book.date_system), _display(value, code, book.date_system)
        changes.append(Change(book.sheet_name(sheet), cell_name(row, column), *shown, number))
        book.set(sheet, row, column, value, known)
    if changes and book.may_hold_formulas():
        book.mark_stale()
    return changes, book.to_bytes() if changes else data


def _blank(value: Value) -> Value:
    return None if value == "" else value


@lru_cache(maxsize=1024, typed=True)
def _display(value: Value, code: str, system: DateSystem) -> str:
    return display_text(value) if value is None or isinstance(value, str) else show(value, code, system).text
