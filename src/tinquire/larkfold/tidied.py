"""An export that somebody has tidied by hand: what `tinquire learn` is shown, to do it to all the others."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tinquire.amend.change import apply_amendments
from tinquire.amend.schema import Amendment
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate

__all__ = ["tidied"]

_STEPS: tuple[Mapping[str, Any], ...] = (
    {"drop": ["Note"]},
    {"heading": "Item", "replace": {"Hand towel": "Towel, small", "Bath towel": "Towel, large"}},
    {
        "add": "Kilos a piece", "after": "Weight kg", "format": "0.00",
        "formula": '=IF(ISNUMBER([Pieces]),[Weight kg]/[Pieces],"")',
    },
    {"sheet": "Pickups", "sort": ["Customer no"]},
    {"heading": "Ticket", "borders": {"outside": "thin #27343A", "between_rows": "hair #8A979C", "headings": True}},
    {"headings": True, "look": {"bold": True, "fill": "#F4EFE6"}},
    {"heading": "Pieces", "look": {"colour": "#2F5D7C"}},
    {"where": "[Pieces] >= 70", "look": {"fill": "#F3E3BC"}},
    {"marks": [{"on": ["Kilos a piece"], "above": 0.9, "look": {"bold": True}}]},
    {"heading": "Ticket", "freeze": "headings"},
    {
        "heading": "Ticket",
        "widths": {"Ticket": 13, "Collected": 12, "Customer no": 13, "Item": 15, "Kilos a piece": 14, "Driver": 12},
    },
)  # fmt: skip


def tidied(export: bytes) -> bytes:
    """An export after these changes."""
    book = Workbook.from_bytes(export, "tidied.xlsx")
    apply_amendments(book, [Amendment.model_validate(dict(step)) for step in _STEPS])
    recalculate(book)
    return book.to_bytes()
