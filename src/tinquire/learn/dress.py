"""How a list was dressed: number formats and looks of its columns and headings, widths, frozen panes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import numpy as np

from tinquire.amend.look_schema import LookChange
from tinquire.base.wording import listed
from tinquire.cells.address import cell_name
from tinquire.learn.lists import SheetList
from tinquire.learn.steps import Step
from tinquire.looks import Appearance
from tinquire.workbook import Sheet, Workbook

__all__ = ["dress_steps", "look_change"]

_PARTS = tuple(LookChange.model_fields)
_COLOURS = ("colour", "fill")


def dress_steps(
    before: Workbook, after: Workbook, one: SheetList, other: SheetList, order: Sequence[int], was: Mapping[str, str],
    where: Mapping[str, str],
) -> list[Step]:  # fmt: skip
    """Steps for what cells look like, after all others: what those of a column have in common, and had not before."""
    old, new = before.sheet(one.sheet), after.sheet(other.sheet)
    steps = [
        Step({**where, **keys}, says, cells)
        for keys, says, cells in _looks(before, after, one, other, order, was, old, new)
    ]
    widths = {
        name: new.widths[column]
        for name, column in zip(other.headings, other.below.columns, strict=True)
        if column in new.widths and new.widths[column] != _width_before(old, one, was.get(name))
    }
    if widths:
        says = f"the width of {listed([repr(name) for name in widths])}"
        steps.append(Step({**where, "heading": other.headings[0], "widths": widths}, says, len(widths)))
    if new.frozen != old.frozen:
        cell = cell_name(new.frozen[0] + 1, new.frozen[1] + 1)
        steps.append(Step({"sheet": other.sheet, "freeze": cell}, f"frozen above and left of {cell}", 1))
    return steps


def _width_before(old: Sheet, one: SheetList, name: str | None) -> float | None:
    return None if name is None else old.widths.get(one.column(name))


def _looks(
    before: Workbook, after: Workbook, one: SheetList, other: SheetList, order: Sequence[int], was: Mapping[str, str],
    old: Sheet, new: Sheet,
) -> Iterator[tuple[dict[str, Any], str, int]]:  # fmt: skip
    heads: list[dict[str, Any]] = []
    for name, column in zip(other.headings, other.below.columns, strict=True):
        had = one.column(was[name]) if name in was else None
        rows = np.array(other.below.rows, np.int64)
        fresh = new.styles(column, 1, int(rows[-1]))[rows - 1]
        known = had
        if had is None:  # a new column begins with the looks of the one before it
            place = other.below.columns.index(column)
            name_before = other.headings[place - 1] if place else None
            known = one.column(was[name_before]) if name_before is not None and name_before in was else None
        below = np.array(one.below.rows, np.int64)[np.array(order, np.int64)]
        source = np.zeros(len(rows), np.int64) if known is None else old.styles(known, 1, int(below.max()))[below - 1]
        # What is the same in many rows is looked at once.
        pairs = np.unique(np.stack([source, fresh]), axis=1).T.tolist()
        starts = [before.styles.appearance(style) for style, _ in pairs]
        looks = [after.styles.appearance(style) for _, style in pairs]
        change = _common(starts, looks)
        if change:
            yield {"heading": name, **_keys(change)}, f"'{name}' is shown {_said(change)}", len(rows)
        head_style = old.style(one.head, had) if had is not None else old.style(one.head, max(one.below.columns))
        heads.append(
            _common([before.styles.appearance(head_style)], [after.styles.appearance(new.style(other.head, column))])
        )
    if heads and heads[0] and all(head == heads[0] for head in heads):
        yield {"headings": True, **_keys(heads[0])}, f"headings are shown {_said(heads[0])}", len(heads)
    else:
        for name, column, head in zip(other.headings, other.below.columns, heads, strict=True):
            if head:
                keys = {"sheet": other.sheet, "at": cell_name(other.head, column), **_keys(head)}
                yield keys, f"the heading '{name}' is shown {_said(head)}", 1


def look_change(book: Workbook, before: int, after: int) -> dict[str, Any]:
    """The keys of an amendment that make one style of a workbook another."""
    return _keys(_common([book.styles.appearance(before)], [book.styles.appearance(after)]))


def _common(before: Sequence[Appearance], after: Sequence[Appearance]) -> dict[str, Any]:
    """The parts of a look that became the same in all cells, and were another in at least one."""
    change: dict[str, Any] = {}
    for part in ("format", *_PARTS):
        found = {getattr(look, part) for look in after}
        if len(found) == 1 and any(getattr(a, part) != getattr(b, part) for a, b in zip(before, after, strict=True)):
            value = next(iter(found))
            if value is None or (part in ("font",) and not value) or (part == "size" and not value):
                continue
            change[part] = f"#{value}" if part in _COLOURS else value
    return change


def _keys(change: Mapping[str, Any]) -> dict[str, Any]:
    look = {part: value for part, value in change.items() if part != "format"}
    return {**({"format": change["format"]} if "format" in change else {}), **({"look": look} if look else {})}


def _said(change: Mapping[str, Any]) -> str:
    words = [
        part if value is True else f"not {part}" if value is False else f"{part} {value}"
        for part, value in change.items()
    ]
    return "with " + listed(words)
