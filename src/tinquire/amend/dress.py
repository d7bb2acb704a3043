"""How sheets are dressed, amended: each part of the dress is one function that says what it changed."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import partial
from itertools import pairwise
from typing import TypeVar

import numpy as np

from tinquire.amend.changes import Change, NotThereError
from tinquire.amend.look_schema import LookChange
from tinquire.amend.schema import Amendment
from tinquire.amend.targets import matching_sheets
from tinquire.base.faults import UseError
from tinquire.base.wording import counted, known_names
from tinquire.cells.address import Area, column_name, column_number, parse_area, parse_cell
from tinquire.cells.column import Column, Kind
from tinquire.cells.display import show_column
from tinquire.formula.language.mentions import mentions
from tinquire.layout.entry_rules import EntryPlan, entry_rules_over
from tinquire.layout.marks import MarkPlan, marks_over
from tinquire.layout.pages import page_setup
from tinquire.layout.plans import SheetPlan
from tinquire.looks import Edges, House, Look, Variation
from tinquire.looks.house import BorderRule
from tinquire.looks.pages import PagePlan
from tinquire.looks.widths import fitting_width, widest_values
from tinquire.sources.readers.headings import RowsBelow, rows_by_value, under_heading
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.edit import sheet_dress as edits
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.inspect.contents import BookDetails

__all__ = ["dressed"]

_Made = TypeVar("_Made")
_HEADING = re.compile(r"\[([^\[\]@#]+)\]")


def dressed(book: Workbook, amendment: Amendment) -> Iterator[Change]:
    """Change how sheets are dressed. Raises NotThereError for what is not there, or cannot be done."""
    names = matching_sheets(book, amendment.sheet)
    if amendment.table is not None:
        known = book.tables()
        if amendment.table.casefold() not in known:
            told = known_names(amendment.table, [table.name for _, table in known.values()])
            raise NotThereError(f"it has no table '{amendment.table}': {told}")
        names = [known[amendment.table.casefold()][0]]
    if amendment.sheet is None and amendment.table is None and len(names) > 1:
        raise NotThereError(f"it has {len(names)} sheets, and the amendment does not say which: sheet = '{names[0]}'")
    for name in names:
        dress = _Dress(book, name, amendment)
        for key in amendment.dress():
            for old, new in _PARTS[key](dress):
                yield Change(name, "", old, new)


@dataclass
class _Dress:
    """A sheet while its dress is changed."""

    book: Workbook
    name: str
    amendment: Amendment
    _below: RowsBelow | None = field(default=None, init=False)

    @property
    def sheet(self) -> Sheet:
        return self.book.sheet(self.name)

    @property
    def stopped(self) -> str:
        return f"sheet '{self.name}'"

    def below(self) -> RowsBelow:
        """The rows that the amendment speaks of: a table's, or those below its headings. Raises NotThereError."""
        if self._below is None:
            self._below = self._found()
        return self._below

    def _found(self) -> RowsBelow:
        amendment, sheet = self.amendment, self.sheet
        if amendment.table is not None:
            table = next(one for one in sheet.tables if one.name.casefold() == amendment.table.casefold())
            rows = tuple(range(table.data.top, min(table.data.bottom, sheet.extent()[0]) + 1))
            columns = tuple(range(table.area.left, table.area.right + 1))
            return RowsBelow(tuple(column.name for column in table.columns), columns, rows, table)
        wanted = [*([amendment.heading] if amendment.heading is not None else []), *self._mentioned()]
        if not wanted:
            if len(sheet.tables) == 1 and sheet.tables[0].headings:
                wanted = [sheet.tables[0].columns[0].name]
            else:
                raise NotThereError("it does not say which rows: add table, or heading, one of their headings")
        for heading in wanted:
            below = under_heading(self.book, sheet, heading)
            if below is not None and below.column(heading) is not None:
                return below
        known = [] if below is None else list(below.headings)
        raise NotThereError(f"{self.stopped} has no heading '{wanted[0]}': {known_names(wanted[0], known)}")

    def _mentioned(self) -> Iterator[str]:
        """Headings that the amendment names."""
        amendment = self.amendment
        for mark in amendment.marks:
            yield from mark.on
            yield from _HEADING.findall(mark.where or "")
        for entry in amendment.entries:
            yield from entry.on
        yield from (heading.lstrip("-") for heading in amendment.sort)
        if amendment.outline is not None and amendment.outline.by is not None:
            yield amendment.outline.by

    def area(self) -> Area:
        """The cells of the rows, without headings. Raises NotThereError for rows of a part only."""
        below = self.below()
        if not below.rows:
            raise NotThereError(f"{self.stopped} has no rows below its headings")
        return Area(below.rows[0], min(below.columns), below.rows[-1], max(below.columns))

    def headings(self) -> list[str]:
        """The heading of each column of the area, '' for columns without one."""
        below, area = self.below(), self.area()
        known = dict(zip(below.columns, below.headings, strict=True))
        return [known.get(column, "") for column in range(area.left, area.right + 1)]

    def column(self, word: str) -> int:
        """A column by its heading, or by its letters. Raises NotThereError."""
        below = under_heading(self.book, self.sheet, word)
        found = None if below is None else below.column(word)
        if found is None and re.fullmatch(r"[A-Za-z]{1,3}", word):
            return column_number(word)
        if found is None:
            known = [] if below is None else list(below.headings)
            raise NotThereError(f"{self.stopped} has no column '{word}': {known_names(word, known)}")
        return found


