"""What differs between two workbooks: sheets, rows and columns, cells, names, tables, structure."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from tinquire.cells.address import Area, area_name, cell_name, column_name, parse_cell
from tinquire.cells.column import Column, Kind
from tinquire.cells.display import general, show, show_column
from tinquire.cells.total_words import is_total_label
from tinquire.cells.values import CellError, Value
from tinquire.looks import Appearance
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.grid.room import require_filled_lines
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.grid.sheet_entries import SheetEntry
from tinquire.workbook.inspect.align import Alignment, align
from tinquire.workbook.inspect.contents import BookDetails, SheetDetails
from tinquire.workbook.inspect.keyed_tables import Keyed, match_keyed
from tinquire.workbook.inspect.moved_references import MovedReferences
from tinquire.workbook.parts.charts import ChartOnSheet, SeriesCells
from tinquire.workbook.parts.defined_names import DefinedName
from tinquire.workbook.workbook import Workbook

__all__ = ["CellDifference", "Comparison", "SheetComparison", "compare", "line_list"]

#: Numbers closer than this part of their size are one number: programs differ in the last bits.
CLOSE = 1e-12
#: A sheet under another name has at least this part of its rows in common.
_RENAMED = 0.7
#: Shares below this are written with more digits, so that none of them reads as nothing.
_SMALL = 0.0005


@dataclass(frozen=True, slots=True)
class CellDifference:
    """One cell: `kind` is 'value' (entered), 'result' (of a formula), 'formula' or 'look'; its
    place now and before, what was and what is."""

    kind: str
    cell: str
    before: str
    was: str
    now: str
    #: What the cell is called by its row's key and its heading, and by how much and what part a number moved.
    called: str = ""
    moved: float | None = None
    share: float | None = None
    #: A figure beside its name, or a total.
    headline: bool = False

    @property
    def spelled_move(self) -> tuple[str, str]:
        """By how much a number moved, and by how many per cent; empty where there is none."""
        by = "" if self.moved is None else f"{self.moved:+,.2f}".removesuffix(".00")
        if self.moved is not None and abs(self.moved) < 0.01:
            by = f"{self.moved:+.6f}"
        if self.share is None:
            return by, ""
        return by, f"{self.share:+.1%}" if abs(self.share) >= _SMALL else f"{self.share:+.3%}"


@dataclass
class SheetComparison:
    """The differences of a sheet that both workbooks have. Rows and columns without partner are listed, not their
    cells."""

    name: str
    alignment: Alignment
    cells: list[CellDifference] = field(default_factory=list)
    structure: list[str] = field(default_factory=list)
    #: The rows inserted and removed, as displayed.
    inserted_rows: dict[int, list[str]] = field(default_factory=dict)
    removed_rows: dict[int, list[str]] = field(default_factory=dict)

    @property
    def same(self) -> bool:
        one = self.alignment
        return not (self.cells or self.structure or one.old_rows or one.new_rows or one.old_columns or one.new_columns)

    def count(self, kind: str) -> int:
        return sum(cell.kind == kind for cell in self.cells)


@dataclass
class Comparison:
    """All differences of two workbooks."""

    sheets: list[SheetComparison] = field(default_factory=list)
    inserted: list[str] = field(default_factory=list)
    removed: list[str] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    structure: list[str] = field(default_factory=list)

    @property
    def same(self) -> bool:
        return not (self.inserted or self.removed or self.names or self.structure) and all(
            sheet.same for sheet in self.sheets
        )


def compare(old: Workbook, new: Workbook, *, looks: bool = True, key: Sequence[str] = ()) -> Comparison:
    """Compare two workbooks, sheets by name. Formulas that only moved along with rows or columns are the same. The rows
    of sheets that are tables are paired by a key that is found, or by the headings of `key` where a sheet has them.

    Raises DataError for a sheet of which nearly all is empty: its lines could not be held against each other.
    """
    result = Comparison()
    both = [(name, entry.name) for name in old.sheet_names() if (entry := _worksheet(new, name)) is not None]
    for book in (old, new):
        for name in book.sheet_names():
            require_filled_lines(book.sheet(name), "comparing sheets", book.name)
    gone = [name for name in old.sheet_names() if name not in {item for item, _ in both}]
    inserted = [name for name in new.sheet_names() if name not in {other for _, other in both}]
    renamed = list(_find_renamed(old, new, gone, inserted))
    both += renamed
    result.removed = [name for name in gone if name not in {item for item, _ in renamed}]
    result.inserted = [name for name in inserted if name not in {other for _, other in renamed}]
    tables = {name: _by_key(old.sheet(name), new.sheet(other), key) for name, other in both}
    alignments = {name: align(old.sheet(name), new.sheet(other), tables[name]) for name, other in both}
    carrier = MovedReferences(alignments, renamed)
    for name, other in both:
        pair = _SheetPair(old, new, (name, other), alignments[name], carrier, tables[name])
        result.sheets.append(pair.compared(looks=looks))
    result.names = list(_names(old, new, carrier, dict(renamed)))
    result.structure = list(_book_structure(old, new, both))
    return result


def _by_key(old: Sheet, new: Sheet, key: Sequence[str]) -> Keyed | None:
    return (match_keyed(old, new, key) if key else None) or match_keyed(old, new)


def _worksheet(book: Workbook, name: str) -> SheetEntry | None:
    entry = book.entry(name)
    return entry if entry is not None and entry.kind == "worksheet" else None


def _find_renamed(
    old: Workbook, new: Workbook, gone: Sequence[str], inserted: Sequence[str]
) -> Iterator[tuple[str, str]]:
    """Sheets that are gone and present under another name: most of their rows are paired."""
    left = list(inserted)
    for name in gone:
        before = old.sheet(name)
        for other in left:
            one = align(before, new.sheet(other))
            most = max(len(one.rows) + len(one.old_rows), len(one.rows) + len(one.new_rows))
            if one.columns and most and len(one.rows) >= _RENAMED * most:
                left.remove(other)
                yield name, other
                break


def _other_texts(one: Column, two: Column) -> np.ndarray:
    """Which texts of two columns are not the same: each pair is compared once."""
    pairs, places = np.unique(np.stack([one.codes, two.codes]), axis=1, return_inverse=True)
    differ = [one.texts[a] != two.texts[b] for a, b in pairs.T.tolist()]
    return np.array(differ, bool)[places.reshape(-1)] if differ else np.zeros(0, bool)


def _shown_rows(book: Workbook, sheet: Sheet, rows: Sequence[int]) -> dict[int, list[str]]:
    """What the cells of some rows show, from the first column to the last that holds anything."""
    used = sheet.used
    last = used.right if used is not None else 0
    at = np.array(rows, np.int32)
    columns: list[list[str]] = []
    for number in range(1, last + 1):
        cells = sheet.rows_of(number, at)
        values = Column(cells.kinds, cells.numbers, cells.codes, sheet.texts)
        texts = np.full(len(at), "", object)
        for style in np.unique(cells.styles).tolist():
            chosen = cells.styles == style
            shown = show_column(values.take(chosen), book.styles.number_format(style), book.date_system)
            texts[chosen] = shown
        columns.append(texts.tolist())
    return dict(zip(rows, map(list, zip(*columns, strict=True)), strict=True)) if columns else {row: [] for row in rows}


class _SheetPair:
    """Two versions of one sheet while they are compared."""

    def __init__(
        self, old: Workbook, new: Workbook, pair: tuple[str, str], alignment: Alignment, carrier: MovedReferences,
        table: Keyed | None,
    ) -> None:  # fmt: skip
        self.old, self.new = old, new
        self.before, self.after = old.sheet(pair[0]), new.sheet(pair[1])
        self.alignment = alignment
        self.carrier = carrier
        self.table = table
        self.result = SheetComparison(pair[1], alignment)
        self._looks: dict[tuple[int, int], list[tuple[str, str]]] = {}

    def compared(self, *, looks: bool) -> SheetComparison:
        rows = np.array(self.alignment.rows, np.int64).reshape(-1, 2)
        for a, b in self.alignment.columns:
            if len(rows):
                self._column(a, b, rows, looks=looks)
        self.result.cells.sort(key=_by_place)
        self.result.inserted_rows = _shown_rows(self.new, self.after, self.alignment.new_rows)
        self.result.removed_rows = _shown_rows(self.old, self.before, self.alignment.old_rows)
        self.result.structure = list(self._structure())
        return self.result

    def _column(self, a: int, b: int, rows: np.ndarray, *, looks: bool) -> None:
        left = self.before.rows_of(a, rows[:, 0].astype(np.int32))
        right = self.after.rows_of(b, rows[:, 1].astype(np.int32))
        one = Column(left.kinds, left.numbers, left.codes, self.before.texts)
        two = Column(right.kinds, right.numbers, right.codes, self.after.texts)
        has_a, has_b = left.formulas != NO_FORMULA, right.formulas != NO_FORMULA
        differs = (one.kinds != two.kinds) | (
            np.abs(one.numbers - two.numbers) > CLOSE * np.maximum(1, np.abs(one.numbers))
        )
        texts = (one.kinds == Kind.TEXT) & (two.kinds == Kind.TEXT)
        differs[texts] |= _other_texts(one.take(texts), two.take(texts))
        for index in np.flatnonzero(differs).tolist():
            row_a, row_b = rows[index].tolist()
            was = self._shown(self.old, self.before, row_a, a, one[index])
            now = self._shown(self.new, self.after, row_b, b, two[index])
            if was == now:  # the difference is smaller than what is displayed
                was, now = (f"{was} ({more})" for more in _told_apart(one[index], two[index]))
            kind = "result" if has_a[index] and has_b[index] else "value"
            self._note(kind, row_a, a, row_b, b, was, now, _movement(one[index], two[index]))
        for index in np.flatnonzero(has_a | has_b).tolist():
            row_a, row_b = rows[index].tolist()
            self._formula(row_a, row_b, a, b)
        if looks:
            for index, pair in enumerate(zip(left.styles.tolist(), right.styles.tolist(), strict=True)):
                if pair != (0, 0) and (said := self._look(*pair)):
                    row_a, row_b = rows[index].tolist()
                    was, now = (", ".join(part) for part in zip(*said, strict=True))
                    self._note("look", row_a, a, row_b, b, was, now)

    def _note(
        self, kind: str, row_a: int, a: int, row_b: int, b: int, was: str, now: str,
        moved: tuple[float | None, float | None] = (None, None),
    ) -> None:  # fmt: skip
        called = self._called(row_b, b)
        is_headline = moved[0] is not None and bool(called) and (self._is_figure(row_b) or self._is_total(row_b))
        difference = CellDifference(
            kind, cell_name(row_b, b), cell_name(row_a, a), was, now, called, *moved, headline=is_headline
        )
        self.result.cells.append(difference)

    def _is_total(self, row: int) -> bool:
        assert self.table is not None
        labels = [self.after.value(row, b) for _, b in self.table.key]
        return any(
            is_total_label(label) or (isinstance(label, str) and label.casefold().startswith("all "))
            for label in labels
        )

    def _is_figure(self, row: int) -> bool:
        """Whether a row stands in no table, but in a panel of names and values."""
        return self.table is None or row <= self.table.new_heading

    def _called(self, row: int, column: int) -> str:
        """A cell by its row's key and its heading; without these by the text to its left."""
        if self.table is None or self._is_figure(row):
            beside = next((text for c in range(column - 1, max(column - 6, 0), -1)
                           if isinstance(text := self.after.value(row, c), str) and text.strip()), "")  # fmt: skip
            return str(beside)
        names = [self._shown(self.new, self.after, row, b, self.after.value(row, b)) for _, b in self.table.key]
        return ", ".join(filter(None, (" ".join(filter(None, names)), self.table.headings.get(column, ""))))

    def _formula(self, row_a: int, row_b: int, a: int, b: int) -> None:
        one, two = self.before.formula(row_a, a), self.after.formula(row_b, b)
        was = "" if one is None else text_at(one, row_a, a)
        now = "" if two is None else text_at(two, row_b, b)
        if was == now or (one is not None and two is not None and self.carrier.formula(was, self.before.name) == now):
            return
        self._note("formula", row_a, a, row_b, b, f"={was}" if one else "a value", f"={now}" if two else "a value")

    def _shown(self, book: Workbook, sheet: Sheet, row: int, column: int, value: Value) -> str:
        if value is None:
            return ""
        return show(value, book.styles.number_format(sheet.style(row, column)), book.date_system).text

    def _look(self, a: int, b: int) -> list[tuple[str, str]]:
        """The parts of a look that differ, before and now."""
        if (a, b) not in self._looks:
            self._looks[a, b] = list(_look_parts(self.old.styles.appearance(a), self.new.styles.appearance(b)))
        return self._looks[a, b]

    def _carried(self, details: SheetDetails) -> list[tuple[object, ...]]:
        """The charts of the old sheet, with formulas as they should read now."""
        carried = self.carrier.formula
        return [
            _chart_content(replace(chart, cells=tuple(
                SeriesCells(*(carried(text, details.name) for text in (drawn.name, drawn.labels, drawn.values)))
                for drawn in chart.cells
            )))
            for chart in details.charts
        ]  # fmt: skip

    # -- structure -------------------------------------------------------------------------------------

    def _structure(self) -> Iterator[str]:
        one, two = self.before, self.after
        if one.name != two.name:
            yield f"its name was '{one.name}'"
        if one.state != two.state:
            yield f"it was {one.state}, and is {two.state}"
        if one.frozen != two.frozen:
            was, now = (" and ".join(map(str, sheet.frozen)) for sheet in (one, two))
            yield f"frozen rows and columns were {was}, and are {now}"
        merged = {self.carrier.area(area, one.name): area for area in one.merged}
        for area in sorted(set(two.merged) - set(merged)):
            yield f"{area_name(area)} is merged now"
        for area in sorted(merged[key] for key in set(merged) - set(two.merged)):
            yield f"{area_name(area)} is no longer merged (its place before)"
        known = {table.name.casefold(): table for table in one.tables}
        for table in two.tables:
            before = known.pop(table.name.casefold(), None)
            if before is None:
                yield f"table '{table.name}' in {area_name(table.area)} is new"
                continue
            had, has = [c.name for c in before.columns], [c.name for c in table.columns]
            if had != has:
                lost, fresh = [n for n in had if n not in has], [n for n in has if n not in had]
                said = [f"without {', '.join(lost)}"] * bool(lost) + [f"with {', '.join(fresh)}"] * bool(fresh)
                yield f"table '{table.name}': {'; '.join(said) or 'its columns are in another order'}"
            if table.area != self.carrier.area(before.area, one.name):
                yield f"table '{table.name}' was {area_name(before.area)}, and is {area_name(table.area)}"
        for lost_table in known.values():
            yield f"table '{lost_table.name}' was removed"
        yield from self._beside()

    def _beside(self) -> Iterator[str]:
        """Counts of what stands beside cells."""
        try:
            one = BookDetails(self.old).sheet(self.before.name)
            two = BookDetails(self.new).sheet(self.after.name)
        except KeyError:
            return
        parts = ("validations", "marks", "links", "comments", "charts", "pictures", "pivots")
        words = ("entry rules", "marks", "links", "comments", "charts", "pictures", "pivots")
        for part, word in zip(parts, words, strict=True):
            before, now = len(getattr(one, part)), len(getattr(two, part))
            if before != now:
                yield f"{word}: {before} before, {now} now"
        if (
            len(one.charts) == len(two.charts)
            and one.charts != ()
            and self._carried(one) != list(map(_chart_content, two.charts))
        ):
            yield "charts show other cells or kinds"
        if self._carried_page(one.page) != two.page:
            yield "the page set-up differs"
        if one.protected != two.protected:
            yield "it is protected now" if two.protected else "it is no longer protected"

    def _carried_page(self, page: PageSetup) -> PageSetup:
        """A page set-up whose breaks have gone with the lines that they stand before."""
        home = self.before.name
        rows = (self.carrier.area(Area(line + 1, 1, line + 1, 1), home) for line in page.row_breaks)
        columns = (self.carrier.area(Area(1, line + 1, 1, line + 1), home) for line in page.column_breaks)
        return replace(
            page,
            row_breaks=tuple(sorted({area.top - 1 for area in rows if area is not None})),
            column_breaks=tuple(sorted({area.left - 1 for area in columns if area is not None})),
        )


