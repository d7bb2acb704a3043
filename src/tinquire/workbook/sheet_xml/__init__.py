"""A sheet's part (ECMA-376 Part 1, 18.3.1): read carefully or fast, written, and changed cell by cell."""
