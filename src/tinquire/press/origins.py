"""Where the rows of an output came from, packed for the daybook: a few bytes a row at most, whatever their order."""

from __future__ import annotations

import json
import zlib

import numpy as np

from tinquire.tables import Origin

__all__ = ["origin_at", "packed"]

#: Quick, as most of it are steps of one from row to row.
_LEVEL = 1


def packed(origin: Origin) -> tuple[str, bytes]:
    """The names of files and sheets; and for each row its file, its sheet, how far it lies behind the one before."""
    arrays = (origin.file, origin.sheet, np.diff(origin.row, prepend=0))
    rows = b"".join(np.asarray(one).astype("<i4").tobytes() for one in arrays)
    return json.dumps([origin.files, origin.sheets], ensure_ascii=False), zlib.compress(rows, _LEVEL)


def origin_at(names: str, rows: bytes, place: int) -> tuple[str, str, int]:
    """File, sheet and row number from which a row (from zero) came."""
    files, sheets = json.loads(names)
    file, sheet, steps = np.frombuffer(zlib.decompress(rows), "<i4").reshape(3, -1)
    return files[file[place]], sheets[sheet[place]], int(steps[: place + 1].sum())
