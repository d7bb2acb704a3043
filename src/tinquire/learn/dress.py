"""How a list was dressed: number formats and looks of its columns, headings and rows, lines, widths."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from tinquire.amend.look_schema import LookChange
from tinquire.base.wording import listed
from tinquire.cells.address import column_name
from tinquire.learn.lists import SheetList
from tinquire.learn.rows import conditions
from tinquire.looks import Appearance, Edges, Variation
from tinquire.looks.appearance import Edge
from tinquire.looks.house import BorderRule

if TYPE_CHECKING:
    from tinquire.learn.find_list import ListFinder

__all__ = ["dress_steps", "look_change", "look_keys", "said_look"]

_PARTS = tuple(part for part in LookChange.model_fields if not part.startswith("line_"))
_LINES = {"line_above": "top", "line_below": "bottom", "line_left": "left", "line_right": "right"}
_COLOURS = ("colour", "fill")
#: Groups of rows with looks of their own that are looked into, in a column.
_GROUPS = 6


def dress_steps(finder: ListFinder, other: SheetList) -> None:
    """Steps for what the cells of a list look like, after all that moves them: `other` is the list as it is after."""
    _lines(finder, other)
    for name, column in zip(other.headings, other.below.columns, strict=True):
        change = _common(_pairs(finder, column, other.rows))
        if change:
            finder.do({"heading": name, **_keys(change)}, f"'{name}' is shown {said_look(change)}", other.height)
    _heads(finder, other)
    _some_rows(finder, other)
    _widths(finder, other)


def look_change(before: Appearance, after: Appearance) -> dict[str, Any]:
    """The keys of an amendment that make one look another, its lines among them."""
    return _keys({**_common([(before, after)]), **_line_changes(before, after)})


def _line_changes(before: Appearance, after: Appearance) -> dict[str, str]:
    sides = ((key, getattr(before.edges, side), getattr(after.edges, side)) for key, side in _LINES.items())
    return {key: _line(now) for key, was, now in sides if now is not None and now != was}


def _pairs(finder: ListFinder, column: int, rows: Sequence[int]) -> list[tuple[Appearance, Appearance]]:
    """The looks of a column's cells now and after; those that several cells have in common once."""
    styles = _styles(finder, column, rows)
    works, wanted = finder.session.work.styles, finder.session.after.styles
    pairs = np.unique(styles, axis=1).T.tolist()
    return [(works.appearance(one), wanted.appearance(other)) for one, other in pairs]


def _styles(finder: ListFinder, column: int, rows: Sequence[int]) -> np.ndarray:
    """The styles of a column's cells now and after, two lines."""
    at = np.array(rows, np.int64) - 1
    return np.stack([sheet.styles(column, 1, int(rows[-1]))[at] for sheet in (finder.old, finder.new)])


def _heads(finder: ListFinder, other: SheetList) -> None:
    works, wanted = finder.session.work.styles, finder.session.after.styles
    heads = [
        _common(
            [
                (
                    works.appearance(finder.old.style(other.head, column)),
                    wanted.appearance(finder.new.style(other.head, column)),
                )
            ]
        )
        for column in other.below.columns
    ]
    if heads and heads[0] and all(head == heads[0] for head in heads):
        finder.do({"headings": True, **_keys(heads[0])}, f"headings are shown {said_look(heads[0])}", len(heads))
        return
    for name, head in zip(other.headings, heads, strict=True):
        if head:
            keys = {"heading": name, "headings": True, **_keys(head)}
            finder.do(keys, f"the heading '{name}' is shown {said_look(head)}", 1)


# -- rows that look otherwise ------------------------------------------------------------------------------


def _some_rows(finder: ListFinder, other: SheetList) -> None:
    """Looks of some rows, where a condition over the columns says which."""
    found: dict[tuple[tuple[tuple[str, Any], ...], frozenset[int]], list[str]] = {}
    for name, column in zip(other.headings, other.below.columns, strict=True):
        for change, rows in _groups(finder, column, other.rows):
            found.setdefault((tuple(change.items()), rows), []).append(name)
    for (items, rows), names in found.items():
        change, texts = dict(items), conditions(other.values, rows)
        whole = len(names) == len(other.headings)
        for heading in [None] if whole else names:
            place = {} if heading is None else {"heading": heading}
            what = "rows are" if heading is None else f"'{heading}' is"
            readings = [
                ({**place, "where": text, **_keys(change)}, f"{what} shown {said_look(change)} where {text}")
                for text in texts
            ]
            if readings:
                finder.do(*readings[0], len(rows) * (len(names) if whole else 1), readings[1:])


def _groups(
    finder: ListFinder, column: int, rows: Sequence[int]
) -> Iterator[tuple[dict[str, Any], frozenset[int]]]:  # fmt: skip
    """Changes of looks in a column, each with the rows (by their place) that have it."""
    kinds, places = np.unique(_styles(finder, column, rows), axis=1, return_inverse=True)
    works, wanted = finder.session.work.styles, finder.session.after.styles
    groups: dict[tuple[tuple[str, Any], ...], list[int]] = {}
    for number, (one, other) in enumerate(kinds.T.tolist()):
        before, after = works.appearance(one), wanted.appearance(other)
        change = _common([(before, after)]) if before != after else {}
        if change:
            groups.setdefault(tuple(sorted(change.items(), key=str)), []).append(number)
    if len(groups) > _GROUPS:
        return
    for items, numbers in groups.items():
        yield dict(items), frozenset(np.flatnonzero(np.isin(places.reshape(-1), numbers)).tolist())


