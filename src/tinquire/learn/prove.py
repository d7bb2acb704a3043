"""Steps replayed on the state before: do they give the state after, cell for cell and look for look?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice, product

import numpy as np

from tinquire.amend.change import NotAsExpectedError, apply_amendments
from tinquire.cells.address import cell_name
from tinquire.cells.values import Value
from tinquire.learn.steps import Learned, Step
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.sheet import NO_FORMULA

__all__ = ["best_readings", "differences", "has_formulas", "prove", "replayed"]

#: More differences than these are counted.
_TOLD = 40
#: More are not even looked for.
_MANY = 20_000
#: Readings of all steps together that are tried.
_TRIED = 60


def replayed(data: bytes, name: str, steps: Sequence[Step]) -> Workbook:
    """A workbook with steps done to it. Raises NotAsExpectedError for one that finds something else."""
    book = Workbook.from_bytes(data, name)
    apply_amendments(book, [step.amendment for step in steps])
    # As it will be read: what was set in memory is written and read again.
    return Workbook.from_bytes(book.to_bytes(), name)


def prove(data: bytes, name: str, after: Workbook, learned: Learned) -> None:
    """Note in `learned` what its steps do not explain."""
    try:
        done = replayed(data, name, learned.steps)
    except NotAsExpectedError as error:
        learned.unexplained.append(f"the steps cannot be replayed: {error}")
        return
    found = [
        f"sheet '{sheet}' is {'new' if sheet in after.sheet_names() else 'gone'}"
        for sheet in sorted({*done.sheet_names()} ^ {*after.sheet_names()})
    ]
    for sheet in after.sheet_names():
        if sheet in done.sheet_names():
            found += differences(done, after, sheet, sheet, _MANY)
    learned.unexplained += found[:_TOLD]
    if len(found) > _TOLD:
        learned.unexplained.append(f"and {len(found) - _TOLD:,} cells more")


def differences(one: Workbook, other: Workbook, old: str, new: str, most: int = 1 << 30) -> Iterator[str]:
    """What differs between a sheet of one workbook and one of another: values, formulas, looks, widths, panes. After
    `most` of them no further column is looked at."""
    was, now = one.sheet(old), other.sheet(new)
    areas = [area for area in (was.used, now.used) if area is not None]
    bottom, right = (max((getattr(area, side) for area in areas), default=0) for side in ("bottom", "right"))
    told: list[tuple[int, int, str]] = []
    for column in range(1, right + 1):
        told += islice(_in_column(one, other, (was, now), column, bottom), most + 1)
        if len(told) > most:
            break
    for row, column, words in sorted(told):
        yield f"sheet '{new}', {cell_name(row, column)} {words}"
    for column in sorted({*was.widths} | {*now.widths}):
        if abs(was.widths.get(column, 0) - now.widths.get(column, 0)) > 0.01:
            yield f"sheet '{new}', the width of column {column}"
    if was.frozen != now.frozen:
        yield f"sheet '{new}', what is frozen"


def _in_column(
    one: Workbook, other: Workbook, sheets: tuple[Sheet, Sheet], column: int, bottom: int
) -> Iterator[tuple[int, int, str]]:  # fmt: skip
    was, now = sheets
    rows = set()
    for row in _other_values(was, now, column, bottom):
        words = None if row in rows else _cell(was, now, row, column)
        rows.add(row)
        if words is not None:
            yield row, column, words
    for row in _other_looks(one, other, sheets, column, bottom):
        if row not in rows:
            yield row, column, "looks different"


def _other_values(was: Sheet, now: Sheet, column: int, bottom: int) -> Iterator[int]:
    """Rows in which a column's cells hold something else, or a formula in either."""
    values = [sheet.column(column, 1, bottom).to_list() for sheet in (was, now)]
    if values[0] != values[1] or bool in set(map(type, values[0])):
        yield from (row for row, (a, b) in enumerate(zip(*values, strict=True), 1) if a != b or type(a) is not type(b))
    for sheet in (was, now):
        if has_formulas(sheet, column):
            cells = sheet.columns[column]
            yield from cells.rows[cells.formulas != NO_FORMULA].tolist()


def has_formulas(sheet: Sheet, column: int) -> bool:
    cells = sheet.columns.get(column)
    return cells is not None and bool((cells.formulas != NO_FORMULA).any())


def _other_looks(
    one: Workbook, other: Workbook, sheets: tuple[Sheet, Sheet], column: int, bottom: int
) -> list[int]:  # fmt: skip
    """Rows in which a column's cells look different: each pair of styles is compared once."""
    pairs = np.stack([sheet.styles(column, 1, bottom) for sheet in sheets])
    kinds, places = np.unique(pairs, axis=1, return_inverse=True)
    differ = np.array([one.styles.appearance(int(a)) != other.styles.appearance(int(b)) for a, b in kinds.T], bool)
    return [int(row) + 1 for row in np.flatnonzero(differ[places.reshape(-1)])]


def _cell(was: Sheet, now: Sheet, row: int, column: int) -> str | None:
    """What differs in what a cell holds, in words; None where nothing does. Results of one formula are not compared:
    they are worked out anew."""
    formulas = [sheet.formula(row, column) for sheet in (was, now)]
    texts = [None if one is None else text_at(one, row, column) for one in formulas]
    if texts[0] != texts[1]:
        return f"holds {_shown(texts[1], now.value(row, column))}, not {_shown(texts[0], was.value(row, column))}"
    a, b = was.value(row, column), now.value(row, column)
    if texts[0] is None and (type(a), a) != (type(b), b) and not (a in (None, "") and b in (None, "")):
        return f"holds {_shown(None, b)}, not {_shown(None, a)}"
    return None


def _shown(formula: str | None, value: Value) -> str:
    return f"={formula}" if formula is not None else "nothing" if value is None else repr(value)


def best_readings(
    data: bytes, name: str, after: Workbook, learned: Learned, also: Sequence[tuple[bytes, Workbook]]
) -> None:
    """Of steps that can be read in several ways, take the readings that explain further pairs, too; the plainest where
    several do. What is not explained is noted in `learned`."""
    choices = [step.readings() for step in learned.steps]
    told: list[str] | None = None
    for tried, steps in enumerate(product(*choices)):
        if tried >= _TRIED:
            break
        found = Learned(list(steps))
        for content, wanted in ((data, after), *also):
            prove(content, name, wanted, found)
        if found.is_whole:
            learned.steps, learned.unexplained = found.steps, []
            return
        told = told if told is not None and len(told) <= len(found.unexplained) else found.unexplained
        if told is found.unexplained:
            learned.steps = found.steps
    learned.unexplained += told or []
