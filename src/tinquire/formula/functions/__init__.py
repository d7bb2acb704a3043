"""Formula functions, one module per family. A family's module is imported when the first formula runs."""

from __future__ import annotations

import importlib

FAMILIES = (
    "arithmetic", "calendar", "cellfacts", "characters", "choices", "conditional", "database", "dates", "distributions",
    "engineering", "finance", "information", "logic", "lookup", "numeric", "oddperiods", "places", "samples", "securities",
    "shapes", "statistics", "texts", "trigonometry",
)  # fmt: skip

__all__ = ["FAMILIES", "load"]


def load() -> None:
    """Import every family, which declares its functions."""
    for family in FAMILIES:
        importlib.import_module(f"{__name__}.{family}")
