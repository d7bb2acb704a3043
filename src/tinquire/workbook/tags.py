"""The tags of a plain sheet's cells (ECMA-376 Part 1, 18.3.1.4, .73): their kinds, and which may follow which."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Codes
from tinquire.workbook.elements import Unusual

__all__ = [
    "CELL",
    "CELL_EMPTY",
    "CELL_END",
    "FORMULA",
    "FORMULA_EMPTY",
    "FORMULA_END",
    "INLINE",
    "INLINE_END",
    "ROW",
    "ROW_EMPTY",
    "ROW_END",
    "TEXT",
    "TEXT_EMPTY",
    "TEXT_END",
    "VALUE",
    "VALUE_END",
    "kinds_of",
]

ROW, ROW_EMPTY, ROW_END, CELL, CELL_EMPTY, CELL_END = range(1, 7)
VALUE, VALUE_END, FORMULA, FORMULA_EMPTY, FORMULA_END = range(7, 12)
INLINE, INLINE_END, TEXT, TEXT_EMPTY, TEXT_END = range(12, 17)
#: Which kind of tag may follow which.
_FOLLOWS = {
    ROW: (CELL, CELL_EMPTY, ROW_END),
    ROW_EMPTY: (ROW, ROW_EMPTY),
    ROW_END: (ROW, ROW_EMPTY),
    CELL: (VALUE, FORMULA, FORMULA_EMPTY, INLINE, CELL_END),
    CELL_EMPTY: (CELL, CELL_EMPTY, ROW_END),
    CELL_END: (CELL, CELL_EMPTY, ROW_END),
    VALUE: (VALUE_END,),
    VALUE_END: (CELL_END,),
    FORMULA: (FORMULA_END,),
    FORMULA_EMPTY: (VALUE, CELL_END),
    FORMULA_END: (VALUE, CELL_END),
    INLINE: (TEXT, TEXT_EMPTY, INLINE_END),
    TEXT: (TEXT_END,),
    TEXT_EMPTY: (INLINE_END,),
    TEXT_END: (INLINE_END,),
    INLINE_END: (CELL_END,),
}
_MAY_FOLLOW = np.zeros((17, 17), bool)
for _kind, _others in _FOLLOWS.items():
    _MAY_FOLLOW[_kind, list(_others)] = True

#: Tags with nothing behind them up to the next, and how long they are.
_LENGTHS = {
    VALUE_END: 4, CELL_END: 4, FORMULA_END: 4, ROW_END: 6, INLINE: 4, INLINE_END: 5, TEXT_END: 4,
}  # fmt: skip


def _keys(texts: dict[bytes, int]) -> tuple[tuple[int, int], ...]:
    return tuple((int.from_bytes(text, "little"), kind) for text, kind in texts.items())


#: What stands behind a tag's bracket: in every sheet, and in some.
_BY_TWO = _keys({b"c ": CELL, b"v>": VALUE})
_BY_THREE = _keys({b"/v>": VALUE_END, b"/c>": CELL_END})
_BY_FOUR = _keys({b"row ": ROW, b"/row": ROW_END})
_RARE_BY_TWO = _keys({b"f>": FORMULA, b"f ": FORMULA, b"t>": TEXT, b"t ": TEXT, b"t/": TEXT})
_RARE_BY_THREE = _keys({b"/f>": FORMULA_END, b"/t>": TEXT_END, b"is>": INLINE})
_RARE_BY_FOUR = _keys({b"/is>": INLINE_END})


def kinds_of(array: NDArray[np.uint8], words: NDArray[np.uint64], tags: Codes, nexts: Codes) -> NDArray[np.uint8]:
    """The kind of every tag. Raises Unusual for others, for text between tags, for an order that may not be."""
    behind = words[tags + 1]
    four = behind.astype(np.uint32)
    three, two = four & np.uint32(0xFFFFFF), four.astype(np.uint16)
    kinds = np.zeros(len(tags), np.uint8)
    for key, texts in ((two, _BY_TWO), (three, _BY_THREE), (four, _BY_FOUR)):
        for text, kind in texts:
            kinds[key == text] = kind
    rest = np.flatnonzero(kinds == 0)
    for key, texts in ((two, _RARE_BY_TWO), (three, _RARE_BY_THREE), (four, _RARE_BY_FOUR)) if len(rest) else ():
        for text, kind in texts:
            kinds[rest[key[rest] == text]] = kind
    open_ = np.flatnonzero((kinds == CELL) | (kinds == ROW) | (kinds == FORMULA) | (kinds == TEXT))
    last = nexts[open_] - 1
    ends = array[last] == 62
    empty = ends & (array[last - 1] == 47)
    kinds[open_[empty]] += 1  # the kind of a tag that closes itself is next to that of one that does not
    must_end = (kinds[open_] == CELL) | (kinds[open_] == ROW)
    lengths = (nexts - tags).astype(np.uint32)
    wrong = (kinds == 0).any() or (must_end & ~ends).any()
    for kind, length in _LENGTHS.items():
        wrong = wrong or ((kinds == kind) & (lengths != length)).any()
    follows = np.zeros(_MAY_FOLLOW.size, bool)
    follows[kinds[:-1].astype(np.int16) * len(_MAY_FOLLOW) + kinds[1:]] = True
    first_last = (ROW, ROW_EMPTY), (ROW_END, ROW_EMPTY)
    if wrong or (follows & ~_MAY_FOLLOW.ravel()).any() or kinds[0] not in first_last[0]:
        raise Unusual
    if kinds[-1] not in first_last[1]:
        raise Unusual
    return kinds
