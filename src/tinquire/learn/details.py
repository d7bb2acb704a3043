"""What a sheet has beside its cells, in a form that can be compared between workbooks: marks, entry rules, filters,
outlines, how it is seen and printed, and how many charts, pictures and pivots it has."""

from __future__ import annotations

import re
from collections.abc import Iterator

from tinquire.looks import Variation
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.inspect.contents import BookDetails, SheetDetails

__all__ = ["BookDetails", "comparable_mark", "filter_area", "mark_look", "other_details", "row_levels", "rule_key"]

_ROW = re.compile(rb"<(?:\w+:)?row\b[^<>]*>")
_NUMBER, _LEVEL = re.compile(rb"\sr=[\"'](\d+)[\"']"), re.compile(rb"\soutlineLevel=[\"']([1-7])[\"']")
_COUNTED = {
    "charts": "chart", "pictures": "picture", "comments": "comment", "links": "link", "pivots": "pivot",
    "clicked": "click filter",
}  # fmt: skip


def comparable_mark(book: Workbook, mark: Mark) -> tuple[object, ...]:
    """A mark without its priority, its look as a value."""
    settings = tuple(sorted((name, value) for name, value in mark.settings.items() if value not in ("", "0")))
    formulas = tuple(formula.replace("$", "") for formula in mark.formulas)
    areas = tuple(sorted(mark.areas))
    return areas, mark.kind, formulas, settings, mark_look(book, mark), mark.stop, mark.scale, mark.bars, mark.signs


def mark_look(book: Workbook, mark: Mark) -> Variation | None:
    return None if mark.look is None else book.styles.partial(mark.look)


def row_levels(book: Workbook, name: str) -> dict[int, int]:
    """The outline levels of a sheet's rows (18.3.1.73), of those that have one."""
    entry = book.entry(name)
    data = b"" if entry is None or entry.part is None else book.package.read(entry.part)
    if b"outlineLevel" not in data:
        return {}
    found = {}
    for row in _ROW.finditer(data):
        number, level = _NUMBER.search(row[0]), _LEVEL.search(row[0])
        if number is not None and level is not None:
            found[int(number[1])] = int(level[1])
    return found


def filter_area(details: SheetDetails, sheet: Sheet) -> object:
    """Where the filter buttons of a sheet are: its own, and those of its tables."""
    return details.filter, tuple((table.name, table.filter) for table in sheet.tables)


def other_details(done: BookDetails, after: BookDetails, name: str) -> Iterator[str]:
    """What differs beside the cells between a sheet of one workbook and the same of another, in words."""
    was, now = done.sheet(name), after.sheet(name)
    marks = [
        {comparable_mark(details.book, mark) for mark in sheet.marks} for details, sheet in ((done, was), (after, now))
    ]
    if marks[0] != marks[1]:
        missing = sum(1 for mark in marks[1] if mark not in marks[0])
        yield f"marks: {missing} that the steps do not make" if missing else "marks that are gone"
    rules = [{rule_key(rule) for rule in sheet.validations} for sheet in (was, now)]
    if rules[0] != rules[1]:
        yield "entry rules"
    if filter_area(was, done.book.sheet(name)) != filter_area(now, after.book.sheet(name)):
        yield "filter buttons"
    if row_levels(done.book, name) != row_levels(after.book, name) or was.outline[1] != now.outline[1]:
        yield "the outline"
    if was.protected != now.protected:
        yield "whether it is protected"
    if was.page != now.page:
        yield "how it is printed"
    if (was.zoom, was.tab) != (now.zoom, now.tab):
        yield "its zoom or the colour of its tab"
    for part, word in _COUNTED.items():
        before, there = len(getattr(was, part)), len(getattr(now, part))
        if before != there:
            yield f"{word}s: {there}, not {before}"


def rule_key(rule: EntryRule) -> tuple[object, ...]:
    """An entry rule in a form to be compared: areas in order, formulas without dollar signs."""
    formulas = tuple(formula.replace("$", "") for formula in rule.formulas)
    return (
        tuple(sorted(rule.areas)), rule.kind, rule.operator, formulas, rule.blank, rule.severity, rule.prompt[1],
        rule.message[1],
    )  # fmt: skip