_Said = Iterator[tuple[str, str]]


# -- rules -----------------------------------------------------------------------------------------------


def _marks(dress: _Dress) -> _Said:
    looks = {
        f"mark {number}": _as_look(mark.look)
        for number, mark in enumerate(dress.amendment.marks, start=1)
        if mark.look is not None
    }
    marks: list[Mark] = []
    for number, mark in enumerate(dress.amendment.marks, start=1):
        given = {**mark.model_dump(exclude={"at"}), "look": None if mark.look is None else f"mark {number}"}
        marks += _made(partial(_over, dress, mark.at, MarkPlan(**given), House(looks=looks), number - 1))
    edits.add_marks(dress.book, dress.name, marks)
    for made in marks:
        yield "", f"mark: {made.words}"


def _over(dress: _Dress, at: str | None, plan: MarkPlan, house: House, after: int) -> list[Mark]:
    """A mark over the rows, or over an area of its own."""
    if at is None:
        return marks_over([plan], dress.headings(), [dress.area()], house, dress.book.styles, dress.stopped, after)
    area = _area(at)
    # In an area without headings, columns are known by their letters.
    letters = [column_name(column) for column in range(area.left, area.right + 1)]
    on = plan.on or ([] if plan.where is not None else letters)
    return marks_over([replace(plan, on=on)], letters, [area], house, dress.book.styles, dress.stopped, after)


def _area(text: str) -> Area:
    """An area as it is written. Raises NotThereError."""
    try:
        return parse_area(text)
    except ValueError:
        raise NotThereError(f"'{text}' is no area: write it like B2:B9") from None


def _as_look(change: LookChange) -> Look:
    return Look(**change.parts())  # type: ignore[arg-type]


def _entries(dress: _Dress) -> _Said:
    rules: list[EntryRule] = []
    for entry in dress.amendment.entries:
        plan = EntryPlan(**entry.model_dump(exclude={"at"}))
        area = dress.area() if entry.at is None else _area(entry.at)
        headings = dress.headings() if entry.at is None else []
        rules += _made(partial(entry_rules_over, [plan], headings, [area], dress.stopped))
    known = [area for rule in BookDetails(dress.book).sheet(dress.name).validations for area in rule.areas]
    for rule in rules:
        if any(_meet(one, other) for one in rule.areas for other in known):
            raise NotThereError(f"{dress.stopped} has an entry rule for these cells already")
    edits.add_entry_rules(dress.book, dress.name, rules)
    for rule in rules:
        yield "", f"entry rule: {rule.words}"


