"""Amendments applied to one workbook in memory: guards first, then the change, each cell's old and new noted."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from tinquire.amend.addresses import mentioned_headings, with_addresses
from tinquire.amend.changes import Change, NotThereError
from tinquire.amend.conditions import values_below
from tinquire.amend.dress import dressed
from tinquire.amend.listing import added_column, heading_row, listed
from tinquire.amend.schema import Amendment, LookChange
from tinquire.amend.shape import shaped
from tinquire.amend.summing import summed_up
from tinquire.amend.targets import Cells, cell_value, matching_sheets, places
from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import counted
from tinquire.cells.address import Area, area_name, cell_name, column_name
from tinquire.cells.column import Column, Kind
from tinquire.cells.display import general, show
from tinquire.cells.values import CellError, Value
from tinquire.formula import parse
from tinquire.formula.language.mentions import down_pattern, offset_text
from tinquire.formula.language.problems import FormulaError
from tinquire.looks import Variation
from tinquire.tables.totals import TOTALS
from tinquire.workbook import Workbook, edit
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Formula

__all__ = ["Change", "NotAsExpectedError", "apply_amendments", "display_text", "for_every_sheet", "same_value"]

_CLOSE = 1e-9
_DAY_FORMAT, _MOMENT_FORMAT = "yyyy-mm-dd", "yyyy-mm-dd hh:mm"


class NotAsExpectedError(Exception):
    """The workbook does not look as an amendment expects; it must be left alone."""

    def __init__(self, fault: Fault) -> None:
        super().__init__(fault.why)
        self.fault = fault


def apply_amendments(book: Workbook, amendments: Sequence[Amendment]) -> list[Change]:
    """Apply amendments in their order, and return what changed; nothing is written.

    Raises: NotAsExpectedError at the first that finds what it did not expect. The workbook in memory is then of no
    use.
    """
    changes: list[Change] = []
    for number, amendment in enumerate(amendments, start=1):
        stopped = f"amendment {number}" + (f" ({amendment.say})" if amendment.say else "")
        try:
            done = list(_done(book, amendment))
            changes += [replace(change, number=number) for change in done]
        except NotThereError as error:
            if not amendment.optional:
                raise NotAsExpectedError(Fault(stopped, str(error), book.name)) from None
        except DataError as error:
            raise NotAsExpectedError(replace(error.faults[0], stopped=stopped)) from None
    return changes


def for_every_sheet(book: Workbook, amendments: Sequence[Amendment]) -> list[Amendment]:
    """Amendments once for each worksheet; those that name a sheet or a table are for that alone."""
    bound = [one for one in amendments if one.sheet is not None or one.table is not None or "!" in (one.at or "")]
    loose = [one for one in amendments if one not in bound]
    every = [one.model_copy(update={"sheet": name}) for name in book.sheet_names() for one in loose]
    return [*every, *bound]


def _done(book: Workbook, amendment: Amendment) -> Iterable[Change]:
    """What one amendment changes: the shape of sheets, their dress, or cells."""
    if amendment.given:
        return shaped(book, amendment)
    if amendment.summary is not None:
        return summed_up(book, amendment, amendment.summary)
    if amendment.add is not None:
        return _added(book, amendment, amendment.add)
    if amendment.listed():
        return listed(book, amendment)
    return dressed(book, amendment) if amendment.dress() else _Applier(book, amendment).changes()


def _added(book: Workbook, amendment: Amendment, heading: str) -> Iterator[Change]:
    """A new column on each sheet that has the heading it comes after, its cells dressed as those beside them."""
    for name in matching_sheets(book, amendment.sheet):
        below, model = added_column(book, name, heading, amendment.after, amendment.before)
        column, sheet = below.column(heading), book.sheet(name)
        assert column is not None
        yield Change(name, cell_name(heading_row(below), column), "", f"a new column '{heading}'")
        for first, last in runs_of(below.rows):
            sheet.dress(first, column, sheet.styles(model, first, last), last - first + 1)
        given = (amendment.value, amendment.formula, amendment.becomes, amendment.format)
        if given == (None, None, None, None) and amendment.look == LookChange():
            continue
        fill = Amendment(
            sheet=name, heading=heading, value=amendment.value, formula=amendment.formula, becomes=amendment.becomes,
            format=amendment.format, look=amendment.look,
        )  # fmt: skip
        yield from _Applier(book, fill).changes()


# -- cells -----------------------------------------------------------------------------------------------


class _Applier:
    """One amendment while it is applied."""

    def __init__(self, book: Workbook, amendment: Amendment) -> None:
        self.book = book
        self.amendment = amendment
        self._arrays: dict[str, list[Area]] = {}

    def changes(self) -> list[Change]:
        amendment = self.amendment
        found = places(self.book, amendment)
        if amendment.expect is not None or amendment.expect_formula is not None:
            for cells in found:
                self._guard(cells)
        if amendment.total is not None:
            return [change for cells in found for change in self._total(cells)]
        changes = [change for cells in found for change in self._cells(cells)]
        seen = sum(len(cells.rows) for cells in found)
        if amendment.expect_cells is not None and seen != amendment.expect_cells:
            raise NotThereError(f"it found {counted(seen, 'cell')}, {amendment.expect_cells:,} expected")
        if not seen and (amendment.matching, amendment.where) == (None, None) and not amendment.replace:
            raise NotThereError("no cell is there")
        return changes

    def _guard(self, cells: Cells) -> None:
        """Raises NotThereError at the first cell that does not hold what it should."""
        amendment, sheet = self.amendment, cells.sheet
        for row in cells.rows:
            place = f"sheet '{sheet.name}', cell {cell_name(row, cells.column)}"
            formula = sheet.formula(row, cells.column)
            if amendment.expect_formula is not None:
                wanted = amendment.expect_formula.lstrip("=")
                text = None if formula is None else text_at(formula, row, cells.column)
                if text is None or not _same_formula(text, wanted, row, cells.column):
                    found = "no formula" if text is None else f"={text}"
                    raise NotThereError(f"{place} holds {found}, not ={wanted}")
            if amendment.expect is not None:
                wanted_value = cell_value(amendment.expect, self.book.date_system)
                value = sheet.value(row, cells.column)
                if not same_value(value or None if value == "" else value, wanted_value):
                    raise NotThereError(f"{place} holds {display_text(value)}, not {display_text(wanted_value)}")

    def _cells(self, cells: Cells) -> Iterator[Change]:
        amendment = self.amendment
        if amendment.replace:
            yield from self._replaced(cells)
        elif amendment.becomes is not None:
            yield from self._become(cells, amendment.becomes)
        elif amendment.formula is not None:
            yield from self._filled(cells, amendment.formula)
        elif amendment.value is not None:
            yield from self._valued(cells)
        else:
            for first, last in runs_of(cells.rows):
                yield from self._dressed(cells, first, last)

    def _valued(self, cells: Cells) -> Iterator[Change]:
        amendment = self.amendment
        assert amendment.value is not None
        fresh = cell_value(amendment.value, self.book.date_system)
        for row in cells.rows:
            old, formula = cells.sheet.value(row, cells.column), cells.sheet.formula(row, cells.column)
            if formula is not None and amendment.expect_formula is None:
                if amendment.at is None and amendment.name is None:
                    continue  # a formula that happens to give the value is not the value
                text = text_at(formula, row, cells.column)
                place = f"sheet '{cells.sheet.name}', cell {cell_name(row, cells.column)}"
                raise NotThereError(f"{place} holds the formula ={text}; state expect_formula to replace it")
            style = self._style(cells, row)
            if formula is None and same_value(old, fresh) and style == cells.sheet.style(row, cells.column):
                continue
            yield self._set(cells, row, fresh, style)

    def _become(self, cells: Cells, formula: str) -> Iterator[Change]:
        """Cells whose values become those of a formula over their row; blanks stay, where it reads the cell itself."""
        if cells.under is None:
            raise NotThereError("becomes can be read only below headings: say where by heading or table")
        values = dict(
            zip(cells.under.rows, values_below(self.book, cells.sheet.name, cells.under, formula), strict=True)
        )
        head = next((name for name in cells.under.headings if cells.under.column(name) == cells.column), "")
        itself = head.casefold() in map(str.casefold, mentioned_headings(formula))
        for row in cells.rows:
            old, fresh = cells.sheet.value(row, cells.column), values[row]
            fresh = None if fresh == "" else fresh
            if (old is None and itself) or cells.sheet.formula(row, cells.column) is not None or same_value(old, fresh):
                continue
            if isinstance(fresh, CellError):
                place = f"sheet '{cells.sheet.name}', cell {cell_name(row, cells.column)}"
                raise NotThereError(f"{place} holds {display_text(old)}, of which {formula} is {fresh}")
            yield self._set(cells, row, fresh, self._style(cells, row))

    def _replaced(self, cells: Cells) -> Iterator[Change]:
        for row in cells.rows:
            old = cells.sheet.value(row, cells.column)
            if not isinstance(old, str) or cells.sheet.formula(row, cells.column) is not None:
                continue
            text = old
            for part, fresh in self.amendment.replace.items():
                text = text.replace(part, fresh)
            if text != old:
                yield self._set(cells, row, text or None, self._style(cells, row))

    def _filled(self, cells: Cells, formula: str) -> Iterator[Change]:
        first = cells.rows[0] if cells.rows and cells.under is not None else None
        text = (
            with_addresses(self.book, cells.sheet.name, cells.under, formula.lstrip("="), first) if cells.rows else ""
        )
        try:
            parse(text, 1, 1)
        except FormulaError as error:
            raise NotThereError(f"its formula cannot be read: {error.faults[0].why}") from None
        at = self.amendment.at
        one_cell = at is not None and len(cells.rows) == 1 and ":" not in at  # a range is meant as it is
        rows = self._down(cells) if one_cell else cells.rows
        model = cells.sheet.style(rows[0], cells.column) if rows else 0
        if rows:
            cells.sheet.reserve(rows[0], cells.column, rows[-1] - rows[0] + 1)
        if self._are_blank(cells, rows):
            yield from self._filled_at_once(cells, rows, text, model)
            return
        for row in rows:
            fresh = offset_text(text, row - rows[0], 0)
            known = cells.sheet.formula(row, cells.column)
            if known is not None and _same_formula(text_at(known, row, cells.column), fresh, row, cells.column):
                continue
            blank = cells.sheet.value(row, cells.column) is None and known is None
            yield self._set(cells, row, None, self._style(cells, row, model if blank else None), fresh)

    def _are_blank(self, cells: Cells, rows: Sequence[int]) -> bool:
        """Whether cells are a run of blank ones that nothing forbids to fill."""
        sheet = cells.sheet
        if len(rows) < 2 or rows[-1] - rows[0] != len(rows) - 1 or any(one.array is not None for one in sheet.formulas):
            return False
        if any(table.area.top in range(rows[0], rows[-1] + 1) for table in sheet.tables):
            return False
        found = sheet.rows_of(cells.column, np.array(rows, np.int32))
        return not (found.kinds != Kind.BLANK).any() and not (found.formulas != NO_FORMULA).any()

    def _filled_at_once(self, cells: Cells, rows: Sequence[int], text: str, model: int) -> Iterator[Change]:
        """Blank cells filled with one formula, which they share."""
        sheet, column, first = cells.sheet, cells.column, rows[0]
        sheet.put(
            first, column, Column.blank(len(rows)), self._style(cells, first, model), Formula(text, first, column)
        )
        pattern, letters, look = down_pattern(text, first), column_name(column), self._look_said()
        if pattern is None:
            texts = [offset_text(text, row - first, 0) for row in rows]
        else:
            texts = pattern.texts(first, len(rows)).decode().splitlines()
        for row, fresh in zip(rows, texts, strict=True):
            yield Change(sheet.name, f"{letters}{row}", display_text(None), f"={fresh}{look}")

    def _down(self, cells: Cells) -> tuple[int, ...]:
        """From one cell down to the last row of the data beside it: the column to its left, else the sheet's end."""
        first, sheet = cells.rows[0], cells.sheet
        beside = sheet.columns.get(cells.column - 1)
        used = sheet.used
        last = first
        if beside is not None:
            rows = beside.rows[(beside.rows >= first) & (beside.kinds != 0)].tolist()
            for row in rows:
                if row > last + 1:
                    break
                last = row
        elif used is not None:
            last = max(first, used.bottom)
        return tuple(range(first, last + 1))

    def _total(self, cells: Cells) -> Iterator[Change]:
        amendment = self.amendment
        assert amendment.total is not None
        if not cells.rows:
            return
        if cells.under is not None and cells.under.table is not None and cells.under.table.totals:
            raise NotThereError(f"table '{cells.under.table.name}' has a totals row already")
        last = cells.rows[-1]
        row = last + 1
        letters = column_name(cells.column)
        formula = f"{TOTALS[amendment.total].function}({letters}{cells.rows[0]}:{letters}{last})"
        known = cells.sheet.formula(row, cells.column)
        if known is not None and _same_formula(text_at(known, row, cells.column), formula, row, cells.column):
            return
        if known is not None or cells.sheet.value(row, cells.column) is not None:
            found = (
                f"={text_at(known, row, cells.column)}" if known else display_text(cells.sheet.value(row, cells.column))
            )
            raise NotThereError(f"sheet '{cells.sheet.name}', cell {letters}{row} below the column holds {found}")
        under = Cells(cells.sheet, cells.column, (row,))
        model = cells.sheet.style(last, cells.column)
        yield self._set(under, row, None, self._style(under, row, model), formula)

    # -- what a cell becomes ---------------------------------------------------------------------------

    def _variation(self) -> Variation:
        amendment = self.amendment
        code = amendment.format
        if code is None and isinstance(amendment.value, datetime.date):
            code = _MOMENT_FORMAT if isinstance(amendment.value, datetime.datetime) else _DAY_FORMAT
        return amendment.look.variation(code)

    def _style(self, cells: Cells, row: int, model: int | None = None) -> int:
        style = cells.sheet.style(row, cells.column) if model is None else model
        change = self._variation()
        is_day = isinstance(self.amendment.value, datetime.date) and self.amendment.format is None
        if is_day and self.book.styles.is_date(style):
            change = replace(change, format=None)
        return self.book.styles.vary(style, change) if change.given() else style

    def _set(self, cells: Cells, row: int, value: Value, style: int, formula: str | None = None) -> Change:
        # Renaming a heading writes its sheet and has it read again: what was found is of the sheet as it was.
        sheet, column = self.book.sheet(cells.sheet.name), cells.column
        self._refuse_arrays(cells, row)
        old = self._now(cells, row)
        table = next(
            (item for item in sheet.tables if item.headings and item.area.top == row and item.area.holds(row, column)),
            None,
        )
        if table is not None:
            if not isinstance(value, str):
                raise NotThereError(
                    f"cell {cell_name(row, column)} heads a column of table '{table.name}': it must be text"
                )
            name = table.columns[column - table.area.left].name
            edit.rename_column(self.book, table.name, name, value)
            self.book.sheet(sheet.name).set(row, column, value, style)
        else:
            sheet.set(row, column, value, style, formula)
        new = f"={formula}" if formula is not None else self._shown_at(value, style)
        return Change(sheet.name, cell_name(row, column), old, new + self._look_said())

    def _dressed(self, cells: Cells, first: int, last: int) -> Iterator[Change]:
        """Cells of a column in rows that follow each other, dressed; those that look so already are left."""
        sheet, column, letters = cells.sheet, cells.column, column_name(cells.column)
        styles = sheet.styles(column, first, last).copy()
        fresh = np.zeros_like(styles)
        for style in np.unique(styles).tolist():
            fresh[styles == style] = self._style(cells, first, style)
        values = sheet.column(column, first, last)
        said, look = self.amendment.format, self._look_said()
        for start, end in runs_of((np.flatnonzero(styles != fresh) + first).tolist()):
            sheet.dress(start, column, fresh[start - first : end - first + 1], end - start + 1)
            for row in range(start, end + 1):
                value, style, other = values[row - first], int(styles[row - first]), int(fresh[row - first])
                old, new = self._shown_at(value, style), self._shown_at(value, other)
                if old == new and said is not None:
                    old, new = f"{old} as {self.book.styles.number_format(style)}", f"{new} as {said}"
                yield Change(sheet.name, f"{letters}{row}", old, new + look)

    def _refuse_arrays(self, cells: Cells, row: int) -> None:
        """Raises NotThereError for a cell that belongs to an array formula: it cannot change alone (18.3.1.40)."""
        sheet = cells.sheet
        if sheet.name not in self._arrays:
            self._arrays[sheet.name] = [formula.array for formula in sheet.formulas if formula.array is not None]
        for area in self._arrays[sheet.name]:
            if area.holds(row, cells.column):
                place = cell_name(row, cells.column)
                raise NotThereError(f"cell {place} belongs to the array formula in {area_name(area)}")

    def _look_said(self) -> str:
        if self.amendment.look == LookChange():
            return ""
        given = {key.replace("_", " "): one for key, one in self.amendment.look.model_dump(exclude_none=True).items()}
        parts = [
            key if value is True else f"not {key}" if value is False else f"{key} {value}"
            for key, value in given.items()
        ]
        return f" ({', '.join(parts)})"

    def _now(self, cells: Cells, row: int) -> str:
        formula = cells.sheet.formula(row, cells.column)
        if formula is not None:
            return f"={text_at(formula, row, cells.column)}"
        return self._shown_at(cells.sheet.value(row, cells.column), cells.sheet.style(row, cells.column))

    def _shown_at(self, value: Value, style: int) -> str:
        """A value as displayed; texts in quotes, so that `'7'` and `7` are distinguished."""
        if value is None or isinstance(value, str):
            return display_text(value)
        return show(value, self.book.styles.number_format(style), self.book.date_system).text


def runs_of(rows: Sequence[int]) -> Iterator[tuple[int, int]]:
    """First and last of each run of rows that follow each other."""
    numbers = np.array(rows, np.int64)
    breaks = np.flatnonzero(np.diff(numbers) != 1) + 1
    for run in np.split(numbers, breaks) if len(numbers) else ():
        yield int(run[0]), int(run[-1])


def same_value(one: Value, other: Value) -> bool:
    """Whether two values are one: of the same kind, and equal but for the last bits."""
    if isinstance(one, float) and isinstance(other, float) and not isinstance(one, bool):
        return abs(one - other) <= _CLOSE * max(1.0, abs(one), abs(other))
    return type(one) is type(other) and one == other


def _same_formula(one: str, other: str, row: int, column: int) -> bool:
    """Whether two texts are one formula: spaces and the case of names do not matter."""
    if one == other:
        return True
    try:
        return parse(one, row, column) == parse(other, row, column)
    except FormulaError:
        return False


def display_text(value: Value) -> str:
    """A value as a list of changes and a message show it; texts in quotes, so that `'7'` and `7` are distinguished."""
    if value is None:
        return "nothing"
    return f"'{value}'" if isinstance(value, str) else general(value) if isinstance(value, float) else str(value)
