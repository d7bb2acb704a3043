"""A finished pack explained by its sources: tables, pivots and figures that give what its sheets show."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tinquire.base.wording import counted
from tinquire.cells.address import cell_name, parse_cell
from tinquire.cells.values import CellError, Value
from tinquire.docket.draft import plain_name
from tinquire.formula.language.mentions import mentions
from tinquire.learn.lists import SheetList, seen_list
from tinquire.learn.pack.explained import Explained, Shown, explained
from tinquire.learn.pack.known import Known
from tinquire.learn.pack.pivots import pivot_of
from tinquire.learn.prove import same_formula
from tinquire.learn.rows import literal
from tinquire.learn.rules import Place, entry_words, mark_words
from tinquire.learn.terms import Terms
from tinquire.tables.totals import TOTALS, total_of
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.inspect.contents import BookDetails

__all__ = ["FoundSheet", "PackFound", "explain_pack"]

_CLOSE = 1e-7
_BRACKETS = re.compile(r"\w*\[[^\[\]]*\]")
#: Rows above headings in which a title may stand; single cells that are looked at as figures.
_TITLE_ROWS, _FIGURES = 40, 24
#: Words of a label that speak of an end of the numbers.
_ENDS = {
    "smallest": ("smallest", "lowest", "least", "min"), "largest": ("largest", "highest", "greatest", "max"),
}  # fmt: skip


@dataclass
class FoundSheet:
    """A sheet of the pack: what of the docket it shows, the words for that, and what nothing explains."""

    name: str
    shows: str = ""  # 'table', 'pivot' or 'figures'; nothing where nothing was found
    of: str = ""
    title: str | None = None
    columns: list[str] = field(default_factory=list)
    totals: dict[str, str] = field(default_factory=dict)
    total_label: str | None = None
    formats: dict[str, str] = field(default_factory=dict)
    figures: dict[str, str] = field(default_factory=dict)
    words: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)
    hidden: bool = False
    marks: list[dict[str, Any]] = field(default_factory=list)
    entries: list[dict[str, Any]] = field(default_factory=list)
    #: Whether its cells had formulas where a run can have them, too.
    living: bool = False
    #: The column of which each value has a sheet of its own.
    split: str | None = None
    #: What the docket calls it, where that is not its name.
    called: str | None = None


@dataclass
class PackFound:
    """What a pack is made of: tables by name with their explanation, pivots, figures, and its sheets."""

    tables: dict[str, Explained] = field(default_factory=dict)
    pivots: dict[str, dict[str, Any]] = field(default_factory=dict)
    figures: dict[str, str] = field(default_factory=dict)
    sheets: list[FoundSheet] = field(default_factory=list)
    stamps: dict[str, dict[str, str]] = field(default_factory=dict)
    #: Looks of marks, by the names that these call them by; formats of figures that are not plain numbers.
    looks: dict[str, dict[str, Any]] = field(default_factory=dict)
    kinds: dict[str, str] = field(default_factory=dict)


def explain_pack(book: Workbook, sources: Sequence[Known]) -> PackFound:
    """Explain each worksheet: as rows of the sources first, then as pivots of what was explained, then as figures."""
    return _Pack(book, sources).all()


class _Pack:
    def __init__(self, book: Workbook, sources: Sequence[Known]) -> None:
        self.book, self.sources = book, list(sources)
        self.terms, self.details = Terms(book), BookDetails(book)
        self.found = PackFound()
        self.tables: list[Known] = []
        self.sheets: dict[str, FoundSheet] = {}
        self.names = {source.name for source in sources}

    def all(self) -> PackFound:
        book = self.book
        entries = [entry for entry in book.entries if entry.kind == "worksheet"]
        self.sheets = sheets = {
            entry.name: FoundSheet(entry.name, hidden=entry.state != "visible") for entry in entries
        }
        lists = {name: seen_list(book, name) for name in sheets}
        # The longest lists first: what sums up others is made of them.
        order = sorted(sheets, key=lambda name: -(lists[name].height if lists[name] else 0))  # type: ignore[union-attr]
        # Rows that several columns tell are those of a source; what one column tells may be a summary, too.
        for wanted in (
            lambda found: not found.left and found.told_by > 1,
            lambda found: not found.left,
            lambda found: True,
        ):
            for name in order:
                seen = lists[name]
                if seen is not None and not sheets[name].shows:
                    self._list(sheets[name], seen, wanted)
            for name in order:
                if not sheets[name].shows:
                    self._summary(sheets[name])
        self._merge(sheets)
        for name, sheet in sheets.items():
            if not sheet.shows:
                self._figures(sheet, lists[name])
        for sheet in sheets.values():
            details = self.details.sheet(sheet.name)
            for what, things in (("chart", details.charts), ("picture", details.pictures), ("pivot", details.pivots)):
                if things:
                    sheet.left.append(counted(len(things), what))
        self.found.sheets = list(sheets.values())
        return self.found

    # -- rows ----------------------------------------------------------------------------------------------

    def _list(self, sheet: FoundSheet, seen: SheetList, wanted: Callable[[Explained], bool]) -> None:
        grid = self.book.sheet(sheet.name)
        shown = Shown(seen.values, dict(self._formulas(grid, seen)))
        found = explained(shown, [*self.sources, *self.tables], self.book.date_system)
        if found is None or not wanted(found):
            return
        for name, slot in found.stamps.items():
            self.found.stamps.setdefault(found.base.name, {})[name] = slot
        table = found.base.name
        if found.steps or found.left:
            table = self._free(plain_name(sheet.name) or "rows")
            self.found.tables[table] = found
            types = {**found.base.types, **found.types}
            kept = {name: values for name, values in seen.values.items() if name not in found.left}
            self.tables.append(Known(table, kept, types))
        elif found.base in self.sources:
            self.tables.append(Known(table, seen.values, found.base.types))
        sheet.shows, sheet.of = "table", table
        sheet.columns = [name for name in seen.headings if name not in found.left]
        sheet.words, sheet.left = found.words, found.left
        sheet.title = self._title(grid, seen.head)
        sheet.formats = dict(self._formats(grid, seen))
        for name, code in sheet.formats.items():
            kind = kind_of(code)
            if kind is not None and found.types.get(name, "number") in ("number", "whole", kind):
                found.types[name] = kind
        for step in found.steps:
            if "derive" in step and step["derive"] in found.types:
                step["type"] = found.types[step["derive"]]
        self._totals(sheet, grid, seen)
        self._rules(sheet, seen)
        sheet.living = bool(shown.formulas)

    def _formulas(self, grid: Sheet, seen: SheetList) -> Iterator[tuple[str, str]]:
        for name, column in zip(seen.headings, seen.below.columns, strict=True):
            text = same_formula(grid, column, seen.rows)
            if text is None:
                continue
            said, whole = self.terms.general(text, grid.name, seen.rows[0], seen)
            said = _over_tables(
                said, {sheet.name: sheet.of for sheet in self.sheets.values() if sheet.shows == "table"}
            )
            # A formula that reads other cells is one of the workbook, not of the table.
            if (
                whole
                and "rows[" not in said
                and not any(one.area or one.name for one in mentions(_BRACKETS.sub("", said)))
            ):
                yield name, said

    def _formats(self, grid: Sheet, seen: SheetList) -> Iterator[tuple[str, str]]:
        styles = self.book.styles
        for name, column in zip(seen.headings, seen.below.columns, strict=True):
            code = styles.number_format(grid.style(seen.rows[0], column))
            if code not in ("General", "@"):
                yield name, code

    def _totals(self, sheet: FoundSheet, grid: Sheet, seen: SheetList) -> None:
        """Totals in the row below the last one."""
        row = seen.rows[-1] + 1
        for name, column in zip(seen.headings, seen.below.columns, strict=True):
            value = grid.value(row, column)
            if isinstance(value, str) and sheet.total_label is None:
                sheet.total_label = value
            if not isinstance(value, float):
                continue
            cells = grid.column(column, seen.rows[0], seen.rows[-1])
            kind = next((kind for kind in TOTALS if _is(total_of(kind, cells), value)), None)
            if kind is None:
                sheet.left.append(f"the total of '{name}'")
            else:
                sheet.totals[name] = kind
        if not sheet.totals or sheet.total_label == sheet.name:
            sheet.total_label = None

    def _rules(self, sheet: FoundSheet, seen: SheetList) -> None:
        """Marks and entry rules over the rows."""
        details, place = self.details.sheet(sheet.name), Place(self.book, sheet.name, self.terms)
        missing = 0
        for mark in sorted(details.marks, key=lambda one: one.priority):
            keys = mark_words(place, seen, mark)
            if keys is None or "at" in keys or _names(str(keys.get("where", ""))):
                missing += 1
                continue
            if "look" in keys:
                keys["look"] = self._look(keys["look"])
            sheet.marks.append(keys)
        for rule in details.validations:
            said = entry_words(place, seen, rule)
            if said is None or "at" in said:
                missing += 1
            else:
                sheet.entries.append(said)
        if missing:
            sheet.left.append(counted(missing, "rule"))

    def _look(self, look: dict[str, Any]) -> str:
        known = next((name for name, one in self.found.looks.items() if one == look), None)
        if known is not None:
            return known
        name = "marked" if not self.found.looks else f"marked {len(self.found.looks) + 1}"
        self.found.looks[name] = look
        return name

    def _title(self, grid: Sheet, head: int) -> str | None:
        for row in range(1, min(head, _TITLE_ROWS)):
            value = next((one for column in range(1, 6) if (one := grid.value(row, column)) is not None), None)
            if isinstance(value, str) and value.strip():
                return value
        return None

    def _free(self, wanted: str) -> str:
        name, number = wanted, 2
        while name in self.names:
            name, number = f"{wanted}_{'rows' if number == 2 else number}", number + 1
        self.names.add(name)
        return name

    def _merge(self, sheets: dict[str, FoundSheet]) -> None:
        """Sheets of one table, each with the rows of the value that it is named after, are one sheet for each value."""
        alike: dict[tuple[str, str, tuple[str, ...]], list[FoundSheet]] = {}
        for sheet in sheets.values():
            table = self.found.tables.get(sheet.of)
            for column in table.base.values if table is not None and not table.left else ():
                rule = f"[{column}] <> {literal(sheet.name)}"
                if table is not None and rule in table.readings and [*map(list, table.steps)] == [["drop_rows"]]:
                    alike.setdefault((table.base.name, column, tuple(sheet.columns)), []).append(sheet)
        for (base, column, _), every in alike.items():
            if len(every) < 2:
                continue
            for sheet in every:
                del self.found.tables[sheet.of]
                self.tables = [known for known in self.tables if known.name != sheet.of]
                if sheet is not every[0]:
                    del sheets[sheet.name]
            first = every[0]
            first.words = [f"a sheet for each '{column}' of '{base}': {', '.join(sheet.name for sheet in every)}"]
            if first.title is not None:
                first.title = first.title.replace(first.name, f"[:{column}:]")
            first.called, first.of, first.split = f"[:{column}:]", base, column

    # -- pivots --------------------------------------------------------------------------------------------

    def _summary(self, sheet: FoundSheet) -> None:
        grid = self.book.sheet(sheet.name)
        used = grid.used
        if used is None:
            return
        for known in [*self.tables, *self.sources]:
            for block in _blocks(grid, set(known.values)):
                keys = pivot_of(known.table, block.headings, block.lines, block.above)
                if keys is None:
                    continue
                name = self._free(f"by_{plain_name(block.headings[0])}")
                self.found.pivots[name] = {"from": known.name, **keys}
                sheet.shows, sheet.of, sheet.title = "pivot", name, self._title(grid, block.head)
                fields = [one if isinstance(one, str) else one["field"] for one in keys["rows"]]
                sheet.words = [f"'{known.name}' summed up by {', '.join([*fields, *keys.get('columns', [])])}"]
                return

    # -- figures -------------------------------------------------------------------------------------------

    def _figures(self, sheet: FoundSheet, seen: SheetList | None) -> None:
        """Numbers with a text beside them, as totals of the tables' columns."""
        grid = self.book.sheet(sheet.name)
        numbers = list(_labelled(grid)) if not grid.tables else []
        formulas = [self._figure(label, value) for label, value, _ in numbers]
        if len(numbers) > _FIGURES or sum(one is not None for one in formulas) * 2 < len(numbers) or not numbers:
            rows = f"the rows below {', '.join(seen.headings)}" if seen is not None else "what it shows"
            sheet.left = [rows]
            return
        said: dict[str, str] = {}
        for (label, _, place), formula in zip(numbers, formulas, strict=True):
            if formula is None:
                sheet.left.append(f"{place}, '{label}'")
            elif formula in said:
                # Numbers that agree, as those of two sources should, are not made of each other.
                sheet.left.append(f"{place}, '{label}', which is as much as '{said[formula]}'")
            else:
                said[formula] = label
                self._note_figure(sheet, label, formula, place)
        sheet.shows = "figures"

    def _note_figure(self, sheet: FoundSheet, label: str, formula: str, place: str) -> None:
        name = next((name for name, known in self.found.figures.items() if known == formula), None)
        if name is None:
            name = self._free(plain_name(label) or "figure")
            self.found.figures[name] = formula
            kind = kind_of(self.book.styles.number_format(self.book.sheet(sheet.name).style(*parse_cell(place))))
            if kind is not None:
                self.found.kinds[name] = kind
        sheet.figures[label] = name
        sheet.words.append(f"'{label}' = {formula}")

    def _figure(self, label: str, value: float) -> str | None:
        every = [*self.tables, *self.sources]
        for known in every:
            if (found := _of_rows_named(known, label, value)) is not None:
                return found
        for known in every:
            if value == known.height and known.height > 1:
                return f"ROWS({known.name})"
            for name, column in zip(known.table.headings, known.table.columns, strict=True):
                for kind, total in TOTALS.items():
                    hinted = any(word in label.casefold() for word in _ENDS.get(kind, ("",)))
                    if kind != "count" and hinted and value and _is(total_of(kind, column), value):
                        return f"{total.function}({known.name}[{name}])"
        return None


