"""Columns that are added up hold numbers: what else stands among them is said, and never left out in silence."""

from __future__ import annotations

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import counted, listed
from tinquire.cells.column import Kind
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.table import Table
from tinquire.tables.types import number_in

__all__ = ["ADDING", "require_numbers", "text_among_numbers"]

#: The aggregations that work on numbers, and would pass a text over.
ADDING = frozenset(
    (
        Aggregation.SUM, Aggregation.AVERAGE, Aggregation.SMALLEST, Aggregation.LARGEST, Aggregation.MEDIAN,
        Aggregation.PRODUCT, Aggregation.DEVIATION, Aggregation.VARIANCE,
    )
)  # fmt: skip
#: At most this many places are named for each text.
_PLACES = 3


def text_among_numbers(table: Table, heading: str, stopped: str, where: str = "") -> Fault | None:
    """What to say of a column with texts in it that is to be added up; None when it has none.

    Raises DataError when there is no such column.
    """
    index = table.find(heading, stopped)
    column, name = table.columns[index], table.fields[index].name
    rows = np.flatnonzero(column.kinds == Kind.TEXT)
    if not len(rows):
        return None
    texts = [column.texts[code] for code in np.unique(column.codes[rows]).tolist()]
    no_numbers = [text for text in texts if all(number_in(text, mark) is None for mark in ".,")]
    spelled = len(no_numbers) < len(texts) or (column.kinds == Kind.NUMBER).any()
    wrong = no_numbers[0] if no_numbers and spelled else texts[0]
    here = [row for row in rows.tolist() if column[row] == wrong]
    at = f"{listed([table.where(row) for row in here[:_PLACES]])}" + (" and others" if len(here) > _PLACES else "")
    why = f"column '{name}' is summed, but '{wrong}' in it is not a number"
    if no_numbers and spelled:
        others = f"; {len(no_numbers) - 1:,} other texts are not numbers either" if len(no_numbers) > 1 else ""
        why += f" ({counted(len(here), 'row')}{others})"
        do = f'say in the source what it stands for: read_as = {{ "{name}" = {{ "{wrong}" = 0 }} }}'
        return Fault(stopped, why, where or at, do, option=f'say what it stands for: --read-as "{wrong}=0"')
    if not no_numbers:
        why = f"column '{name}' is summed, but has its numbers as text, such as '{wrong}'"
    do = f'state its type in the source: types = {{ "{name}" = "number" }}'
    option = f'state its type, and the decimal mark: --type "{name}=number" --decimal ,'
    return Fault(stopped, why, where or at, do, option=option)


def require_numbers(table: Table, heading: str, how: Aggregation | None, stopped: str) -> None:
    """Raises DataError when a column that is to be added up has texts in it, or is not there."""
    if how in ADDING and (fault := text_among_numbers(table, heading, stopped)) is not None:
        raise DataError(fault)
