"""Places in a workbook where a formula or a value looks wrong: each with why, and what to do about it.

Nothing here is certain; each finding is what a careful colleague would point at.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from tinquire.cells.address import Area, area_name, cell_name, quoted_sheet
from tinquire.cells.column import Kind
from tinquire.cells.display import show
from tinquire.cells.total_words import is_total_label
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import number_from_text
from tinquire.formula.engine.dependency_order import Place
from tinquire.formula.engine.evaluate import evaluate, evaluate_scalar
from tinquire.formula.engine.operands import Areas, Closure, Grid, Lanes, Scalar, Span
from tinquire.formula.engine.references import span_of
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.problems import CycleError
from tinquire.formula.language.tree import Call, Literal, Reference, walk
from tinquire.tables.types import number_in
from tinquire.workbook.calc.column_formulas import CellNote, Program, programs
from tinquire.workbook.calc.entries import broken_rules
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA, Cells
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.inspect.contents import BookDetails
from tinquire.workbook.inspect.trace import Tracer
from tinquire.workbook.parts.pivots import pivot_area
from tinquire.workbook.pivots.caches import caches_of
from tinquire.workbook.pivots.stale import staleness
from tinquire.workbook.workbook import Workbook

__all__ = ["Finding", "audit"]

#: Functions that add up or measure a range, of which a cell left out at its end is missed.
_TOTALS = frozenset({"SUM", "AVERAGE", "COUNT", "COUNTA", "MIN", "MAX", "SUBTOTAL", "PRODUCT", "MEDIAN"})
#: Lookups, and how many arguments they have when it is said how they match.
_MATCHING = {"VLOOKUP": 4, "HLOOKUP": 4, "MATCH": 3}
_SWALLOWING = frozenset({"IFERROR", "IFNA"})
#: A run of formulas this long is a pattern.
_PATTERN = 2
#: In a column where so great a part is numbers, a text that reads as one is odd.
_MOSTLY = 0.5
#: Of a column without numbers so great a part must be texts that read as values.
_WHOLE = 0.8
#: So many cells to the left of one are looked at for what its row is called.
_LABELS = 8
_DAY = re.compile(r"\s*(?:[0-9]{1,2}[./-][0-9]{1,2}[./-][0-9]{2,4}|[0-9]{4}-[0-9]{2}-[0-9]{2})\s*\Z")


@dataclass(frozen=True, slots=True)
class Finding:
    """A cell or range, what is odd about it, and what to do. `kind` is one word, for sorting and filtering."""

    kind: str
    sheet: str
    cell: str
    says: str
    do: str


def audit(book: Workbook, sheets: list[str] | None = None) -> Iterator[Finding]:
    """The findings of some sheets (or all), in the order of the sheets and cells.

    Raises: AccessError for damaged parts.
    """
    scope = BookScope(book)
    auditor = _Auditor(book, scope)
    wanted = None if sheets is None else {name.casefold() for name in sheets}
    for sheet in book.sheets():
        if wanted is None or sheet.name.casefold() in wanted:
            found = list(auditor.sheet(sheet))
            yield from sorted(found, key=lambda item: _order(item.cell))
    if wanted is None:
        yield from _names(book, scope)
        yield from _circles(book)
        yield from _stale_pivots(book)


def _stale_pivots(book: Workbook) -> Iterator[Finding]:
    """Pivots that show other rows than their source has now."""
    for cache in caches_of(book):
        if (says := staleness(book, cache)) is None:
            continue
        for pivot in cache.pivots:
            root = book.package.root(pivot.part)
            area = pivot_area(root)
            cell = "A1" if area is None else area_name(area)
            do = "refresh it: tinquire recalc --pivots"
            yield Finding("stale", pivot.sheet, cell, f"pivot '{root.get('name', '')}' is stale: {says}", do)


def _order(cell: str) -> tuple[int, int]:
    digits = re.search(r"([A-Z]+)([0-9]+)", cell)
    return (int(digits[2]), len(digits[1])) if digits else (0, 0)


class _Auditor:
    def __init__(self, book: Workbook, scope: BookScope) -> None:
        self.book = book
        self.scope = scope
        self.tracer = Tracer(book)

    def sheet(self, sheet: Sheet) -> Iterator[Finding]:
        skipped: list[CellNote] = []
        known = list(programs(sheet, self.scope, skipped))
        for note in skipped:
            yield Finding("unread", sheet.name, note.cell, note.says, "fix the formula, or leave it as it is stored")
        yield from self._patterns(sheet, known)
        for program in known:
            yield from self._formula(sheet, program)
        for number, cells in sheet.columns.items():
            yield from self._values(sheet, number, cells)
        yield from self._entries(sheet)

    # -- patterns --------------------------------------------------------------------------------------

    def _patterns(self, sheet: Sheet, known: list[Program]) -> Iterator[Finding]:
        """Formulas, and plain numbers, that break a run of formulas which goes on after them."""
        by_column: dict[int, list[Program]] = {}
        for program in known:
            if program.formula.array is None:
                by_column.setdefault(program.column, []).append(program)
        for column, runs in by_column.items():
            for before, odd, after in zip(runs, runs[1:], runs[2:], strict=False):
                touching = before.bottom + 1 == odd.top and odd.bottom + 1 == after.top
                short = odd.bottom - odd.top < before.bottom - before.top
                alike = touching and short and before.tree == after.tree and _long(before, after)
                if alike and not self._sums_up(sheet, odd.top, column):
                    area = Area(odd.top, column, odd.bottom, column)
                    usual = text_at(before.formula, odd.top, column)
                    says = f"={text_at(odd.formula, odd.top, column)} differs from the formulas around it"
                    yield Finding("pattern", sheet.name, area_name(area), says, f"if it is not meant, write ={usual}")
            for before, after in pairwise(runs):
                gap = sheet.column(column, before.bottom + 1, after.top - 1)
                is_number = (gap.kinds == Kind.NUMBER) | (gap.kinds == Kind.TEXT)
                if 0 < len(gap) <= _PATTERN and is_number.all() and before.tree == after.tree and _long(before, after):
                    area = Area(before.bottom + 1, column, after.top - 1, column)
                    usual = text_at(before.formula, area.top, column)
                    says = f"{self.tracer.shown(sheet, area.top, column)} is a value among formulas"
                    yield Finding("constant", sheet.name, area_name(area), says, f"if it is not meant, write ={usual}")

    def _sums_up(self, sheet: Sheet, row: int, column: int) -> bool:
        """Whether a row says before a cell that it sums others up, as a pivot's subtotals do."""
        return any(is_total_label(sheet.value(row, other)) for other in range(max(1, column - _LABELS), column))

    # -- formulas --------------------------------------------------------------------------------------

    def _formula(self, sheet: Sheet, program: Program) -> Iterator[Finding]:
        first = program.rows(program.top, program.top)
        frame = first.frame(self.scope)
        position = area_name(Area(program.top, program.column, program.bottom, program.column))
        for node in walk(program.tree):
            if not isinstance(node, Call):
                continue
            if node.function in _TOTALS:
                yield from self._totals(sheet, first, node, frame)
            given = _MATCHING.get(node.function)
            if given is not None and len(node.arguments) < given:
                says = f"{node.function} does not state how it matches, so it takes the nearest"
                yield Finding("lookup", sheet.name, position, says, _exact(node.function))
            if node.function in _SWALLOWING and node.arguments:
                yield from self._swallowed(sheet, program, node)
        yield from self._errors(sheet, program)

    def _totals(self, sheet: Sheet, program: Program, node: Call, frame: Frame) -> Iterator[Finding]:
        """Ranges that end before the data does, or run over another total."""
        for argument in node.arguments:
            span = span_of(argument, frame) if isinstance(argument, Reference) else None
            if not isinstance(span, Span) or span.area.height < _PATTERN or span.area.width != 1:
                continue
            target, area = self.scope.sheet(span.sheet), span.area
            if target is None or area.bottom >= 1_048_576:
                continue
            own = (target.name, Area(program.top, program.column, program.top, program.column))
            here = cell_name(program.top, program.column)
            for row, edge in ((area.bottom + 1, "below"), (area.top - 1, "above")):
                if row < 1 or not self._left_out(target, row, area, own):
                    continue
                step, last = (1 if row > area.bottom else -1), row
                while last + step >= 1 and self._left_out(target, last + step, area, own):
                    last += step
                missed = Area(min(row, last), area.left, max(row, last), area.left)
                prefix = "" if target is sheet else f"{quoted_sheet(target.name)}!"
                many = "the number in" if missed.height == 1 else f"{missed.height:,} numbers in"
                says = (
                    f"{node.function}({prefix}{area_name(area)}) leaves out {many} {area_name(missed)}, right {edge} it"
                )
                wide = Area(min(area.top, missed.top), area.left, max(area.bottom, missed.bottom), area.left)
                do = f"if {'it belongs' if missed.height == 1 else 'they belong'} in, write {prefix}{area_name(wide)}"
                yield Finding("range", sheet.name, here, says, do)
            inner = self._totals_within(target, area, own) if node.function == "SUM" else []
            if inner:
                says = f"SUM({area_name(area)}) adds up {inner[0]} too, which is a total of the same cells"
                yield Finding("doubled", sheet.name, here, says, "leave it out, or use SUBTOTAL in both")

    def _left_out(self, sheet: Sheet, row: int, area: Area, own: Place) -> bool:
        """Whether a number stands at a range's edge that looks like one of its own: not a total, not the formula."""
        if own[0] == sheet.name and own[1].holds(row, area.left):
            return False
        beside = sheet.column(area.left, row, row)
        inside = sheet.column(
            area.left, area.bottom if row > area.bottom else area.top, area.bottom if row > area.bottom else area.top
        )
        if beside.kinds[0] != Kind.NUMBER or inside.kinds[0] != Kind.NUMBER:
            return False
        return not self._is_total(sheet, row, area.left) and row not in sheet.hidden_rows

    def _is_total(self, sheet: Sheet, row: int, column: int) -> bool:
        formula = sheet.formula(row, column)
        if formula is None:
            return any(
                table.totals and table.area.bottom == row and table.area.holds(row, column) for table in sheet.tables
            )
        calls = [node for node in walk(self.scope.trees.tree(formula)) if isinstance(node, Call)]
        return any(node.function in _TOTALS for node in calls)

    def _totals_within(self, sheet: Sheet, area: Area, own: Place) -> list[str]:
        """Sums inside a range whose own ranges lie in it, too."""
        cells = sheet.columns.get(area.left)
        if cells is None:
            return []
        at = cells.places(area.top, area.bottom)
        rows = cells.rows[at][cells.formulas[at] != NO_FORMULA].tolist()
        found = []
        for row in rows[:2000]:
            formula = sheet.formula(row, area.left)
            if formula is None or "SUM(" not in formula.text.upper():
                continue
            frame = Frame(self.scope, sheet.name, row, area.left)
            for node in walk(self.scope.trees.tree(formula)):
                span = span_of(node, frame) if isinstance(node, Reference) else None
                inside = isinstance(span, Span) and span.sheet == sheet.name and area.overlaps(span.area)
                if (
                    inside
                    and isinstance(span, Span)
                    and span.area.height > 1
                    and own[1] != Area(row, area.left, row, area.left)
                ):
                    found.append(cell_name(row, area.left))
        return found

    def _swallowed(self, sheet: Sheet, program: Program, node: Call) -> Iterator[Finding]:
        """Errors that are there and are replaced: the first cell of a run in which one is."""
        for row in (program.top, program.bottom):
            frame = program.rows(row, row).frame(self.scope)
            value = evaluate_scalar(node.arguments[0], frame)
            if isinstance(value, CellError):
                quiet = isinstance(node.arguments[-1], Literal) and node.arguments[-1].value in ("", 0.0)
                says = f"{node.function} replaces {value}" + (" with an empty text" if quiet else "")
                do = "look whether the error is one that you expect; IFNA hides missing keys alone"
                yield Finding("swallowed", sheet.name, cell_name(row, program.column), says, do)
                return

    def _errors(self, sheet: Sheet, program: Program) -> Iterator[Finding]:
        values = sheet.column(program.column, program.top, program.bottom)
        wrong = np.flatnonzero(values.kinds == Kind.ERROR)
        if not len(wrong):
            return
        row = program.top + int(wrong[0])
        cause = self.tracer.cause(sheet.name, row, program.column)
        name = cell_name(row, program.column)
        count = f" and {len(wrong) - 1:,} more below" if len(wrong) > 1 else ""
        began = "" if cause.endswith(f"!{name}") else f", which began in {cause}"
        yield Finding(
            "error", sheet.name, name, f"it gives {values[int(wrong[0])]}{began}{count}", "fix it where it begins"
        )

    # -- entries ---------------------------------------------------------------------------------------

    def _entries(self, sheet: Sheet) -> Iterator[Finding]:
        """Cells that hold what their entry rule would not let in."""
        entry = self.book.entry(sheet.name)
        if entry is None or entry.part is None:
            return
        for broken in broken_rules(self.book, sheet, BookDetails(self.book).sheet(sheet.name).validations):
            if broken.why:
                cell, says = area_name(broken.rule.areas[0]), f"its entry rule cannot be evaluated: {broken.why}"
                yield Finding("entry", sheet.name, cell, says, "correct the rule, or take it away")
                continue
            row, column = broken.cells[0]
            value = sheet.value(row, column)
            style = sheet.style(row, column)
            code = self.book.styles.number_format(style) if self.book.styles.is_date(style) else "General"
            shown = f"'{value}'" if isinstance(value, str) else show(value, code, self.book.date_system).text
            count = f", and {len(broken.cells) - 1:,} more cells" if len(broken.cells) > 1 else ""
            says = f"{shown} is not what its entry rule lets in ({broken.rule.words}){count}"
            yield Finding("entry", sheet.name, cell_name(row, column), says, "correct the value, or the rule")

    # -- values ----------------------------------------------------------------------------------------

    def _values(self, sheet: Sheet, number: int, cells: Cells) -> Iterator[Finding]:
        """Texts that look like numbers or days in columns of numbers."""
        plain = cells.formulas == NO_FORMULA
        texts = np.flatnonzero(plain & (cells.kinds == Kind.TEXT))
        numbers = int((cells.kinds == Kind.NUMBER).sum())
        if not len(texts):
            return
        odd = [(int(cells.rows[index]), sheet.texts[int(cells.codes[index])]) for index in texts.tolist()]
        days = [(row, text) for row, text in odd if _DAY.match(text)]
        found = [(row, text) for row, text in odd if not _DAY.match(text) and _spells_number(text)]
        money = sum(number_from_text(text) is None for _, text in found)
        for kind, rows, says in (
            ("day", days, "is a text that looks like a day"),
            ("number", found, "is a text that looks like a number"),
        ):
            # Whole columns of them are meant to be values, too, unless they are bare digits, which may be codes.
            whole = _PATTERN <= len(rows) >= _WHOLE * len(odd) and (kind == "day" or money == len(rows))
            if rows and (0 < numbers >= _MOSTLY * len(rows) or whole):
                row, text = rows[0]
                more = f"; {len(rows) - 1:,} more in this column" if len(rows) > 1 else ""
                do = "make it a value: sums, sorting and lookups pass over it"
                yield Finding(kind, sheet.name, cell_name(row, number), f"'{text}' {says}{more}", do)


