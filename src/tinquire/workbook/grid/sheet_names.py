"""What sheets (18.2.19) and names of the workbook (18.2.5) may be called, and names from data made valid."""

from __future__ import annotations

import re

__all__ = ["MAX_SHEET_NAME", "safe_defined_name", "safe_sheet_name", "valid_sheet_name"]

#: What a sheet's name may not hold, and how long it may be (18.2.19).
_FORBIDDEN = re.compile("[\\[\\]:*?/\\\\\x00-\x1f\ud800-\udfff\ufffe\uffff]")
MAX_SHEET_NAME = 31


def valid_sheet_name(name: str) -> bool:
    """Whether a sheet may have this name (18.2.19)."""
    bad_ends = name.startswith("'") or name.endswith("'")
    return 0 < len(name) <= MAX_SHEET_NAME and not _FORBIDDEN.search(name) and not bad_ends


def safe_defined_name(name: str, otherwise: str = "Name") -> str:
    """A name of a table or defined name: letters, digits and underscores, no cell address (18.2.5, 18.5.1.2)."""
    base = re.sub(r"\W+", "_", name).strip("_") or otherwise
    if base[0].isdecimal() or re.fullmatch(r"[A-Za-z]{1,3}\d+|[RrCc]|[Rr]\d*[Cc]\d*", base):
        base = f"_{base}"
    return base


def safe_sheet_name(name: str, taken: set[str]) -> str:
    """A name from data made valid and unique: forbidden characters become spaces, long ones are cut."""
    base = " ".join(_FORBIDDEN.sub(" ", name).split()).strip("'")[:MAX_SHEET_NAME].strip() or "Sheet"

    def numbered(number: int) -> str:
        ending = f" ({number})" if number > 1 else ""
        return base[: MAX_SHEET_NAME - len(ending)].rstrip() + ending

    low, high = 0, 1  # `low` is taken; of thousands of equal names not each is tried
    while numbered(high).casefold() in taken:
        low, high = high, high + 1 if high < 100 else high * 2
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if numbered(middle).casefold() in taken else (low, middle)
    return numbered(high)
