"""The columns of one file read into their types: what cannot be read is told with its cell, and a file's own totals
must agree with what was read."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from tinquire.base.faults import Fault
from tinquire.base.parallel import map_in_order
from tinquire.base.wording import counted, listed
from tinquire.cells.column import Column, Kind
from tinquire.cells.display import show
from tinquire.cells.numberformat import Moment
from tinquire.cells.values import Value
from tinquire.sources.raw_table import RawTable
from tinquire.sources.spec import SourceSpec
from tinquire.tables import Field, Origin, Table
from tinquire.tables.inference import MIXED
from tinquire.tables.marks import own_mark
from tinquire.tables.types import NUMERIC, Problem, Reading, column_type, duration_in, number_in, read_column

__all__ = ["compare_totals", "shortened", "type_table"]

#: At most this many unreadable values are listed one by one for each source; the rest are counted.
_LISTED_PROBLEMS = 12
#: Columns of more rows are read two at a time.
_MANY_ROWS = 100_000
#: Numbers of a totals row may differ from the rows' sum by this much of their size: they were rounded on the way.
_TOTALS_TOLERANCE = 1e-6
#: How durations are written in messages.
DURATION = "[h]:mm"


def type_table(spec: SourceSpec, path: Path, raw: RawTable, headings: Sequence[str]) -> tuple[Table, list[Fault]]:
    """One file's rows as a table with all headings, and a fault for every value that cannot be read."""
    positions = {heading.casefold(): index for index, heading in enumerate(raw.headings)}
    types = {heading.casefold(): kind for heading, kind in spec.types.items()}

    def read(heading: str) -> tuple[str, Reading]:
        folded = heading.casefold()
        index = positions.get(folded)
        column = Column.blank(len(raw.rows)) if index is None else raw.columns[index]
        kind = types.get(folded)
        if kind is None:
            kind = _type_of_values(column, raw.moments[index] if index is not None else "")
            if spec.as_they_are:
                return kind, Reading(column, ())
        if kind == MIXED:
            return "text", Reading(column, ())
        decimal = None
        if kind in NUMERIC and not column.all_of(Kind.NUMBER):
            decimal = spec.decimal or (own_mark(column, raw.decimal))
        stand_ins = spec.stand_ins(heading) if kind != "text" else spec.own_stand_ins(heading)
        reading = read_column(column, kind, replacements=stand_ins, decimal=decimal)
        return _time_type(kind, reading.column), reading

    fields, columns, faults = [], [], []
    side_by_side = map_in_order if len(raw.rows) > _MANY_ROWS else map
    for heading, (kind, reading) in zip(headings, side_by_side(read, headings), strict=True):
        index = positions.get(heading.casefold()) or 0
        faults += _unreadable(spec, raw, index, heading, kind, reading.problems)
        fields.append(Field(heading, column_type(kind)))
        columns.append(_stood_in(spec, raw, index, heading, reading))
    missing = [f"'{heading}'" for heading in headings if heading.casefold() not in positions]
    if missing:
        raw.notes.append(f"no column {listed(missing)}: left blank")
    for heading, stamp in spec.stamps.items():
        fields.append(Field(heading, "text"))
        columns.append(Column.full(stamp(path, raw.sheet), len(raw.rows)))
    zeros = np.zeros(len(raw.rows), np.int32)
    origin = Origin((raw.file,), (raw.sheet,), zeros, zeros, raw.rows)
    return Table(spec.name, tuple(fields), tuple(columns), origin), faults


def _type_of_values(column: Column, moment: Moment) -> str:
    """The type of a column that nothing is said of: numbers stay numbers, or are the days, times or durations that the
    workbook shows; all else is text."""
    filled = column.kinds[column.kinds != Kind.BLANK]
    if not len(filled) or (filled != Kind.NUMBER).any():
        return "text"
    return moment or "number"


def _time_type(kind: str, column: Column) -> str:
    """The type of times: of those of a day, or of hours that went by, where one of them runs past a day."""
    outside = kind == "time" and bool(((column.numbers < 0) | (column.numbers >= 1)).any())
    return "duration" if outside else kind