def _of_rows_named(known: Known, label: str, value: float) -> str | None:
    """A count or a sum of the rows that a label names."""
    for name, values in known.values.items():
        places = [place for place, one in enumerate(values) if one == label]
        if not places or len(places) == known.height:
            continue
        if len(places) == value and len(places) > 1:
            return f"COUNTIFS({known.name}[{name}], {literal(label)})"
        for other, numbers in known.values.items():
            chosen = [number for place in places if isinstance(number := numbers[place], float)]
            if chosen and value and _is(float(sum(chosen)), value):
                return f"SUMIFS({known.name}[{other}], {known.name}[{name}], {literal(label)})"
    return None


def _names(formula: str) -> bool:
    """Whether a formula over headings reads names or cells of the workbook, which a new one does not have."""
    return any(one.name or one.area for one in mentions(_BRACKETS.sub("", formula)))


def kind_of(code: str) -> str | None:
    """The type that a number format speaks of; None for one of plain numbers."""
    bare = re.sub(r"\[[^$\]]*\]", "", code)
    if "%" in bare:
        return "percent"
    return "money" if re.search(r"[$£€¥₹]", bare) else None


def _over_tables(formula: str, tables: Mapping[str, str]) -> str:
    """A formula whose rows of other sheets are those of the tables that these show."""
    for sheet, table in tables.items():
        for spelled in (f"{sheet}!rows[", f"'{sheet}'!rows["):
            formula = formula.replace(spelled, f"{table}[")
    return formula


