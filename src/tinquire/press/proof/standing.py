"""How a period stands, in values that the daybook keeps, and what has changed since the one before."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tinquire.cells.column import Booleans, Codes, Kind
from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.press.compute.results import Results
from tinquire.press.record.daybook import Daybook
from tinquire.tables import Table
from tinquire.tables.pivots.pivot import Pivot

__all__ = [
    "FACT",
    "Change",
    "Moved",
    "Summary",
    "changed_lines",
    "changes_of",
    "earlier_figure",
    "figure_changes",
    "moved_most",
    "standing",
]

#: The name under which the daybook keeps how a period stands.
FACT = "proof"
#: A summary with more lines than this is not compared line by line.
_MOST_LINES = 5_000
#: So many numbers are told as those that moved most; below this share of the largest, per cent say little.
_MOST_MOVED, _LITTLE = 8, 0.01
_NUMERIC = ("money", "number", "whole", "percent")
#: Lines of the docket that are told as changed.
_MOST_CHANGED = 60


@dataclass(frozen=True, slots=True)
class Change:
    """A number beside that of the period before; None where there was none, or is none now."""

    name: str
    type: str
    now: Value
    before: Value

    @property
    def difference(self) -> float | None:
        if isinstance(self.now, float) and isinstance(self.before, float):
            return self.now - self.before
        return None

    @property
    def share(self) -> float | None:
        """The change as a part of what was; None from nothing."""
        found = self.difference
        return None if found is None or not self.before else found / abs(float(self.before))  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True)
class Summary:
    """A pivot or a statement beside that of the period before: its lines, and those that are new or gone."""

    name: str
    headings: tuple[tuple[str, str], ...]
    lines: tuple[tuple[str, tuple[Change, ...]], ...]
    new: tuple[str, ...]
    gone: tuple[str, ...]
    #: Whether the daybook has the period before.
    known: bool


@dataclass(frozen=True, slots=True)
class Moved:
    """A number that moved: of which summary and line, and from how many rows of which files it is."""

    summary: str
    line: str
    change: Change
    rows: int | None = None
    rows_before: int | None = None
    files: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class _Lines:
    """The lines of a summary: numbers by the text of the labels."""

    headings: list[tuple[str, str]]
    lines: dict[str, list[float | None]] = field(default_factory=dict)
    #: Rows that a line is made from, where they can be told.
    rows: dict[str, int] = field(default_factory=dict)


def standing(results: Results, docket_text: str) -> dict[str, Any]:
    """What the next period's proof looks back on, as plain values."""
    return {
        "docket": docket_text,
        "figures": {name: _plain(value) for name, value in results.figures.items()},
        "tables": {name: table.height for name, table in results.tables.items()},
        "summaries": {
            name: {"headings": one.headings, "lines": one.lines, "rows": one.rows}
            for name, one in _summaries(results).items()
        },
    }


def earlier_figure(book: Daybook, docket: str, period: str, name: str) -> Value | None:
    """What a figure was in the latest run of a period; None when there was none, or the run did not have it."""
    stood = book.fact(docket, period, FACT)
    value = stood["figures"].get(name) if isinstance(stood, dict) else None
    return value if isinstance(value, float | str | bool) else None


def _plain(value: Value) -> object:
    return value.text if isinstance(value, CellError) else value


def _summaries(results: Results) -> dict[str, _Lines]:
    found = {}
    for name, pivot in results.pivots.items():
        lines = _lines(pivot.as_table(), len(pivot.row_fields))
        if lines is not None:
            found[name] = lines
            lines.rows.update(_row_counts(results, name, pivot))
    for name, statement in results.statements.items():
        lines = _lines(statement.as_table(), 1)
        if lines is not None:
            found[name] = lines
    return found


def _lines(table: Table, labels: int) -> _Lines | None:
    """A summary's numbers by its labels; None for one that is too long."""
    if table.height > _MOST_LINES:
        return None
    fields = [n for n in range(labels, len(table.fields)) if table.fields[n].type in _NUMERIC]
    made = _Lines([(table.fields[n].name, table.fields[n].type) for n in fields])
    columns = [table.columns[n].to_list() for n in fields]
    for row, own in enumerate(zip(*(column.to_list() for column in table.columns[:labels]), strict=True)):
        name = _label(own)
        if not name:
            continue
        numbers = [value if isinstance(value := column[row], float) else None for column in columns]
        while name in made.lines:
            name += " (again)"
        made.lines[name] = numbers
    return made


def _label(values: Sequence[Value]) -> str:
    return " · ".join(general(one) if isinstance(one, float) else str(one) for one in values if one is not None)


def _row_counts(results: Results, name: str, pivot: Pivot) -> dict[str, int]:
    """How many rows of its table each line of a pivot is made from."""
    found = _grouped(results, name, pivot)
    if found is None:
        return {}
    groups, names = found
    counts = np.bincount(groups, minlength=len(names))
    return {label: int(count) for label, count in zip(names, counts.tolist(), strict=True)}


