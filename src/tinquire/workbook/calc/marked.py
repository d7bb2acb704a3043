"""Marks evaluated: which cells of a sheet take which look, bar, fill or sign (ECMA-376 Part 1, 18.3.1.10).

Conditions are formulas, run for all cells of a column at once by the engine that runs the sheets' own; what compares
cells with all others of a mark (ranks, averages, repeats, scales) is worked out over their values together.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Booleans, Codes, Column, Floats, Kind
from tinquire.cells.ranks import rank_numbers
from tinquire.formula import FormulaError, Frame, evaluate_column
from tinquire.formula.engine.conversions import numbers
from tinquire.formula.language.tree import Node
from tinquire.looks import Variation
from tinquire.workbook.calc.conditions import Conditions
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.marks import Mark, Threshold, own_condition
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.workbook import Workbook

__all__ = ["CellMarks", "MarkedSheet", "SkippedMark", "marked_sheet"]

#: No colour, and no sign.
_NONE = -1
_UNCHANGED = Variation()
#: How far adding up in another order may move an average, in parts of the sum of the sizes of all that is added.
_ROUNDING = 4 * float(np.finfo(np.float64).eps)


@dataclass(frozen=True, slots=True)
class CellMarks:
    """What the marks make of one cell: the parts of its look that change; a bar's colour and length (0 to 1); a sign's
    set and its place in it from the lowest on; and whether its value is hidden behind them."""

    look: Variation = _UNCHANGED
    bar: tuple[str, float] | None = None
    sign: tuple[str, int] | None = None
    hides_value: bool = False


@dataclass(frozen=True, slots=True)
class SkippedMark:
    """A mark that cannot be evaluated, and why."""

    mark: Mark
    why: str


@dataclass(frozen=True, slots=True)
class _Hits:
    """What a mark says of a run of cells downwards: yes or no; or a fill, length or sign where it is not negative."""

    mark: Mark
    top: int
    values: NDArray[np.generic]


class MarkedSheet:
    """What the marks of a sheet make of its cells."""

    def __init__(self, hits: Sequence[tuple[int, _Hits]], partial: Callable[[int], Variation]) -> None:
        """`hits` are by column, in the order of the marks' priorities; `partial` gives a differential style."""
        self._partial = partial
        self._columns: dict[int, list[_Hits]] = defaultdict(list)
        for column, hit in hits:
            self._columns[column].append(hit)
        self.skipped: list[SkippedMark] = []

    @property
    def columns(self) -> frozenset[int]:
        """Columns in which marks say something."""
        return frozenset(self._columns)

    def at(self, row: int, column: int) -> CellMarks | None:
        """What the marks make of a cell; None where they make nothing of it."""
        found = CellMarks()
        any_holds = False
        for hit in self._columns.get(column, ()):
            place = row - hit.top
            if not 0 <= place < len(hit.values):
                continue
            value = hit.values[place]
            holds = bool(value) if hit.values.dtype == np.bool_ else bool(value >= 0)
            if not holds:
                continue
            any_holds = True
            found = self._with(found, hit.mark, float(value))
            if hit.mark.stop:
                break
        return found if any_holds else None

    def _with(self, known: CellMarks, mark: Mark, value: float) -> CellMarks:
        """What marks of higher priority say, and this one where they say nothing."""
        look, bar, sign, hides = known.look, known.bar, known.sign, known.hides_value
        if mark.scale is not None:
            look = look.over(Variation(fill=f"{int(value):06X}"))
        elif mark.bars is not None and bar is None:
            bar, hides = (mark.bars.colour, value), hides or not mark.bars.shows_value
        elif mark.signs is not None and sign is None:
            sign, hides = (mark.signs.name, int(value)), hides or not mark.signs.shows_value
        elif mark.look is not None:
            look = look.over(self._partial(mark.look))
        return CellMarks(look, bar, sign, hides)


