"""tinquire chart: the rows of files as a chart: a picture, or living in a workbook."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted
from tinquire.cli.support.files import find_files
from tinquire.cli.support.rows import add_reading, chosen_rows
from tinquire.cli.support.summing import AGGREGATIONS, Value, field_settings, pivot_field, pivot_values
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.charts.chart import Chart
    from tinquire.layout.sheets import Canvas
    from tinquire.looks import House
    from tinquire.press.outputs.shown_rows import ShownRows
    from tinquire.tables import Table
    from tinquire.workbook import Workbook

EXAMPLE = (
    "tinquire chart charges.xlsx --labels Depot --sum Charge --kind bars --out charges.png\n"
    "  tinquire chart charges.xlsx --labels Depot --across Band --sum Charge --stack stacked --out charges.xlsx"
)
_KINDS = ("bars", "columns", "lines", "areas", "pie", "ring", "points", "bubbles")
_FORMS = ("png", "svg", "pdf", "xlsx")
_MILLIMETRE = 72 / 25.4


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", nargs="+", help="workbooks or delimited texts, patterns of them, or folders")
    parser.add_argument("--out", type=Path, required=True, metavar="FILE", help="the file: .png, .svg, .pdf or .xlsx")
    parser.add_argument("--kind", choices=_KINDS, default="columns", help="bars lie, columns stand (columns)")
    parser.add_argument("--labels", required=True, metavar="FIELD", help="the field of labels")
    parser.add_argument("--across", metavar="FIELD", help="a series for each value of this field")
    parser.add_argument(
        "--rows", nargs="+", default=[], metavar="COLUMN", help="columns to show row by row, without summing up"
    )
    parser.add_argument("--size-of", metavar="COLUMN", help="of bubbles, the column of their sizes")
    values = parser.add_argument_group("values; NAME=COLUMN gives a value a name")
    for word, does in AGGREGATIONS.items():
        values.add_argument(f"--{word}", nargs="+", action=Value, metavar="COLUMN[=NAME]", help=f"{does} a column")
    fields = parser.add_argument_group("labels")
    fields.add_argument("--by", metavar="PART", help="group days by day, week, month, ...")
    fields.add_argument("--sort", metavar="VALUE", help="sort by a value; -VALUE for descending order")
    fields.add_argument("--top", type=int, metavar="N", help="the first n labels only")
    fields.add_argument("--rest", metavar="NAME", help="all other labels, under this name")
    parser.add_argument(
        "--where", metavar="FORMULA", help="only rows for which this formula is true, such as '[Band]=\"Bed\"'"
    )
    looks = parser.add_argument_group("looks")
    looks.add_argument("--title", help="the title; none if not given")
    looks.add_argument("--stack", choices=("no", "stacked", "share"), default="no", help="series upon each other")
    looks.add_argument("--values", dest="show_values", action="store_true", help="write each value beside its mark")
    looks.add_argument("--pick", metavar="LABEL", help="the label whose mark stands out")
    looks.add_argument("--target", type=float, metavar="N", help="a line at a value")
    looks.add_argument("--log", action="store_true", help="a logarithmic axis of values")
    looks.add_argument("--format", metavar="CODE", help="a number format for the values, or a column type")
    looks.add_argument("--size", type=_size, default=(160.0, 90.0), metavar="WxH", help="millimetres (160x90)")
    looks.add_argument("--style", type=Path, metavar="TOML", help="a house file for colours, font and formats")
    add_reading(parser)
    parser.set_defaults(values=[])


def _size(text: str) -> tuple[float, float]:
    width, _, height = text.lower().partition("x")
    try:
        return float(width), float(height)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is not a size: write, for example, 160x90") from None


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.docket.house import load_house
    from tinquire.layout.plans import SheetPlan
    from tinquire.layout.sheets import Canvas
    from tinquire.workbook import Workbook

    require_new(options.out)
    form = options.out.suffix.lower().lstrip(".")
    if form not in _FORMS:
        why = f"'{options.out.name}' does not end in {', '.join(f'.{known}' for known in _FORMS)}"
        raise UseError(Fault("drawing a chart", why, do="write, for example, --out chart.png"))
    if bool(options.values) == bool(options.rows):
        do = "name one: --sum Charge, or --rows Charge for rows as they are"
        raise UseError(Fault("drawing a chart", "either values are summed up, or rows are shown as they are", do=do))
    house = load_house(options.style)
    table = _table(options, terminal)
    book = Workbook.new(house.font, house.size)
    canvas = Canvas(SheetPlan(name="Chart", freeze=False), house, book.styles)
    rows = _shown_as_rows(options, table, canvas) if options.rows else _summed_up(options, table, canvas)
    chart = _chart(options, rows, house)
    size = (options.size[0] * _MILLIMETRE, options.size[1] * _MILLIMETRE)
    data = _workbook(book, canvas, chart, size) if form == "xlsx" else _picture(chart, size, form)
    _write(options.out, data)
    marks = max((len(series.values) for series in chart.series), default=0)
    told = f"{counted(len(chart.series), 'series', 'series')} of {counted(marks, 'label')}"
    terminal.line("wrote", f"{options.out}  ({told})")
    return 0


def _table(options: argparse.Namespace, terminal: Terminal) -> Table:

    files, base = find_files(options.files, terminal, workbooks_only=False)
    return chosen_rows("chart", files, base, options, terminal)


def _summed_up(options: argparse.Namespace, table: Table, canvas: Canvas) -> ShownRows:
    """The pivot that the chart shows, laid on a sheet."""
    from tinquire.layout.dresser import Dresser
    from tinquire.layout.pivots import lay_pivot
    from tinquire.press.outputs.shown_rows import ShownRows, headings_of_pivot
    from tinquire.tables.pivots.compute import make_pivot

    one = argparse.Namespace(
        by=[f"{options.labels}={options.by}"] if options.by else [],
        sort=[f"{options.labels}={options.sort}"] if options.sort else [],
        top=[f"{options.labels}={options.top}"] if options.top else [],
    )
    across = [options.across] if options.across else []
    settings = field_settings(one, [options.labels], across)
    pivot = make_pivot(
        table, [pivot_field(options.labels, settings, options.rest)],
        [pivot_field(name, settings, None) for name in across], list(pivot_values(options)),
    )  # fmt: skip
    laid = lay_pivot(canvas.sheet, canvas.spot(), pivot, Dresser(canvas.house, canvas.styles, canvas.plan))
    canvas.add("the pivot", laid, "")
    top = laid.body.top if laid.body is not None else 1
    return ShownRows("rows", "Chart", (), top, 1, headings_of_pivot(pivot, laid), [(0, pivot.height - 1)])


def _shown_as_rows(options: argparse.Namespace, table: Table, canvas: Canvas) -> ShownRows:
    """The rows that the chart shows, laid on a sheet as they are."""
    from tinquire.layout.dresser import Dresser
    from tinquire.layout.plans import BlockPlan
    from tinquire.layout.tables import lay_table
    from tinquire.press.outputs.shown_rows import ShownRows, headings_of_table

    columns = list(dict.fromkeys([options.labels, *options.rows, *([options.size_of] if options.size_of else [])]))
    plan = BlockPlan(sheet="Chart", columns=columns)
    spot = canvas.spot()
    shown = lay_table(canvas.sheet, spot, plan, table, Dresser(canvas.house, canvas.styles, plan), "Rows")
    canvas.add("the rows", shown.laid, "")
    return ShownRows(
        "rows", "Chart", (), spot[0] + 1, spot[1], headings_of_table(shown.table, spot), [(0, table.height - 1)]
    )


def _chart(options: argparse.Namespace, rows: ShownRows, house: House) -> Chart:
    """The chart of rows. Raises UseError for one that cannot be."""
    from pydantic import ValidationError

    from tinquire.docket.schema.charts import ChartModel, ChartSeriesModel
    from tinquire.press.compute.slot_scope import SlotScope
    from tinquire.press.outputs.charts import chart_of

    series = [ChartSeriesModel(column=name, size=options.size_of) for name in options.rows]
    target = None if options.target is None else f"{options.target:,.15g}"
    try:
        model = ChartModel(
            kind=options.kind, of="rows", labels=options.labels, series=list(series), stack=options.stack,
            title=options.title, values=options.show_values, log=options.log, format=options.format,
            target=options.target, target_label=target, pick=options.pick,
        )  # fmt: skip
    except ValidationError as error:
        why = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
        raise UseError(Fault("drawing a chart", why, do="leave that out, or take another kind")) from None
    return chart_of(model, rows, SlotScope(house, {}), "")


def _picture(chart: Chart, size: tuple[float, float], form: str) -> bytes:
    from tinquire.charts.draw import draw_chart
    from tinquire.charts.pictures import picture

    return picture(draw_chart(chart, *size), form, chart.alt)


def _workbook(book: Workbook, canvas: Canvas, chart: Chart, size: tuple[float, float]) -> bytes:
    """A workbook with the rows, and the living chart beside them."""
    from tinquire.layout.blocks import lay_frame
    from tinquire.workbook.grid.frames import Frame

    frame = Frame(*canvas.spot(), *size, chart, "Chart 1", chart.alt)
    canvas.add("the chart", lay_frame(canvas, canvas.spot(), frame, beside=True), "")
    book.add_sheet(canvas.finished())
    return book.to_bytes()


def _write(path: Path, data: bytes) -> None:
    from tinquire.base.atomic_files import open_atomic

    with open_atomic(path) as stream:
        stream.write(data)
