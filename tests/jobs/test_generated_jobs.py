"""Random jobs run through the press, and every cell, figure and origin held against a plain reading of the docket.

`TINQUIRE_JOBS=50000 pytest tests/jobs` tries as many.
"""

from __future__ import annotations

import json
import math
import os
import re
import shutil
from functools import partial

import pytest
from hypothesis import HealthCheck, Phase, given, settings

from jobs import plain, reader
from jobs.maker import jobs
from tinquire.base.faults import TinQuireError
from tinquire.cells.address import Area
from tinquire.docket import load_docket, parse_period
from tinquire.press.make import make
from tinquire.press.outputs.provenance import sources_of_slots
from tinquire.press.record.packing import pack_cells, pack_origin, unpack_cells, unpack_origin

COUNT = int(os.environ.get("TINQUIRE_JOBS", "150"))

_DIGITS = re.compile(r"-?\d+\.\d{12,}")


def same(wanted, found, size=0.0):
    if isinstance(wanted, float) and isinstance(found, float) and not isinstance(wanted, bool):
        return math.isclose(wanted, found, rel_tol=1e-11, abs_tol=1e-11 * size)
    if wanted in (None, "") and found in (None, ""):
        return True
    if isinstance(wanted, str) and isinstance(found, str) and _DIGITS.fullmatch(wanted) and _DIGITS.fullmatch(found):
        return same(float(wanted), float(found))  # a share spelled as text keeps the last bits of its sum
    return type(wanted) is type(found) and wanted == found


def size_of(values):
    return sum(abs(value) for value in values if isinstance(value, float))


class Traces:
    """What the daybook would keep of an output's cells, and which of it was asked for."""

    def __init__(self, sourced):
        bases = {id(one.origin): unpack_origin(*pack_origin(one.origin)) for one in sourced if one.origin is not None}
        self.kept = [unpack_cells(pack_cells(one), bases.get(id(one.origin))) for one in sourced]

    def rows(self, sheet, row, column):
        """The (file, row) pairs that a cell is made of; None for a cell that is of no rows."""
        found = [one for one in self.kept if one.sheet == sheet and one.area.holds(row, column)]
        assert len(found) < 2, (sheet, row, column, found)
        return None if not found else {(file, line) for file, _, line in found[0].rows_at(row, column).listed()}


def check_table(sheet, table, values, formulas, rows_of):
    """One sheet of a table: title, headings, rows, totals, and nothing else."""
    top = 3 if "title" in sheet else 1
    wanted = {(1, 1): sheet["title"].replace("[:title:]", "A job")} if "title" in sheet else {}
    for column, heading in enumerate(table.headings, start=1):
        wanted[top, column] = heading
        own = table.column(heading)
        for row, value in enumerate(own, start=top + 1):
            wanted[row, column] = value
            assert rows_of(row, column) == table.origins[row - top - 1], (sheet, row, column)
        assert rows_of(top, column) is None
        kind = {name.casefold(): kind for name, kind in sheet.get("totals", {}).items()}.get(heading.casefold())
        bottom = top + 1 + max(len(own), 1)
        if kind is not None:
            found = values.get((bottom, column))
            assert same(plain.total(kind, own), found, size_of(own)), (sheet, heading, kind, found)
            wanted[bottom, column] = found
            assert rows_of(bottom, column) == (plain.together(table.origins) if own else None), (sheet, heading)
        elif column == 1 and sheet.get("totals"):
            wanted[bottom, 1] = values[bottom, 1]
    for place in {*wanted, *values}:
        assert same(wanted.get(place), values.get(place)), (sheet, place, wanted.get(place), values.get(place))
    for (row, column), formula in formulas.items():
        if "#This Row" in formula:
            by = plain.evaluated(formula, lambda heading, row=row: values.get((row, table.at(heading) + 1)))
            by = 0.0 if by is None else by
            assert same(by, values.get((row, column))), (sheet, formula, by, values.get((row, column)))


def parts(sheet, table):
    """The tables of the sheets that one entry makes."""
    if "columns" in sheet:
        table = table.select(sheet["columns"])
    if "split" in sheet:
        keys = table.column(sheet["split"])
        distinct = sorted({(type(v), v) for v in keys}, key=lambda one: plain.rank(one[1]))
        return [table.pick([n for n, v in enumerate(keys) if (type(v), v) == one]) for one in distinct]
    most = sheet.get("rows_per_sheet", 10**6)
    return [
        table.pick(range(start, min(start + most, len(table.rows))))
        for start in range(0, max(len(table.rows), 1), most)
    ]


