"""A sheet's part into columns (ECMA-376 Part 1, 18.3.1): the careful reader, which takes every legal form."""

from __future__ import annotations

import io
import math
import re
from array import array
from collections.abc import Callable, Iterable
from datetime import date, datetime
from typing import Any

import numpy as np
from lxml import etree

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, area_name, cell_name, parse_area, parse_cell
from tinquire.cells.column import Kind
from tinquire.cells.dates import DateSystem, serial_from_date
from tinquire.cells.values import ERROR_NAMES, CellError
from tinquire.packages.raw_xml import Unusual
from tinquire.packages.xml import local, unescape_controls
from tinquire.workbook.grid.cells import NO_FORMULA, Cells
from tinquire.workbook.grid.sheet import Formula, Sheet
from tinquire.workbook.parts.shared_strings import rich_text
from tinquire.workbook.sheet_xml.fast_reader import CellReading, Rows, scan_cells
from tinquire.workbook.sheet_xml.rare_spellings import with_addresses, without_prefix

__all__ = ["read_sheet"]

_ERROR_CODES = {name: float(error.code) for name, error in ERROR_NAMES.items()}


class _Gathered:
    """One column while it is read: plain growing arrays."""

    __slots__ = ("codes", "formulas", "kinds", "numbers", "rows", "styles")

    def __init__(self) -> None:
        self.rows, self.codes, self.styles, self.formulas = array("i"), array("i"), array("i"), array("i")
        self.kinds = bytearray()
        self.numbers = array("d")

    def cells(self) -> Cells:
        rows = np.array(self.rows, np.int32)
        cells = Cells(
            rows,
            np.frombuffer(bytes(self.kinds), np.uint8).copy(),
            np.array(self.numbers, np.float64),
            np.array(self.codes, np.int32),
            np.array(self.styles, np.int32),
            np.array(self.formulas, np.int32),
        )
        if len(rows) > 1 and (np.diff(rows) <= 0).any():
            return _sort_cells(cells)
        return cells


def _sort_cells(cells: Cells) -> Cells:
    """Cells by ascending row. Raises ValueError for a cell that comes twice: which of them is meant, nobody knows."""
    order = np.argsort(cells.rows, kind="stable")
    rows = cells.rows[order]
    if (twice := np.flatnonzero(np.diff(rows) == 0)).size:
        raise ValueError(f"a cell of row {rows[twice[0]]} stands there twice")
    return Cells(cells.rows[order], *(part[order] for part in cells.arrays()))


#: What may stand in a row, comments among it (18.3.1.73), and in a cell, in its order, once (18.3.1.4).
_IN_ROW, _IN_CELL = frozenset({"c", "extLst", ""}), {"f": 0, "v": 1, "is": 2, "extLst": 3}


