"""Sample rows of a template replaced by others: they grow or shrink, each looks as the sample does, formulas beside
them are filled, and whatever took the whole of them takes all that are there now."""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.base.wording import counted
from tinquire.cells.address import MAX_ROW, Area, area_name, cell_name, column_name
from tinquire.cells.column import Codes, Column, Kind
from tinquire.formula.language.mentions import Mention, change_mentions, mentions
from tinquire.formula.language.reference_changes import may_mention
from tinquire.packages.xml import children
from tinquire.workbook.edit.propagate import change_part, follow
from tinquire.workbook.edit.rows_columns import delete_rows, insert_rows
from tinquire.workbook.edit.tables import resize_table
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.sheet import Formula, Sheet
from tinquire.workbook.sheet_xml.row_levels import with_rows
from tinquire.workbook.workbook import Workbook

__all__ = ["Grown", "Room", "SampleRows", "SeveralChanges", "make_room", "put_rows"]


@dataclass(frozen=True, slots=True)
class SampleRows:
    """Where sample rows stand: their sheet and their area, without headings and totals; and their table part, if
    any."""

    sheet: str
    area: Area
    table: str | None = None


@dataclass(frozen=True, slots=True)
class Grown:
    """A reference change: what took all sample rows of an area takes as many rows as there are now."""

    sheet: str
    sample: Area
    bottom: int

    def formula(self, text: str, home: str) -> str:
        return change_mentions(text, lambda mention: self._grown(mention, home))

    def _grown(self, mention: Mention, home: str) -> str | None:
        sheet = mention.sheets[0] if mention.sheets else home
        area = mention.area
        if mention.outside or len(mention.sheets) > 1 or sheet.casefold() != self.sheet.casefold() or area is None:
            return None
        # One cell is one cell, but where no formula stands: a chart's series of one row, a name.
        spelled = ":" in mention.spelled or not home
        if not spelled or not self._takes(area):
            return None
        grown = area._replace(bottom=self.bottom)
        if ":" not in mention.spelled and grown.height > 1:
            last = mention.over(area._replace(top=self.bottom, bottom=self.bottom))
            return f"{mention.over(area)}:{last.rpartition('!')[2]}"
        return mention.over(grown)

    def _takes(self, area: Area) -> bool:
        rows = area.top == self.sample.top and area.bottom == self.sample.bottom
        return rows and area.bottom != self.bottom

    def area(self, area: Area, home: str) -> Area | None:
        grows = home.casefold() == self.sheet.casefold() and self._takes(area)
        return area._replace(bottom=self.bottom) if grows else area

    def may_change(self, data: bytes, home: str) -> bool:
        return home.casefold() == self.sheet.casefold() or may_mention(self.sheet, data)

    def moved_sheets(self) -> tuple[str, ...]:
        return (self.sheet,)


@dataclass(frozen=True, slots=True)
class SeveralChanges:
    """Reference changes of areas that do not meet, as one."""

    changes: tuple[Grown, ...]

    def formula(self, text: str, home: str) -> str:
        for change in self.changes:
            text = change.formula(text, home)
        return text

    def area(self, area: Area, home: str) -> Area | None:
        for change in self.changes:
            moved = change.area(area, home)
            if moved != area:
                return moved
        return area

    def may_change(self, data: bytes, home: str) -> bool:
        return any(change.may_change(data, home) for change in self.changes)

    def moved_sheets(self) -> tuple[str, ...]:
        return tuple(change.sheet for change in self.changes)


@dataclass(frozen=True, slots=True)
class Room:
    """Room for so many rows in place of sample rows, and what took a part of these, and so was left as it is."""

    sample: SampleRows
    height: int
    partial: tuple[str, ...]


def make_room(
    book: Workbook, sample: SampleRows, height: int, columns: Container[int], *, stay: bool = False
) -> Room:  # fmt: skip
    """Make room for rows in place of sample rows, for one blank one without any: blank cells that look as the sample's
    do, with the formulas of its first row but in the `columns` that get values. With `stay` what stands below stays
    where it is. Raises DataError for what is in the way of the rows."""
    sheet, area = book.sheet(sample.sheet), sample.area
    now = max(height, 1)
    doing = f"filling {area_name(area)} of sheet '{sample.sheet}'"
    if area.top + now - 1 > MAX_ROW:
        why = f"{counted(height, 'row')} do not fit below row {area.top - 1}"
        raise DataError(Fault(doing, why, book.name, "keep fewer rows"))
    models = _models(sheet, area)
    styles = _styles(sheet, area, now)
    tall = sheet.heights.get(area.top)
    partial = tuple(_partial(book, sample)) if now != area.height else ()
    _resize(book, sample, now, doing, stay=stay)
    sheet, blank = book.sheet(sample.sheet), Column.blank(now)
    for number in range(area.left, area.right + 1):
        sheet.put(area.top, number, blank, styles[number], None if number in columns else models.get(number))
    for number, model in models.items():
        if not area.left <= number <= area.right:  # formulas that stand beside the rows
            sheet.put(area.top, number, blank, sheet.style(area.top, number), model)
    if tall is not None and now > 1:
        _set_heights(book, sample.sheet, area.top, now, tall)
    book.formulas_moved()
    return Room(sample, height, partial)


def put_rows(book: Workbook, room: Room, columns: Mapping[int, Column]) -> None:
    """Put rows where room was made for them: `columns` are the values by the number of the sheet's column, each as long
    as was said."""
    if room.height:
        book.sheet(room.sample.sheet).store_beside(room.sample.area.top, columns)


