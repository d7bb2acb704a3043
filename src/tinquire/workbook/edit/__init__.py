"""Changes of a workbook's structure, each carrying along all that hangs on it."""

from tinquire.workbook.edit.names import set_name
from tinquire.workbook.edit.rows_columns import (
    delete_columns,
    delete_rows,
    insert_columns,
    insert_rows,
    move_column,
    remove_rows,
)  # fmt: skip
from tinquire.workbook.edit.sheets import copy_sheet, delete_sheets, hide_sheet, move_sheet, rename_sheet
from tinquire.workbook.edit.tables import rename_column, resize_table, set_rows

__all__ = [
    "copy_sheet", "delete_columns", "delete_rows", "delete_sheets", "hide_sheet", "insert_columns", "insert_rows",
    "move_column", "move_sheet", "remove_rows", "rename_column", "rename_sheet", "resize_table", "set_name", "set_rows",
]  # fmt: skip
