"""Formula functions, one module per family. A family's module is imported when the first formula runs."""

from __future__ import annotations

import importlib

FAMILIES = (
    "aggregates", "arrays", "bonds", "complex_numbers", "conditional", "database", "dates", "distributions",
    "engineering", "finance", "information", "integers", "keyed_lookup", "lambdas", "logic", "lookup", "matrices",
    "number_bases", "odd_bonds", "powers", "ranking", "references", "regression", "rounding", "spread", "text",
    "text_numbers", "text_search", "trigonometry", "workdays",
)  # fmt: skip

__all__ = ["FAMILIES", "load"]


def load() -> None:
    """Import every family, which declares its functions."""
    for family in FAMILIES:
        importlib.import_module(f"{__name__}.{family}")