def _models(sheet: Sheet, area: Area) -> dict[int, Formula]:
    """The formulas of the first sample row, within the area and beside it, by column."""
    found = {}
    for number in sheet.columns:
        formula = sheet.formula(area.top, number)
        if formula is not None and formula.array is None:
            found[number] = Formula(text_at(formula, area.top, number), area.top, number)
    return found


def _styles(sheet: Sheet, area: Area, height: int) -> dict[int, Codes]:
    """The styles of each column's cells: the first and last row look as those of the sample, those between as the ones
    between there, one after the other."""
    found = {}
    for number in range(area.left, area.right + 1):
        own = sheet.styles(number, area.top, area.bottom)
        inner = own[1:-1] if len(own) > 2 else own[:1]
        styles = np.tile(inner, -(-height // len(inner)))[:height]
        if height > 2 and len(own) > 2:
            styles[1:] = np.tile(inner, -(-height // len(inner)))[: height - 1]
        styles[0] = own[0]
        if len(own) > 1 and height > 1:
            styles[-1] = own[-1]
        found[number] = styles
    return found


def _resize(book: Workbook, sample: SampleRows, now: int, doing: str, *, stay: bool) -> None:
    """Make as many rows as there are now. Raises DataError for cells in the way."""
    area, name = sample.area, sample.sheet
    bottom = area.top + now - 1
    if now == area.height:
        return
    if stay:
        sheet = book.sheet(name)
        below = Area(area.bottom + 1, area.left, bottom, area.right)
        for number in range(area.left, area.right + 1) if now > area.height else ():
            taken = np.flatnonzero(sheet.column(number, below.top, below.bottom).kinds != Kind.BLANK)
            if len(taken):
                cell = cell_name(below.top + int(taken[0]), number)
                why = f"cell {cell} is in the way of {counted(now, 'row')}, and what stands below is to stay"
                raise DataError(Fault(doing, why, book.name, "let it move, or make room in the template"))
        for number in range(area.left, area.right + 1) if now < area.height else ():
            sheet.put(bottom + 1, number, Column.blank(area.bottom - bottom), 0)
        _grow(book, sample, bottom)
    elif now < area.height:
        delete_rows(book, name, area.top + now, area.height - now)
    elif area.height > 1:
        insert_rows(book, name, area.bottom, now - area.height)
    else:
        insert_rows(book, name, area.bottom + 1, now - 1)
        _grow(book, sample, bottom)


def _grow(book: Workbook, sample: SampleRows, bottom: int) -> None:
    """Let what took all sample rows take those down to another row."""
    book.settle()
    follow(book, Grown(sample.sheet, sample.area, bottom))
    if sample.table is None:
        return
    table = book.tables()[sample.table.casefold()][1]
    if table.data.bottom != bottom and not table.totals:
        resize_table(book, sample.table, table.area._replace(bottom=bottom))
    elif table.data.bottom != bottom:
        _stretch(book, sample, bottom)


def _stretch(book: Workbook, sample: SampleRows, bottom: int) -> None:
    """Give a table with totals, whose rows were put in below its last one, its area."""
    assert sample.table is not None
    name = sample.table.casefold()

    def change_area(root) -> bool:  # type: ignore[no-untyped-def]
        if (root.get("displayName") or "").casefold() != name:
            return False
        area = book.tables()[name][1].area
        root.set("ref", area_name(area._replace(bottom=bottom + 1)))
        for element in children(root, "autoFilter"):
            element.set("ref", area_name(area._replace(bottom=bottom)))
        return True

    for part in book.table_parts(sample.sheet):
        change_part(book, part, change_area)


def _set_heights(book: Workbook, sheet: str, top: int, count: int, height: float) -> None:
    """Give rows a height, in points (18.3.1.73)."""
    book.settle()
    entry = book.entry(sheet)
    assert entry is not None and entry.part is not None
    stated = {"ht": f"{height:g}", "customHeight": "1"}
    try:
        fresh = with_rows(book.package.read(entry.part), dict.fromkeys(range(top, top + count), stated))
    except ValueError as error:
        why = f"the part of sheet '{sheet}' cannot be changed: {error}"
        raise AccessError(Fault("changing a workbook", why, book.name, "get the file again")) from None
    book.part_changed(entry.part, fresh)


# -- what takes a part only ------------------------------------------------------------------------------


def _partial(book: Workbook, sample: SampleRows) -> Iterator[str]:
    """Ranges that take some of the sample rows, and not all: what they mean, nobody can tell."""
    area = sample.area

    def is_partial(mention: Mention, home: str) -> bool:
        sheet = mention.sheets[0] if mention.sheets else home
        own = mention.area
        if own is None or mention.outside or sheet.casefold() != sample.sheet.casefold() or ":" not in mention.spelled:
            return False
        rows = own.top <= area.bottom and own.bottom >= area.top
        columns = own.left <= area.right and own.right >= area.left
        whole = own.top <= area.top and own.bottom >= area.bottom
        return rows and columns and not whole and own.height > 1

    for sheet in book.sheets():
        for column, top, _, formula in sheet.formula_runs():
            inside = sheet.name.casefold() == sample.sheet.casefold() and area.top <= top <= area.bottom
            text = text_at(formula, top, column)
            if not inside and any(is_partial(mention, sheet.name) for mention in mentions(text)):
                place = f"sheet '{sheet.name}', cell {column_name(column)}{top}"
                yield f"{place}: ={text} takes a part of the sample rows {area_name(area)}, and stays as it is"
    for name in book.names:
        if any(is_partial(mention, name.sheet or "") for mention in mentions(name.formula)):
            yield f"the name '{name.name}' takes a part of the sample rows {area_name(area)}, and stays as it is"