class SheetReader:
    """Reads one sheet part; `shared` are the workbook's texts, to whose copy inline texts are added."""

    def __init__(self, name: str, shared: list[str], system: DateSystem, file: str) -> None:
        self.sheet = Sheet(name, texts=shared.copy())
        self._system = system
        self._file = file
        self._shared = len(shared)
        self._columns: dict[int, _Gathered] = {}
        self._masters: dict[str, int] = {}
        self._orphans: list[tuple[int, int, str]] = []

    def read(self, data: bytes) -> Sheet:
        """Raises AccessError for damaged markup and cells beyond the grid."""
        row, seen, has_cells = 0, set[int](), False
        try:
            context = etree.iterparse(
                io.BytesIO(data),
                events=("end",),
                tag=[f"{{*}}{name}" for name in ("row", "sheetData", *_DETAILS)],
                resolve_entities=False,
                no_network=True,
                huge_tree=True,
            )
            for _, element in context:
                name = local(element)
                if name == "row":
                    row = int(element.get("r") or row + 1)
                    if row in seen:
                        raise ValueError(f"row {row} stands there twice")
                    seen.add(row)
                    self._row(element, row)
                    element.clear()
                    while element.getprevious() is not None:
                        del element.getparent()[0]
                elif name == "sheetData":
                    if has_cells:
                        raise ValueError("its cells stand there twice")
                    has_cells = True
                elif name in _DETAILS:
                    _DETAILS[name](self.sheet, element)
                else:
                    raise ValueError(f"the prefix of '{name}' is not declared")
            self._adopt()
            self.sheet.columns = {number: column.cells() for number, column in sorted(self._columns.items())}
        except (etree.XMLSyntaxError, ValueError, OverflowError) as error:
            why = f"sheet '{self.sheet.name}' cannot be read: {error}"
            raise AccessError(
                Fault("opening a workbook", why, self._file, "get the file again from its source")
            ) from None
        return self.sheet

    def _row(self, element: etree._Element, row: int) -> None:
        if not 1 <= row <= MAX_ROW:
            raise ValueError(f"row {row} is beyond the grid")
        if element.get("ht") and element.get("customHeight") in ("1", "true"):
            self.sheet.heights[row] = float(element.get("ht", "0"))
        if element.get("hidden") in ("1", "true"):
            self.sheet.hidden_rows.add(row)
        column = 0
        if (above := element.getparent()) is None or local(above) != "sheetData":
            raise ValueError(f"row {row} does not stand among the rows")
        for cell in element:
            if local(cell) not in _IN_ROW:
                raise ValueError(f"row {row} holds '{local(cell)}', which is no cell")
            if local(cell) != "c":
                continue
            column += 1
            at_row = row
            if reference := cell.get("r"):
                at_row, column = parse_cell(reference)
                if at_row != row:
                    raise ValueError(f"cell {reference} stands in row {row}")
            if column > MAX_COLUMN:
                raise ValueError(f"row {row} runs beyond the grid")
            self._cell(cell, at_row, column)

    def _cell(self, cell: etree._Element, row: int, column: int) -> None:
        gathered = self._columns.get(column)
        if gathered is None:
            gathered = self._columns[column] = _Gathered()
        value: str | None = None
        formula = NO_FORMULA
        inline: str | None = None
        last = -1
        if (cell.text or "").strip():
            raise ValueError(f"cell {cell_name(row, column)} holds text outside of its value")
        for part in cell:
            name = local(part)
            place = _IN_CELL.get(name, -1)
            if (name and place <= last) or (name in ("f", "v") and len(part)):
                raise ValueError(f"cell {cell_name(row, column)} holds markup that no cell may hold")
            last = max(last, place)
            if (part.tail or "").strip():
                raise ValueError(f"cell {cell_name(row, column)} holds text outside of its value")
            if name == "v":
                value = part.text
            elif name == "f":
                form, shared, area = part.get("t", "normal"), part.get("si", ""), part.get("ref")
                noted = cell.get("cm", "0") != "0"
                formula = self._formula(form, part.text or "", shared, area, row, column, noted)
            elif name == "is":
                inline = rich_text(part)
        kind, number, code = self._value(cell.get("t", "n"), value, inline, cell_name(row, column))
        gathered.rows.append(row)
        gathered.kinds.append(kind)
        gathered.numbers.append(number)
        gathered.codes.append(code)
        gathered.styles.append(int(cell.get("s") or 0))
        gathered.formulas.append(formula)

    def _value(self, form: str, value: str | None, inline: str | None, place: str) -> tuple[int, float, int]:
        """Kind, number and text code of a cell's stored value (18.18.11 for the forms)."""
        if form == "inlineStr" or (inline is not None and value is None):
            return Kind.TEXT, 0.0, self._text(inline or "")
        if value is None:
            return (Kind.TEXT, 0.0, self._text("")) if form == "str" else (Kind.BLANK, 0.0, 0)
        if form == "s":
            code = int(value)
            if not 0 <= code < self._shared:
                raise ValueError(f"cell {place} points to text {code}, which does not exist")
            return Kind.TEXT, 0.0, code
        if form == "str":
            return Kind.TEXT, 0.0, self._text(unescape_controls(value))
        if form == "b":
            return Kind.BOOL, float(value.strip() in ("1", "true")), 0
        if form == "e":
            return Kind.ERROR, _ERROR_CODES.get(value.strip(), float(CellError.VALUE.code)), 0
        if form == "d":
            return Kind.NUMBER, _serial(value.strip(), self._system), 0
        if not (text := value.strip()):
            return Kind.BLANK, 0.0, 0
        number = float(text)
        # Too large for a double, or no number at all: the error value that a formula would give.
        return (Kind.NUMBER, number, 0) if math.isfinite(number) else (Kind.ERROR, float(CellError.NUM.code), 0)

    def _text(self, text: str) -> int:
        return self.sheet.intern(text)

    def _formula(
        self, form: str, text: str, shared: str, area: str | None, row: int, column: int, noted: bool = False
    ) -> int:
        """The number of a cell's formula (18.3.1.40); members of a shared one get their master's. A `noted` cell has
        metadata."""
        text = unescape_controls(text).strip()
        if form == "shared":
            if text:
                self._masters[shared] = self.sheet.add_formula(Formula(text, row, column))
                return self._masters[shared]
            if shared in self._masters:
                return self._masters[shared]
            self._orphans.append((row, column, shared))
            return NO_FORMULA
        if form == "dataTable":
            return self.sheet.add_formula(Formula(text, row, column, kept=True))
        if form == "array":
            filled = parse_area(area) if area else Area(row, column, row, column)
            if (filled.top, filled.left) != (row, column):  # which cells are its results, nobody knows
                raise ValueError(f"cell {cell_name(row, column)} holds an array formula for {area_name(filled)}")
            formula = Formula(text, row, column, array=filled, spills=noted)
            return self.sheet.add_formula(formula) if text else NO_FORMULA
        return self.sheet.add_formula(Formula(text, row, column)) if text else NO_FORMULA

    def scan(self, chunks: Iterable[bytes]) -> Sheet:
        """The fast way. Raises Unusual when the part is not in the plain form, or anything in it is wrong."""
        rows = Rows(chunks)
        plain_head = re.match(rb"(?:\xef\xbb\xbf)?(?:<\?xml[^>?]*\?>)?\s*<worksheet[ >]", rows.head)
        encoding = re.search(rb"encoding=[\"']([^\"']*)", rows.head[: rows.head.find(b">") + 1])
        utf8 = encoding is None or encoding[1].lower() in (b"utf-8", b"us-ascii")
        if not plain_head or not utf8:
            raise Unusual
        around = SheetReader(self.sheet.name, [], self._system, self._file)
        try:
            cells = self.sheet
            scan_cells(cells, rows, CellReading(self._formula, self._stored, self._kept_row), self._shared)
            frame = around.read(rows.head + rows.tail)
        except (AccessError, ValueError, OverflowError) as error:
            raise Unusual from error
        for name in _FRAME:
            setattr(cells, name, getattr(frame, name))
        self._adopt_cells()
        return self.sheet

    def _stored(self, form: str, text: str, place: str) -> tuple[int, float, int]:
        return self._value(form, text or None, None, place)

    def _kept_row(self, row: int, height: float | None, hidden: bool) -> None:
        if height is not None:
            self.sheet.heights[row] = height
        if hidden:
            self.sheet.hidden_rows.add(row)

    def _adopt_cells(self) -> None:
        """Give scanned members that came before their master its formula."""
        for row, column, shared in self._orphans:
            master = self._masters.get(shared)
            if master is not None:
                cells = self.sheet.columns[column]
                cells.formulas[cells.places(row, row)] = master

    def _adopt(self) -> None:
        """Give members that came before their master its formula."""
        for row, column, key in self._orphans:
            master = self._masters.get(key)
            if master is not None:
                gathered = self._columns[column]
                gathered.formulas[gathered.rows.index(row)] = master