def marked_sheet(book: Workbook, sheet: Sheet, marks: Sequence[Mark], now: float | None = None) -> MarkedSheet:
    """Evaluate marks over the used part of a sheet. `now` is the serial of the moment that counts as now: without it
    no mark by today's date holds. A mark that cannot be read is listed as skipped."""
    scope = BookScope(book, now)
    hits: list[tuple[int, _Hits]] = []
    skipped = []
    for mark in sorted(marks, key=lambda mark: mark.priority):
        try:
            hits += _Evaluation(scope, sheet, mark).hits()
        except FormulaError as error:
            skipped.append(SkippedMark(mark, error.faults[0].why))
        except ValueError as error:
            skipped.append(SkippedMark(mark, str(error)))
    marked = MarkedSheet(hits, book.styles.partial)
    marked.skipped = skipped
    scope.let_go()
    return marked


class _Evaluation:
    """One mark over the cells of a sheet."""

    def __init__(self, scope: BookScope, sheet: Sheet, mark: Mark) -> None:
        self.mark = mark
        self.cells = Conditions(scope, sheet, mark.areas)

    def hits(self) -> list[tuple[int, _Hits]]:
        if not self.cells.runs:
            return []
        over_all = _OVER_ALL.get(self.mark.kind)
        values: Sequence[NDArray[np.generic]]
        if over_all is None:
            values = self.cells.where(self.condition())
        else:
            values = self.cells.split(over_all(self, self.cells.together()))
        runs = zip(self.cells.runs, values, strict=True)
        return [(column, _Hits(self.mark, top, found)) for (column, top, _), found in runs]

    def condition(self) -> Node:
        """The tree of a condition. Raises FormulaError, and ValueError for a kind that is not known."""
        mark = self.mark
        if mark.kind == "cellIs":
            return self.cells.comparison(mark.settings.get("operator", "equal"), mark.formulas)
        if mark.kind == "expression" and not mark.formulas:
            raise ValueError("it has no formula")
        own = own_condition(mark.kind, mark.settings, self.cells.first)
        text = mark.formulas[0] if mark.formulas else own
        if text is None:
            raise ValueError(f"its kind '{mark.kind}' is not known")
        return self.cells.parse(text)

    # -- over all cells together -----------------------------------------------------------------------

    def ranked(self, cells: Column) -> Booleans:
        """The largest or smallest cells, by number or per cent; those that tie with the last of them are among them."""
        own, values = _numbers_of(cells)
        rank = int(self.mark.settings.get("rank", "10"))
        if self.mark.on("percent"):
            rank = max(len(values) * rank // 100, 1)
        rank = min(rank, len(values))
        holds = np.zeros(len(cells), bool)
        if rank < 1:
            return holds
        if self.mark.on("bottom"):
            holds[own] = values <= np.partition(values, rank - 1)[rank - 1]
        else:
            holds[own] = values >= np.partition(values, len(values) - rank)[len(values) - rank]
        return holds

    def by_average(self, cells: Column) -> Booleans:
        """Cells above or below the average of all, at a distance in standard deviations if one is stated. What is no
        farther from the edge than adding up in another order may move it is on it."""
        own, values = _numbers_of(cells)
        holds = np.zeros(len(cells), bool)
        if not len(values):
            return holds
        away = float(values.std()) * float(self.mark.settings.get("stdDev", "0"))
        equal = self.mark.on("equalAverage")
        above = self.mark.on("aboveAverage", default=True)
        beyond = values - (float(values.mean()) + (away if above else -away))
        on_edge = np.abs(beyond) <= _ROUNDING * float(np.abs(values).sum())
        holds[own] = np.where(on_edge, equal, beyond > 0 if above else beyond < 0)
        return holds

    def repeated(self, cells: Column) -> Booleans:
        """Cells whose value others have too, or none; letters count without regard to case, blanks do not count."""
        groups = np.zeros(len(cells), np.int64)
        count = 0
        for kind in (Kind.NUMBER, Kind.TEXT, Kind.BOOL, Kind.ERROR):
            here = cells.kinds == kind
            if not here.any():
                continue
            if kind == Kind.TEXT:
                ranks, distinct = cells.ranked_texts()
                groups[here] = ranks[here] + count
                count += len(distinct)
            else:
                positions, values = rank_numbers(cells.numbers[here])
                groups[here] = positions + count
                count += len(values)
        filled = cells.kinds != Kind.BLANK
        many = np.bincount(groups[filled], minlength=count + 1)[groups] > 1
        return filled & (many if self.mark.kind == "duplicateValues" else ~many)

    def fills(self, cells: Column) -> Codes:
        """The fill of each number as RGB in one, between the colours of the thresholds."""
        scale = self.mark.scale
        if scale is None:
            raise ValueError("its scale cannot be read")
        own, values = _numbers_of(cells)
        found = np.full(len(cells), _NONE, np.int64)
        if not len(values):
            return found
        places = np.maximum.accumulate(np.array([self.limit(one, values) for one in scale.thresholds]))
        rgb = np.zeros(len(values), np.int64)
        for shift in (16, 8, 0):
            parts = np.array([float(int(colour, 16) >> shift & 0xFF) for colour in scale.colours])
            rgb |= np.rint(np.interp(values, places, parts)).astype(np.int64) << shift
        found[own] = rgb
        return found

    def lengths(self, cells: Column) -> Floats:
        """The length of each number's bar, as a share of the cell."""
        bars = self.mark.bars
        if bars is None:
            raise ValueError("its bars cannot be read")
        own, values = _numbers_of(cells)
        found = np.full(len(cells), float(_NONE))
        if len(values):
            low, high = self.limit(bars.low, values), self.limit(bars.high, values)
            share = np.clip((values - low) / (high - low), 0, 1) if high > low else np.full(len(values), 0.5)
            found[own] = (bars.shortest + share * (bars.longest - bars.shortest)) / 100
        return found

    def places(self, cells: Column) -> Codes:
        """The place of each number's sign in its set, from the lowest on."""
        signs = self.mark.signs
        if signs is None:
            raise ValueError("its signs cannot be read")
        own, values = _numbers_of(cells)
        found = np.full(len(cells), _NONE, np.int64)
        if not len(values):
            return found
        places = np.zeros(len(values), np.int64)
        for number, one in enumerate(signs.thresholds):
            limit = self.limit(one, values)
            meets = values >= limit if one.at_least else values > limit
            places[meets & (number > 0)] = number
        found[own] = len(signs.thresholds) - 1 - places if signs.reverse else places
        return found

    def limit(self, one: Threshold, values: Floats) -> float:
        """A threshold among the numbers of a mark's cells (18.18.13). Raises ValueError."""
        low, high = float(values.min()), float(values.max())
        if one.kind in ("min", "max"):
            return low if one.kind == "min" else high
        given = self.number(one.value)
        if one.kind == "percent":
            return low + (high - low) * given / 100
        if one.kind == "percentile":
            return float(np.percentile(values, min(max(given, 0.0), 100.0)))
        return given

    def number(self, text: str) -> float:
        """A threshold's value: a number, or a formula that gives one. Raises FormulaError and ValueError."""
        cells = self.cells
        frame = Frame(cells.scope, cells.sheet.name, cells.row, cells.column)
        values, faults = numbers(evaluate_column(cells.parse(text), frame))
        if faults is not None and faults.any():
            raise ValueError(f"its threshold '{text}' is no number")
        return float(values[0])


def _numbers_of(cells: Column) -> tuple[Booleans, Floats]:
    """Which cells hold numbers, and these."""
    own = cells.kinds == Kind.NUMBER
    return own, cells.numbers[own]


_OVER_ALL: dict[str, Callable[[_Evaluation, Column], NDArray[np.generic]]] = {
    "top10": _Evaluation.ranked, "aboveAverage": _Evaluation.by_average, "duplicateValues": _Evaluation.repeated,
    "uniqueValues": _Evaluation.repeated, "colorScale": _Evaluation.fills, "dataBar": _Evaluation.lengths,
    "iconSet": _Evaluation.places,
}  # fmt: skip
