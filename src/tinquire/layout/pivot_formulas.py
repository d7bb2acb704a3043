"""Pivots as living formulas: each cell a conditional sum over the table of the workbook that shows the rows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted
from tinquire.cells.address import column_name
from tinquire.cells.column import Column, Kind
from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.formula.language.writing import escaped_column
from tinquire.layout.plans import Laid
from tinquire.tables import Table
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import PivotValue
from tinquire.tables.pivots.fields import PivotField, Span
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook import Formula, Sheet

__all__ = ["LivingPivot", "logical_columns", "put_formulas", "sparse_columns"]

#: The conditional function of each aggregation that can live in a cell, and the plain one over all rows.
_FUNCTIONS = {
    Aggregation.SUM: ("SUMIFS", "SUM"), Aggregation.AVERAGE: ("AVERAGEIFS", "AVERAGE"),
    Aggregation.COUNT: ("COUNTIFS", "COUNTA"), Aggregation.SMALLEST: ("MINIFS", "MIN"),
    Aggregation.LARGEST: ("MAXIFS", "MAX"),
}  # fmt: skip
#: Texts that a criterion reads as values of another kind (18.17.2.7 has them as constants).
_LIKE_OTHERS = frozenset({"true", "false", *(error.text.casefold() for error in CellError)})
_LIVE = "sum, average, count, smallest and largest"


@dataclass(frozen=True, slots=True)
class LivingPivot:
    """What a pivot's cells are calculated from: the table part that shows its rows with its headings, the fields as
    they were asked for, and what stands where a combination has no rows."""

    table: str
    headings: Sequence[str]
    rows: Sequence[PivotField]
    columns: Sequence[PivotField]
    empty: Value = None
    #: Columns and the values that rows are cut to.
    cuts: Sequence[tuple[str, Value]] = ()
    #: Columns, casefolded, that are blank in some rows.
    sparse: frozenset[str] = frozenset()
    #: Columns, casefolded, that hold yes or no in some rows.
    logical: frozenset[str] = frozenset()


def sparse_columns(rows: Table) -> frozenset[str]:
    """The columns of a table, casefolded, that are blank in some rows, or have none."""
    pairs = zip(rows.fields, rows.columns, strict=True)
    return frozenset(
        field.name.casefold() for field, column in pairs if not len(column) or (column.kinds == Kind.BLANK).any()
    )


def logical_columns(rows: Table) -> frozenset[str]:
    """The columns of a table, casefolded, that hold yes or no in some rows."""
    pairs = zip(rows.fields, rows.columns, strict=True)
    return frozenset(field.name.casefold() for field, column in pairs if (column.kinds == Kind.BOOL).any())


def put_formulas(sheet: Sheet, laid: Laid, pivot: Pivot, living: LivingPivot, where: str) -> None:
    """Write the formulas of a pivot's cells, whose values stand on the sheet where it was laid. Raises UseError with
    all that keeps the pivot from living."""
    stopped, do = f"sheet '{sheet.name}'", 'write formulas = "values" for this sheet'
    faults = [Fault(stopped, why, where, do) for why in _hindrances(pivot, living)]
    if faults:
        raise UseError(*faults)
    assert laid.head is not None
    writer = _Writer(pivot, living, laid.head[1] + 1, laid.area.left, laid.head[0])
    for column in range(laid.area.left + laid.labels, laid.area.right + 1):
        for row in range(laid.head[1] + 1, laid.area.bottom + 1):
            value = sheet.column(column, row, row)
            sheet.put(row, column, value, None, Formula(writer.formula(row, column), row, column))


def _hindrances(pivot: Pivot, living: LivingPivot) -> Iterator[str]:
    """Why a pivot cannot be calculated by conditional sums."""
    shown = {heading.casefold() for heading in living.headings}
    fields = [*living.rows, *living.columns]
    for value in pivot.values:
        if value.how not in _FUNCTIONS:
            what = "a formula" if value.how is None else value.how.value
            yield f"its value '{value.name}' is {what}; in cells live {_LIVE}"
        if value.how is not Aggregation.COUNT and value.column.casefold() in living.logical:
            yield f"its value '{value.name}' is of '{value.column}', whose yes/no values are neither numbers nor blanks"
        if value.shown is not None:
            yield f"its value '{value.name}' is shown as {value.shown}, not as it is"
    for field in fields:
        if field.top is not None:
            yield f"its field '{field.column}' is cut to the first {counted(field.top, 'group')}"
    for heading in (*(item.column for item in fields), *(value.column for value in pivot.values if value.column)):
        if heading.casefold() not in shown:
            yield f"the sheet of its rows does not show the column '{heading}'"
    for field, column in zip(fields, (*pivot.labels, *pivot.across), strict=True):
        yield from _alike(field, column)


def _alike(field: PivotField, labels: Column) -> Iterator[str]:
    """Why conditional sums cannot tell the labels of a field apart."""
    texts = {str(label) for label in labels if isinstance(label, str)}
    folded: dict[str, str] = {}
    for text in sorted(texts):
        other = folded.setdefault(text.casefold(), text)
        if other != text:
            yield f"its field '{field.column}' has '{other}' and '{text}', which conditional sums take for the same"
    if odd := sorted(text for text in texts if text.strip().casefold() in _LIKE_OTHERS):
        yield f"its field '{field.column}' has the text '{odd[0]}', which conditional sums take for a value"
    if any(isinstance(label, CellError) for label in labels):
        yield f"its field '{field.column}' has an error value"


@dataclass(frozen=True, slots=True)
class _Writer:
    """Formulas by their cell."""

    pivot: Pivot
    living: LivingPivot
    top: int
    left: int
    heading: int

    def formula(self, row: int, column: int) -> str:
        pivot = self.pivot
        group, index = divmod(column - self.left - len(pivot.row_fields), len(pivot.values))
        line = row - self.top
        criteria = [criterion for cut in self.living.cuts for criterion in self.equal(*cut)]
        if line < pivot.height:
            criteria += self.of_line(line, row)
        if group < pivot.width:
            criteria += self.of_group(group)
        return self.worked(pivot.values[index], criteria)

    def of_line(self, line: int, row: int) -> Iterator[str]:
        depth = int(self.pivot.depths[line])
        is_group = depth == len(self.pivot.row_fields)
        # A subtotal's own label is not that of its groups, which stand above or below.
        source = line if is_group else self._group_of(line, depth)
        for index, field in enumerate(self.living.rows[:depth]):
            label = self.pivot.labels[index][source]
            cell = f"${column_name(self.left + index)}{row}" if is_group else None
            yield from self.criterion(field, label, cell, self.pivot.spans[index])

    def _group_of(self, line: int, depth: int) -> int:
        """A line of the groups that a subtotal sums up: the nearest one below, or above."""
        deepest = len(self.pivot.row_fields)
        groups = [n for n in range(self.pivot.height) if self.pivot.depths[n] == deepest]
        is_above = bool(self.pivot.depths[0] < deepest)
        return next(n for n in groups if n > line) if is_above else next(n for n in reversed(groups) if n < line)

    def of_group(self, group: int) -> Iterator[str]:
        fields, values = self.living.columns, len(self.pivot.values)
        number = self.left + len(self.pivot.row_fields) + group * values
        for index, field in enumerate(fields):
            label = self.pivot.across[index][group]
            cell = f"{column_name(number)}${self.heading}" if len(fields) == 1 and isinstance(label, str) else None
            yield from self.criterion(field, label, cell, self.pivot.spans[len(self.pivot.row_fields) + index])

    def criterion(self, field: PivotField, label: Value, cell: str | None, spans: Mapping[str, Span]) -> Iterator[str]:
        """The criteria for one label of a field; by the cell that shows it, where that says the same."""
        where = self.column(field.column)
        if isinstance(label, str) and label in spans:
            low, high = spans[label]
            yield ",".join(
                f'{where},"{sign}{general(limit)}"' for sign, limit in ((">=", low), ("<", high)) if limit is not None
            )
        elif cell is not None and _plain(label):
            yield f"{where},{cell}"
        else:
            yield from self.equal(field.column, label)

    def equal(self, column: str, label: Value) -> Iterator[str]:
        where = self.column(column)
        if label is None:
            yield f'{where},"="'
        elif isinstance(label, bool):
            yield f"{where},{str(label).upper()}"
        elif isinstance(label, float):
            yield f"{where},{general(label)}"
        else:
            text = str(label)
            for mark in "~*?":
                text = text.replace(mark, f"~{mark}")
            yield '{},"={}"'.format(where, text.replace('"', '""'))

    def column(self, heading: str) -> str:
        known = {item.casefold(): item for item in self.living.headings}
        return f"{self.living.table}[{escaped_column(known[heading.casefold()])}]"

    def worked(self, value: PivotValue, criteria: Sequence[str]) -> str:
        assert value.how is not None
        conditional, plain = _FUNCTIONS[value.how]
        column, counted = self.column(value.column), value.how is Aggregation.COUNT
        sparse = value.column.casefold() in self.living.sparse
        if not criteria:
            return f'IF(COUNT({column})=0,"",{plain}({column}))' if sparse and not counted else f"{plain}({column})"
        given = ",".join(criteria)
        worked = f'COUNTIFS({given},{column},"<>")' if counted else f"{conditional}({column},{given})"
        if counted:
            return worked
        if sparse:  # rows without a number have no sum, which is not zero
            worked = f'IF(COUNTIFS({given},{column},"<>")=0,"",{worked})'
        elif value.how is Aggregation.SUM and self.living.empty == 0:
            return worked
        empty = self.living.empty
        shown = general(empty) if isinstance(empty, float) else '"{}"'.format(str(empty or "").replace('"', '""'))
        return worked if shown == '""' and sparse else f"IF(COUNTIFS({given})=0,{shown},{worked})"


def _plain(label: Value) -> bool:
    """Whether a cell that holds the label, taken as a criterion, means just this label."""
    if not isinstance(label, str):
        return label is not None
    return label != "" and label[0] not in "<>=" and not any(m in label for m in "~*?")
