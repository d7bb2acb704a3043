"""tinquire pivot: the rows of files summed up."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.files import find_files
from tinquire.cli.support.rows import add_reading, chosen_rows
from tinquire.cli.support.summing import AGGREGATIONS, Value, field_settings, pivot_field, pivot_values, with_types
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.layout.pivot_tables import AskedPivot
    from tinquire.looks import House
    from tinquire.tables import Table
    from tinquire.tables.pivots.pivot import Pivot
    from tinquire.workbook import Workbook

EXAMPLE = (
    "tinquire pivot charges.xlsx --rows Depot --columns Band --sum Charge\n"
    "  tinquire pivot sources/2026-10/pickups-*.xlsx --rows Customer --sum Pieces --top Customer=5 --rest Others\n"
    "  tinquire pivot charges.xlsx --rows Depot --columns Band --sum Charge --out depots.xlsx --as pivot"
)
#: Number formats on the terminal, by column type.
_CODES = {
    "whole": "#,##0",
    "money": "#,##0.00",
    "percent": "0.0%",
    "date": "yyyy-mm-dd",
    "time": "hh:mm",
    "duration": "[h]:mm",
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", nargs="+", help="workbooks or delimited texts, patterns of them, or folders")
    parser.add_argument("--rows", nargs="+", action="extend", required=True, metavar="FIELD", help="the row fields")
    parser.add_argument("--columns", nargs="+", action="extend", default=[], metavar="FIELD", help="the column fields")
    values = parser.add_argument_group("values; NAME=COLUMN gives a value a name")
    for word, does in AGGREGATIONS.items():
        values.add_argument(f"--{word}", nargs="+", action=Value, metavar="COLUMN[=NAME]", help=f"{does} a column")
    values.add_argument(
        "--formula", nargs="+", action=Value, metavar="NAME=FORMULA", help="a formula over the rows of each group"
    )
    fields = parser.add_argument_group("fields")
    fields.add_argument(
        "--by", action="append", default=[], metavar="FIELD=PART", help="group days by day, week, month, ..."
    )
    fields.add_argument(
        "--bands", action="append", default=[], metavar="FIELD=N,N", help="group numbers between these limits"
    )
    fields.add_argument("--order", action="append", default=[], metavar="FIELD=A,B", help="labels in this order")
    fields.add_argument(
        "--sort",
        action="append",
        default=[],
        metavar="FIELD=VALUE",
        help="sort by a value; -VALUE for descending order",
    )
    fields.add_argument("--top", action="append", default=[], metavar="FIELD=N", help="keep only the first n groups")
    fields.add_argument("--rest", metavar="NAME", help="group the others under this name")
    parser.add_argument(
        "--show", action="append", default=[], metavar="NAME=WAY", help="show a value as share, rank, ..."
    )
    parser.add_argument(
        "--where", metavar="FORMULA", help="only rows for which this formula is true, such as '[Band]=\"Bed\"'"
    )
    parser.add_argument("--subtotals", choices=("below", "above"), help="add a subtotal for each group of row fields")
    parser.add_argument("--totals", default="Total", metavar="NAME", help="the totals' name; '' for none (Total)")
    parser.add_argument("--empty", metavar="VALUE", help="the value where there are no rows")
    parser.add_argument("--out", type=Path, metavar="FILE", help="the workbook to write")
    parser.add_argument(
        "--as",
        dest="as_",
        choices=("values", "pivot"),
        default="values",
        help="what --out holds: the lines as values, or a pivot table of the file format beside its rows (values)",
    )
    add_reading(parser)
    shared.add_json(parser)
    parser.set_defaults(values=[])


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.layout.pivot_tables import AskedPivot
    from tinquire.tables.pivots.compute import Subtotals, make_pivot

    require_new(options.out)
    if not options.values:
        raise UseError(Fault("summing up", "no value is asked for", do="name one: --sum Charge, --count Ticket"))
    settings = field_settings(options, options.rows, options.columns)
    files, base = find_files(options.files, terminal, workbooks_only=False)
    table = chosen_rows("pivot", files, base, options, terminal)
    asked = AskedPivot(
        [pivot_field(name, settings, options.rest) for name in options.rows],
        [pivot_field(name, settings, None) for name in options.columns],
        subtotals=Subtotals(options.subtotals == "above") if options.subtotals else None,
        total=options.totals or None,
        total_across=(options.totals or None) if options.columns else None,
        empty=None if options.empty is None else with_types(options.empty),
    )
    made = make_pivot(
        table,
        asked.down,
        asked.across,
        list(pivot_values(options)),
        empty=asked.empty,
        totals=asked.total,
        totals_across=asked.total_across,
        subtotals=asked.subtotals,
    )
    _tell(made, terminal)
    for name in options.rows + options.columns:
        if "top" in settings[name.casefold()] and not options.rest:
            most = settings[name.casefold()]["top"]
            terminal.line("note", f"totals count the first {most} of {name} only; --rest Others counts all")
    if options.out is not None:
        _write(made, asked, table, options)
        terminal.line("wrote", f"{options.out}  ({counted(made.height, 'line')})")
    terminal.answer(_answer(made.as_table(), options.out))
    return 0


def _tell(made: Pivot, terminal: Terminal) -> None:
    from tinquire.cells.display import show_column

    table = made.as_table()
    texts = []
    for number, (field, column) in enumerate(zip(table.fields, table.columns, strict=True)):
        is_label = number < len(made.row_fields)
        code = _CODES.get(field.type, "General") if is_label or field.type != "number" else _number_code(column.numbers)
        texts.append(show_column(column, code))
    lines = [list(line) for line in zip(*texts, strict=True)]
    strong = {*made.subtotal_lines.tolist(), *range(made.height, len(lines))}
    for number in range(len(lines) - 1, 0, -1):  # a label stands once, at the head of its group
        for index in range(len(made.row_fields) - 1):
            if number in strong or lines[number][index] != lines[number - 1][index]:
                break
            lines[number][index] = ""
    right = range(len(made.row_fields), len(table.fields))
    terminal.table(table.headings, lines, right, sorted(strong))


def _number_code(numbers: Any) -> str:
    return "#,##0" if (numbers == numbers.round()).all() else "#,##0.00"


def _write(made: Pivot, asked: AskedPivot, table: Table, options: argparse.Namespace) -> None:
    from tinquire.layout.plans import SheetPlan
    from tinquire.layout.sheets import pivot_sheet
    from tinquire.looks import House
    from tinquire.workbook import Workbook

    house = House()
    book = Workbook.new(house.font, house.size)
    if options.as_ == "pivot":
        _add_pivot_table(book, made, asked, table, house)
    else:
        book.add_sheet(pivot_sheet(SheetPlan(name="Pivot"), made, house, book.styles))
    book.save(options.out)


def _add_pivot_table(book: Workbook, made: Pivot, asked: AskedPivot, table: Table, house: House) -> None:
    """A sheet of the rows, and one of a pivot table over them. Raises UseError for what such a one cannot show."""
    from tinquire.layout.pivot_tables import hindrances
    from tinquire.layout.plans import BlockPlan, SheetPlan
    from tinquire.layout.sheets import pivot_table_sheet, table_sheet
    from tinquire.workbook.pivots.making import put_pivots

    do = "leave it out, or write the values: --as values"
    if faults := [Fault("making a pivot table", why, do=do) for why in hindrances(asked, made, table.headings)]:
        raise UseError(*faults)
    shown = table_sheet(SheetPlan(name="Rows"), BlockPlan(sheet="Rows"), table, house, book.styles, "Rows")
    book.add_sheet(shown.sheet)
    sheet, part = pivot_table_sheet(SheetPlan(name="Pivot"), made, asked, (table, "Rows"), house, book.styles)
    book.add_sheet(sheet)
    put_pivots(book, [("Pivot", part)])


def _answer(table: Table, out: Path | None) -> dict[str, object]:
    from tinquire.cells.values import CellError

    lines = [
        {
            field.name: value.text if isinstance(value, CellError) else value
            for field, value in zip(table.fields, line, strict=True)
        }
        for line in zip(*table.columns, strict=True)
    ]
    return {"file": None if out is None else str(out), "lines": lines}
