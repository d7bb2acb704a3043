"""The first half of a run: sources into tables, tables into pivots, statements and figures, and checks on them."""
