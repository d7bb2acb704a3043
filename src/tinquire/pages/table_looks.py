"""Tables and pivots of a sheet drawn in the style that they name (ECMA-376 Part 1, 18.8.40, 18.8.42, 18.10.1.74): what
a cell says of itself comes before what its table says.

A style that the file does not hold is one that its program has built in: then the table gets lines and bands of our
own, so that its headings and rows can be told apart.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.address import Area
from tinquire.cells.column import Codes
from tinquire.looks import Appearance, Edge, Edges, Variation
from tinquire.looks.finish import Finish
from tinquire.looks.palette import luminance, tint
from tinquire.packages.xml import child, children, flag, whole_number
from tinquire.workbook import Sheet, SheetTable, Workbook
from tinquire.workbook.grid.cells import Cells
from tinquire.workbook.parts.pivots import pivot_area
from tinquire.workbook.parts.tables import read_table

__all__ = ["with_table_looks"]

_PLAIN = Finish()
_BLACK, _ACCENT, _ACCENT_PLACE = "000000", "4A6572", 4
#: How much lighter than the accent a band is, and how light letters are that need a dark ground.
_BAND, _LIGHT = 0.88, 0.7
#: More rows than these are never printed with bands: a table of so many is no report.
_MOST_ROWS = 200_000


@dataclass(frozen=True, slots=True)
class _Element:
    """What a part of a table changes, and how many rows or columns one of its stripes has."""

    change: Variation
    size: int = 1


@dataclass(frozen=True, slots=True)
class _Shown:
    """A table, the elements of its style, and which of them it shows (18.5.1.5)."""

    table: SheetTable
    elements: Mapping[str, _Element]
    first: bool
    last: bool
    rows: bool
    columns: bool
    #: How many of its first rows are headings: a pivot may have several.
    heads: int = 1

    @property
    def data(self) -> Area:
        area = self.table.area
        return Area(area.top + self.heads, area.left, area.bottom - self.table.totals, area.right)


def with_table_looks(book: Workbook, sheet: Sheet, tell: Callable[[str], None]) -> Sheet:
    """The sheet with the looks of its tables in its cells' styles; the same one where no table has any. `tell` gets a
    sentence on each style that is not in the file. Raises AccessError for damaged parts."""
    try:
        shown = [*_shown(book, sheet, tell), *_shown_pivots(book, sheet, tell)]
    except ValueError as error:
        fault = Fault("opening a workbook", f"a table or pivot of sheet '{sheet.name}' is damaged: {error}", book.name)
        raise AccessError(fault) from None
    if not shown:
        return sheet
    dressed = copy.copy(sheet)
    dressed.columns = dict(sheet.columns)
    known: dict[tuple[int, Variation], int] = {}
    for one in shown:
        for column in range(one.table.area.left, one.table.area.right + 1):
            dressed.columns[column] = _dressed(book, one, column, dressed.columns.get(column), known)
    return dressed


def _shown(book: Workbook, sheet: Sheet, tell: Callable[[str], None]) -> Iterator[_Shown]:
    for part in book.table_parts(sheet.name):
        root = book.package.root(part)
        info = child(root, "tableStyleInfo")
        name = None if info is None else info.get("name")
        table = read_table(root)
        if info is None or not name or name == "None" or table.area.height > _MOST_ROWS:
            continue
        elements = _elements(book, name)
        if elements is None:
            tell(f"table style '{name}' is not in the file: '{table.name}' is drawn with lines and bands of our own")
            elements = _own(book)
        first, last, rows, columns = (flag(info, f"show{what}", default=False) for what in _FLAGS)
        yield _Shown(table, elements, first, last, rows, columns, int(table.headings))


def _shown_pivots(book: Workbook, sheet: Sheet, tell: Callable[[str], None]) -> Iterator[_Shown]:
    """A sheet's pivots as tables: rows of headings, and lines and columns of grand totals (18.10.1.73)."""
    entry = book.entry(sheet.name)
    for relation in book.package.relations(entry.part) if entry is not None and entry.part is not None else ():
        if relation.kind != "pivotTable" or not book.package.has(relation.target):
            continue
        root = book.package.root(relation.target)
        info, area = child(root, "pivotTableStyleInfo"), pivot_area(root)
        name = None if info is None else info.get("name")
        if info is None or area is None or not name or name == "None" or area.height > _MOST_ROWS:
            continue
        elements = _elements(book, name)
        if elements is None:
            tell(f"pivot style '{name}' is not in the file: a pivot is drawn with lines of our own")
            elements = {kind: one for kind, one in _own(book).items() if "Stripe" not in kind}
        location = child(root, "location")
        first = None if location is None else whole_number(location.get("firstDataRow"))
        heads = min(max(first or 1, 1), area.height)
        totals = flag(root, "colGrandTotals", default=True) and child(root, "rowFields") is not None
        last = flag(root, "rowGrandTotals", default=True) and child(root, "colFields") is not None
        table = SheetTable(root.get("name", ""), area, (), headings=True, totals=totals and area.height > heads + 1)
        rows, columns = (flag(info, f"show{what}Stripes", default=False) for what in ("Row", "Col"))
        yield _Shown(table, elements, False, last, rows, columns, heads)


_FLAGS = ("FirstColumn", "LastColumn", "RowStripes", "ColumnStripes")


def _elements(book: Workbook, name: str) -> dict[str, _Element] | None:
    """The elements of a style by their kind (18.18.77); None for one that the file does not hold."""
    for style in book.styles.table_styles():
        if style.get("name") == name:
            return {
                item.get("type", ""): _Element(
                    book.styles.partial(int(item.get("dxfId", "-1"))), max(int(item.get("size", "1")), 1)
                )
                for item in children(style, "tableStyleElement")
            }
    return None


