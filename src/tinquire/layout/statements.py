"""Statements laid out on sheets: lines with indents, totals in their looks, amounts as living formulas."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.cells.address import Area, column_name
from tinquire.cells.column import Column
from tinquire.formula import parse, write
from tinquire.formula.language.tree import Coordinate, Node, Reference, TableReference
from tinquire.formula.language.writing import escaped_column, replace_nodes
from tinquire.layout.dresser import Dresser, align_of, fit_width
from tinquire.layout.plans import BlockPlan, Laid
from tinquire.looks import Edges
from tinquire.tables import Field
from tinquire.tables.statement import Statement, StatementLine
from tinquire.workbook import Formula, Sheet

__all__ = ["LivingAmounts", "lay_statement"]

#: The look of each kind of line.
_LOOKS = {"sum": "rows", "subtotal": "subtotal", "formula": "subtotal", "total": "total", "heading": "heading"}
_INDENT = 1


@dataclass(frozen=True, slots=True)
class LivingAmounts:
    """What the amounts of a statement are calculated from in its workbook: for each column the table part with its
    columns of accounts and amounts, and the table part that maps with its columns of accounts and lines."""

    amounts: Sequence[tuple[str, str, str]]
    mapping: tuple[str, str, str]


def lay_statement(
    sheet: Sheet, spot: tuple[int, int], plan: BlockPlan, statement: Statement, dresser: Dresser,
    living: LivingAmounts | None = None,
) -> Laid:  # fmt: skip
    """Lay a statement on a sheet, its first heading at `spot` (row, column); with `living`, its amounts are formulas
    over the tables of the workbook."""
    top, left = spot
    table = statement.as_table()
    for number, field in enumerate(table.fields, start=left):
        first, last = number == left, number == left + len(table.fields) - 1
        style = dresser.number("heading", None, first=first, last=last, align="left" if first else "right")
        sheet.put(top, number, Column.from_values([None if first else field.name]), style)
        column = table.columns[number - left]
        for index, line in enumerate(statement.lines):
            look = _look(dresser, line, field, first=first)
            sheet.put(top + 1 + index, number, column.slice(index, index + 1), look)
        named = replace(field, name="" if first else field.name)
        before = sheet.widths.get(number, 0.0)
        fit_width(sheet, number, named, column, dresser, button=False)
        if first:
            sheet.widths[left] = max(before, sheet.widths[left] + 2 * _INDENT)
    if living is not None:
        _Formulas(sheet, statement, living, top + 1, left, plan).put()
    bottom, right = top + len(statement.lines), left + len(table.fields) - 1
    return Laid(Area(top, left, bottom, right), (top, top), Area(top + 1, left, bottom, right), labels=1)


def _look(dresser: Dresser, line: StatementLine, one: Field, *, first: bool) -> int:
    """The style of a line's cell: sums are ruled off above, totals below, too."""
    part = _LOOKS.get(line.kind, "rows")
    kind = None if first or line.kind in ("heading", "blank") else one.type
    if part == "rows":
        look = dresser.plain(part, kind)
        return dresser.styles.number(replace(look, indent=_INDENT) if first and line.kind == "sum" else look)
    if part == "heading":
        return dresser.styles.number(replace(dresser.plain("subtotal", None), align="left"))
    rule = dresser.rule(part).outside
    look = dresser.plain(part, kind).bordered(Edges(top=rule, bottom=rule if part == "total" else None))
    return dresser.styles.number(replace(look, align=look.align or (None if first else align_of(one.type))))


@dataclass(frozen=True)
class _Formulas:
    """The formulas of a statement whose first line stands in row `top`, its labels in column `left`."""

    sheet: Sheet
    statement: Statement
    living: LivingAmounts
    top: int
    left: int
    plan: BlockPlan

    def put(self) -> None:
        """Write the formulas of all amounts; differences and shares are of the first two columns."""
        lines, columns = self.statement.lines, self.statement.columns
        rows = {line.name.casefold(): self.top + index for index, line in enumerate(lines) if line.name}
        for number, values in enumerate(columns):
            column = self.left + 1 + number
            for index, line in enumerate(lines):
                if line.kind in ("heading", "blank"):
                    continue
                row = self.top + index
                if number >= len(self.living.amounts):
                    text = self.difference(row, self.statement.fields[number].type)
                else:
                    text = self.amount(index, number, column, rows)
                formula = Formula(text, row, column)
                self.sheet.put(row, column, values.slice(index, index + 1), None, formula)

    def difference(self, row: int, kind: str) -> str:
        one, other = (f"{column_name(self.left + place)}{row}" for place in (1, 2))
        return f'IF({other}=0,"",({one}-{other})/ABS({other}))' if kind == "percent" else f"{one}-{other}"

    def amount(self, index: int, number: int, column: int, rows: Mapping[str, int]) -> str:
        """One amount: accounts of a line, members of a subtotal or total, or the line's own formula over cells."""
        line = self.statement.lines[index]
        if line.kind == "sum":
            table, account, amount = self.living.amounts[number]
            mapping, its_account, its_line = self.living.mapping
            sums = f"SUMIFS({_of(table, amount)},{_of(table, account)},{_of(mapping, its_account)})"
            sign, label = "-" if line.sign < 0 else "", f"${column_name(self.left)}{self.top + index}"
            return f"{sign}SUMPRODUCT(({_of(mapping, its_line)}={label})*{sums})"
        if line.kind == "formula":
            return _over_cells(line, column, rows, self.plan)
        members = sorted(self.top + member for member in self.statement.members[index])
        return _sum_formula(members, column_name(column))


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


def _over_cells(line: StatementLine, number: int, rows: Mapping[str, int], plan: BlockPlan) -> str:
    """A line's formula with the cells of other lines in place of their names."""
    column = Coordinate(number - 1, False)

    def cell(node: Node) -> Node | None:
        if not isinstance(node, TableReference) or node.first is None:
            return None
        row = rows.get(node.first.casefold())
        if row is None:
            why = f"line '{line.name}' reads '{node.first}', which has no row"
            raise UseError(Fault(plan.stopped, why, plan.where, "fix the line's formula"))
        position = Coordinate(row - 1, False)
        return Reference(None, position, column, position, column)

    return write(replace_nodes(parse(line.formula or ""), cell))
