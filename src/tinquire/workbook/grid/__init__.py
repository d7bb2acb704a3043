"""Sheets in memory: columns of cells, and the formulas that they share."""
