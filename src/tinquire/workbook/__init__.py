"""Workbooks: the .xlsx package, sheets in memory as columns, edits that leave the rest of the file alone,
recalculation. Knows nothing of dockets."""

from tinquire.workbook.grid.sheet import Formula, Sheet, SheetTable
from tinquire.workbook.workbook import Workbook

__all__ = ["Formula", "Sheet", "SheetTable", "Workbook"]