# -- lines -----------------------------------------------------------------------------------------------


def _lines(finder: ListFinder, other: SheetList) -> None:
    """Lines around and between the rows, with the headings or without them."""
    left, right = min(other.below.columns), max(other.below.columns)
    height = other.rows[-1] - other.rows[0] + 1
    if right - left + 1 != len(other.below.columns) or height != other.height:
        return
    wanted = finder.session.after.styles

    def edges(row: int, column: int) -> Edges:
        return wanted.appearance(finder.new.style(row, column)).edges

    for top in (other.head, other.rows[0]):
        bottom = other.rows[-1]
        corner, last = edges(top, left), edges(bottom, right)
        rule = BorderRule(
            corner.top or corner.left,
            (corner.bottom or edges(top + 1, left).top) if bottom > top else None,
            (corner.right or edges(top, left + 1).left) if right > left else None,
        )
        if (rule.outside, rule.rows, rule.columns) == (None, None, None) or (last.bottom or None) != rule.outside:
            continue
        if not _fits(finder, rule, (top, left, bottom, right)):
            continue
        given = {"outside": rule.outside, "between_rows": rule.rows, "between_columns": rule.columns}
        keys: dict[str, Any] = {key: _line(edge) for key, edge in given.items() if edge is not None}
        said = listed([f"{key.replace('_', ' ')} {line}" for key, line in keys.items()])
        if top == other.head:
            keys["headings"] = True
        count = (bottom - top + 1) * (right - left + 1)
        finder.do({"heading": other.headings[0], "borders": keys}, f"lines to the last row: {said}", count)
        return


def _fits(finder: ListFinder, rule: BorderRule, area: tuple[int, int, int, int]) -> bool:
    """Whether lines of a rule are those of an area's cells after, as they are seen, and not all of them are now."""
    top, left, bottom, right = area
    fresh = False
    for column in range(left, right + 1):
        styles = _styles(finder, column, range(top, bottom + 1))
        outermost = np.zeros(bottom - top + 1, np.int64)
        outermost[0] += 1
        outermost[-1] += 2
        kinds = np.unique(np.vstack([styles, outermost[None]]), axis=1).T.tolist()
        for one, other, end in kinds:
            before = finder.session.work.styles.appearance(one).edges
            after = finder.session.after.styles.appearance(other).edges
            ends = {"top": end & 1, "bottom": end & 2, "left": column == left, "right": column == right}
            for side, outer in ends.items():
                stated, had = getattr(after, side), getattr(before, side)
                line = rule.outside if outer else rule.columns if side in ("left", "right") else rule.rows
                # A line between two cells may be held by either of them; one that was there stays without another.
                if stated not in ((line or had,) if outer else (line or had, had)):
                    return False
                fresh = fresh or (line is not None and stated == line != had)
    return fresh


def _line(edge: Edge) -> str:
    return edge.style if edge.colour == "000000" else f"{edge.style} #{edge.colour}"


# -- widths ------------------------------------------------------------------------------------------------


def _widths(finder: ListFinder, other: SheetList) -> None:
    old, new = finder.old.widths, finder.new.widths
    known = dict(zip(other.below.columns, other.headings, strict=True))
    widths = {
        known.get(column, column_name(column)): width
        for column, width in sorted(new.items())
        if abs(old.get(column, 0) - width) > 0.01 and column not in finder.new.hidden_columns
    }
    if widths:
        says = f"the width of {listed([repr(name) for name in widths])}"
        finder.do({"heading": other.headings[0], "widths": widths}, says, len(widths))


# -- in words ----------------------------------------------------------------------------------------------


def _common(pairs: Sequence[tuple[Appearance, Appearance]]) -> dict[str, Any]:
    """The parts of a look that became the same in all cells, and were another in at least one."""
    change: dict[str, Any] = {}
    for part in ("format", *_PARTS):
        found = {getattr(after, part) for _, after in pairs}
        if len(found) == 1 and any(getattr(a, part) != getattr(b, part) for a, b in pairs):
            value = next(iter(found))
            if value is None or (part in ("font", "size") and not value):
                continue
            change[part] = f"#{value}" if part in _COLOURS else value
    return change


def _keys(change: Mapping[str, Any]) -> dict[str, Any]:
    look = {part: value for part, value in change.items() if part != "format"}
    return {**({"format": change["format"]} if "format" in change else {}), **({"look": look} if look else {})}


def said_look(change: Mapping[str, Any]) -> str:
    words = []
    for part, value in change.items():
        word = part.replace("_", " ")
        words.append(word if value is True else f"not {word}" if value is False else f"{word} {value}")
    return "with " + listed(words)


def look_keys(change: Variation) -> dict[str, Any] | None:
    """A partial look in the words of amendments; None for one with parts that they do not have."""
    given = change.given()
    edges = given.pop("edges", None)
    if set(given) - set(_PARTS):
        return None
    keys = {part: f"#{value}" if part in _COLOURS else value for part, value in given.items()}
    if isinstance(edges, Edges):
        keys |= {key: _line(edge) for key, side in _LINES.items() if (edge := getattr(edges, side)) is not None}
    return keys
