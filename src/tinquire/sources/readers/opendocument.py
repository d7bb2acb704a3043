"""OpenDocument sheets (OASIS OpenDocument 1.3, part 3, section 9) as a workbook in memory: values, not formulas."""

from __future__ import annotations

import io
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date, datetime
from functools import lru_cache

from lxml import etree

from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, quoted_sheet
from tinquire.cells.column import Column
from tinquire.cells.dates import serial_from_date
from tinquire.cells.room import mostly_empty
from tinquire.cells.values import CellError, Value
from tinquire.looks import Appearance
from tinquire.packages.xml import local
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.edit import set_name
from tinquire.workbook.grid.sheet_names import safe_sheet_name

__all__ = ["read_opendocument"]

_DURATION = re.compile(r"(-)?PT(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:[.,]\d+)?)S)?\Z")
_FORMATS = {"date": "yyyy-mm-dd", "moment": "yyyy-mm-dd hh:mm:ss", "time": "[h]:mm:ss", "percentage": "0.00%"}
_RANGE = re.compile(r"\$?(?:'((?:[^']|'')+)'|([^.']+))\.(\$?[A-Z]{1,3}\$?\d+)(?::(?:[^.]*)\.(\$?[A-Z]{1,3}\$?\d+))?\Z")
_ERRORS = {error.text: error for error in CellError}


@lru_cache(maxsize=1)
def read_opendocument(content: bytes, name: str) -> Workbook:
    """The sheets of a `content.xml`, or of a document in one file.

    Formulas become their stored results; dates, times and percentages keep a number format of their kind. Raises
    AccessError for damaged markup, DataError for what no grid holds.

    The last document is kept: whoever looks at its sheets one by one reads it once. Nobody may change it.
    """
    reader = _Reader(name)
    try:
        reader.read(content)
    except etree.XMLSyntaxError as error:
        fault = Fault("opening an OpenDocument sheet", f"its markup is damaged ({error.msg})", name, "get it again")
        raise AccessError(fault) from None
    except (ValueError, OverflowError) as error:
        raise AccessError(Fault("opening an OpenDocument sheet", str(error), name, "get it again")) from None
    return reader.book


@dataclass(slots=True)
class _GrowingColumns:
    """One column while its sheet is read: rows, values and kinds of format."""

    rows: list[int] = field(default_factory=list)
    values: list[Value] = field(default_factory=list)
    formats: list[str] = field(default_factory=list)


