"""Ready-made checks on a small job, and what the daybook knows of the period before."""

from __future__ import annotations

import os
from datetime import UTC, datetime

import pytest
from test_small_jobs import BASE, ROWS, SHEET, made

from tinquire.base.faults import TinQuireError
from tinquire.docket import load_docket, parse_period
from tinquire.press.make import make
from tinquire.press.publish import publish

FIGURE = '[figures]\nfees = "SUM(lettings[Fee])"\nnone = "0"\n'


def check(text, otherwise="warn"):
    return f'{BASE}{FIGURE}[checks.c]\notherwise = "{otherwise}"\n{text}\n'


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ('agree = ["SUM(lettings[Fee])", "fees", "165.5"]', ""),
        ('agree = ["fees", "165"]', "fees is 165.5, 165 is 165: 0.5 apart"),
        ('agree = ["fees", "165"]\nwithin = 0.5', ""),
        ('agree = ["fees", "1/0"]', "fees is 165.5, 1/0 is #DIV/0!"),
        ('rows = { table = "lettings", at_least = 4, at_most = 4 }', ""),
        ('rows = { table = "lettings", at_least = 5 }', "lettings has 4 rows"),
        ('rows = { table = "lettings", at_most = 3 }', "lettings has 4 rows"),
        ('no_repeats = { table = "lettings", columns = ["Hall", "Day"] }', ""),
        ('no_repeats = { table = "lettings", columns = ["Hall"] }', "1 key stands more than once in lettings: 'Great hall' (lettings.csv, row 2)"),
        ('complete = { table = "lettings", columns = ["Day", "Fee"] }', ""),
        ('complete = { table = "lettings", columns = ["Hall", "Share"] }', "Hall is blank in lettings.csv, row 5; Share is blank in lettings.csv, row 5"),
        ('values = { table = "lettings", column = "Hall", among = ["great hall", "Annex"] }', ""),
        ('values = { table = "lettings", column = "Hall", among = ["Annex"] }', "'Great hall' in lettings.csv, row 2, lettings.csv, row 4"),
        ('values = { table = "lettings", column = "Hall", among = "lettings[Hall]" }', ""),
        ('values = { table = "lettings", column = "Fee", at_least = 0 }', "-10 in lettings.csv, row 4"),
        ('values = { table = "lettings", column = "Fee", at_least = -10, at_most = 120.5 }', ""),
        ('near_last = { figure = "fees", percent = 5 }', ""),
        ('none_missing = { table = "lettings", column = "Hall" }', ""),
        ('says = "look at the fees"\nvalues = { table = "lettings", column = "Fee", at_most = 120 }', "look at the fees (120.5 in lettings.csv, row 2)"),
    ],
)  # fmt: skip
def test_ready_made_checks(text, found, tmp_path):
    pack, _ = made(tmp_path, check(text))
    (result,) = pack.results.checks
    assert (result.holds, result.says if found else "") == (not found, found)
    assert [fault.why for fault in pack.warnings] == ([found] if found else [])
    if found:
        with pytest.raises(TinQuireError) as caught:
            made(tmp_path, check(text, "stop"))
        assert found in caught.value.faults[0].why


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "a check needs exactly one of"),
        ('that = "TRUE"\nagree = ["1", "1"]', "a check needs exactly one of"),
        ('agree = ["1"]', "agree takes two formulas or more"),
        ('rows = { table = "letting" }', "there is no table 'letting': the nearest is 'lettings'"),
        ('complete = { table = "lettings", columns = ["Hal"] }', "the nearest is 'Hall'"),
        ('values = { table = "lettings", column = "Hall", among = "lettings" }', "names no column of a table"),
        ('near_last = { figure = "fee", percent = 5 }', "there is no figure 'fee'"),
        ('fresh = { source = "letting" }', "there is no source 'letting'"),
        ('agree = ["fees", "fes"]', "'fes' is neither a figure nor a table"),
    ],
)
def test_checks_that_cannot_be_read(text, why, tmp_path):
    with pytest.raises(TinQuireError) as caught:
        made(tmp_path, check(text))
    assert why in " ".join(fault.why for fault in caught.value.faults)


def test_checks_look_back_on_the_period_before(tmp_path):
    docket = BASE + FIGURE + SHEET + (
        '[checks.fees]\nnear_last = { figure = "fees", percent = 10 }\notherwise = "warn"\n'
        '[checks.halls]\nnone_missing = { table = "lettings", column = "Hall" }\notherwise = "warn"\n'
        '[checks.zero]\nnear_last = { figure = "none", percent = 10 }\notherwise = "warn"\n'
    )  # fmt: skip
    pack, _ = made(tmp_path, docket, period="2026-Q3")
    publish(pack, datetime(2026, 10, 2, tzinfo=UTC))
    assert [check.holds for check in pack.results.checks] == [True, True, True]
    pack, _ = made(tmp_path, docket, ROWS.replace("£120.50", "£150.00"), period="2026-Q4")
    assert pack.results.checks[0].says == "fees is 195, 17.8% away from 165.5 in 2026-Q3"
    assert pack.results.checks[1].holds
    pack, _ = made(tmp_path, docket, ROWS.replace("Annex", "Loft"), period="2026-Q4")
    assert pack.results.checks[1].says == "'Annex' of 2026-Q3"
    assert [check.holds for check in pack.results.checks] == [True, False, True]


def test_files_must_not_be_older_than_the_period(tmp_path):
    made(tmp_path, check('fresh = { source = "lettings" }'))
    for since, holds in (("end", False), ("start", True)):
        (tmp_path / "docket.toml").write_text(check(f'fresh = {{ source = "lettings", since = "{since}" }}'), "utf-8")
        moment = datetime(2026, 10, 3, 12, tzinfo=UTC).timestamp()
        os.utime(tmp_path / "lettings.csv", (moment, moment))
        pack = make(load_docket(tmp_path / "docket.toml"), parse_period("2026-Q4"))
        assert pack.results.checks[0].holds == holds
        if not holds:
            assert pack.results.checks[0].says == "lettings.csv was last written on 2026-10-03"
