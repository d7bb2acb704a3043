"""Figures of earlier periods, in figures and checks, and what is made again when one of them changes."""

import json
from datetime import UTC, datetime

import pytest

from tinquire.base.faults import TinQuireError
from tinquire.docket import load_docket, parse_period
from tinquire.press.make import make
from tinquire.press.publish import publish
from tinquire.press.unchanged import inputs_of, unchanged

AT = datetime(2026, 11, 3, 9, tzinfo=UTC)
DOCKET = """
title = "T"
period = "month"
[sources.rows]
file = "rows-[:period:].csv"
types = {{ N = "number" }}
[figures]
total = "SUM(rows[N])"
{figures}
[checks]
{checks}
[workbooks.pack]
name = "Pack [:period:].xlsx"
sheets = [{{ name = "Rows", table = "rows" }}]
[proof]
pictures = false
"""
ROWS = {"2025-12": 900, "2026-01": 10, "2026-02": 20, "2026-03": 30}


def run(folder, period, figures="", checks=""):
    (folder / "docket.toml").write_text(DOCKET.format(figures=figures, checks=checks), "utf-8")
    (folder / f"rows-{period}.csv").write_text(f"N\n{ROWS.get(period, 5)}\n", "utf-8")
    docket, period = load_docket(folder / "docket.toml"), parse_period(period)
    pack = make(docket, period, kept=folder / ".kept")
    publish(pack, AT, inputs_of(pack, docket, period, None))
    return pack.results.figures


FIGURES = [
    ('x = "BEFORE(total)"', 20.0),
    ('x = "total - before( Total , 2)"', 20.0),
    ('x = "total / BEFORE(total, 4, 1)"', 30.0),  # there is none of November
    ('x = "BEFORE(total, 4, total * 2)"', 60.0),
    ('x = "YEAR_SO_FAR(total)"', 60.0),
    ('x = "IF(BEFORE(total, 3) > 500, \\"much\\", \\"little\\")"', "much"),
    ('y = "total * 2"\nx = "y + BEFORE(total)"', 80.0),
]


@pytest.mark.parametrize(("figures", "value"), FIGURES)
def test_figures_of_earlier_periods(tmp_path, figures, value):
    for period in ("2025-12", "2026-01", "2026-02"):
        run(tmp_path, period)
    assert run(tmp_path, "2026-03", figures)["x"] == value


def test_a_running_total(tmp_path):
    figures = 'running = "BEFORE(running, 1, 0) + total"'
    assert [run(tmp_path, period, figures)["running"] for period in ROWS] == [900.0, 910.0, 930.0, 960.0]


WRONG = [
    ('x = "BEFORE(total)"', "", "'total' is not known for 2026-02: no run of that period has made it"),
    ('x = "YEAR_SO_FAR(total)"', "", "'total' is not known for 2026-02"),
    ('x = "BEFORE(totl)"', "", "'totl' is no figure of the docket: the nearest is 'total'"),
    ('x = "BEFORE(SUM(rows[N]))"', "", "is no figure of the docket"),
    ('x = "BEFORE(total, 0)"', "", "'0' is no number of periods from 1"),
    ('x = "BEFORE(total, -1)"', "", "'-1' is no number of periods from 1"),
    ('x = "BEFORE(total, total)"', "", "the number of periods is written as a number"),
    ('x = "BEFORE()"', "", "BEFORE takes a figure"),
    ("", 'grows = { that = "total > BEFORE(total, 1, 1000)" }', "does not hold"),
]


@pytest.mark.parametrize(("figures", "checks", "why"), WRONG)
def test_what_cannot_be_told(tmp_path, figures, checks, why):
    with pytest.raises(TinQuireError) as stopped:
        run(tmp_path, "2026-03", figures, checks)
    assert why in stopped.value.faults[0].why


def test_an_earlier_period_that_changes_is_heeded(tmp_path):
    figures = 'x = "BEFORE(total, 2)"'
    for period in ("2026-01", "2026-02", "2026-03"):
        run(tmp_path, period, figures if period == "2026-03" else 'x = "total"')
    assert unchanged(tmp_path / "docket.toml", "2026-03", None) is not None
    ROWS["2026-01"] = 11
    try:
        run(tmp_path, "2026-01", 'x = "total"')
    finally:
        ROWS["2026-01"] = 10
    (tmp_path / "docket.toml").write_text(DOCKET.format(figures=figures, checks=""), "utf-8")
    assert (
        unchanged(tmp_path / "docket.toml", "2026-03", None) is None and run(tmp_path, "2026-03", figures)["x"] == 11.0
    )


def test_a_run_is_made_again_from_its_record(tmp_path, tinquire):
    run(tmp_path, "2026-01")
    run(tmp_path, "2026-02", 'x = "total * 2"')
    path, pack = tmp_path / "docket.toml", "out/2026-01/Pack 2026-01.xlsx"
    told = tinquire("run", path, "--as-of", "1")
    assert told.code == 0 and "docket.toml was changed since; it is taken as it was" in told.out
    assert "1 file, byte for byte as they were made then" in told.out
    assert (tmp_path / "as-of/run 1/Pack 2026-01.xlsx").read_bytes() == (tmp_path / pack).read_bytes()
    (tmp_path / "rows-2026-01.csv").write_text("N\n11\n")
    told = tinquire("run", path, "--as-of", "1")
    assert told.code == 1 and "rows-2026-01.csv, read for rows, was changed since" in told.out and pack in told.out
    path.write_text("style = 'house.toml'\n" + path.read_text())
    (tmp_path / "house.toml").write_text("[colours]\nink = '#27343A'\n")
    assert tinquire("run", path, "-p", "2026-02").code == 0
    (tmp_path / "house.toml").write_text("[colours]\nink = '#000000'\n")
    assert "house.toml was changed since: it is taken as it is now" in tinquire("run", path, "--as-of", "3").out
    assert len(json.loads(tinquire("history", tmp_path, "--json").out)) == 3, "nothing is recorded"
    missing = tinquire("run", path, "--as-of", "9")
    assert missing.code == 2 and "there is no run 9 in the daybook; the latest are 3, 2, 1" in missing.err
    assert tinquire("run", path).code == 2