def _made(make: Callable[[], _Made]) -> _Made:
    """What is made. A column that is missing, or a formula that cannot be read, is a NotThereError here."""
    try:
        return make()
    except UseError as error:
        raise NotThereError("; ".join(fault.why for fault in error.faults)) from None


def _meet(one: Area, other: Area) -> bool:
    return one.top <= other.bottom and other.top <= one.bottom and one.left <= other.right and other.left <= one.right


# -- columns, panes, filter ------------------------------------------------------------------------------


def _widths(dress: _Dress) -> _Said:
    for word, width in dress.amendment.widths.items():
        number, sheet = dress.column(word), dress.sheet
        before = sheet.widths.get(number)
        fresh = _fitted(dress, number) if isinstance(width, str) else float(width)
        if before is None or abs(before - fresh) > 1e-6:
            sheet.widths[number] = fresh
            old = "usual width" if before is None else f"width {before:.4g}"
            yield f"column {column_name(number)}: {old}", f"width {fresh:.4g}"


def _fitted(dress: _Dress, number: int) -> float:
    """The width that a column's cells need."""
    sheet, styles = dress.sheet, dress.book.styles
    last = sheet.extent()[0]
    cells, look = sheet.column(number, 1, last), sheet.styles(number, 1, last)
    texts: set[str] = set()
    for style in np.unique(look).tolist():
        shown = widest_values(cells.take(look == style))
        texts.update(show_column(shown, styles.number_format(style), dress.book.date_system))
    return fitting_width(text for text in texts if text)


def _hide_columns(dress: _Dress) -> _Said:
    columns = [dress.column(word) for word in dress.amendment.hide_columns]
    fresh = [number for number in columns if number not in dress.sheet.hidden_columns]
    if fresh:
        edits.hide_columns(dress.book, dress.name, fresh)
        yield "", f"column{'s' * (len(fresh) > 1)} {', '.join(map(column_name, fresh))} hidden"


def _freeze(dress: _Dress) -> _Said:
    asked = dress.amendment.freeze or "A1"
    if asked == "headings" or asked.startswith("["):
        last = 0 if asked == "headings" else dress.column(asked.strip("[]"))
        before, now = dress.sheet.frozen, (dress.area().top - 1, last)
    else:
        row, column = parse_cell(asked)
        before, now = dress.sheet.frozen, (row - 1, column - 1)
    if before != now:
        edits.set_frozen(dress.book, dress.name, *now)
        yield f"frozen {_lines(before)}", f"frozen {_lines(now)}"


def _lines(frozen: tuple[int, int]) -> str:
    return f"{counted(frozen[0], 'row')}, {counted(frozen[1], 'column')}"


def _filter(dress: _Dress) -> _Said:
    below, wanted = dress.below(), bool(dress.amendment.filter)
    if below.table is not None:
        if below.table.filter == wanted:
            return
        edits.set_table_filter(dress.book, below.table.name, wanted)
    else:
        top = dress.area().top - 1
        area = dress.area()._replace(top=top) if wanted else None
        edits.set_filter(dress.book, dress.name, area)
    yield "", "filter buttons in the heading" if wanted else "no filter buttons"


def _zoom(dress: _Dress) -> _Said:
    edits.set_view(dress.book, dress.name, zoom=dress.amendment.zoom)
    yield "", f"zoom {dress.amendment.zoom} %"


def _grid_lines(dress: _Dress) -> _Said:
    wanted = bool(dress.amendment.grid_lines)
    if dress.sheet.gridlines != wanted:
        edits.set_view(dress.book, dress.name, grid_lines=wanted)
        yield "", "the grid is shown" if wanted else "the grid is not shown"