def _chart_content(chart: ChartOnSheet) -> tuple[object, ...]:
    """What a chart shows, wherever it stands."""
    return chart.kinds, chart.title, chart.cells


_KIND_WORDS = {float: "number", str: "text", bool: "yes/no", CellError: "error", type(None): "blank"}


def _told_apart(one: Value, two: Value) -> tuple[str, str]:
    """Two values that are displayed alike: numbers with as many digits as tell them apart, others by their kind."""
    if isinstance(one, float) and isinstance(two, float):
        for digits in range(4, 18):
            texts = general(one, digits), general(two, digits)
            if texts[0] != texts[1]:
                return texts
    return _KIND_WORDS[type(one)], _KIND_WORDS[type(two)]


def _look_parts(one: Appearance, two: Appearance) -> Iterator[tuple[str, str]]:
    """Parts that differ, with what each was and is."""
    for name in ("format", "font", "size", "bold", "italic", "underline", "strike", "colour", "fill", "align", "valign",
                 "wrap", "indent"):  # fmt: skip
        before, now = getattr(one, name), getattr(two, name)
        if before != now:
            yield f"{name} {_said(before)}", f"{name} {_said(now)}"
    if one.edges != two.edges:
        yield "other borders", "other borders"


def _said(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, float) else "none" if value in (None, "") else str(value)


