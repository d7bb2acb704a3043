"""Rows of a sheet on a terminal: texts run over, numbers are never cut."""

from __future__ import annotations

import pytest
from rich.cells import cell_len

from tinquire.cli.support.grid import Shown, laid_out

N = True
ROWS = [
    # rows, width, lines
    ([["Title over all", "", ""], ["Item", "Pieces", "Rate"]], 0, [" A B C", "1 Title over all", "2 Item Pieces Rate"]),
    ([["a", ("1,234.50", N)], ["b", ("7", N)]], 0, ["A B", "1 a 1,234.50", "2 b 7"]),
    ([["a", ("1,234.50", N), ("99", N)]], 15, ["A B", "1 a 1,234.50", "… and 1 more column, to C"]),
    ([["x" * 40, "b"]], 60, ["A B", "1 " + "x" * 27 + "… b"]),
    ([["x" * 40, "b"]], 0, ["A B", "1 " + "x" * 40 + " b"]),
    ([["漢" * 20, "b"]], 60, ["A B", "1 " + "漢" * 13 + " … b"]),
    ([["Total charged", "", ("5", N)]], 0, ["A B C", "1 Total charged 5"]),
    ([["", ("5", N)]], 0, ["A B", "1 5"]),
]  # fmt: skip


@pytest.mark.parametrize(("rows", "width", "lines"), ROWS)
def test_laid_out(rows, width, lines):
    cells = [[Shown(*cell) if isinstance(cell, tuple) else Shown(cell) for cell in row] for row in rows]
    letters = "ABC"[: len(rows[0])]
    made = laid_out(letters, range(1, len(rows) + 1), cells, width)
    assert [" ".join(line.split()) for line in made] == [" ".join(line.split()) for line in lines]
    assert all(cell_len(line) <= width for line in made[:-1]) or not width


def test_every_number_stands_whole_under_its_letter():
    rows = [[Shown("Harbour"), Shown("12,531.74", True), Shown("543", True)]]
    head, line = laid_out("ABC", [7], rows, 0)
    assert line == "7  Harbour  12,531.74  543"
    assert head.index("B") in range(line.index("12,531.74"), line.index("543"))
