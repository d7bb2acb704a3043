"""A run proves its own numbers: after a workbook is recalculated, the cells of each sheet are compared with the table,
pivot or statement that they stand for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from tinquire.base.faults import Fault
from tinquire.base.wording import counted
from tinquire.cells.address import cell_name
from tinquire.cells.column import Booleans, Column, Floats, Kind, texts_at
from tinquire.cells.display import general
from tinquire.cells.values import Value
from tinquire.layout.plans import Laid
from tinquire.layout.tables import TableOnSheet
from tinquire.tables import Table
from tinquire.tables.pivots.groups import PivotValue
from tinquire.tables.pivots.pivot import Pivot
from tinquire.tables.statement import Statement
from tinquire.tables.totals import total_of
from tinquire.workbook import Workbook

__all__ = ["Claim", "claims_of_pivot", "claims_of_statement", "claims_of_table", "differences"]

#: How far a result may be from what it stands for, in parts of the numbers that went into it: sums of a sheet may add
#: them in another order.
_TOLERANCE = 1e-12
#: Results that were not summed up are equal but for their last digit.
_LAST_DIGIT = 4e-16
#: Texts of columns of up to this many cells are compared as one first.
_SHORT = 1_000


class Claim(NamedTuple):
    """Cells of one column from the row `top` downwards, and the values that they stand for.

    `source` names those in messages, `step` what explains a difference. `size` is the sum of the sizes of all numbers
    that went into a value. With `empty_is_blank`, a formula's empty text stands for a blank.
    """

    sheet: str
    top: int
    column: int
    wanted: Column
    source: str
    step: str = ""
    size: float = 0.0
    empty_is_blank: bool = False


def claims_of_table(shown: TableOnSheet) -> Iterator[Claim]:
    """What the cells of a table's sheet stand for: its columns, and their totals."""
    table, sheet, body = shown.table, shown.sheet, shown.laid.body
    if not table.height or body is None:
        return
    for index, (field, column) in enumerate(zip(table.fields, table.columns, strict=True)):
        source = f"table '{table.name}', column '{field.name}'"
        derived = table.row_formula(index)
        data = column if shown.outline is None else column.take(~shown.outline.is_total)
        # Totals between the rows are sums, too.
        size = 0.0 if shown.outline is None or field.name not in shown.totals else _size(data)
        step = derived[0].step if derived else ""
        yield Claim(sheet.name, body.top, body.left + index, column, source, step, size)
        if (kind := shown.totals.get(field.name)) is not None:
            total = Column.from_values([total_of(kind, data)])
            row = body.bottom + 1
            yield Claim(sheet.name, row, body.left + index, total, f"the {kind} of {source}", "", _size(data))


def claims_of_pivot(sheet: str, laid: Laid, pivot: Pivot, rows: Table | None, *, living: bool) -> Iterator[Claim]:
    """What the cells of a pivot stand for; `rows` are those that it sums up, if they are here."""
    assert laid.body is not None
    table, labels = pivot.as_table(), len(pivot.row_fields)
    for index, (field, column) in enumerate(zip(table.fields, table.columns, strict=True)):
        value = None if index < labels else pivot.values[(index - labels) % len(pivot.values)]
        source = f"pivot '{pivot.name}', column '{field.name}'"
        size = _size(column) + _size_of_rows(value, rows)
        yield Claim(sheet, laid.body.top, laid.body.left + index, column, source, "", size, living)


def _size_of_rows(value: PivotValue | None, rows: Table | None) -> float:
    index = None if value is None or rows is None else rows.index_of(value.column)
    return 0.0 if index is None or rows is None else _size(rows.columns[index])


def claims_of_statement(sheet: str, laid: Laid, statement: Statement, *, living: bool) -> Iterator[Claim]:
    """What the cells of a statement stand for."""
    assert laid.body is not None
    table = statement.as_table()
    size = sum(_size(column) for column in statement.accounts.columns)
    for index, (field, column) in enumerate(zip(table.fields, table.columns, strict=True)):
        source = f"statement '{statement.name}', column '{field.name}'"
        yield Claim(sheet, laid.body.top, laid.body.left + index, column, source, "", size, living)