def _spells_number(text: str) -> bool:
    """Whether a text spells a number, with either decimal mark and a currency or without."""
    return any(number_in(text, mark) is not None for mark in ".,")


def _long(before: Program, after: Program) -> bool:
    return before.bottom - before.top + after.bottom - after.top + 2 > _PATTERN


def _exact(function: str) -> str:
    last = "FALSE" if function != "MATCH" else "0"
    return f"write {last} as the last argument for an exact match, or state that the nearest is meant"


def _circles(book: Workbook) -> Iterator[Finding]:
    """Cells that depend on themselves, where the workbook does not ask for iteration."""
    try:
        recalculate(book)  # in memory: what was looked at above are the stored results
    except CycleError as error:
        sheet, _, cell = error.path[0].rpartition("!")
        says = f"circular reference: {' -> '.join(error.path[:8])}{' …' if len(error.path) > 8 else ''}"
        yield Finding("circle", sheet.strip("'"), cell, says, "remove the circular reference at one of these cells")


def _names(book: Workbook, scope: BookScope) -> Iterator[Finding]:
    """Names that stand for nothing that is there."""
    for name in book.names:
        if name.name.startswith("_xlnm."):
            continue
        sheet = name.sheet or (book.sheet_names() or [""])[0]
        found = scope.name(name.name, name.sheet, Frame(scope, sheet))
        wrong = "#REF!" in name.formula.upper()
        if found is not None and not wrong:
            operand = (
                found
                if isinstance(found, Scalar | Lanes | Grid | Span | Areas | Closure)
                else evaluate(found, Frame(scope, sheet))
            )
            wrong = isinstance(operand, Scalar) and operand.value in (CellError.REF, CellError.NAME)
        if found is None or wrong:
            says = f"the name {name.shown} stands for ={name.formula}, which does not exist"
            yield Finding("name", name.sheet or "", name.shown, says, "correct it, or delete it")
