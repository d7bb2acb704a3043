"""Cells that depend on themselves: every command that works formulas out says so, and writes nothing."""

from __future__ import annotations

import pytest

from books import book_of

CELLS = {"A1": "Depot", "B1": "Pieces", "A2": "North", "B2": 3.0, "A3": "South", "B3": 4.0, "D1": "Ring"}


@pytest.mark.parametrize(
    ("cells", "command", "code"),
    [
        ({}, ["amend", "--at", "D2:D2", "--formula", "D2+1", "--out", "out"], 3),
        ({"D2": "=D3", "D3": "=D2"}, ["amend", "--at", "B2", "--value", "5", "--recalc", "--out", "out"], 3),
        ({"D2": "=D2+1"}, ["split", "--by-column", "Depot", "--out", "out"], 1),
        ({"D2": "=D3", "D3": "=D2"}, ["recalc", "--out", "out.xlsx"], 1),
        ({"D2": "=D3", "D3": "=D2"}, ["audit", "--check"], 1),
    ],
)
def test_a_circle_is_said_and_nothing_is_written(tmp_path, tinquire, cells, command, code):
    path = tmp_path / "w.xlsx"
    book_of({"S": {**CELLS, **cells}}).save(path)
    words = [tmp_path / word if word.startswith("out") else word for word in command[1:]]
    outcome = tinquire(command[0], path, *words)
    assert outcome.code == code and "S!D2" in outcome.out + outcome.err, outcome
    assert "circular" in outcome.out + outcome.err or "circle" in outcome.out, outcome
    assert (
        "Traceback" not in outcome.err
        and not list(tmp_path.glob("out*/*.xlsx"))
        and not (tmp_path / "out.xlsx").exists()
    )
