"""Cell values and error values, addresses and ranges, date serials, number formats. Knows no files."""

from tinquire.cells.address import Area, area_name, cell_name, column_name, column_number, parse_area
from tinquire.cells.column import Column, Kind
from tinquire.cells.values import CellError, Value

__all__ = [
    "Area",
    "CellError",
    "Column",
    "Kind",
    "Value",
    "area_name",
    "cell_name",
    "column_name",
    "column_number",
    "parse_area",
]
