"""Living pivots (ECMA-376 Part 1, 18.10): read from their parts, worked out anew from their rows, and written back."""
