"""Typed columnar tables: steps, matching, pivots, figures and checks. Knows neither files nor how cells look."""

from tinquire.tables.origin import Members, Origin
from tinquire.tables.table import Field, RowFormula, Table

__all__ = ["Field", "Members", "Origin", "RowFormula", "Table"]
