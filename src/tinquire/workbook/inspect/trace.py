"""Why a cell holds what it holds: its formula in words, what it reads, and where that comes from; and the other way."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from tinquire.cells.address import Area, area_name, cell_name, quoted_sheet
from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.display import show
from tinquire.cells.values import CellError
from tinquire.formula import write
from tinquire.formula.engine.conversions import number_of
from tinquire.formula.engine.criteria import CONDITIONAL, criteria_pairs, criterion
from tinquire.formula.engine.evaluate import evaluate, evaluate_scalar
from tinquire.formula.engine.operands import Span
from tinquire.formula.engine.references import crop_to_used, span_of
from tinquire.formula.engine.scope import Frame
from tinquire.formula.functions.lookup import KeyIndex
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.stored import bare_text
from tinquire.formula.language.tree import Call, Name, Node, Reference, walk
from tinquire.formula.language.writing import replace_nodes
from tinquire.workbook.calc.column_formulas import lanes_touched, programs, reads
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.workbook import Workbook

__all__ = ["CameFrom", "DataRows", "Step", "Tracer"]

#: Ranges of more cells than this are told in one line.
_FEW = 4
_PRINTED_ROWS = re.compile(r"!\$(\d+):\$(\d+)")
#: At most this many ranges of rows of a file are told in words.
_RANGES = 6
#: Rows looked at above a cell for its heading.
_REACH = 100_000
_LOOKUPS = frozenset({"VLOOKUP", "MATCH", "XLOOKUP", "XMATCH", "LOOKUP"})


@dataclass(frozen=True, slots=True)
class CameFrom:
    """What a cell was made of by the run that wrote it; how many rows of files are in it, and where, in words;
    and the first of them: file, sheet (empty for a file of one table), row."""

    says: str
    count: int = 0
    places: str = ""
    rows: tuple[tuple[str, str, int], ...] = ()

    @classmethod
    def of(cls, says: str, rows: Sequence[tuple[str, str, int]], most: int) -> CameFrom:
        """With the first `most` of the rows, which are in the order of their places."""
        found: dict[tuple[str, str], list[int]] = {}
        for file, sheet, row in rows:
            found.setdefault((file, sheet), []).append(row)
        parts = [
            f"{file}{f', sheet {sheet!r}' if sheet else ''}, {_ranges(own)}" for (file, sheet), own in found.items()
        ]
        more = f"; and {len(parts) - _RANGES:,} more files or sheets" if len(parts) > _RANGES else ""
        return cls(says, len(rows), "; ".join(parts[:_RANGES]) + more, tuple(rows[:most]))


def _ranges(rows: Sequence[int]) -> str:
    """Rows in words, those that follow each other as a range; no more than a few ranges."""
    runs: list[tuple[int, int]] = []
    for row in rows:
        if runs and runs[-1][1] == row - 1:
            runs[-1] = (runs[-1][0], row)
        else:
            runs.append((row, row))
    spelled = [f"{first:,}" if first == last else f"{first:,} to {last:,}" for first, last in runs[:_RANGES]]
    more = len(rows) - sum(last - first + 1 for first, last in runs[:_RANGES])
    return f"row{'' if len(rows) == 1 else 's'} {', '.join(spelled)}" + (f" and {more:,} more" if more else "")


@dataclass(frozen=True, slots=True)
class DataRows:
    """The rows that a conditional function or a lookup really used: their headings, and their values as shown."""

    call: str
    sheet: str
    headings: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]
    #: How many there are, of which the first are given.
    count: int
    #: Where each of the rows given came from, if that is known of any.
    sources: tuple[tuple[CameFrom, ...], ...] = ()


@dataclass(frozen=True, slots=True)
class Step:
    """A cell or range: its place, what it is called, its value as shown, its formula as written and in words, and the
    steps to what it reads (none at the depth where the tree is cut)."""

    place: str
    called: str
    shown: str
    formula: str = ""
    words: str = ""
    inputs: tuple[Step, ...] = ()
    data: tuple[DataRows, ...] = ()
    cut: bool = False
    #: What the cell was made of before it was written into this workbook.
    sources: tuple[CameFrom, ...] = ()


class Tracer:
    """Explains the cells of one workbook, whose results are taken as they are stored."""

    def __init__(
        self, book: Workbook, *, rows: int = 12,
        sources: Callable[[str, int, int], Sequence[CameFrom]] = lambda sheet, row, column: (),
    ) -> None:  # fmt: skip
        """`rows` is how many rows of data are given at most; `sources` says what a cell of a sheet was made of, if that
        is known."""
        self.book = book
        self.scope = BookScope(book)
        self.rows = rows
        self.sources = sources

    def explain(self, sheet: str, row: int, column: int, depth: int = 4, *, to_data: bool = False) -> Step:
        """A cell with what it reads, this many levels deep. Raises DataError for a sheet that is not there."""
        return self._cell(self.book.sheet(sheet), row, column, depth, to_data, frozenset())

    def _cell(self, sheet: Sheet, row: int, column: int, depth: int, to_data: bool, above: frozenset[str]) -> Step:
        where = f"{quoted_sheet(sheet.name)}!{cell_name(row, column)}"
        called, shown = self.name_of(sheet, row, column), self.shown(sheet, row, column)
        formula = sheet.formula(row, column)
        sources = tuple(self.sources(sheet.name, row, column))
        if formula is None:
            return Step(where, called, shown, sources=sources)
        text = bare_text(text_at(formula, row, column))
        try:
            tree = self.scope.trees.tree(formula)
        except FormulaError as error:
            return Step(where, called, shown, f"={text}", error.expected, sources=sources)
        frame = Frame(self.scope, sheet.name, row, column, arrays=formula.array is not None)
        words = self._in_words(tree, frame)
        if depth <= 0 or where in above:
            return Step(where, called, shown, f"={text}", words, cut=True, sources=sources)
        inputs = []
        for (name, area), _ in dict.fromkeys(reads(tree, frame)):
            inputs += list(self._input(name, area, depth, to_data, above | {where}))
        data = tuple(self._data(tree, frame)) if to_data else ()
        return Step(where, called, shown, f"={text}", words, tuple(inputs), data, sources=sources)

    def _input(self, name: str, area: Area, depth: int, to_data: bool, above: frozenset[str]) -> Iterator[Step]:
        sheet = self.scope.sheet(name)
        if sheet is None:
            return
        if area.height * area.width <= _FEW:
            for row in range(area.top, area.bottom + 1):
                for column in range(area.left, area.right + 1):
                    yield self._cell(sheet, row, column, depth - 1, to_data, above)
            return
        yield self._range(sheet, area)

    def _range(self, sheet: Sheet, area: Area) -> Step:
        """A large range in one line: how many numbers, and their sum; how many texts, blanks and errors."""
        used = area.cropped(*sheet.extent())
        parts = [sheet.column(column, used.top, used.bottom) for column in range(used.left, used.right + 1)]
        kinds = np.concatenate([part.kinds for part in parts])
        numbers = np.concatenate([part.numbers for part in parts])
        told = ((Kind.NUMBER, "number"), (Kind.TEXT, "text"), (Kind.ERROR, "error"))
        counts = [(int((kinds == kind).sum()), says) for kind, says in told]
        pieces = [f"{count:,} {says}{'' if count == 1 else 's'}" for count, says in counts if count]
        total = float(numbers[kinds == Kind.NUMBER].sum())
        style = sheet.style(used.bottom, used.left)
        if counts[0][0]:
            pieces[0] += f", {show(total, self.book.styles.number_format(style), self.book.date_system).text} in all"
        where = f"{quoted_sheet(sheet.name)}!{area_name(area)}"
        known = [sheet.columns[number] for number in range(used.left, used.right + 1) if number in sheet.columns]
        has_formulas = any((cells.formulas[cells.places(used.top, used.bottom)] >= 0).any() for cells in known)
        return Step(where, self._range_name(sheet, area), "; ".join(pieces) or "blank", cut=has_formulas)

    # -- names -----------------------------------------------------------------------------------------

    def shown(self, sheet: Sheet, row: int, column: int) -> str:
        value = sheet.value(row, column)
        if value is None:
            return "blank"
        code = self.book.styles.number_format(sheet.style(row, column))
        return show(value, code, self.book.date_system).text

    def heading(self, sheet: Sheet, row: int, column: int) -> str:
        """What stands above a cell: its table's column, or the nearest text above it in its column."""
        for table in sheet.tables:
            if table.area.holds(row, column) and column - table.area.left < len(table.columns):
                return table.columns[column - table.area.left].name
        top = max(1, row - _REACH)
        above = sheet.column(column, top, row - 1) if row > 1 else Column.blank(0)
        texts = np.flatnonzero(above.kinds == Kind.TEXT)
        first, last = self._heading_rows(sheet)
        if last < row:
            # The sheet says itself where its headings stand; a number may have a nearer one, of a block further down.
            is_text = isinstance(sheet.value(row, column), str)
            if last and (is_text or not len(texts) or top + int(texts[-1]) <= last):
                return self._in_rows(sheet, first, last, column)
        elif first <= row and isinstance(sheet.value(row, column), str):
            return ""  # a heading is called by nothing but itself
        if len(texts) and isinstance(sheet.value(row, column), str):
            # Among labels below each other the heading is the one dressed otherwise, or else the first of them.
            styles = sheet.styles(column, top, row - 1)[texts]
            others = np.flatnonzero(styles != sheet.style(row, column))
            breaks = np.flatnonzero(np.diff(texts) > 1)
            texts = texts[: others[-1] + 1] if len(others) else texts[: (breaks[-1] + 1 if len(breaks) else 0) + 1]
        return str(above[int(texts[-1])]).strip() if len(texts) else ""

    def _heading_rows(self, sheet: Sheet) -> tuple[int, int]:
        """The rows that a sheet's headings stand in, as far as it says so: those repeated on each page (the name of
        18.2.6), or else the last two that stay in sight; (1, 0) where it says nothing."""
        for name in self.book.names:
            rows = _PRINTED_ROWS.search(name.formula) if name.name == "_xlnm.Print_Titles" else None
            if rows and name.sheet == sheet.name:
                return int(rows[1]), int(rows[2])
        last = sheet.frozen[0]
        return max(last - 1, 1), last

    @staticmethod
    def _in_rows(sheet: Sheet, first: int, last: int, column: int) -> str:
        """The texts of heading rows over a column, those of merged cells for all columns that they span."""
        found = []
        for row in range(max(first, last - 1), last + 1):
            area = next((item for item in sheet.merged if item.holds(row, column)), None)
            value = sheet.value(row, column) if area is None else sheet.value(area.top, area.left)
            if isinstance(value, str) and value.strip():
                found.append(value.strip())
        return ", ".join(dict.fromkeys(found))

    def row_label(self, sheet: Sheet, row: int, column: int) -> str:
        """The first text to the left of a cell in its row."""
        for left in sorted(number for number in sheet.columns if number < column):
            value = sheet.value(row, left)
            if isinstance(value, str) and value.strip():
                return value.strip()
        return ""

    def name_of(self, sheet: Sheet, row: int, column: int) -> str:
        """A cell in words: its heading, and what its row is called; a defined name alone."""
        for name in self.book.names:
            if (
                name.formula.replace("$", "").casefold()
                == f"{quoted_sheet(sheet.name)}!{cell_name(row, column)}".casefold()
            ):
                return name.shown
        first, last = self._heading_rows(sheet)
        if first <= row <= last and isinstance(sheet.value(row, column), str):
            return ""
        label, heading = self.row_label(sheet, row, column), self.heading(sheet, row, column)
        return ", ".join(part for part in (label, heading) if part)

    def _range_name(self, sheet: Sheet, area: Area) -> str:
        first = self.heading(sheet, area.top + (area.top == 1), area.left)
        last = self.heading(sheet, area.top + (area.top == 1), area.right)
        return first if first == last or not last else f"{first} to {last}"

    def _in_words(self, tree: Node, frame: Frame) -> str:
        """The formula with headings in place of addresses."""

        def spoken(node: Node) -> Node | None:
            span = span_of(node, frame) if isinstance(node, Reference) else None
            if not isinstance(span, Span):
                return None
            sheet = self.scope.sheet(span.sheet)
            if sheet is None:
                return None
            area = span.area
            called = self.name_of(sheet, area.top, area.left) if span.is_cell else self._range_name(sheet, area)
            own_row = span.is_cell and area.top == frame.row and sheet.name == frame.sheet
            if own_row:
                called = self.heading(sheet, area.top, area.left) or called
            return Name(f"[{called}]") if called else None

        words = write(replace_nodes(tree, spoken), frame.row, frame.column)
        return (
            words.replace("[[#This Row],", "[@,").replace("[@,[", "[").replace("]]", "]")
            if "#This Row" in words
            else words
        )

    # -- rows that were used ---------------------------------------------------------------------------

    def _data(self, tree: Node, frame: Frame) -> Iterator[DataRows]:
        for node in walk(tree):
            if isinstance(node, Call) and node.function in CONDITIONAL:
                found = self._met(node, frame)
            elif isinstance(node, Call) and node.function in _LOOKUPS:
                found = self._looked_up(node, frame)
            else:
                continue
            if found is not None:
                yield found

    def _met(self, node: Call, frame: Frame) -> DataRows | None:
        """The rows that meet a conditional function's criteria."""
        pairs = criteria_pairs(node)
        spans = [evaluate(pair, frame) for pair in pairs[::2]]
        target = evaluate(node.arguments[-1 if node.function in ("SUMIF", "AVERAGEIF") else 0], frame)
        if not all(isinstance(span, Span) and span.area.width == 1 for span in (*spans, target)):
            return None
        columns = [span for span in spans if isinstance(span, Span)]
        first = crop_to_used(columns[0], frame)
        mask: Booleans = np.ones(first.height, bool)
        for span, wanted in zip(columns, pairs[1::2], strict=True):
            values = self.scope.column(span.sheet, span.area.left, span.area.top, span.area.top + first.height - 1)
            mask &= criterion(evaluate_scalar(wanted, frame)).mask(values)
        positions = (np.flatnonzero(mask) + first.top).tolist()
        every = dict.fromkeys([*columns, *([target] if isinstance(target, Span) else [])])
        beside = (columns[0].sheet, columns[0].area.top)  # what lies elsewhere has other values in these rows
        shown = [span for span in every if (span.sheet, span.area.top) == beside]
        return self._rows_of(node, frame, columns[0].sheet, positions, [span.area.left for span in shown])

    def _looked_up(self, node: Call, frame: Frame) -> DataRows | None:
        """The row that a lookup found."""
        span = evaluate(node.arguments[1], frame) if len(node.arguments) > 1 else None
        if not isinstance(span, Span) or span.moves:
            return None
        area = crop_to_used(span, frame)
        if area.height == 1 and area.width > 1:
            return None
        position = self._place_found(
            node, KeyIndex(self.scope.column(span.sheet, area.left, area.top, area.bottom)), frame
        )
        rows = [area.top + position] if position >= 0 else []
        return self._rows_of(node, frame, span.sheet, rows, list(range(area.left, min(area.right, area.left + 7) + 1)))

    @staticmethod
    def _place_found(node: Call, index: KeyIndex, frame: Frame) -> int:
        """Where a lookup finds its key, by its own way of matching; -1 when it finds none."""
        given = node.arguments
        if node.function in ("XLOOKUP", "XMATCH"):
            least = 4 if node.function == "XLOOKUP" else 2
            found = evaluate_scalar(Call("XMATCH", (*given[:2], *given[least : least + 2])), frame)
            return int(found) - 1 if isinstance(found, float) else -1
        key = evaluate_scalar(given[0], frame)
        if isinstance(key, CellError):
            return -1
        last = {"VLOOKUP": 3, "MATCH": 2}.get(node.function, len(given))
        way = number_of(evaluate_scalar(given[last], frame)) if last < len(given) else 1.0
        if way == 0:
            return index.exact(key)
        return index.nearest(key, descending=isinstance(way, float) and way < 0)

    def _rows_of(self, node: Call, frame: Frame, name: str, rows: list[int], columns: list[int]) -> DataRows | None:
        sheet = self.scope.sheet(name)
        if sheet is None:
            return None
        first = rows[0] if rows else 2
        headings = tuple(self.heading(sheet, first, column) or cell_name(1, column)[:-1] for column in columns)
        listed = tuple((row, tuple(self.shown(sheet, row, column) for column in columns)) for row in rows[: self.rows])
        sources = tuple(tuple(self.sources(sheet.name, row, columns[0])) if columns else () for row, _ in listed)
        return DataRows(
            self._in_words(node, frame), sheet.name, headings, listed, len(rows), sources if any(sources) else ()
        )

    # -- the other way ---------------------------------------------------------------------------------

    def dependents(self, sheet: str, row: int, column: int) -> list[Step]:
        """The formulas that read a cell, runs of cells with one formula as one step."""
        name = self.book.sheet(sheet).name
        wanted = [(name, Area(row, column, row, column))]
        found = []
        for known in self.book.sheets():
            for program in programs(known, self.scope, []):
                touched = lanes_touched(program, reads(program.tree, program.frame(self.scope)), wanted)
                if touched is None:
                    continue
                area = program.formula.array or Area(touched[0], program.column, touched[1], program.column)
                frame = Frame(self.scope, known.name, area.top, program.column)
                where = f"{quoted_sheet(known.name)}!{area_name(area)}"
                one = area.height == area.width == 1
                called = self.name_of(known, area.top, area.left) if one else self._range_name(known, area)
                shown = self.shown(known, area.top, area.left) if one else f"{area.height * area.width:,} cells"
                text = bare_text(text_at(program.formula, area.top, program.column))
                found.append(Step(where, called, shown, f"={text}", self._in_words(program.tree, frame)))
        return found

    def cause(self, sheet: str, row: int, column: int) -> str:
        """The cell in which an error began that a cell passes on: the cell itself when nothing it reads is in error."""
        here = (self.book.sheet(sheet), row, column)
        seen: set[tuple[str, int, int]] = set()
        while True:
            known, row, column = here
            seen.add((known.name, row, column))
            following = self._first_error_read(known, row, column)
            if following is None or (following[0].name, *following[1:]) in seen:
                return f"{quoted_sheet(known.name)}!{cell_name(row, column)}"
            here = following

    def _first_error_read(self, sheet: Sheet, row: int, column: int) -> tuple[Sheet, int, int] | None:
        formula = sheet.formula(row, column)
        if formula is None:
            return None
        try:
            tree = self.scope.trees.tree(formula)
        except FormulaError:
            return None
        for (name, area), _ in reads(tree, Frame(self.scope, sheet.name, row, column)):
            other = self.scope.sheet(name)
            if other is None:
                continue
            used = area.cropped(*other.extent())
            for number in range(used.left, used.right + 1):
                wrong = np.flatnonzero(other.column(number, used.top, used.bottom).kinds == Kind.ERROR)
                if len(wrong):
                    return other, used.top + int(wrong[0]), number
        return None