def read_sheet(
    name: str, chunks: Callable[[], Iterable[bytes]], shared: list[str], system: DateSystem, file: str
) -> Sheet:
    """A sheet from its part's bytes: scanned when it is in the plain form, read with care otherwise.

    `chunks` gives them from the start, at each call.

    Raises: AccessError.
    """
    try:
        return SheetReader(name, shared, system, file).scan(without_prefix(chunks()))
    except Unusual:
        data = b"".join(chunks())
    try:
        return SheetReader(name, shared, system, file).scan((with_addresses(data),))
    except Unusual:
        return SheetReader(name, shared, system, file).read(data)


def _serial(text: str, system: DateSystem) -> float:
    """The serial of an ISO 8601 day or moment."""
    if "T" in text or " " in text:
        return serial_from_date(datetime.fromisoformat(text.rstrip("Z")), system)
    return serial_from_date(date.fromisoformat(text.rstrip("Z")), system)


# -- what stands around the cells ------------------------------------------------------------------------


def _column_widths(sheet: Sheet, element: etree._Element) -> None:
    first, last = max(int(element.get("min", "1")), 1), min(int(element.get("max", "1")), MAX_COLUMN)
    for number in range(first, min(last, first + 1024) + 1):
        if math.isfinite(width := float(element.get("width") or "nan")):
            sheet.widths[number] = width
        if element.get("hidden") in ("1", "true"):
            sheet.hidden_columns.add(number)


def _merged(sheet: Sheet, element: etree._Element) -> None:
    sheet.merged.append(parse_area(element.get("ref", "A1")))


def _pane(sheet: Sheet, element: etree._Element) -> None:
    if element.get("state") in ("frozen", "frozenSplit"):
        rows, columns = int(float(element.get("ySplit", "0"))), int(float(element.get("xSplit", "0")))
        if not (0 <= rows < MAX_ROW and 0 <= columns < MAX_COLUMN):
            raise ValueError("its panes are frozen beyond the grid")
        sheet.frozen = (rows, columns)


def _view(sheet: Sheet, element: etree._Element) -> None:
    sheet.gridlines = element.get("showGridLines", "1") in ("1", "true")


def _page(sheet: Sheet, element: etree._Element) -> None:
    sheet.landscape = element.get("orientation") == "landscape"


_DETAILS: dict[str, Any] = {
    "col": _column_widths, "mergeCell": _merged, "pane": _pane, "sheetView": _view, "pageSetup": _page,
}  # fmt: skip
#: What of a sheet stands around its cells.
_FRAME = ("widths", "hidden_columns", "merged", "frozen", "gridlines", "landscape")