def _labelled(grid: Sheet) -> Iterator[tuple[str, float, str]]:
    """Numbers of a sheet with the text to their left, and where they stand."""
    used = grid.used
    if used is None:
        return
    for row in range(used.top, min(used.bottom, used.top + 200) + 1):
        label = None
        for column in range(used.left, min(used.right, used.left + 30) + 1):
            value = grid.value(row, column)
            if isinstance(value, str) and value.strip():
                label = value.strip()
            elif isinstance(value, float) and label is not None:
                yield label, value, cell_name(row, column)
                label = None


@dataclass(frozen=True)
class _Block:
    """Headings, lines, and the row of the headings; labels above the headings of values, where there are some."""

    headings: list[str]
    lines: list[list[Value]]
    head: int
    above: list[str] = field(default_factory=list)


def _blocks(grid: Sheet, known: set[str]) -> Iterator[_Block]:
    """Blocks of a sheet whose first heading is known, with a row of headings or with two."""
    used = grid.used
    assert used is not None
    for row in range(used.top, min(used.bottom, used.top + 40) + 1):
        for left in range(used.left, used.right + 1):
            beside = grid.value(row, left - 1) if left > 1 else None
            if grid.value(row, left) not in known or beside is not None:
                continue
            two = grid.value(row + 1, left) is None and grid.value(row + 1, left + 1) is not None
            last = row + 1 if two else row
            right = left
            while grid.value(last, right + 1) is not None:
                right += 1
            bottom = last
            while grid.value(bottom + 1, left) is not None:
                bottom += 1
            columns = range(left, right + 1)
            lines = [[grid.value(line, column) for column in columns] for line in range(last + 1, bottom + 1)]
            if not lines or right == left or any(isinstance(one, CellError) for line in lines for one in line):
                continue
            headings = [str(grid.value(row, left)), *(str(grid.value(last, column)) for column in columns[1:])]
            yield _Block(headings, lines, row, list(_filled(grid, row, columns[1:])) if two else [])


def _filled(grid: Sheet, row: int, columns: Sequence[int]) -> Iterator[str]:
    """Labels of a row, each up to the next one."""
    label = ""
    for column in columns:
        value = grid.value(row, column)
        label = label if value is None else str(value)
        yield label


def _is(one: Value, other: Value) -> bool:
    return isinstance(one, float) and isinstance(other, float) and abs(one - other) <= _CLOSE * max(1.0, abs(other))
