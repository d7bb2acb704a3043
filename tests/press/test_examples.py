"""The jobs under examples/, made as a person would who copies one."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from tinquire.packages.package import Package
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import conformance_findings

EXAMPLES = Path(__file__).parents[2] / "examples"
#: Job, period, sheet, and for some of its labels the value behind them; totals are those of the sources' own rows.
MADE = [
    ("lettings", "2026-Q3", "Months", {"Both halls": 486, "Great hall in all": 444}),
    ("lettings", "2026-Q4", "Months", {"Both halls": 578.5, "Annex in all": 84}),
    ("books", "2026-09", "Result", {"Income in all": 30111.19, "Result": 7110.09}),
    ("books", "2026-10", "Result", {"Income in all": 27957.26, "Costs in all": 21249.15, "Result": 6708.11}),
]


@pytest.mark.parametrize(("job", "period", "sheet", "values"), MADE, ids=[f"{case[0]} {case[1]}" for case in MADE])
def test_an_example_works_as_it_stands(job, period, sheet, values, tmp_path, tinquire, monkeypatch):
    shutil.copytree(EXAMPLES / job, tmp_path / job)
    monkeypatch.chdir(tmp_path / job)
    assert tinquire("check", "--period", period).code == 0
    outcome = tinquire("run", "--period", period)
    assert (outcome.code, outcome.err) == (0, "")
    (path,) = (tmp_path / job / "out" / period).glob("*.xlsx")
    assert conformance_findings(Package.open(path)) == []
    made = Workbook.open(path).sheet(sheet)
    found = {made.value(row, 1): row for row in range(1, made.used.bottom + 1)}
    for label, value in values.items():
        numbers = [made.value(found[label], column) for column in (2, 3)]
        assert pytest.approx(value) in [number for number in numbers if number is not None]
    assert tinquire("recalc", path, "--check").code == 0
    assert tinquire("audit", path, "--check").code == 0


def test_an_account_with_a_blank_line_is_left_out(tmp_path, tinquire, monkeypatch):
    shutil.copytree(EXAMPLES / "books", tmp_path / "books")
    monkeypatch.chdir(tmp_path / "books")
    mapping = tmp_path / "books" / "lists" / "mapping.csv"
    mapping.write_text(mapping.read_text().replace("1000,\n", ""))
    outcome = tinquire("run", "--period", "2026-10")
    assert outcome.code == 1
    assert "account 1000 with" in outcome.err and "has no line in mapping" in outcome.err
