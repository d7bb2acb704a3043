"""The changed cells of a small part put into its bytes.

What `cell_patch` does, for parts of the plainest spelling, straight from the sheet's columns.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from tinquire.cells.column import Booleans, Codes, Column, Kind
from tinquire.workbook.grid.cells import Cells
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.sheet_xml.moulds import PARTS, Marked, make_mould, value_texts
from tinquire.workbook.sheet_xml.row_writer import PlacesOf

__all__ = ["splice_changed"]

#: Of a column with more formulas than this, only the results that change are looked at.
_MANY = 1_000
_mould = lru_cache(PARTS)(make_mould)


def splice_changed(data: bytes, sheet: Sheet, places_of: PlacesOf) -> bytes:
    """The part's bytes with the changed cells of its sheet; `places_of` gives texts' places among the shared ones.

    What comes of it is byte for byte what `patch_cells` gives. Raises Unusual, before it asks for any place, for parts
    that are not in the plain form.
    """
    # Which results change differs from file to file; cells that may change are the same ones.
    filled = _spliced(data, sheet, places_of, widened=True)
    return _spliced(data, sheet, places_of, widened=False) if filled is None else filled  # type: ignore[return-value]


def _spliced(data: bytes, sheet: Sheet, places_of: PlacesOf, *, widened: bool) -> bytes | None:
    """The part's bytes. None where columns were `widened`, and one of their cells cannot be left as it stands."""
    marked: list[Marked] = []
    found: list[Cells] = []
    changed: dict[int, Codes] = {}
    before: tuple[object, object] | None = None
    for column, (own_rows, own_set) in sheet.changed.by_column().items():
        every = _all_results(sheet, column, own_rows, own_set) if widened else None
        rows, formulas_set = (own_rows, own_set) if every is None else (every, np.zeros(len(every), np.bool_))
        if every is not None:
            changed[len(marked)] = own_rows
        if before is None or before[0] is not rows or before[1] is not formulas_set:  # as those set together are
            before = rows, formulas_set
            spelled = rows.tobytes(), formulas_set.tobytes()
        found.append(sheet.rows_of(column, rows))
        marked.append(Marked.of(sheet, column, *spelled, found[-1], widened=every is not None))
    mould = _mould(data, tuple(marked))
    if not mould.fits:
        return None
    texts: list[str] = []
    for place, (own, cells) in enumerate(zip(marked, found, strict=True)):
        values = Column(cells.kinds, cells.numbers, cells.codes, sheet.texts)
        fresh = value_texts(values, own.kinds, own.numbers, places_of)
        if own.widened:
            is_changed = np.isin(cells.rows, changed[place])[cells.kinds != Kind.BLANK].tolist()
            kept = mould.kept(place, fresh, is_changed)
            if kept is None:
                return None
            fresh = kept
        texts += fresh
    return mould.filled(texts)


def _all_results(sheet: Sheet, column: int, rows: Codes, formulas_set: Booleans) -> Codes | None:
    """The rows of all cells with formulas, where the changed cells are some of them, and only results changed."""
    if len(rows) >= _MANY or formulas_set.any():
        return None
    runs = sheet.columns[column].formula_runs()
    count = sum(last - first + 1 for first, last, _ in runs)
    if not len(rows) < count <= _MANY:
        return None
    every = np.concatenate([np.arange(first, last + 1, dtype=np.int32) for first, last, _ in runs])
    return every if np.isin(rows, every).all() else None
