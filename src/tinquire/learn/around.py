"""What stands around a list: rows above its headings, cells beside it, totals and notes below it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from tinquire.cells.address import cell_name
from tinquire.cells.values import Value
from tinquire.learn.dress import look_change
from tinquire.learn.lists import SheetList
from tinquire.learn.prove import changed_cells
from tinquire.learn.values import in_toml, is_plain, said_value
from tinquire.tables.totals import TOTALS
from tinquire.workbook import Sheet
from tinquire.workbook.grid.cell_formulas import text_at

if TYPE_CHECKING:
    from tinquire.learn.find_list import ListFinder

__all__ = ["above_headings", "around", "below_rows", "beside_rows"]

#: More single cells than these are not said one by one; rows below a list that are looked into.
_SINGLE, _BELOW = 200, 8
_Line = tuple[tuple[str | None, Value], ...]


def above_headings(finder: ListFinder, one: SheetList, other: SheetList) -> None:
    """Rows put in or taken out above the headings."""
    old, new = finder.old, finder.new
    width = max(old.extent()[1], new.extent()[1])
    was = [_line(old, row, width) for row in range(1, one.head)]
    now = [_line(new, row, width) for row in range(1, other.head)]
    count = abs(len(now) - len(was))
    longer, shorter = (now, was) if len(now) > len(was) else (was, now)
    at = next(
        (at for at in range(len(shorter), -1, -1) if longer[:at] + longer[at + count :] == shorter),
        next((at for at, pair in enumerate(zip(longer, shorter, strict=False)) if pair[0] != pair[1]), len(shorter)),
    )
    lines = f"{at + 1}:{at + count}" if count > 1 else str(at + 1)
    words = f"row {at + 1}" if count == 1 else f"rows {at + 1} to {at + count}"
    if len(now) > len(was):
        finder.do({"insert_rows": lines}, f"a blank {words}" if count == 1 else f"blank {words}", count)
    else:
        finder.do({"delete_rows": lines}, f"without {words}", count)


def _line(sheet: Sheet, row: int, width: int) -> _Line:
    return tuple((_text(sheet, row, column), sheet.value(row, column)) for column in range(1, width + 1))


def around(finder: ListFinder, other: SheetList | None) -> None:
    """Single cells, in rows that are no list."""
    _single_cells(finder, other, lambda row, column: True)


def beside_rows(finder: ListFinder, other: SheetList) -> None:
    """Cells above the headings and beside the rows."""
    columns = set(other.below.columns)
    _single_cells(finder, other, lambda row, column: row < other.head or column not in columns)


def _single_cells(finder: ListFinder, other: SheetList | None, wanted: Any) -> None:
    session = finder.session
    cells = [
        (row, column, words)
        for row, column, words in changed_cells(session.work, session.after, finder.old, finder.new, _SINGLE * 50)
        if wanted(row, column)
    ]
    if len(cells) > _SINGLE:
        return
    for row, column, _ in cells:
        _single(finder, other, row, column)


def _single(finder: ListFinder, other: SheetList | None, row: int, column: int) -> None:
    at, old, new = cell_name(row, column), finder.old, finder.new
    formula, had = _text(new, row, column), _text(old, row, column)
    value, before = new.value(row, column), old.value(row, column)
    styles = finder.session.work.styles, finder.session.after.styles
    look = look_change(styles[0].appearance(old.style(row, column)), styles[1].appearance(new.style(row, column)))
    if formula is not None and formula != had:
        text, whole = finder.terms.general(formula, finder.name, None, other)
        keys = {"at": f"{at}:{at}", "formula": f"={text}", **look}
        if whole:
            finder.do(keys, f"{at} is worked out: ={text}", 1)
        else:
            finder.session.do({"sheet": finder.name, **keys}, f"{at} is worked out: ={text}, in this place", 1)
    elif formula is None and (type(value), value) != (type(before), before) and is_plain(value) and is_plain(before):
        guard = {"expect_formula": f"={had}"} if had is not None else {"expect": in_toml(before)}
        finder.do({"at": at, **guard, "value": in_toml(value), **look}, f"{at} becomes {said_value(value)}", 1)
    elif look:
        finder.do({"at": at, **look}, f"{at} looks otherwise", 1)


# -- below -------------------------------------------------------------------------------------------------


def below_rows(finder: ListFinder, other: SheetList) -> None:
    """Totals, and what stands beside them, in the rows below the last one."""
    last, old = other.rows[-1], finder.old
    lines: list[dict[str, Any]] = []
    cells = 0
    for row in range(last + 1, last + 1 + _BELOW):
        there = any(_holds(old, row, other))
        line = dict(_dressed_line(finder, other, row) if there else _below_line(finder, other, row))
        lines.append(line)
        cells += len(line)
    while lines and not lines[-1]:
        lines.pop()
    if not lines:
        return
    if (total := _one_total(lines)) is not None:
        heading, kind, look = total
        finder.do({"heading": heading, "total": kind, **look}, f"a total below '{heading}': {kind}", 1)
        return
    words = "; ".join(_said_line(line) for line in lines)
    lines, look = _with_one_look(lines)
    finder.do({"below": lines, **look}, f"below the last row: {words}", cells)


def _holds(sheet: Sheet, row: int, other: SheetList) -> Iterator[bool]:
    for column in other.below.columns:
        yield sheet.value(row, column) is not None or sheet.formula(row, column) is not None


def _below_line(finder: ListFinder, other: SheetList, row: int) -> Iterator[tuple[str, Any]]:
    """The cells of a row below the last one, by heading; each with what makes it look otherwise than those above."""
    works, wanted = finder.session.work.styles, finder.session.after.styles
    for heading, column in zip(other.headings, other.below.columns, strict=True):
        formula, value = _text(finder.new, row, column), finder.new.value(row, column)
        if formula is None and (value is None or isinstance(value, bool) or not is_plain(value)):
            continue
        content: Any = in_toml(value)
        if formula is not None:
            text, whole = finder.terms.general(formula, finder.name, row, other)
            if not whole:
                continue
            content = f"={text}"
        above = works.appearance(finder.old.style(other.rows[-1], column))
        look = look_change(above, wanted.appearance(finder.new.style(row, column)))
        yield heading, {"value": content, **look} if look else content


def _with_one_look(lines: list[dict[str, Any]]) -> tuple[list[dict[str, Any]], dict[str, Any]]:
    """What all cells have of looks, said once for all of them."""
    cells = [said for line in lines for said in line.values()]
    looks = [said.get("look") if isinstance(said, dict) else None for said in cells]
    if len(cells) < 2 or looks[0] is None or any(look != looks[0] for look in looks):
        return lines, {}

    def without(said: dict[str, Any]) -> Any:
        left = {key: one for key, one in said.items() if key != "look"}
        return left["value"] if [*left] == ["value"] else left

    return [{heading: without(said) for heading, said in line.items()} for line in lines], {"look": looks[0]}


def _dressed_line(finder: ListFinder, other: SheetList, row: int) -> Iterator[tuple[str, Any]]:
    """The cells of a row below the last one that was there before, and look otherwise now."""
    works, wanted = finder.session.work.styles, finder.session.after.styles
    for heading, column in zip(other.headings, other.below.columns, strict=True):
        now = works.appearance(finder.old.style(row, column))
        look = wanted.appearance(finder.new.style(row, column))
        if now != look:
            above = works.appearance(finder.old.style(other.rows[-1], column))
            yield heading, look_change(above, look)


def _one_total(lines: list[dict[str, Any]]) -> tuple[str, str, dict[str, Any]] | None:
    """A total alone in the row below: its heading, its kind, its look."""
    if len(lines) != 1 or len(lines[0]) != 1:
        return None
    ((heading, said),) = lines[0].items()
    given = said if isinstance(said, dict) else {"value": said}
    if "value" not in given:
        return None
    kinds = {f"={total.function}(rows[{heading}])": kind for kind, total in TOTALS.items()}
    kind = kinds.get(str(given["value"]))
    return None if kind is None else (heading, kind, {key: one for key, one in given.items() if key != "value"})


def _said_line(line: dict[str, Any]) -> str:
    contents = [said["value"] if isinstance(said, dict) else said for said in line.values() if not _is_look(said)]
    if contents:
        return ", ".join(map(str, contents))
    return "what stands there is set off" if line else "a row is left as it is"


def _is_look(said: Any) -> bool:
    return isinstance(said, dict) and "value" not in said


def _text(sheet: Sheet, row: int, column: int) -> str | None:
    formula = sheet.formula(row, column)
    return None if formula is None else text_at(formula, row, column)