def _size(column: Column) -> float:
    return float(np.abs(column.numbers[column.kinds == Kind.NUMBER]).sum())


# -- comparing -------------------------------------------------------------------------------------------


def differences(book: Workbook, claims: Sequence[Claim]) -> Iterator[Fault]:
    """A fault for every claim whose cells show something else, with both values of the first such cell."""
    sheet = None
    for claim in claims:
        if sheet is None or sheet.name != claim.sheet:
            sheet = book.sheet(claim.sheet)
        found = sheet.column(claim.column, claim.top, claim.top + len(claim.wanted) - 1)
        if _is_same(claim.wanted, found):
            continue
        wrong = np.flatnonzero(~_agree(claim, found))
        if not len(wrong):
            continue
        row = claim.top + int(wrong[0])
        cell, formula = cell_name(row, claim.column), sheet.formula(row, claim.column)
        shows = f"it shows {_spell(found[int(wrong[0])])}" + (f" by ={formula.text}" if formula else "")
        why = f"{shows}, and {claim.source} has {_spell(claim.wanted[int(wrong[0])])}"
        why += f"; {counted(len(wrong), 'cell')} differ" if len(wrong) > 1 else ""
        why += f"; derived by {claim.step}" if claim.step else ""
        where = f"sheet '{claim.sheet}', cell {cell}"
        yield Fault("proving the numbers", why, where, 'write formulas = "values" for this sheet')


def _is_same(wanted: Column, found: Column) -> bool:
    """Whether two columns without texts, or short ones of texts alone, are the same to the last bit, which is soon
    told."""
    kinds = wanted.kinds.tobytes()
    if kinds != found.kinds.tobytes():
        return False
    if Kind.TEXT not in kinds:
        return wanted.numbers.tobytes() == found.numbers.tobytes()
    if len(kinds) > _SHORT or kinds.count(Kind.TEXT) < len(kinds):
        return False
    return texts_at(wanted.texts, wanted.codes) == texts_at(found.texts, found.codes)


def _agree(claim: Claim, found: Column) -> Booleans:
    """For each cell whether it shows what it stands for."""
    wanted = claim.wanted
    kinds = wanted.kinds
    same = kinds == found.kinds
    is_text = kinds == Kind.TEXT
    close = (wanted.numbers == found.numbers) | is_text
    if not close.all():
        close |= (kinds == Kind.NUMBER) & _close(wanted.numbers, found.numbers, claim.size)
    same &= close
    if is_text.any():
        same &= ~is_text | _same_texts(wanted, found)
    if claim.empty_is_blank and not same.all():
        for row in np.flatnonzero(kinds == Kind.BLANK).tolist():
            same[row] = found[row] in (None, "")
    return same


def _close(wanted: Floats, found: Floats, size: float) -> Booleans:
    with np.errstate(all="ignore"):
        return np.asarray(np.abs(wanted - found) <= _LAST_DIGIT * np.abs(wanted) + _TOLERANCE * size)


def _same_texts(wanted: Column, found: Column) -> Booleans:
    """Where two columns hold the same text. The codes of one are looked up in the other's: only different texts are
    compared."""
    both = (wanted.kinds == Kind.TEXT) & (found.kinds == Kind.TEXT)
    every = bool(both.all())
    ours, theirs = (wanted.codes, found.codes) if every else (wanted.codes[both], found.codes[both])
    meant = np.full(len(wanted.texts), -1, np.int64)
    meant[ours] = theirs
    if np.array_equal(meant[ours], theirs):
        equal = np.zeros(len(wanted.texts), bool)
        used = np.flatnonzero(meant >= 0)
        pairs = zip(used.tolist(), meant[used].tolist(), strict=True)
        equal[used] = [wanted.texts[a] == found.texts[b] for a, b in pairs]
        same = equal[ours]
    else:  # one text in several places of a pool
        pairs = zip(ours.tolist(), theirs.tolist(), strict=True)
        same = np.fromiter((wanted.texts[a] == found.texts[b] for a, b in pairs), bool, len(ours))
    if every:
        return same
    result = np.zeros(len(wanted), bool)
    result[both] = same
    return result


def _spell(value: Value) -> str:
    return "nothing" if value is None else general(value) if isinstance(value, float) else f"'{value}'"