def _grouped(results: Results, name: str, pivot: Pivot) -> tuple[Codes, list[str]] | None:
    """The line that each row of a pivot's table belongs to; None where its fields are no columns of it."""
    table = results.tables.get(results.docket.model.pivots[name].from_)
    if table is None or not table.height:
        return None
    columns = [table.index_of(one.name) for one in pivot.row_fields]
    if None in columns:
        return None
    groups: Codes = np.zeros(table.height, np.int64)
    labels: list[tuple[Value, ...]] = [()]
    for index in columns:
        assert index is not None
        own, distinct = table.columns[index].groups()
        values = distinct.to_list()
        groups = groups * len(values) + own
        labels = [(*label, value) for label in labels for value in values]
        if len(labels) > _MOST_LINES:
            return None
    return groups, [_label(label) for label in labels]


# -- beside the period before ----------------------------------------------------------------------------


def figure_changes(results: Results, before: Mapping[str, Any] | None) -> Iterator[Change]:
    """Each figure, and what it was."""
    known = (before or {}).get("figures", {})
    for name, value in results.figures.items():
        yield Change(name, results.figure_types.get(name) or "", value, _number(known.get(name)))


def _number(value: object) -> Value:
    if isinstance(value, int | float) and not isinstance(value, bool):
        return float(value)
    return value if isinstance(value, str | bool) else None


def changes_of(results: Results, before: Mapping[str, Any] | None) -> Iterator[Summary]:
    """Pivots and statements line by line."""
    known = (before or {}).get("summaries", {})
    for name, one in _summaries(results).items():
        old = known.get(name)
        was = {} if old is None else old["lines"]
        places = {} if old is None else _same_columns([heading for heading, _ in one.headings], old["headings"])
        lines = []
        for label, numbers in one.lines.items():
            own = was.get(label)
            lines.append((label, tuple(
                Change(heading, kind, number, _number(own[places[heading]]) if own and heading in places else None)
                for (heading, kind), number in zip(one.headings, numbers, strict=True)
            )))  # fmt: skip
        new = tuple(label for label in one.lines if old is not None and label not in was)
        gone = tuple(label for label in was if label not in one.lines)
        yield Summary(name, tuple(one.headings), tuple(lines), new, gone, old is not None)


def _same_columns(headings: Sequence[str], before: Sequence[Sequence[str]]) -> dict[str, int]:
    """The place that each column had before: by its heading, or by its order where a heading names the period."""
    known = {heading: place for place, (heading, _) in enumerate(before)}
    alike = len(headings) == len(before)
    free = [place for heading, place in known.items() if heading not in headings]
    fresh = [place for place, heading in enumerate(headings) if heading not in known]
    renamed = {headings[place]: place for place in fresh} if alike and free == fresh else {}
    return renamed | {heading: place for heading, place in known.items() if heading in headings}


def moved_most(
    results: Results, before: Mapping[str, Any] | None, summaries: Sequence[Summary]
) -> tuple[list[Moved], list[Moved]]:
    """The numbers of pivots that moved most, by value and by per cent: amounts of money where there are any, without
    totals."""
    found = [
        Moved(summary.name, label, change)
        for summary in summaries
        if summary.name in results.pivots
        for label, changes in summary.lines
        if label != results.pivots[summary.name].totals
        for change in changes
        if change.difference
    ]
    money = [one for one in found if one.change.type == "money"]
    found = money or found
    largest = max((abs(float(one.change.now)) for one in found), default=0.0)  # type: ignore[arg-type]
    by_value = sorted(found, key=lambda one: -abs(one.change.difference or 0.0))[:_MOST_MOVED]
    telling = [one for one in found if one.change.share and abs(one.change.now) > _LITTLE * largest]  # type: ignore[arg-type]
    by_share = sorted(telling, key=lambda one: -abs(one.change.share or 0.0))[:_MOST_MOVED]
    return [_from_rows(results, before, one) for one in by_value], [
        _from_rows(results, before, one) for one in by_share
    ]


def _from_rows(results: Results, before: Mapping[str, Any] | None, moved: Moved) -> Moved:
    pivot = results.pivots[moved.summary]
    found = _grouped(results, moved.summary, pivot)
    if found is None or moved.line not in found[1]:
        return moved
    if pivot.totals_across is not None and not moved.change.name.startswith(pivot.totals_across):
        return moved  # it is of a part of the line's rows
    groups, names = found
    mine: Booleans = groups == names.index(moved.line)
    origin = results.tables[results.docket.model.pivots[moved.summary].from_].origin
    files: tuple[str, ...] = ()
    if origin is not None and origin.ends is None:
        files = tuple(origin.files[place] for place in np.unique(origin.file[mine]).tolist())
    was = (before or {}).get("summaries", {}).get(moved.summary, {}).get("rows", {}).get(moved.line)
    return Moved(moved.summary, moved.line, moved.change, int(mine.sum()), was, files)


def changed_lines(before: str, now: str) -> list[str]:
    """The lines of a docket that are gone (`-`) and new (`+`)."""
    changed = [
        line
        for line in difflib.unified_diff(before.splitlines(), now.splitlines(), lineterm="", n=0)
        if line[:1] in "+-" and not line.startswith(("+++", "---")) and line[1:].strip()
    ]
    more = len(changed) - _MOST_CHANGED
    return [*changed[:_MOST_CHANGED], *([f"and {more} more"] if more > 0 else [])]


def control_totals(table: Table) -> Iterator[tuple[str, str, float]]:
    """The sum of each numeric column: its heading, type and sum."""
    for one, column in zip(table.fields, table.columns, strict=True):
        if one.type in ("money", "number", "whole"):
            yield one.name, one.type, float(column.numbers[column.kinds == Kind.NUMBER].sum())