class _Reader:
    def __init__(self, name: str) -> None:
        self.name = name
        self.book = Workbook.new()
        self._cells = self._written = 0
        self._names: list[tuple[str, str]] = []
        self._sheets: dict[str, str] = {}

    def read(self, content: bytes) -> None:
        context = etree.iterparse(
            io.BytesIO(content), events=("start", "end"), tag=["{*}table", "{*}table-row", "{*}named-range"],
            resolve_entities=False, no_network=True, huge_tree=True,
        )  # fmt: skip
        sheet: Sheet | None = None
        columns: dict[int, _GrowingColumns] = {}
        row = depth = 0
        for event, element in context:
            kind = local(element)
            if kind == "table":
                depth += 1 if event == "start" else -1
                if event == "start" and depth == 1:
                    sheet, columns, row = self._sheet(element), {}, 0
                elif event == "end" and depth == 0 and sheet is not None:
                    self._put(sheet, columns)
                    element.clear()
            elif event == "end" and kind == "table-row" and depth == 1 and sheet is not None:
                row += self._row(sheet, columns, element, row + 1)
                element.clear()
                while element.getprevious() is not None:
                    del element.getparent()[0]
            elif event == "end" and kind == "named-range":
                self._names.append((_get(element, "name"), _get(element, "cell-range-address")))
        for known, position in self._names:
            self._name(known, position)

    def _sheet(self, element: etree._Element) -> Sheet:
        stated = _get(element, "name")
        taken = {entry.name.casefold() for entry in self.book.entries}
        sheet = Sheet(safe_sheet_name(stated, taken))
        self._sheets[stated] = sheet.name
        self.book.add_sheet(sheet)
        return sheet

    def _row(self, sheet: Sheet, columns: dict[int, _GrowingColumns], element: etree._Element, row: int) -> int:
        """Take in one row element, and return for how many rows it stands."""
        repeated = int(_get(element, "number-rows-repeated") or 1)
        filled = list(self._filled(sheet, element, row))
        if not filled:
            return repeated
        if row + repeated - 1 > MAX_ROW:
            raise ValueError(f"row {row + repeated - 1:,} is beyond the grid")
        # Repeated rows and cells: a few bytes can claim a billion.
        self._cells += len(filled) * repeated
        self._written += len(element)
        if mostly_empty(self._cells, self._written):
            why = f"it claims {self._cells:,} filled cells by repeating {self._written:,}"
            raise DataError(Fault("opening an OpenDocument sheet", why, self.name, "ask the sender for an intact file"))
        for column, value, form in filled:
            growing = columns.setdefault(column, _GrowingColumns())
            growing.rows += range(row, row + repeated)
            growing.values += [value] * repeated
            growing.formats += [form] * repeated
        if _get(element, "visibility") in ("collapse", "filter"):
            sheet.hidden_rows.update(range(row, row + repeated))
        return repeated

    def _filled(self, sheet: Sheet, element: etree._Element, row: int) -> Iterator[tuple[int, Value, str]]:
        column = 1
        for cell in element:
            if local(cell) not in ("table-cell", "covered-table-cell"):
                continue
            repeated = int(_get(cell, "number-columns-repeated") or 1)
            value, form = _value(cell)
            if value is not None:
                if column + repeated - 1 > MAX_COLUMN:
                    raise ValueError(f"row {row:,} runs beyond the grid")
                for offset in range(repeated):
                    yield column + offset, value, form
            wide, high = int(_get(cell, "number-columns-spanned") or 1), int(_get(cell, "number-rows-spanned") or 1)
            if wide * high > 1:
                sheet.merged.append(Area(row, column, row + high - 1, column + wide - 1))
            column += repeated

    def _put(self, sheet: Sheet, columns: dict[int, _GrowingColumns]) -> None:
        styles = {
            form: self.book.styles.number(Appearance(format=_FORMATS.get(form, "General"))) if form in _FORMATS else 0
            for growing in columns.values()
            for form in set(growing.formats)
        }
        for number, growing in sorted(columns.items()):
            index = 0
            for end in range(1, len(growing.rows) + 1):
                if end == len(growing.rows) or growing.rows[end] != growing.rows[end - 1] + 1:
                    values = Column.from_values(growing.values[index:end])
                    sheet.put(growing.rows[index], number, values)
                    for offset, form in enumerate(growing.formats[index:end]):
                        if styles[form]:
                            sheet.dress(growing.rows[index] + offset, number, styles[form])
                    index = end

    def _name(self, name: str, place: str) -> None:
        """A named range; names that the workbook cannot have are left out."""
        match = _RANGE.match(place)
        if match is None:
            return
        stated = (match[1] or match[2] or "").replace("''", "'")
        sheet = self._sheets.get(stated)
        if sheet is None:
            return
        ends = ":".join(end for end in (match[3], match[4]) if end)
        try:
            set_name(self.book, name, f"{quoted_sheet(sheet)}!{ends}")
        except DataError:
            return


def _get(element: etree._Element, name: str) -> str:
    """An attribute by its local name: prefixes and versions of namespaces vary."""
    return next((str(value) for key, value in element.attrib.items() if str(key).rpartition("}")[2] == name), "")


def _value(cell: etree._Element) -> tuple[Value, str]:
    """A cell's value and the kind of format it needs (19.385 for the types)."""
    kind = _get(cell, "value-type")
    if kind in ("float", "percentage", "currency"):
        number = float(_get(cell, "value"))
        return (number if math.isfinite(number) else CellError.NUM), kind
    if kind == "date":
        text = _get(cell, "date-value").rstrip("Z")
        if "T" in text:
            return serial_from_date(datetime.fromisoformat(text)), "moment"
        return serial_from_date(date.fromisoformat(text)), "date"
    if kind == "time":
        return _duration(_get(cell, "time-value")), "time"
    if kind == "boolean":
        return _get(cell, "boolean-value") == "true", ""
    if kind == "string":
        text = _get(cell, "string-value") or _text(cell)
        return _ERRORS.get(text, text) if _get(cell, "formula") else text, ""
    return None, ""


def _duration(text: str) -> float:
    match = _DURATION.match(text)
    if match is None:
        raise ValueError(f"'{text}' is no time")
    hours, minutes, seconds = (float((match[n] or "0").replace(",", ".")) for n in (2, 3, 4))
    return (-1 if match[1] else 1) * (hours * 3600 + minutes * 60 + seconds) / 86_400


def _text(cell: etree._Element) -> str:
    """The paragraphs of a cell (6.1.1 for blanks and tabs); comments are not part of it."""
    return "\n".join("".join(_runs(part)) for part in cell if local(part) == "p")


def _runs(element: etree._Element) -> Iterator[str]:
    yield element.text or ""
    for part in element:
        match local(part):
            case "s":
                yield " " * int(_get(part, "c") or 1)
            case "tab":
                yield "\t"
            case "line-break":
                yield "\n"
            case "annotation" | "note":
                pass
            case _:
                yield from _runs(part)
        yield part.tail or ""
