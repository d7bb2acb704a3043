"""Dressed tables and charts: rows laid out and written, pictures drawn, living charts as parts."""

from __future__ import annotations

import io
import zlib
from collections.abc import Iterator
from typing import Any

import numpy as np

from benchmarks.measure import Measure
from tinquire.cells import Column
from tinquire.charts import Chart, Series
from tinquire.charts.draw import draw_chart
from tinquire.charts.pictures import RESOLUTION, picture
from tinquire.layout.marks import MarkPlan
from tinquire.layout.plans import BlockPlan, ColumnDress, OutlinePlan, SheetPlan
from tinquire.layout.sheets import table_sheet
from tinquire.looks import House, Look
from tinquire.packages.package import Package
from tinquire.tables import Field, Table
from tinquire.workbook import Workbook
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.parts.chart_markup import chart_part
from tinquire.workbook.parts.drawing_markup import put_drawing

__all__ = ["measures"]

ROWS, WIDTH, DEPOTS, CHARTS = 100_000, 10, 200, 1_000
_WIDTH, _HEIGHT = 400.0, 240.0


def measures() -> Iterator[Measure]:
    """The lines of the table for dressed sheets and charts."""
    yield from _dressed()
    yield from _drawn()
    yield from _living()


def _dressed() -> Iterator[Measure]:
    rng = np.random.default_rng(8)
    depots = Column.of_codes(
        np.sort(rng.integers(0, DEPOTS, ROWS)).astype(np.int32), [f"depot {n:03}" for n in range(DEPOTS)]
    )
    numbers = [Column.of_numbers(np.rint(rng.random(ROWS) * 1e6) / 100) for _ in range(WIDTH - 1)]
    fields = (Field("Depot"), *(Field(f"N{n}", "money") for n in range(WIDTH - 1)))
    table = Table("charges", fields, (depots, *numbers))
    house = House(
        colours={"woad": "2F5D7C"}, looks={"loud": Look(bold=True, fill="woad"), "faint": Look(colour="woad")}
    )
    marks = [
        MarkPlan(where="[N0] > 9000", look="loud"), MarkPlan(on=["N1"], largest=10, percent=True, look="loud"),
        MarkPlan(on=["N2"], bars="woad"), MarkPlan(on=["N3"], scale=["#FFFFFF", "woad"]),
        MarkPlan(on=["N4"], below=100, look="faint"),
    ]  # fmt: skip
    totals = {f"N{n}": "sum" for n in range(WIDTH - 1)}
    dressed = BlockPlan(
        sheet="S", totals=totals, marks=marks, outline=OutlinePlan(by=["Depot"]),
        dress={"N5": ColumnDress(look="faint", width=14), "N6": ColumnDress(format="0.0", align="center")},
    )  # fmt: skip
    plain = BlockPlan(sheet="S", totals=totals)

    def written(plan: BlockPlan) -> bytes:
        book = Workbook.new()
        book.add_sheet(table_sheet(SheetPlan(name="S"), plan, table, house, book.styles, "T").sheet)
        return book.to_bytes()

    yield Measure(
        "100k-row table with five marks, an outline of 200 groups and column looks, laid out and written",
        "the same rows laid out and written plain", 1.25, lambda: written(dressed), lambda: written(plain),
    )  # fmt: skip


def _chart(number: int = 0) -> Chart:
    labels = ("Northgate", "Millrace", "Harbour", "Uplands")
    values = [tuple(float(1000 + 37 * number + 200 * band + 90 * n) for n in range(4)) for band in range(3)]
    return Chart(
        tuple(
            Series(
                band, own, labels, format='"£"#,##0', name_at=f"Data!${letter}$1", labels_at="Data!$A$2:$A$5",
                values_at=f"Data!${letter}$2:${letter}$5",
            )
            for band, own, letter in zip(("Bed", "Bath", "Table"), values, "BCD", strict=True)
        ),
        title="Charged by depot and band", legend="bottom",
    )  # fmt: skip


def _drawn() -> Iterator[Measure]:
    chart = _chart()

    def by_matplotlib() -> bytes:
        from matplotlib.figure import Figure

        figure = Figure(figsize=(_WIDTH / 72, _HEIGHT / 72), dpi=RESOLUTION)
        axes: Any = figure.add_axes((0.1, 0.2, 0.87, 0.68))
        for number, series in enumerate(chart.series):
            places = np.arange(4) + number * 0.25
            axes.bar(places, series.values, 0.25, label=series.name, color=f"#{chart.colour_of(number)}")
        axes.set_xticks(np.arange(4) + 0.25, series.labels)
        axes.grid(axis="y", linewidth=0.5)
        axes.set_axisbelow(True)
        axes.spines[["top", "right", "left"]].set_visible(False)
        figure.text(0.03, 0.93, chart.title, weight="bold")
        figure.legend(loc="lower left", ncols=3, frameon=False)
        stream = io.BytesIO()
        figure.savefig(stream, format="png")
        return stream.getvalue()

    yield Measure(
        "a chart drawn as PNG, the second and later ones of a run",
        "the same chart by a new Matplotlib Figure and savefig",
        0.5,
        lambda: picture(draw_chart(chart, _WIDTH, _HEIGHT), "png"),
        by_matplotlib,
    )


def _living() -> Iterator[Measure]:
    charts = [_chart(number) for number in range(CHARTS)]
    ready = [chart_part(chart) for chart in charts]
    frames = [Frame(1 + 20 * n, 1, _WIDTH, _HEIGHT, chart, f"Chart {n}") for n, chart in enumerate(charts)]

    def parts() -> bytes:
        package = Package()
        package.start()
        package.put("xl/worksheets/sheet1.xml", b"")
        put_drawing(package, "xl", "xl/worksheets/sheet1.xml", frames, "http://relations")
        return package.to_bytes()

    yield Measure(
        "a package with the parts of 1,000 living charts with stored values", "zlib level 6 of the ready parts", 2.0,
        parts, lambda: [zlib.compress(part, 6) for part in ready],
    )  # fmt: skip