def _tab(dress: _Dress) -> _Said:
    edits.set_tab(dress.book, dress.name, dress.amendment.tab or "")
    yield "", f"tab #{dress.amendment.tab}"


def _protect(dress: _Dress) -> _Said:
    wanted = bool(dress.amendment.protect)
    if BookDetails(dress.book).sheet(dress.name).protected != wanted:
        edits.set_protected(dress.book, dress.name, wanted)
        yield "", "protected" if wanted else "not protected"


# -- rows ------------------------------------------------------------------------------------------------


def _outline(dress: _Dress) -> _Said:
    asked = dress.amendment.outline
    assert asked is not None
    if asked.columns:
        areas = [parse_area(text if ":" in text else f"{text}:{text}") for text in asked.columns]
        columns = [column for area in areas for column in range(area.left, area.right + 1)]
        edits.group_columns(dress.book, dress.name, columns, collapsed=asked.collapsed)
        yield "", f"columns {', '.join(asked.columns)} grouped"
    runs = [(int(first), int(last)) for first, last in (text.split(":") for text in asked.rows)]
    if asked.by is not None:
        runs = _runs_by(dress, asked.by)
    if runs:
        edits.group_rows(dress.book, dress.name, runs, collapsed=asked.collapsed)
        yield "", f"rows in {counted(len(runs), 'group')}"


def _runs_by(dress: _Dress, heading: str) -> list[tuple[int, int]]:
    """Runs of rows with one value under a heading, with a row of another kind after each. Raises NotThereError."""
    groups = rows_by_value(dress.book, heading, dress.name)
    runs: list[tuple[int, int]] = []
    for rows in groups.rows.values():
        for row in rows:
            if runs and runs[-1][1] == row - 1 and row in rows and runs[-1][0] in rows:
                runs[-1] = (runs[-1][0], row)
            else:
                runs.append((row, row))
    runs.sort()
    for (_, last), (first, _) in pairwise(runs):
        if first == last + 1:
            why = f"rows {last} and {first} belong to two groups, and no row of totals stands between them"
            raise NotThereError(f"{dress.stopped}: {why}")
    return runs


def _sort(dress: _Dress) -> _Said:
    area, sheet = dress.area(), dress.sheet
    below = dress.below()
    if len(below.rows) != area.height:
        raise NotThereError(f"{dress.stopped} has rows among the data that are none of it, so they cannot be sorted")
    keys = []
    for word in reversed(dress.amendment.sort):
        column = below.column(word.removeprefix("-"))
        if column is None:
            told = known_names(word.removeprefix("-"), below.headings)
            raise NotThereError(f"{dress.stopped} has no heading '{word.removeprefix('-')}': {told}")
        groups, _ = sheet.column(column, area.top, area.bottom).groups()
        keys.append(-groups if word.startswith("-") else groups)
    order = np.lexsort(keys)
    if np.array_equal(order, np.arange(area.height)):
        return
    for column in range(area.left, area.right + 1):
        _require_movable(dress, column, area)
    for column in range(area.left, area.right + 1):
        _reorder(sheet, column, area, order)
    dress.book.mark_stale()
    yield "", f"{counted(area.height, 'row')} sorted by {', '.join(dress.amendment.sort)}"


def _require_movable(dress: _Dress, column: int, area: Area) -> None:
    """Raises NotThereError for a column whose formulas are not the same in every row, or read other rows."""
    sheet = dress.sheet
    runs = [run for run in sheet.formula_runs() if run[0] == column and run[1] <= area.bottom and run[2] >= area.top]
    if not runs:
        return
    filled = sum(min(last, area.bottom) - max(first, area.top) + 1 for _, first, last, _ in runs)
    texts = {text_at(formula, area.top, column) for _, _, _, formula in runs}
    formula = runs[0][3]
    text = text_at(formula, area.top, column)
    beside = any(
        mention.area is not None
        and not mention.sheets
        and any("$" not in corner[2] and int(corner[3] or area.top) != area.top for corner in mention.corners)
        for mention in mentions(text)
    )
    if filled != area.height or len(texts) > 1 or beside or formula.array is not None:
        why = f"column {column_name(column)} has formulas that are not the same in every row, or read other rows"
        raise NotThereError(f"{dress.stopped}: {why}, so its rows cannot be sorted")


