"""The type that a column's texts have, when nobody states one: it is said which, and two readings stay text."""

from __future__ import annotations

import re

import numpy as np

from tinquire.cells.column import Column, Kind
from tinquire.tables.types import typed

__all__ = ["inferred_type"]

#: Numbers that are names: codes with noughts in front, and such as are longer than a number is exact.
_CODE = re.compile(r"0\d+|\d{16,}")
_HAS_CURRENCY = re.compile(r"[$£€¥₹₣₤]|^[^\W\d_]{3}\s|\s[^\W\d_]{3}$")
_YES_NO = frozenset({"true", "false", "yes", "no"})


def inferred_type(column: Column, decimal: str = ".") -> tuple[str, str]:
    """A column's type by its texts ('text' where they have none in common), and a remark where there is one to make.

    Texts that are numbers of fixed length or with noughts in front are codes, and stay text; dates are read in an order
    only when some of them can be read in no other.
    """
    places = np.flatnonzero(column.kinds == Kind.TEXT)
    texts = sorted({column.texts[code].strip() for code in np.unique(column.codes[places]).tolist()} - {""})
    if not texts or (column.kinds[column.kinds != Kind.BLANK] != Kind.TEXT).any():
        return "text", ""
    distinct = Column.of_texts(texts)

    def reads(kind: str) -> bool:
        return not typed(distinct, kind, decimal=decimal).problems

    if all(text.casefold() in _YES_NO for text in texts):
        return "yes/no", ""
    if not any(any(sign.isdigit() for sign in text) for text in texts):
        return "text", ""
    if any(_CODE.fullmatch(text) for text in texts):
        return "text", ""
    if reads("number"):
        if all(text.endswith("%") for text in texts):
            return "percent", ""
        if any(_HAS_CURRENCY.search(text) for text in texts):
            return "money", ""
        return ("whole" if reads("whole") else "number"), ""
    if reads("date"):
        return "date", ""
    ways = [kind for kind in ("date dmy", "date mdy") if reads(kind)]
    if len(ways) == 1:
        order = "day" if ways[0] == "date dmy" else "month"
        return ways[0], f"its days are written with the {order} first"
    if ways:
        return "text", f"'{texts[0]}' and all others could have the day first or the month first: state the type"
    return ("time", "") if reads("time") else ("text", "")