def _by_place(difference: CellDifference) -> tuple[int, int, str]:
    row, column = parse_cell(difference.cell)
    return row, column, difference.kind


def _movement(before: Value, after: Value) -> tuple[float | None, float | None]:
    """By how much a number moved, and what part of what it was that is."""
    if not isinstance(before, float) or not isinstance(after, float) or isinstance(before, bool):
        return None, None
    return after - before, (after - before) / abs(before) if before else None


def _names(old: Workbook, new: Workbook, carrier: MovedReferences, renamed: Mapping[str, str]) -> Iterator[str]:
    """Names that came, went or mean something else; those that only followed their cells are the same."""
    before = {(name.name.casefold(), renamed.get(name.sheet or "", name.sheet)): name for name in old.names}
    now = {(name.name.casefold(), name.sheet): name for name in new.names}
    for key, item in now.items():
        if key not in before:
            yield f"{_cell_label(item)} = {item.formula} is new"
        elif item.formula not in (before[key].formula, carrier.formula(before[key].formula, "")):
            yield f"{_cell_label(item)} was {before[key].formula}, and is {item.formula}"
    for key, item in before.items():
        if key not in now:
            yield f"{_cell_label(item)} = {item.formula} was removed"


def _cell_label(one: DefinedName) -> str:
    return one.shown + (f" (sheet {one.sheet})" if one.sheet else "")


def _book_structure(old: Workbook, new: Workbook, both: list[tuple[str, str]]) -> Iterator[str]:
    now = [entry.name for entry in new.entries if entry.name in {other for _, other in both}]
    order = [dict(both)[entry.name] for entry in old.entries if entry.name in dict(both)]
    before = [entry.name for entry in old.entries if entry.name in dict(both)]
    if now != order:
        yield f"the sheets were in the order {', '.join(before)}, and are in {', '.join(now)}"
    if old.date_system != new.date_system:
        yield "the date systems differ"


def line_list(lines: tuple[int, ...], *, rows: bool = True) -> str:
    """Lines as a person lists them: `12, 40 to 43`."""
    spell = str if rows else column_name
    runs: list[list[int]] = []
    for line in lines:
        if runs and line == runs[-1][1] + 1:
            runs[-1][1] = line
        else:
            runs.append([line, line])
    return ", ".join(spell(a) if a == b else f"{spell(a)} to {spell(b)}" for a, b in runs)
