"""Workbooks: the .xlsx package, sheets in memory as columns, edits that leave the rest of the file alone,
recalculation. Knows nothing of dockets."""

from tinquire.workbook.book import Workbook
from tinquire.workbook.sheet import Formula, Sheet, SheetTable

__all__ = ["Formula", "Sheet", "SheetTable", "Workbook"]
