"""How a finished pack looks, as a house file: its letters, the looks of titles, headings, rows and totals, formats."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import tomlkit

from tinquire.learn.lists import SheetList, seen_list
from tinquire.learn.pack.explain import PackFound
from tinquire.looks import Appearance
from tinquire.looks.appearance import Edge
from tinquire.workbook import Workbook

__all__ = ["house_of"]

_USUAL_FONT, _USUAL_SIZE = "Verdana", 10.0


def house_of(book: Workbook, found: PackFound, types: Mapping[str, Mapping[str, str]]) -> str:
    """The house file's text; `types` are those of each table's columns, by which formats are told."""
    document = tomlkit.document()
    document.add(tomlkit.comment("How last month's pack looks."))
    body = _letters(book, found)
    document["font"] = body.font or _USUAL_FONT
    document["size"] = _number(body.size or _USUAL_SIZE)
    formats = dict(_formats(found, types))
    if formats:
        document["formats"] = formats
    looks = tomlkit.table(is_super_table=True)
    for name, seen in _lists(book, found):
        for part, look in _looks(book, name, seen, body).items():
            if part not in looks and look:
                table = tomlkit.table()
                table.update(look)
                looks[part] = table
    for name, look in found.looks.items():
        table = tomlkit.table()
        table.update(look)
        looks[name] = table
    if looks:
        document["looks"] = looks
    return tomlkit.dumps(document)


def _lists(book: Workbook, found: PackFound) -> Iterator[tuple[str, SheetList]]:
    for sheet in found.sheets:
        seen = seen_list(book, sheet.name) if sheet.shows == "table" else None
        if seen is not None:
            yield sheet.name, seen


def _formats(found: PackFound, types: Mapping[str, Mapping[str, str]]) -> Iterator[tuple[str, str]]:
    """The format that most columns of a type have."""
    counts: dict[str, Counter[str]] = {}
    for sheet in found.sheets:
        for name, code in sheet.formats.items():
            kind = types.get(sheet.of, {}).get(name, "").partition(" ")[0]
            if kind and kind != "text":
                counts.setdefault(kind, Counter())[code] += 1
    for kind, codes in counts.items():
        yield kind, codes.most_common(1)[0][0]


def _letters(book: Workbook, found: PackFound) -> Appearance:
    """The letters that the rows of most lists have."""
    looks = Counter(
        (look.font, look.size)
        for name, seen in _lists(book, found)
        for look in [book.styles.appearance(book.sheet(name).style(seen.rows[0], min(seen.below.columns)))]
    )
    usual = book.styles.appearance(0)
    if not looks:
        return usual
    font, size = looks.most_common(1)[0][0]
    return replace(usual, font=font or usual.font, size=size or usual.size)


def _looks(book: Workbook, name: str, seen: SheetList, body: Appearance) -> dict[str, dict[str, Any]]:
    sheet, styles = book.sheet(name), book.styles
    left = min(seen.below.columns)
    looks = {
        "heading": _look(styles.appearance(sheet.style(seen.head, left)), body),
        "rows": _look(styles.appearance(sheet.style(seen.rows[len(seen.rows) // 2], left)), body),
    }
    total = seen.rows[-1] + 1
    if any(sheet.value(total, column) is not None for column in seen.below.columns):
        looks["total"] = _look(styles.appearance(sheet.style(total, left)), body)
    title = next((row for row in range(1, seen.head) if sheet.value(row, left) is not None), None)
    if title is not None:
        looks["title"] = _look(styles.appearance(sheet.style(title, left)), body)
    middle = styles.appearance(sheet.style(seen.rows[len(seen.rows) // 2], left)).edges
    outer, between = middle.left, middle.bottom or middle.top
    if outer is not None:
        looks["rows"]["outside"] = _line(outer)
    if between is not None:
        looks["rows"]["between_rows"] = _line(between)
    edge = styles.appearance(sheet.style(seen.head, left)).edges.top
    if edge is not None:
        looks["heading"]["outside"] = _line(edge)
    return looks


def _look(look: Appearance, body: Appearance) -> dict[str, Any]:
    """The parts in which a look is another than the workbook's letters."""
    found: dict[str, Any] = {}
    for part in ("font", "size", "bold", "italic", "underline", "colour", "fill", "align", "valign", "wrap"):
        value = getattr(look, part)
        if value not in (None, "", 0, 0.0) and value != getattr(body, part):
            found[part] = f"#{value}" if part in ("colour", "fill") else _number(value) if part == "size" else value
    return found


def _line(edge: Edge) -> str:
    return edge.style if edge.colour == "000000" else f"{edge.style} #{edge.colour}"


def _number(value: float) -> float | int:
    return int(value) if float(value).is_integer() else value
