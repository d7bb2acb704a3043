"""Typed columnar tables: steps, matching, pivots, figures and checks. Knows neither files nor how cells look."""

from tinquire.tables.table import Field, Origin, RowFormula, Table

__all__ = ["Field", "Origin", "RowFormula", "Table"]
