"""tinquire chart, and charts in show and print."""

from __future__ import annotations

import pytest

from tinquire.packages.package import Package
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.inspect.contents import BookDetails

ROWS = "Depot,Band,Day,Pieces,Charge\n" + "".join(
    f"{depot},{band},2026-10-{day:02d},{day},{day * 1.5}\n"
    for day, (depot, band) in enumerate(((d, b) for d in ("North", "South", "East") for b in ("Bed", "Bath")), start=1)
)


@pytest.fixture
def rows(tmp_path):
    path = tmp_path / "rows.csv"
    path.write_text(ROWS, "utf-8")
    return path


@pytest.mark.parametrize(
    ("name", "words", "says"),
    [
        ("a.png", ["--labels", "Depot", "--sum", "Charge", "--kind", "bars", "--values"], "1 series of 3 labels"),
        ("a.svg", ["--labels", "Depot", "--across", "Band", "--sum", "Charge", "--stack", "share"], "2 series of 3 labels"),
        ("a.pdf", ["--labels", "Day", "--by", "month", "--average", "Pieces", "--kind", "pie"], "1 series of 1 label"),
        ("b.png", ["--labels", "Pieces", "--rows", "Charge", "--kind", "points", "--size", "80x60"], "1 series of 6 labels"),
        ("c.png", ["--labels", "Depot", "--count", "Day", "--top", "1", "--rest", "Others", "--pick", "Others"], "of 2 labels"),
    ],
)  # fmt: skip
def test_a_picture_is_drawn(rows, tmp_path, tinquire, name, words, says):
    done = tinquire("chart", rows, *words, "--out", tmp_path / name)
    assert done.code == 0 and says in done.out, done.err
    data = (tmp_path / name).read_bytes()
    assert data[:4] in (b"\x89PNG", b"<?xm", b"%PDF")
    assert tinquire("chart", rows, *words, "--out", tmp_path / name).code == 2, "nothing is written over"


def test_a_living_chart_is_told_and_printed(rows, tmp_path, tinquire):
    out = tmp_path / "a.xlsx"
    words = ("--labels", "Depot", "--across", "Band", "--sum", "Charge", "--title", "By depot", "--target", "5")
    assert tinquire("chart", rows, *words, "--out", out).code == 0
    assert conformance_findings(Package.open(out)) == []
    (chart,) = BookDetails(Workbook.open(out)).sheet("Chart").charts
    assert [(one.name, one.values) for one in chart.chart.series] == [
        ("Bath", (9.0, 3.0, 6.0)),
        ("Bed", (7.5, 1.5, 4.5)),
    ]
    assert chart.chart.target == 5.0 and chart.size is not None
    assert "'By depot', columns of Chart!$B$2:$B$4" in tinquire("show", out).out
    assert tinquire("print", out, "--to", tmp_path / "a.html").code == 0
    page = (tmp_path / "a.html").read_text("utf-8")
    assert page.count("data:image/svg+xml;base64,") == 1 and 'alt="By depot. Bath: East 9.00' in page


def test_a_chart_of_an_unknown_kind_is_a_frame_and_said(rows, tmp_path, tinquire):
    out = tmp_path / "a.xlsx"
    tinquire("chart", rows, "--labels", "Depot", "--sum", "Charge", "--title", "By depot", "--out", out)
    package = Package.open(out)
    part = next(name for name in package.names() if "chart1" in name)
    package.put(part, package.read(part).replace(b"c:barChart", b"c:surfaceChart"))
    out.write_bytes(package.to_bytes())
    done = tinquire("print", out, "--to", tmp_path / "a.html")
    assert "note      Chart: chart 'By depot': its kind (surfaceChart) is not drawn" in done.out
    assert "<p>By depot</p>" in (tmp_path / "a.html").read_text("utf-8")


@pytest.mark.parametrize(
    ("words", "code", "why"),
    [
        (["--labels", "Depo", "--sum", "Charge", "--out", "x.png"], 1, "no column 'Depo': the nearest is 'Depot'"),
        (["--labels", "Depot", "--out", "x.png"], 2, "either values are summed up, or rows are shown as they are"),
        (["--labels", "Depot", "--sum", "Charge", "--out", "x.gif"], 2, "does not end in .png, .svg, .pdf, .xlsx"),
        (["--labels", "Depot", "--sum", "Charge", "--pick", "Nord", "--out", "x.png"], 2, "it has no label 'Nord'"),
        (["--labels", "Depot", "--sum", "Charge", "--kind", "pie", "--target", "3", "--out", "x.png"], 2, "neither axes nor a target"),
        (["--labels", "Depot", "--sum", "Charge", "--size", "10x10", "--out", "x.png"], 2, "too small for a chart"),
    ],
)  # fmt: skip
def test_what_cannot_be_drawn_is_said(rows, tmp_path, tinquire, words, code, why):
    words = [tmp_path / word if word.startswith("x.") else word for word in words]
    done = tinquire("chart", rows, *words)
    assert (done.code, why in done.err) == (code, True), done.err
    assert not list(tmp_path.glob("x.*"))