def _own(book: Workbook) -> dict[str, _Element]:
    theme = book.theme
    accent = theme[_ACCENT_PLACE] if len(theme) > _ACCENT_PLACE else _ACCENT
    line = Edge("thin", accent)
    return {
        "wholeTable": _Element(Variation(edges=Edges(line, line))),
        "firstRowStripe": _Element(Variation(fill=tint(accent, _BAND))),
        "headerRow": _Element(Variation(bold=True, edges=Edges(line, line))),
        "totalRow": _Element(Variation(bold=True, edges=Edges(line, line))),
        "firstColumn": _Element(Variation(bold=True)),
        "lastColumn": _Element(Variation(bold=True)),
    }


def _dressed(
    book: Workbook, shown: _Shown, column: int, cells: Cells | None, known: dict[tuple[int, Variation], int]
) -> Cells:
    """A column's cells with the looks of a table's rows; blank ones are made where there are none."""
    area = shown.table.area
    own = Cells.empty(np.zeros(0, np.int32)) if cells is None else cells
    rows = np.union1d(own.rows, np.arange(area.top, area.bottom + 1)).astype(np.int32)
    fresh = Cells.empty(rows)
    at = np.searchsorted(rows, own.rows)
    for new, old in zip(fresh.arrays(), own.arrays(), strict=True):
        new[at] = old
    inside = fresh.places(area.top, area.bottom)
    kinds = np.stack([_alike(shown, rows[inside]), fresh.styles[inside]])
    distinct, firsts, which = np.unique(kinds, axis=1, return_index=True, return_inverse=True)
    styles = []
    for (_, style), first in zip(distinct.T.tolist(), firsts.tolist(), strict=True):
        key = (style, _change(shown, area.top + first, column))
        if key not in known:
            known[key] = _merged(book, *key)
        styles.append(known[key])
    fresh.styles[inside] = np.array(styles, np.int32)[which.ravel()]
    return fresh


def _alike(shown: _Shown, rows: Codes) -> Codes:
    """A number for each row of a table: rows with the same one get the same looks."""
    data = shown.data
    stripes = sum(
        shown.elements[kind].size if kind in shown.elements else 1 for kind in ("firstRowStripe", "secondRowStripe")
    )
    places = (rows - data.top) % stripes
    heads = range(shown.table.area.top, data.top)
    for number, row in enumerate((*heads, shown.table.area.bottom, data.top, data.bottom), start=1):
        places = np.where(rows == row, places + number * stripes * 8, places)
    return places.astype(np.int32)


def _change(shown: _Shown, row: int, column: int) -> Variation:
    """What a table says of one of its cells; elements that come later win."""
    change = Variation()
    for element, area in _around(shown, row, column):
        own = element.change
        if own.edges is not None:
            sides = own.edges
            own = replace(own, edges=Edges(
                sides.top if row == area.top else None, sides.bottom if row == area.bottom else None,
                sides.left if column == area.left else None, sides.right if column == area.right else None,
            ))  # fmt: skip
        change = own.over(change)
    return change


def _around(shown: _Shown, row: int, column: int) -> Iterator[tuple[_Element, Area]]:
    """The elements of a style that a cell is in, the weakest first, and the area of each."""
    table, elements = shown.table, shown.elements
    area, data = table.area, shown.data

    def element(kind: str, where: Area) -> Iterator[tuple[_Element, Area]]:
        if (found := elements.get(kind)) is not None:
            yield found, where

    yield from element("wholeTable", area)
    inside = data.top <= row <= data.bottom
    if inside and shown.columns:
        kind, start, stop = _stripe(elements, "Column", column - data.left)
        yield from element(kind, data._replace(left=data.left + start, right=min(data.left + stop, data.right)))
    if inside and shown.rows:
        kind, start, stop = _stripe(elements, "Row", row - data.top)
        yield from element(kind, data._replace(top=data.top + start, bottom=min(data.top + stop, data.bottom)))
    if shown.last and column == area.right:
        yield from element("lastColumn", area._replace(left=column))
    if shown.first and column == area.left:
        yield from element("firstColumn", area._replace(right=column))
    if row < data.top:
        yield from element("headerRow", area._replace(bottom=data.top - 1))
    if table.totals and row == area.bottom:
        yield from element("totalRow", area._replace(top=row))


def _stripe(elements: Mapping[str, _Element], line: str, place: int) -> tuple[str, int, int]:
    """The stripe that a row or column of the data is in, and its first and last one."""
    first, second = (
        elements[kind].size if (kind := f"{which}{line}Stripe") in elements else 1 for which in ("first", "second")
    )
    begin = place - place % (first + second)
    if place < begin + first:
        return f"first{line}Stripe", begin, begin + first - 1
    return f"second{line}Stripe", begin + first, begin + first + second - 1


def _merged(book: Workbook, style: int, change: Variation) -> int:
    """The number of a style with what a table says where the style says nothing."""
    styles = book.styles
    own, plain = styles.appearance(style), styles.appearance(0)
    if styles.finish(style) != _PLAIN or change == Variation():
        return style
    ink = change.colour if own.colour in (None, _BLACK, plain.colour) else None
    fill = change.fill if own.fill is None else None
    if own.colour is not None and own.fill is None and luminance(own.colour) > _LIGHT and _is_light(change.fill):
        fill = _ACCENT  # letters that were made for a dark ground
    fresh: Appearance = replace(
        own,
        bold=own.bold or bool(change.bold),
        italic=own.italic or bool(change.italic),
        colour=ink or own.colour,
        fill=fill or own.fill,
        edges=own.edges if change.edges is None else own.edges.over(change.edges),
    )
    return style if fresh == own else styles.number(fresh)


def _is_light(fill: str | None) -> bool:
    return fill is None or luminance(fill) > _LIGHT
