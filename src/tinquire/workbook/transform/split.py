"""A workbook cut into several: each with some of its sheets, or some of the rows of one.

What is cut off leaves no trace: formulas that pointed to it become their results, and texts, stored rows of pivots
and names that only it used are not in the new file. A file for one reader must not carry another's rows.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from lxml import etree

from tinquire.cells.address import cell_name
from tinquire.cells.column import Kind
from tinquire.formula.language.mentions import mentions
from tinquire.formula.language.reference_changes import GoneSheets
from tinquire.packages.xml import child, children, local
from tinquire.workbook.edit import delete_sheets, hide_sheet, remove_rows
from tinquire.workbook.edit.propagate import change_part, worksheets
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.parts.charts import drop_cached_values, freeze_lost_series
from tinquire.workbook.parts.pivots import read_pivot
from tinquire.workbook.workbook import Workbook

__all__ = ["Cut", "keep_rows", "keep_sheets", "leave_rows"]

_WORD = re.compile(r"\"(?:[^\"]|\"\")*\"|[^\W\d][\w.\\?]*")
_LOST = "#REF!"
#: Kinds of parts in which programs store rows of their own.
_STORES = frozenset({"powerPivotData", "customXml"})


@dataclass(slots=True)
class Cut:
    """What became of what was cut through: formulas that are values now, pivots that are plain cells now."""

    formulas: int = 0
    pivots: list[str] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    #: Cells beside the rows with sums of all of them: calculated for those that stay, or emptied.
    resummed: list[str] = field(default_factory=list)
    emptied: list[str] = field(default_factory=list)


def keep_sheets(book: Workbook, names: Sequence[str]) -> Cut:
    """Leave some sheets, and take all others out. Raises DataError for a sheet that is not there."""
    kept = [book.sheet(name).name for name in names]
    lost = [entry.name for entry in book.entries if entry.name not in kept]
    cut = Cut()
    if lost:
        tables = [table.name for sheet, table in book.tables().values() if sheet in lost]
        gone = GoneSheets(lost, [entry.name for entry in book.entries], tables)
        lost_names = {item.name.casefold() for item in book.names if gone.mentioned(item.formula)}
        for name in kept:
            cut.formulas += _replace_by_values(book.sheet(name), gone, lost_names)
        book.settle()
        _plain_charts(book, kept, gone)
        _plain_pivots(book, kept, cut, every=False)
        if not any(book.sheet(name).state == "visible" for name in kept):
            hide_sheet(book, kept[0], "visible")
        delete_sheets(book, lost)
        cut.names = _drop_lost_names(book)
        _drop_lost_rules(book)
    _forget_outside(book)
    _forget_connections(book)
    _forget_stores(book)
    _forget_texts(book)
    return cut


def keep_rows(
    book: Workbook, sheet: str, rows: Sequence[int], every: Sequence[int], columns: Sequence[int],
    sums: Mapping[int, Sequence[int]],
) -> Cut:  # fmt: skip
    """Leave one sheet, and of its rows of data, which are `every`, in these columns, those of `rows`. `sums` are rows
    among them that sum others up, each with the rows that it sums up.

    No number of the other rows stays: what sums up all rows beside them is calculated for those that stay, or emptied.
    Formulas of the sheet follow; they must be recalculated. Raises DataError as deleting rows does.
    """
    book.settle()
    cut = Cut()
    _plain_pivots(book, [sheet], cut, every=True)
    opened = book.sheet(sheet)
    data = {*every, *sums}
    before = {
        (row, column)
        for column, top, bottom, _ in opened.formula_runs()
        for row in range(top, bottom + 1)
        if row not in data
    }
    first = keep_sheets(book, [sheet])
    cut.formulas, cut.names = first.formulas, first.names
    cut.pivots += first.pivots
    opened = book.sheet(sheet)
    for row, column in sorted(before):
        if opened.formula(row, column) is None:  # it read another sheet, so it may tell of all rows
            opened.set(row, column, None)
            cut.emptied.append(cell_name(row, column))
    leave_rows(book, sheet, rows, every, columns, sums, cut)
    book.settle()
    for part, kind in book.package.types().items():
        if kind.endswith("drawingml.chart+xml"):
            change_part(book, part, drop_cached_values)
    _forget_texts(book)
    return cut


def leave_rows(
    book: Workbook, sheet: str, rows: Sequence[int], every: Sequence[int], columns: Sequence[int],
    sums: Mapping[int, Sequence[int]], cut: Cut,
) -> None:  # fmt: skip
    """Take all other rows of data out of a sheet, and what sums them up; see `keep_rows`."""
    opened, here = book.sheet(sheet), set(rows)
    _resum(opened, rows, every, columns, {*every, *sums}, cut)
    gone = [row for row in every if row not in here]
    for row, summed in sums.items():
        living = any(opened.formula(row, column) is not None for column in columns)
        if not (here & set(summed) if living else set(summed) <= here):
            gone.append(row)
    remove_rows(book, sheet, sorted(gone))


def _resum(
    sheet: Sheet, rows: Sequence[int], every: Sequence[int], columns: Sequence[int], data: set[int], cut: Cut
) -> None:
    """Numbers beside the rows of data that are no formulas: sums and counts of all rows become those of the rows that
    stay; others are emptied below and beside the rows, where they may tell of all of them. Texts that spell a sum of
    all rows are emptied, too."""
    top, own = min(every, default=0), set(columns)
    known: dict[float, tuple[int, str]] = {}
    for column in columns:
        numbers = _numbers(sheet, column, every)
        if numbers:
            known.setdefault(round(sum(numbers), 6), (column, "sum"))
            known.setdefault(float(len(numbers)), (column, "count"))
    spelled = {f"{total:,.{digits}f}" for total in known for digits in (0, 2)} - {f"{n}" for n in range(100)}
    for column, cells in sheet.columns.items():
        for at in np.flatnonzero(cells.kinds != Kind.BLANK).tolist():
            row = int(cells.rows[at])
            if (row in data and column in own) or cells.formulas[at] != NO_FORMULA:
                continue
            value = sheet.value(row, column)
            if isinstance(value, str):
                if any(text in value or text.replace(",", "") in value for text in spelled):
                    sheet.set(row, column, None)
                    cut.emptied.append(cell_name(row, column))
                continue
            if isinstance(value, bool) or not isinstance(value, float):
                continue
            found = known.get(round(value, 6)) if not (value < 100 and row < top) else None
            if found is not None:
                numbers = _numbers(sheet, found[0], rows)
                sheet.set(row, column, float(sum(numbers) if found[1] == "sum" else len(numbers)))
                cut.resummed.append(cell_name(row, column))
            elif row >= top:
                sheet.set(row, column, None)
                cut.emptied.append(cell_name(row, column))


def _numbers(sheet: Sheet, column: int, rows: Sequence[int]) -> list[float]:
    cells = sheet.rows_of(column, np.array(rows, np.int32))
    return [float(number) for number in cells.numbers[cells.kinds == Kind.NUMBER]]


# -- formulas --------------------------------------------------------------------------------------------


def _replace_by_values(sheet: Sheet, gone: GoneSheets, lost_names: set[str]) -> int:
    """Formulas that need what is gone become their results; how many there were."""
    cells: list[tuple[int, int]] = []
    for column, top, bottom, formula in sheet.formula_runs():
        if gone.mentioned(formula.text) or _names_in(formula.text) & lost_names:
            area = formula.array
            if area is not None:
                cells += [(r, c) for r in range(area.top, area.bottom + 1) for c in range(area.left, area.right + 1)]
            else:
                cells += [(row, column) for row in range(top, bottom + 1)]
    for row, column in dict.fromkeys(cells):
        sheet.set(row, column, sheet.value(row, column))
    return len(cells)


def _names_in(text: str) -> set[str]:
    return {match[0].casefold() for match in _WORD.finditer(text)}


# -- what hangs on lost sheets ---------------------------------------------------------------------------


def _plain_charts(book: Workbook, kept: Sequence[str], gone: GoneSheets) -> None:
    """Series that read a lost sheet keep the values they were drawn with."""
    parts = {part for entry, part in worksheets(book) if entry.name in kept}
    for part in parts:
        for relation in book.package.relations(part):
            for inner in book.package.relations(relation.target) if relation.kind == "drawing" else ():
                if inner.kind == "chart" and book.package.has(inner.target):
                    change_part(book, inner.target, lambda root: freeze_lost_series(root, gone.mentioned))


def _plain_pivots(book: Workbook, kept: Sequence[str], cut: Cut, *, every: bool) -> None:
    """Pivots whose rows are lost become plain cells: their stored rows would tell what was cut off."""
    known = {name.casefold() for name in kept}
    tables = {table.name.casefold() for sheet, table in book.tables().values() if sheet.casefold() in known}
    for entry, part in worksheets(book):
        if entry.name.casefold() not in known:
            continue
        for relation in book.package.relations(part):
            if relation.kind != "pivotTable":
                continue
            pivot = read_pivot(book.package, relation.target)
            mention = next(iter(mentions(pivot.source)), None)
            here = pivot.source.casefold() in tables or (
                mention is not None and mention.sheets and mention.sheets[0].casefold() in known
            )
            if every or not here:
                cut.pivots.append(f"{entry.name}: {pivot.name}")
                book.package.drop_related(relation.target, relation.kind)


def _drop_lost_names(book: Workbook) -> list[str]:
    """Names that stood for lost cells."""
    group = child(book.root, "definedNames")
    dropped = []
    for element in children(group, "definedName"):
        if _LOST in (element.text or "") and group is not None:
            group.remove(element)
            dropped.append(element.get("name", ""))
    if group is not None and not len(group):
        book.root.remove(group)
    if dropped:
        book.root_changed()
    return dropped


def _drop_lost_rules(book: Workbook) -> None:
    """Links, entry rules and marks that pointed to lost cells."""
    for _, part in worksheets(book):
        data = book.package.read(part)
        if _LOST.encode() in data:
            change_part(book, part, _without_lost)


def _without_lost(root: etree._Element) -> bool:
    changed = False
    for element in list(root.iter()):
        name, parent = local(element), element.getparent()
        if name not in ("hyperlink", "dataValidation", "cfRule") or parent is None:
            continue
        texts = [element.get("location") or "", *(item.text or "" for item in element.iter())]
        if not any(_LOST in text for text in texts):
            continue
        changed = True
        _take_out(element)
    return changed


def _take_out(element: etree._Element) -> None:
    """Take an element out, and those around it that hold nothing else; what counts its children counts again."""
    parent = element.getparent()
    if parent is None:
        return
    parent.remove(element)
    if not any(local(item) != "sqref" for item in parent):
        _take_out(parent)
    elif parent.get("count") is not None:
        parent.set("count", str(len(children(parent, local(element)))))


def _forget_outside(book: Workbook) -> None:
    """Stored values of other workbooks that no formula reads any more."""
    group = child(book.root, "externalReferences")
    if group is None:
        return
    texts = [name.formula for name in book.names]
    texts += [formula.text for sheet in book.sheets() for _, _, _, formula in sheet.formula_runs()]
    if any("[" in mention.prefix for text in texts for mention in mentions(text)):
        return
    book.settle()
    for relation in book.package.relations(book.part):
        if relation.kind == "externalLink":
            book.package.drop_related(relation.target, relation.kind)
    book.root.remove(group)
    book.root_changed()


def _forget_connections(book: Workbook) -> None:
    """Connections to files and servers of others (18.13), once no query and no pivot reads through them."""
    book.settle()
    if any("queryTable" in kind or "pivotCacheDefinition" in kind for kind in book.package.types().values()):
        return
    for relation in book.package.relations(book.part):
        if relation.kind == "connections":
            book.package.drop_related(relation.target, relation.kind)


def _forget_stores(book: Workbook) -> None:
    """Rows that programs keep beside the sheets for their own use: a data model, documents of add-ins."""
    for relation in book.package.relations(book.part):
        if relation.kind not in _STORES:
            continue
        for element in list(book.root.iter()):
            if relation.id in element.attrib.values() and element.getparent() is not None:
                _take_out(element)
        book.package.unrelate(book.part, relation.target)
        if not relation.outside:
            book.package.drop_tree(relation.target)
        book.root_changed()


def _forget_texts(book: Workbook) -> None:
    """Blank the shared texts that no cell shows: places stay, so that no sheet has to change."""
    book.settle()
    shared = book.strings.texts
    used: set[int] = set()
    for sheet in book.sheets():
        shown = {
            sheet.texts[code] for cells in sheet.columns.values() for code in cells.codes[cells.kinds == Kind.TEXT]
        }
        used.update(code for code, text in enumerate(shared) if text in shown)
    book.strings.forget(used)
