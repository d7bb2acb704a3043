"""Pivots: fields brought together, groups of rows, lines and columns of summaries, and ways to show them."""
