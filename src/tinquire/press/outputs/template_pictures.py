"""Pictures put in place of a template's, by the slots in their alternative texts: files, and drawn charts."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from pathlib import Path

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.address import Area
from tinquire.charts.chart import Chart
from tinquire.docket.schema.charts import ChartModel
from tinquire.layout.plans import Laid
from tinquire.press.compute.pivots import pivot_over
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.blocks import rows_cut
from tinquire.press.outputs.charts import chart_of
from tinquire.press.outputs.pictures import read_picture
from tinquire.press.outputs.shown_rows import Cut, ShownRows, headings_of_pivot, headings_of_table
from tinquire.slots.slots import Slot, slot_name
from tinquire.workbook import Workbook
from tinquire.workbook.grid.frames import PictureFile
from tinquire.workbook.transform.fill_pictures import fill_pictures

__all__ = ["chart_of_results", "drawn_chart", "picture_file", "picture_source", "put_pictures"]


def put_pictures(
    book: Workbook, asked: Mapping[str, str | ChartModel], scope: SlotScope, base: Path, stopped: str, where: str,
    charts: Callable[[ChartModel], Chart] | None = None, sheets: Collection[str] | None = None,
) -> None:  # fmt: skip
    """Replace the pictures of some sheets (or all) whose alternative text is a slot. `asked` are files and charts by
    the slot's name, `charts` makes the latter. Raises one error with all slots that nothing fills, files that are no
    pictures, and charts that cannot be."""
    faults: list[Fault] = []
    source = picture_source(asked, scope, base, stopped, where, charts, faults)
    fill_pictures(book, lambda found: source(found.slot, f"sheet '{found.sheet}'", found.size), sheets)
    if faults:
        raise DataError(*faults)


def picture_source(
    asked: Mapping[str, str | ChartModel], scope: SlotScope, base: Path, stopped: str, where: str,
    charts: Callable[[ChartModel], Chart] | None, faults: list[Fault],
) -> Callable[[Slot, str, tuple[float, float]], tuple[PictureFile, str] | None]:  # fmt: skip
    """What takes the place of a picture by its slot, where it stands and its size in points, with its alternative text;
    None, and a fault added to `faults`, for what cannot be."""
    named = {slot_name(name): (name, given) for name, given in asked.items()}

    def source(slot: Slot, place: str, size: tuple[float, float]) -> tuple[PictureFile, str] | None:
        known = named.get(slot_name(slot.inside))
        if known is None:
            why = f"a picture of {place} asks for '{slot.inside}': {known_names(slot.inside, list(asked))}"
            faults.append(Fault(stopped, why, where, 'name it: pictures = { NAME = "file.png" }'))
            return None
        name, given = known
        try:
            if isinstance(given, ChartModel):
                assert charts is not None
                chart = charts(given)
                return PictureFile(drawn_chart(chart, size), "png"), chart.alt
            return picture_file(base / scope.filled(given, stopped, where), stopped, where), name
        except (DataError, UseError) as error:
            faults.extend(error.faults)
            return None

    return source


def picture_file(path: Path, stopped: str, where: str) -> PictureFile:
    """A picture by its file. Raises UseError for one that is none."""
    try:
        return read_picture(path)[0]
    except ValueError as error:
        raise UseError(Fault(stopped, str(error), where, "put it there, or fix its name")) from None


def drawn_chart(chart: Chart, size: tuple[float, float]) -> bytes:
    from tinquire.charts.draw import draw_chart
    from tinquire.charts.pictures import picture

    return picture(draw_chart(chart, *size), "png", chart.alt)


def chart_of_results(
    results: Results, model: ChartModel, scope: SlotScope, cuts: Sequence[Cut], where: str
) -> Chart:  # fmt: skip
    """A chart of a table, pivot or statement of a run, drawn and not on a sheet. Raises UseError."""
    name, stopped = model.of, f"the chart of '{model.of}'"
    if name in results.docket.model.pivots:
        source = results.docket.model.pivots[name].from_
        cut = rows_cut(results.tables[source], cuts) if cuts else None
        pivot = results.pivots[name] if cut is None else pivot_over(results.run, results.tables, name, cut)
        laid = Laid(Area(1, 1, 1, 1), (1, 1), None, len(pivot.row_fields))
        groups = sorted(set(range(pivot.height)) - set(pivot.subtotal_lines.tolist()))
        shown = ShownRows(
            name, "", cuts, 2, 1, headings_of_pivot(pivot, laid), [(n, n) for n in groups], laid.labels
        )  # fmt: skip
    elif name in results.statements:
        statement = results.statements[name]
        lines = [(n, n) for n, line in enumerate(statement.lines) if line.kind == "sum"]
        shown = ShownRows(name, "", cuts, 2, 1, headings_of_table(statement.as_table(), (1, 1)), lines)
    elif name in results.tables:
        table = rows_cut(results.tables[name], cuts)
        runs = [(0, table.height - 1)] if table.height else []
        shown = ShownRows(name, "", cuts, 2, 1, headings_of_table(table, (1, 1)), runs)
    else:
        known = [*results.tables, *results.pivots, *results.statements]
        raise UseError(Fault(stopped, f"there is no '{name}': {known_names(name, known)}", where, "name one of these"))
    return chart_of(model, shown, scope, where)
