"""Shared formulas (18.3.1.40) that lose the cell which holds their text: their other cells need a text of their own."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator
from functools import lru_cache

import numpy as np

from tinquire.cells.address import parse_cell
from tinquire.packages.raw_xml import Element
from tinquire.packages.xml import children, parse_xml
from tinquire.workbook.grid.changed_cells import ChangedCells
from tinquire.workbook.sheet_xml.plain_spelling import canonical

__all__ = ["mark_members"]

#: Parts smaller than this are kept in mind.
_SMALL = 1 << 16
_CELL = re.compile(rb"<(?:[\w.-]+:)?c\b([^<>]*)>\s*<(?:[\w.-]+:)?f\b([^<>]*?)(?:/>|>([^<]*)<)")


@lru_cache(16)
def _small_shares(data: bytes) -> bool:
    """Whether the word stands in a small part; the copies of a template have the same ones."""
    return b"shared" in data


def mark_members(data: bytes, changed: ChangedCells) -> None:
    """Mark the cells of a part whose shared formula is that of a cell which gets or loses one.

    Raises ValueError for a part that cannot be read.
    """
    is_plain = b"\x00" not in data[:64]  # not in another encoding
    if is_plain and not (_small_shares(data) if len(data) < _SMALL else b"shared" in data):
        return
    if not any(formulas.any() for _, formulas in changed.by_column().values()):
        return
    if not is_plain:
        data = canonical(data)
    fresh = {(row, column) for row, column, formula in changed if formula}
    members: dict[str, list[tuple[int, int]]] = defaultdict(list)
    lost = set()
    for key, cell, has_text in _shared(data):
        if has_text and cell in fresh:
            lost.add(key)
        elif cell not in fresh:
            members[key].append(cell)
    rows: dict[int, set[int]] = defaultdict(set)
    for key in lost:
        for row, column in members[key]:
            rows[column].add(row)
    for column in sorted(rows):
        changed.add(column, np.array(sorted(rows[column]), np.int32), formulas=True)


def _shared(data: bytes) -> Iterator[tuple[str, tuple[int, int], bool]]:
    """The cells of shared formulas: the formula's number, the cell, and whether it holds the text."""
    found = []
    for match in _CELL.finditer(data):
        if b"shared" in match[2]:
            name = Element(0, 0, match[1], None).get(b"r")
            if name is None:
                break
            number = Element(0, 0, match[2], None).get(b"si") or b""
            found.append((number.decode(), parse_cell(name.decode()), bool((match[3] or b"").strip())))
    if len(found) == data.count(b"shared") and b"<!" not in data:
        yield from found
    else:
        yield from _parsed(data)  # the word elsewhere, or an odd form


def _parsed(data: bytes) -> Iterator[tuple[str, tuple[int, int], bool]]:
    row = 0
    for line in children(children(parse_xml(data), "sheetData")[0], "row"):
        row, column = int(line.get("r") or row + 1), 0
        for cell in children(line, "c"):
            row, column = parse_cell(cell.get("r", "")) if cell.get("r") else (row, column + 1)
            for formula in children(cell, "f"):
                if formula.get("t") == "shared":
                    yield formula.get("si", ""), (row, column), bool((formula.text or "").strip())
