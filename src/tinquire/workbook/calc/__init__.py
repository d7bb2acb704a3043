"""Recalculation: what names and references mean, columns of formulas, their order, and results that spill."""