def check_book(job, output, tables):
    found = list(reader.read(output.data))
    traces = Traces(output.sources)
    for sheet in job.docket["workbooks"]["book"]["sheets"]:
        if "pivot" in sheet:
            asked = job.docket["pivots"][sheet["pivot"]]
            name, values, _ = found.pop(0)
            top = 3 if len(asked["values"]) > 1 and "columns" in asked else 2
            rows = job.tables[asked["from"]]
            size = size_of(v for row in rows.rows for v in row)
            days = {one.name for one in tables[asked["from"]].fields if one.type == "date"}
            lines, origins = plain.pivot(rows, asked, days)
            for n, line in enumerate(origins):
                for column, origin in enumerate(line, start=1):
                    assert traces.rows(name, top + n, column) == origin, (asked, top + n, column, origin)
            wanted = {
                (top + n, column): value for n, line in enumerate(lines) for column, value in enumerate(line, start=1)
            }
            below = {place: value for place, value in values.items() if place[0] >= top}
            for place in {*wanted, *below}:
                assert same(wanted.get(place), below.get(place), size), (
                    asked,
                    place,
                    wanted.get(place),
                    below.get(place),
                )
            continue
        if "statement" in sheet:
            name, values, _ = found.pop(0)
            asked = job.docket["statements"]["s0"]["amounts"][0]
            size = size_of(job.tables["rows"].column(asked["amount"]))
            lines = plain.statement(job.tables["rows"], job.tables["lines"], job.tables["map"], asked["amount"])
            for row, line in enumerate(lines, start=2):
                shown = [values.get((row, 1)), values.get((row, 2))]
                assert all(same(a, b, size) for a, b in zip(line, shown, strict=False)), (line, shown)
                assert (traces.rows(name, row, 1), traces.rows(name, row, 2)) == (None, line[2]), (asked, line)
            continue
        for table in parts(sheet, job.tables[sheet["table"]]):
            name, values, formulas = found.pop(0)
            check_table(sheet, table, values, formulas, partial(traces.rows, name))
    assert not found


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    return tmp_path_factory.mktemp("job")


# A job that fails is small enough to be read; making it smaller yet takes minutes.
@settings(max_examples=COUNT, suppress_health_check=list(HealthCheck), phases=[Phase.reuse, Phase.generate])
@given(job=jobs())
def test_every_number_is_that_of_a_plain_reading(folder, job):
    hold(folder, job)


def toml(docket):
    """A docket as TOML, each part in a line: a tenth of the time of a job."""
    return "".join(f"{key} = {_inline(value)}\n" for key, value in docket.items())


def _inline(value):
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{json.dumps(key)} = {_inline(one)}" for key, one in value.items()) + " }"
    if isinstance(value, list):
        return "[" + ", ".join(map(_inline, value)) + "]"
    return json.dumps(value)


def hold(folder, job):
    """Run a job in a folder, and hold all that comes of it against what it has to come to."""
    shutil.rmtree(folder)
    folder.mkdir()
    for name, content in job.files.items():
        (folder / name).write_bytes(content)
    (folder / "docket.toml").write_text(toml(job.docket), "utf-8")
    try:
        pack = make(load_docket(folder / "docket.toml"), parse_period("2026-10"))
    except TinQuireError as error:
        living = [
            sheet
            for sheet in job.docket["workbooks"]["book"]["sheets"]
            if {"pivot", "statement"} & set(sheet) and sheet["formulas"] == "living"
        ]
        if not living or any(fault.do != 'write formulas = "values" for this sheet' for fault in error.faults):
            raise
        for sheet in living:  # labels that conditional sums cannot tell apart: it stopped, and says so
            sheet["formulas"] = "values"
        hold(folder, job)
        return
    for name, wanted in job.figures.items():
        assert same(wanted, pack.results.figures[name], 1e6), (name, wanted, pack.results.figures[name])
        sourced = sources_of_slots(pack.results, pack.results.slots(), "", Area(1, 1, 1, 1), f"[:{name}:]")
        rows = [one.rows_at(1, 1).listed() for one in sourced if one.origin is not None]
        found = {(file, row) for listed in rows for file, _, row in listed}
        assert found == job.figure_rows[name], (name, job.docket["figures"])
    check_book(job, pack.outputs[0], pack.results.tables)
