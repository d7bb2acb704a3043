"""What the cells of outputs are made of, packed for the daybook: a few bytes a row at most, whatever their order."""

from __future__ import annotations

import json
import zlib
from collections.abc import Sequence

import numpy as np

from tinquire.cells.address import Area
from tinquire.press.record.cell_sources import CellSources
from tinquire.tables import Members, Origin

__all__ = ["pack_cells", "pack_origin", "unpack_cells", "unpack_origin"]

#: Quick, as most of it are steps of one from row to row.
_LEVEL = 1


def pack_origin(origin: Origin) -> tuple[str, bytes, bytes | None]:
    """The names of files and sheets; for each row its file, its sheet, how far it lies after the one before; and the
    number of rows of each group, where rows were brought together."""
    rows = b"".join(_int32_bytes(item) for item in (origin.file, origin.sheet, np.diff(origin.row, prepend=0)))
    names = json.dumps([origin.files, origin.sheets], ensure_ascii=False)
    groups = None if origin.ends is None else zlib.compress(_int32_bytes(np.diff(origin.ends, prepend=0)), _LEVEL)
    return names, zlib.compress(rows, _LEVEL), groups


def unpack_origin(names: str, rows: bytes, groups: bytes | None) -> Origin:
    files, sheets = json.loads(names)
    file, sheet, steps = np.frombuffer(zlib.decompress(rows), "<i4").reshape(3, -1)
    ends = None if groups is None else np.cumsum(np.frombuffer(zlib.decompress(groups), "<i4"), dtype=np.int64)
    return Origin(tuple(files), tuple(sheets), file, sheet, np.cumsum(steps), ends)


def pack_cells(one: CellSources) -> tuple[str, int, int, int, int, str, int, bytes | None, bytes | None, str]:
    """Sheet, area, words, whether every cell is of all rows, the rows of lines and columns, and the notes on lines."""
    area = (one.area.top, one.area.left, one.area.bottom, one.area.right)
    notes = json.dumps(one.notes, ensure_ascii=False) if one.notes else ""
    return one.sheet, *area, one.says, int(one.whole), _members(one.lines), _members(one.across), notes


def unpack_cells(line: Sequence[object], origin: Origin | None) -> CellSources:
    """What `pack_cells` gave, with its origin."""
    sheet, top, left, bottom, right, says, whole, lines, across, notes = line
    area = Area(*(int(str(item)) for item in (top, left, bottom, right)))
    kept = tuple(json.loads(str(notes))) if notes else ()
    return CellSources(str(sheet), area, str(says), origin, _of(lines), _of(across), bool(whole), kept)


def _members(members: Members | None) -> bytes | None:
    if members is None:
        return None
    head = np.array([len(members.ends)])
    steps = np.diff(members.places, prepend=0)
    return zlib.compress(b"".join(map(_int32_bytes, (head, np.diff(members.ends, prepend=0), steps))), _LEVEL)


def _of(packed: object) -> Members | None:
    if not isinstance(packed, bytes):
        return None
    every = np.frombuffer(zlib.decompress(packed), "<i4").astype(np.int64)
    count = int(every[0])
    return Members(np.cumsum(every[1 : count + 1]), np.cumsum(every[count + 1 :]))


def _int32_bytes(numbers: np.ndarray) -> bytes:
    return np.asarray(numbers).astype("<i4").tobytes()
