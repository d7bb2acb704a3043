"""A plain little world for formulas: sheets as dictionaries, names and one table, nothing clever."""

from __future__ import annotations

import numpy as np

from tinquire.cells import Column, parse_area
from tinquire.cells.address import cell_name, parse_cell
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import CellError
from tinquire.formula import Frame, evaluate_column, parse
from tinquire.formula.engine.indexes import AreaIndexes
from tinquire.formula.engine.operands import Span


class World:
    """Implements the formula package's Scope over dictionaries `{sheet: {address: value}}`."""

    def __init__(self, sheets, names=None, system=DateSystem.FROM_1900):
        self.sheets = {
            name: {parse_cell(address): value for address, value in cells.items()} for name, cells in sheets.items()
        }
        self.names = names or {}
        self.date_system = system
        self.indexes = AreaIndexes()
        self.filled = {}

    def extent(self, sheet):
        cells = self.sheets.get(sheet)
        if cells is None:
            return None
        return max((row for row, _ in cells), default=1), max((column for _, column in cells), default=1)

    def column(self, sheet, column, top, bottom):
        cells = self.sheets.get(sheet, {})
        return Column.from_values(cells.get((row, column)) for row in range(top, bottom + 1))

    def gather(self, sheet, rows, columns):
        cells = self.sheets.get(sheet, {})
        return Column.from_values(cells.get(place) for place in zip(rows.tolist(), columns.tolist(), strict=True))

    def passed_over(self, sheet, area, hidden):
        return None

    moment = 46_320.5

    def random(self, count):
        return np.random.default_rng(1).random(count)

    def sheets_between(self, first, last):
        names = list(self.sheets)
        if not first:
            return names
        return names[names.index(first) : names.index(last) + 1] if {first, last} <= set(names) else []

    def formula_text(self, sheet, row, column):
        return None

    def named_pivot(self, name, data, items):
        return None

    def pivot_value(self, sheet, row, column, data, items):
        return CellError.REF

    def cell_facts(self, sheet, row, column):
        return {"width": 8.0}

    def reading_of(self, sheet, row, column):
        return None

    def filled_from(self, sheet, row, column):
        return self.filled.get((sheet, row, column))

    def name(self, name, sheet, frame):
        found = self.names.get(name.casefold())
        return parse(found) if isinstance(found, str) else found

    def table(self, reference, frame):
        return None


def value(formula, cells=None, at="Z1", names=None, arrays=False):
    """A formula's value in one cell of a sheet `S`."""
    row, column = parse_cell(at)
    world = World({"S": cells or {}, "Other sheet": {"A1": 7.0, "A2": "x"}}, names)
    return evaluate_column(parse(formula, row, column), Frame(world, "S", row, column, arrays=arrays))[0]


def filled_down(formula, cells, first, count):
    """A formula's values when it is filled down `count` cells from `first`: all at once, and one by one."""
    row, column = parse_cell(first)
    world = World({"S": cells})
    tree = parse(formula, row, column)
    at_once = evaluate_column(tree, Frame(world, "S", row, column, count)).to_list()
    singly = [evaluate_column(tree, Frame(world, "S", row + n, column))[0] for n in range(count)]
    return at_once, singly


def span(sheet, text):
    return Span(sheet, parse_area(text))


def column_of(values, letter="A", top=1):
    """`{'A1': ..., 'A2': ...}` from values."""
    return {f"{letter}{top + n}": one for n, one in enumerate(values)}


__all__ = ["World", "cell_name", "column_of", "filled_down", "span", "value"]
