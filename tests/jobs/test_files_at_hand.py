"""`stack`, `pivot` and `match` on random messy files, held against a plain reading; `TINQUIRE_JOBS` says how many."""

from __future__ import annotations

import contextlib
import io
import shutil

import pytest
from hypothesis import HealthCheck, Phase, assume, given, settings
from hypothesis import strategies as st

from jobs import plain, reader
from jobs.maker import KINDS, Draw, Job, pivot, source
from jobs.test_generated_jobs import COUNT, same, size_of
from tinquire.cli.main import main

MANY = settings(max_examples=COUNT, suppress_health_check=list(HealthCheck), phases=[Phase.reuse, Phase.generate])


@st.composite
def files(draw_value, most=7):
    draw, job = Draw(draw_value), Job({})
    source(draw, job, "rows", draw.some(KINDS, 4, len(KINDS)) if draw.chance(50) else list(KINDS), most)
    return draw, job


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    return tmp_path_factory.mktemp("hand")


def put(folder, job):
    shutil.rmtree(folder)
    folder.mkdir()
    for name, content in job.files.items():
        (folder / name).write_bytes(content)


def reading(job, name, prefix="--"):
    """The options that say what the docket's source says."""
    spec = job.docket["sources"][name]
    words = [word for heading, kind in spec["types"].items() for word in (f"{prefix}type", f"{heading}={kind}")]
    if prefix == "--":
        words += [w for key in ("decimal", "separator") if key in spec for w in (f"--{key}", spec[key])]
        words += ["--totals-row", spec["totals_row"]] if "totals_row" in spec else []
    return words


def run(*words):
    said = io.StringIO()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
        code = main([str(word) for word in words])
    return code, said.getvalue()


def below(values, top):
    return {(row - top, column): value for (row, column), value in values.items() if row > top}


@MANY
@given(st.data())
def test_stacked_rows_are_those_of_the_files(folder, data):
    _, job = data.draw(files())
    assume("File" not in job.tables["rows"].headings)
    put(folder, job)
    code, said = run("stack", *sorted(folder.glob("rows-*")), *reading(job, "rows"), "--out", folder / "o.xlsx")
    assert code == 0, said
    _, values, _ = next(reader.read((folder / "o.xlsx").read_bytes()))
    rows = job.tables["rows"]
    headings = [values.get((1, column)) for column in range(1, len(rows.headings) + 4)]
    places = [headings.index(heading) + 1 for heading in (*rows.headings, "File", "Row")]
    wanted = [[*row, *next(iter(origin))] for row, origin in zip(rows.rows, rows.origins, strict=True)]
    for number, row in enumerate(wanted, start=2):
        found = [values.get((number, place)) for place in places]
        row[-2:] = [row[-2], float(row[-1])]
        found[-2] = str(found[-2]).rpartition("/")[2]
        assert all(map(same, row, found)), (row, found)
    assert max(row for row, _ in values) == len(wanted) + 1


@MANY
@given(st.data())
def test_a_pivot_sums_up_the_files(folder, data):
    draw, job = data.draw(files())
    pivot(draw, job, "p")
    assume("pivots" in job.docket)
    asked = {key: value for key, value in job.docket["pivots"]["p"].items() if not key.startswith("totals")}
    put(folder, job)
    words = ["--rows", *asked["rows"], *(["--columns", *asked["columns"]] if "columns" in asked else [])]
    for value in asked["values"]:
        how, column = next((how, column) for how, column in value.items() if how != "as")
        words += [f"--{how}", f"{column}={value['as']}"]
    words += ["--empty", plain.text(asked["empty"])] if "empty" in asked else []
    words += ["--where", asked["where"]] if "where" in asked else []
    words += ["--subtotals", "below"] if "subtotals" in asked else []
    made = folder / "o.xlsx"
    code, said = run(
        "pivot", *sorted(folder.glob("rows-*")), *words, *reading(job, "rows"), "--totals", "", "--out", made
    )
    assert code == 0, said
    _, values, _ = next(reader.read(made.read_bytes()))
    lines, _ = plain.pivot(job.tables["rows"], asked, {"Day"})
    wanted = {(n, c): value for n, line in enumerate(lines, 1) for c, value in enumerate(line, 1) if value is not None}
    bottom = max((row for row, _ in values), default=0)
    last = max((row for row, _ in wanted), default=0)
    found = below(values, bottom - last)
    size = size_of(value for row in job.tables["rows"].rows for value in row)
    for place in {*wanted, *found}:
        assert same(wanted.get(place), found.get(place), size), (asked, place, wanted.get(place), found.get(place))


@MANY
@given(st.data())
def test_a_match_brings_what_the_keys_say(folder, data):
    draw, job = data.draw(files(3))
    assume("Item" in job.tables["rows"].headings)
    source(draw, job, "rates", ["Item", *draw.some(["Pieces", "Fee", "Share", "Note"], 1, 3)], 3)
    specs = job.docket["sources"]
    shared = ("decimal", "separator", "totals_row")
    assume(all(specs["rows"].get(key) == specs["rates"].get(key) for key in shared))
    put(folder, job)
    column = draw.of([heading for heading in job.tables["rates"].headings if heading != "Item"])
    step = {"match": "rates", "on": {"Item": "Item"}, "bring": {column: "Brought"}}
    step |= {"unmatched": draw.of(["blank", "drop"]), "repeated": draw.of(["first", "last", "sum"])}
    wanted = plain.apply_step(job.tables["rows"], step, job.tables)
    (left,), (right,) = folder.glob("rows-*"), folder.glob("rates-*")
    code, said = run(
        "match", left, right, "--on", "Item", "--bring", f"{column}=Brought", "--unmatched", step["unmatched"],
        "--repeated", step["repeated"], *reading(job, "rows"), *reading(job, "rates", "--right-"), "--out", folder / "o.xlsx",
    )  # fmt: skip
    assert code == 0, said
    _, values, _ = next(reader.read((folder / "o.xlsx").read_bytes()))
    found = below(values, 1)
    every = {(n, c): value for n, row in enumerate(wanted.rows, 1) for c, value in enumerate(row, 1)}
    assert [values.get((1, column)) for column in range(1, len(wanted.headings) + 1)] == wanted.headings
    for place in {*every, *found}:
        assert same(every.get(place), found.get(place)), (step, place, every.get(place), found.get(place))