def _unreadable(
    spec: SourceSpec, raw: RawTable, column: int, heading: str, kind: str, problems: Sequence[Problem]
) -> list[Fault]:
    """Faults for the values of a column that cannot be read: one for each value, one for all dates of two readings.
    Values for which the source has another stand in; dates of two readings never have."""
    if _stand_in(spec, heading) is not None:
        problems = [problem for problem in problems if problem.readings]
    stopped = f"source '{spec.name}', column '{heading}' as {kind}"
    alike: dict[str, list[Problem]] = {}
    for problem in problems:
        alike.setdefault("two readings" if problem.readings else problem.value, []).append(problem)
    faults = []
    for group in alike.values():
        first = group[0]
        why = first.why + (f" ({counted(len(group), 'value')} in all)" if len(group) > 1 else "")
        if first.readings and kind in NUMERIC:
            do = 'state the decimal mark: decimal = ".", or decimal = ","'
            option = "state the decimal mark: --decimal . or --decimal ,"
        elif first.readings:
            do = f'state the order: types = {{ "{heading}" = "date dmy" }} for day first, "date mdy" for month first'
            option = f'state the order: --type "{heading}=date dmy" for day first, "{heading}=date mdy" for month first'
        else:
            do = f'fix it, or say what it stands for: read_as = {{ "{heading}" = {{ "{first.value}" = 0 }} }}'
            option = f'say what it stands for: --read-as "{first.value}=0"'
        where = raw.cells([problem.place for problem in group], column)
        faults.append(Fault(stopped, why, where, do, option=option))
    return faults


def _stand_in(spec: SourceSpec, heading: str) -> tuple[Value] | None:
    """What is in a column for values that cannot be read; None when they stop the run."""
    if not isinstance(spec.unreadable, str):
        values = {name.casefold(): value for name, value in spec.unreadable.items()}
        found = values.get(heading.casefold(), spec)
        return None if found is spec else (None if found == "" else found,)  # type: ignore[return-value]
    return (None,) if spec.unreadable == "blank" else None


def _stood_in(spec: SourceSpec, raw: RawTable, place: int, heading: str, reading: Reading) -> Column:
    """A column with what stands in for values that cannot be read, which are noted."""
    stand_in = _stand_in(spec, heading)
    rows = [problem.place for problem in reading.problems if not problem.readings]
    if stand_in is None or not rows:
        return reading.column
    first = next(problem.value for problem in reading.problems if not problem.readings)
    said = "left blank" if stand_in[0] is None else f"read as {stand_in[0]}"
    many = f"{len(rows):,} values that cannot be read are" if len(rows) > 1 else "a value that cannot be read is"
    raw.notes.append(f"column '{heading}': {many} {said}, such as '{first}' in {raw.cells(rows[:1], place)}")
    wrong = np.zeros(len(reading.column), bool)
    wrong[rows] = True
    return Column.where(wrong, Column.full(stand_in[0], 1), reading.column)


def shortened(faults: Sequence[Fault], stopped: str) -> list[Fault]:
    if len(faults) <= _LISTED_PROBLEMS:
        return list(faults)
    rest = f"{len(faults) - _LISTED_PROBLEMS:,} more faults of this kind"
    return [*faults[:_LISTED_PROBLEMS], Fault(stopped, rest, do="fix those above first")]


# -- totals ----------------------------------------------------------------------------------------------


def compare_totals(spec: SourceSpec, raw: RawTable, table: Table, stopped: str) -> list[Fault]:
    """Faults where a file's own totals row and the sum of the rows that were read are not the same; what agrees, and
    what could not be compared, is noted."""
    faults, agree, uncompared = [], [], []
    for heading, total in raw.totals.items():
        index = table.index_of(heading)
        stated = _stated_number(total, raw, spec) if isinstance(total, str) else total
        if index is None or not isinstance(stated, float) or isinstance(total, bool):
            continue
        column = table.columns[index]
        if table.fields[index].type not in (*NUMERIC, "time", "duration"):
            uncompared.append(heading)
            continue
        found = float(column.numbers[column.kinds == Kind.NUMBER].sum())
        if abs(found - stated) <= _TOTALS_TOLERANCE * max(1.0, abs(stated)):
            agree.append(heading)
            continue
        code = DURATION if table.fields[index].type in ("time", "duration") else "General"
        said, added = show(stated, code).text, show(round(found, 6) if code == "General" else found, code).text
        why = f"the totals row says {said} {heading}, the rows read add up to {added}"
        line = f"sheet '{raw.sheet}', row {raw.totals_row}" if raw.sheet else f"line {raw.totals_row}"
        do = (
            'ask for the file again, or write in the source totals_row = "drop" to leave the totals unread, '
            'or "none" if the row is one like the others'
        )
        option = "ask for the file again, or write --totals-row drop, or none if the row is one like the others"
        faults.append(Fault(stopped, why, f"{raw.file}, {line}", do, option=option))
    if faults:
        return faults
    if agree:
        raw.notes.append("its sums agree with the rows")
    if uncompared:
        raw.notes.append(f"its total of {listed(uncompared)} could not be compared: the column has no type of number")
    elif not agree and raw.totals:
        raw.notes.append("it has no sums to compare with the rows")
    return []


def _stated_number(total: str, raw: RawTable, spec: SourceSpec) -> float | None:
    """The number, or the hours and minutes, that a text of a totals row spells."""
    known = spec.decimal or raw.decimal
    marks = (known,) if known else (".", ",")
    numbers = [number for mark in marks if (number := number_in(total, mark)) is not None]
    return numbers[0] if numbers else duration_in(total)