def _reorder(sheet: Sheet, column: int, area: Area, order: np.ndarray) -> None:
    """Put the values and looks of a column's cells into another order; formulas stay, for they read their own row."""
    rows = np.arange(area.top, area.bottom + 1, dtype=np.int32)
    cells = sheet.rows_of(column, rows)
    values = Column(cells.kinds, cells.numbers, cells.codes, sheet.texts).take(order)
    if (cells.formulas != NO_FORMULA).any():
        sheet.store(area.top, column, values)
    elif (cells.kinds != Kind.BLANK).any() or cells.styles.any():
        sheet.put(area.top, column, values, cells.styles[order])


def _borders(dress: _Dress) -> _Said:
    asked, area, sheet = dress.amendment.borders, dress.area(), dress.sheet
    assert asked is not None
    if asked.headings:
        area = area._replace(top=area.top - 1)
    house = House()
    rule = BorderRule(*(house.edge(text) for text in (asked.outside, asked.between_rows, asked.between_columns)))
    changed = 0
    known: dict[tuple[int, Edges], int] = {}
    for column in range(area.left, area.right + 1):
        before = sheet.styles(column, area.top, area.bottom)
        fresh = before.copy()
        for place in range(area.height):
            edges = rule.edges(
                first_row=place == 0, last_row=place == area.height - 1, first_column=column == area.left,
                last_column=column == area.right,
            )  # fmt: skip
            key = (int(before[place]), edges)
            if key not in known:
                known[key] = dress.book.styles.vary(key[0], Variation(edges=edges))
            fresh[place] = known[key]
        if not np.array_equal(before, fresh):
            sheet.dress(area.top, column, fresh, area.height)
            changed += int((before != fresh).sum())
    if changed:
        yield "", f"lines around and between {counted(area.height, 'row')}"


# -- pages -----------------------------------------------------------------------------------------------


def _page(dress: _Dress) -> _Said:
    asked = dress.amendment.page
    assert asked is not None
    given = asked.model_dump(exclude={"repeat_rows", "repeat_columns", "area", "breaks"})
    before = BookDetails(dress.book).sheet(dress.name).page
    plan = SheetPlan(name=dress.name, page=PagePlan(**given))
    setup = _made(lambda: page_setup(plan, asked.breaks, before))
    if setup != before:
        edits.set_pages(dress.book, dress.name, setup)
        yield "", f"pages: {', '.join(name for name in asked.model_dump(exclude_none=True, exclude_defaults=True))}"
    titles = {"rows": _fixed(asked.repeat_rows), "columns": _fixed(asked.repeat_columns)}
    lines = {name: text for name, text in titles.items() if text}
    area = None if asked.area is None else parse_area(asked.area)
    edits.set_print_lines(dress.book, dress.name, lines, area)
    for name, text in lines.items():
        yield "", f"{name} {text.replace('$', '')} on every page"
    if area is not None:
        yield "", f"prints {asked.area}"


def _fixed(lines: str | None) -> str:
    """Rows or columns with dollar signs: `$3:$4`."""
    if lines is None:
        return ""
    first, _, last = lines.partition(":")
    return f"${first.upper()}:${(last or first).upper()}"


_PARTS: Mapping[str, Callable[[_Dress], _Said]] = {
    "marks": _marks, "entries": _entries, "widths": _widths, "hide_columns": _hide_columns, "freeze": _freeze,
    "filter": _filter, "outline": _outline, "sort": _sort, "borders": _borders, "page": _page, "zoom": _zoom,
    "grid_lines": _grid_lines, "tab": _tab, "protect": _protect,
}  # fmt: skip
