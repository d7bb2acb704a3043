"""Aggregates over the records of a list whose headings stand above it, picked by an area of criteria (18.17.7).

The criteria's first row holds headings, each row below them conditions of which all must hold; a record counts when it
meets any of the rows. An empty condition holds always.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from tinquire.cells.column import Booleans, Column, Floats, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_rows
from tinquire.formula.engine.conversions import text_of
from tinquire.formula.engine.criteria import criterion
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all


def _heading(value: Value) -> str:
    return str(text_of(value)).strip().casefold()


def _field(records: Grid, field: Value) -> Column:
    """A column below its heading, by the heading or its place. Raises ErrorValue when it does not exist."""
    if isinstance(field, str):
        headings = [_heading(column[0]) for column in records.columns]
        index = headings.index(_heading(field)) if _heading(field) in headings else -1
    else:
        index = int(field) - 1 if isinstance(field, float) else -1
    if not 0 <= index < records.width:
        raise ErrorValue(CellError.VALUE)
    return records.columns[index].slice(1, records.height)


def _picked(records: Grid, wanted: Grid) -> Booleans:
    headings = {_heading(column[0]): column.slice(1, records.height) for column in reversed(records.columns)}
    rows = list(grid_rows(wanted))
    picked = np.zeros(records.height - 1, bool)
    for row in rows[1:]:
        mask = np.ones(records.height - 1, bool)
        for name, condition in zip(rows[0], row, strict=True):
            if condition is None:
                continue
            column = headings.get(_heading(name))
            if column is None:
                raise ErrorValue(CellError.VALUE)
            # A text without a sign finds all that begin with it.
            begins = isinstance(condition, str) and condition[:1] not in ("=", "<", ">")
            mask &= criterion(f"{condition}*" if begins else condition).mask(column)
        picked |= mask
    return picked


def _values(records: Grid, field: Value, wanted: Grid) -> Column:
    return _field(records, field).take(_picked(records, wanted))


def _numbers(records: Grid, field: Value, wanted: Grid) -> Floats:
    found = _values(records, field, wanted)
    wrong = np.flatnonzero(found.kinds == Kind.ERROR)
    if len(wrong):
        raise ErrorValue(CellError.from_code(int(found.numbers[wrong[0]])))
    return found.numbers[found.kinds == Kind.NUMBER]


def _of(work: Callable[[Floats], Any], least: int = 0) -> Callable[[Grid, Value, Grid], float]:
    def function(records: Grid, field: Value, wanted: Grid) -> float:
        numbers = _numbers(records, field, wanted)
        if len(numbers) < least:
            raise ErrorValue(CellError.DIV0)
        return float(work(numbers))

    return function


def _count(records: Grid, field: Value, wanted: Grid) -> float:
    if field is None:
        return float(_picked(records, wanted).sum())
    return float((_values(records, field, wanted).kinds == Kind.NUMBER).sum())


def _count_values(records: Grid, field: Value, wanted: Grid) -> float:
    if field is None:
        return float(_picked(records, wanted).sum())
    return float((_values(records, field, wanted).kinds != Kind.BLANK).sum())


def _get(records: Grid, field: Value, wanted: Grid) -> Value:
    found = _values(records, field, wanted)
    if len(found) != 1:
        return CellError.NUM if len(found) else CellError.VALUE
    return found[0]


_LIST = '{"Depot","Pieces";"Harbour",4;"Millrace",6;"Harbour",8}, "Pieces", {"Depot";"Harbour"}'
declare_all(
    arrays,
    __name__,
    [
        (f"{name}(records: cells, field: value, criteria: cells)", work, f"{says} (18.17.7).", f"ROUND({name}({_LIST}), 4)" if name != "DGET" else 'DGET({"Depot","Pieces";"Harbour",4}, 2, {"Depot";"H"})', result)
        for name, work, says, result in (
            ("DSUM", _of(np.sum), "The sum of a field of the records that meet the criteria", "12"),
            ("DAVERAGE", _of(np.mean, 1), "The mean of a field of the records that meet the criteria", "6"),
            ("DCOUNT", _count, "The count of numbers of a field in the records that meet the criteria", "2"),
            ("DCOUNTA", _count_values, "How many values a field has in the records that meet the criteria", "2"),
            ("DMAX", _of(lambda n: n.max() if len(n) else 0.0), "The largest number of a field in the records that meet the criteria", "8"),
            ("DMIN", _of(lambda n: n.min() if len(n) else 0.0), "The smallest number of a field in the records that meet the criteria", "4"),
            ("DPRODUCT", _of(lambda n: np.prod(n) if len(n) else 0.0), "The product of a field of the records that meet the criteria", "32"),
            ("DSTDEV", _of(lambda n: np.std(n, ddof=1), 2), "The standard deviation estimated from the records that meet the criteria", "2.8284"),
            ("DSTDEVP", _of(np.std, 1), "The standard deviation of the records that meet the criteria", "2"),
            ("DVAR", _of(lambda n: np.var(n, ddof=1), 2), "The variance estimated from the records that meet the criteria", "8"),
            ("DVARP", _of(np.var, 1), "The variance of the records that meet the criteria", "4"),
            ("DGET", _get, "The one value of a field in the record that meets the criteria", "4"),
        )
    ],
)  # fmt: skip
