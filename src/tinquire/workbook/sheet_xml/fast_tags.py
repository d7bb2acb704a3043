"""The tags of a plain sheet's cells (ECMA-376 Part 1, 18.3.1.4, .73): their kinds, and which may follow which."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Codes
from tinquire.cells.words import Words
from tinquire.packages.raw_xml import Unusual

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

#: What stands after a tag's bracket; after one that nothing may follow, the next tag's bracket too.
_BEHIND = {
    b"row ": ROW, b"/row><": ROW_END, b"c ": CELL, b"/c><": CELL_END, b"v>": VALUE, b"/v><": VALUE_END,
    b"f>": FORMULA, b"f ": FORMULA, b"/f><": FORMULA_END, b"is><": INLINE, b"/is><": INLINE_END,
    b"t>": TEXT, b"t ": TEXT, b"t/": TEXT, b"/t><": TEXT_END,
}  # fmt: skip


def _word(text: bytes) -> int:
    return int.from_bytes(text, "little")


def _tables() -> tuple[Codes, Words, Words]:
    """By a tag's first two bytes its kind, if it is one; by the kind which bits are looked at, and what is expected."""
    kinds = np.zeros(1 << 16, np.uint8)
    bits, expected = np.zeros(17, np.uint64), np.zeros(17, np.uint64)
    for text, kind in _BEHIND.items():
        kinds[_word(text[:2])] = kind
        if kind not in (FORMULA, TEXT):  # these are known by two bytes, of which the second may be one of several
            bits[kind], expected[kind] = (1 << 8 * len(text)) - 1, _word(text)
    bits[0] = ~np.uint64(0)  # no kind is never right: no eight bytes of text are zero
    return kinds, bits, expected


_KINDS, _BITS, _EXPECTED = _tables()
#: By kind: tags with attributes, which may close themselves; and those of them that have nothing but tags inside.
_OPENS, _MUST_END = (np.isin(np.arange(17), some) for some in ([ROW, CELL, FORMULA, TEXT], [ROW, CELL]))
#: `>` at the end of two bytes, and `/>`.
_ENDS, _CLOSES = np.uint64(_word(b"\0>")), np.uint64(_word(b"/>"))
#: For two kinds that follow each other, counted from zero, in one byte: whether they must not.
_WRONG_PAIRS = bytes(not _MAY_FOLLOW[(pair >> 4) + 1, (pair & 15) + 1] for pair in range(256))


def kinds_of(words: Words, tags: Codes, nexts: Codes) -> NDArray[np.uint8]:
    """The kind of every tag. Raises Unusual for others, for text between tags, for an order that may not be.

    Behind the last tag of the buffer a bracket must stand as if another one followed.
    """
    behind = words[1:][tags]
    kinds = _KINDS.take((behind & np.uint64(0xFFFF)).view(np.int64))
    expected = _EXPECTED.take(kinds)
    behind ^= expected
    behind &= _BITS.take(kinds, out=expected, mode="clip")
    if behind.any():
        raise Unusual
    open_ = np.flatnonzero(_OPENS.take(kinds))
    last = words[nexts[open_] - 2]  # begins with the two bytes before the next tag
    ends = last & np.uint64(0xFF00) == _ENDS
    empty = last & np.uint64(0xFFFF) == _CLOSES
    must_end = _MUST_END.take(kinds[open_])
    kinds[open_[empty]] += 1  # the kind of a tag that closes itself is next to that of one that does not
    pairs = (((kinds[:-1] - 1) << 4) | (kinds[1:] - 1)).tobytes()
    wrong = (must_end & ~ends).any() or b"\x01" in pairs.translate(_WRONG_PAIRS)
    if wrong or kinds[0] not in (ROW, ROW_EMPTY) or kinds[-1] not in (ROW_END, ROW_EMPTY):
        raise Unusual
    return kinds
