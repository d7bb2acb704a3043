"""Statements laid out on sheets: lines with indents, totals in their looks, amounts as living formulas."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.cells.address import column_name, column_number
from tinquire.cells.column import Column
from tinquire.formula import parse, write
from tinquire.formula.language.tree import Coordinate, Node, Reference, TableReference
from tinquire.formula.language.writing import escaped_column, replace_nodes
from tinquire.layout.dresser import Dresser, SheetPlan, align_of, fit_width, put_title
from tinquire.layout.pages import set_pages
from tinquire.looks import Edges, House
from tinquire.tables import Field
from tinquire.tables.statement import Statement, StatementLine
from tinquire.workbook import Formula, Sheet
from tinquire.workbook.parts.styles import StyleBook

__all__ = ["LivingAmounts", "statement_sheet"]

#: The look of each kind of line.
_LOOKS = {"sum": "rows", "subtotal": "subtotal", "formula": "subtotal", "total": "total", "heading": "heading"}
_INDENT = 1


@dataclass(frozen=True, slots=True)
class LivingAmounts:
    """What the amounts of a statement are calculated from in its workbook: for each column the table part with its
    columns of accounts and amounts, and the table part that maps with its columns of accounts and lines."""

    amounts: Sequence[tuple[str, str, str]]
    mapping: tuple[str, str, str]


def statement_sheet(
    plan: SheetPlan, statement: Statement, house: House, styles: StyleBook, living: LivingAmounts | None = None
) -> Sheet:
    """A statement on a sheet; with `living`, its amounts are formulas over the tables of the workbook."""
    dresser = Dresser(house, styles, plan)
    sheet = Sheet(plan.name, landscape=plan.landscape, gridlines=False)
    top = put_title(sheet, plan, dresser)
    table = statement.as_table()
    for number, field in enumerate(table.fields, start=1):
        first, last = number == 1, number == len(table.fields)
        align = "right" if number > 1 else "left"
        style = dresser.number("heading", None, first=first, last=last, align=align)
        sheet.put(top, number, Column.from_values([None if first else field.name]), style)
        column = table.columns[number - 1]
        for index, line in enumerate(statement.lines):
            look = _look(dresser, line, field, first=first)
            sheet.put(top + 1 + index, number, column.slice(index, index + 1), look)
        named = replace(field, name="" if first else field.name)
        fit_width(sheet, number, named, column, dresser, button=False)
    sheet.widths[1] += 2 * _INDENT
    if living is not None:
        _put_formulas(sheet, statement, living, top + 1, plan)
    sheet.frozen = (top, 1) if plan.freeze else (0, 0)
    sheet.repeat_rows = (top, top)
    set_pages(sheet, plan)
    return sheet


def _look(dresser: Dresser, line: StatementLine, one: Field, *, first: bool) -> int:
    """The style of a line's cell: sums are ruled off above, totals below, too."""
    part = _LOOKS.get(line.kind, "rows")
    kind = None if first or line.kind in ("heading", "blank") else one.type
    if part == "rows":
        look = dresser.plain(part, kind)
        return dresser.styles.number(replace(look, indent=_INDENT) if first and line.kind == "sum" else look)
    if part == "heading":
        return dresser.styles.number(replace(dresser.plain("subtotal", None), align="left"))
    rule = dresser.house.borders(dresser.plan.look(part)).outside
    look = dresser.plain(part, kind).bordered(Edges(top=rule, bottom=rule if part == "total" else None))
    return dresser.styles.number(replace(look, align=look.align or (None if first else align_of(one.type))))


def _put_formulas(sheet: Sheet, statement: Statement, living: LivingAmounts, top: int, plan: SheetPlan) -> None:
    """The formulas of all amounts; differences and shares are of the first two columns."""
    rows = {line.name.casefold(): top + index for index, line in enumerate(statement.lines) if line.name}
    count = len(living.amounts)
    for number in range(len(statement.columns)):
        letter = column_name(number + 2)
        for index, line in enumerate(statement.lines):
            if line.kind in ("heading", "blank"):
                continue
            row = top + index
            if number >= count:
                text = _difference_formula(row, statement.fields[number].type)
            else:
                text = _amount(statement, index, living, number, letter, top, rows, plan)
            value = statement.columns[number].slice(index, index + 1)
            sheet.put(row, number + 2, value, None, Formula(text, row, number + 2))


def _difference_formula(row: int, kind: str) -> str:
    return f'IF(C{row}=0,"",(B{row}-C{row})/ABS(C{row}))' if kind == "percent" else f"B{row}-C{row}"


def _amount(
    statement: Statement, place: int, living: LivingAmounts, number: int, letter: str, top: int,
    rows: Mapping[str, int], plan: SheetPlan,
) -> str:  # fmt: skip
    """One amount: accounts of a line, members of a subtotal or total, or the line's own formula over cells."""
    line = statement.lines[place]
    if line.kind == "sum":
        table, account, amount = living.amounts[number]
        mapping, its_account, its_line = living.mapping
        sums = f"SUMIFS({_of(table, amount)},{_of(table, account)},{_of(mapping, its_account)})"
        sign = "-" if line.sign < 0 else ""
        return f"{sign}SUMPRODUCT(({_of(mapping, its_line)}=$A{top + place})*{sums})"
    if line.kind == "formula":
        return _over_cells(line, letter, rows, plan)
    return _sum_formula(sorted(top + member for member in statement.members[place]), letter)


def _of(table: str, heading: str) -> str:
    return f"{table}[{escaped_column(heading)}]"


def _sum_formula(rows: Sequence[int], letter: str) -> str:
    """A sum of cells, those that follow each other as a range."""
    if not rows:
        return "0"
    breaks = np.flatnonzero(np.diff(rows) != 1) + 1
    runs = np.split(np.array(rows), breaks)
    areas = [f"{letter}{run[0]}:{letter}{run[-1]}" if len(run) > 1 else f"{letter}{run[0]}" for run in runs]
    return f"SUM({','.join(areas)})"


def _over_cells(line: StatementLine, letter: str, rows: Mapping[str, int], plan: SheetPlan) -> str:
    """A line's formula with the cells of other lines in place of their names."""
    column = Coordinate(column_number(letter) - 1, False)

    def cell(node: Node) -> Node | None:
        if not isinstance(node, TableReference) or node.first is None:
            return None
        row = rows.get(node.first.casefold())
        if row is None:
            why = f"line '{line.name}' reads '{node.first}', which has no row"
            raise UseError(Fault(f"sheet '{plan.name}'", why, plan.where, "fix the line's formula"))
        position = Coordinate(row - 1, False)
        return Reference(None, position, column, position, column)

    return write(replace_nodes(parse(line.formula or ""), cell))
