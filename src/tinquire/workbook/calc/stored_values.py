"""The values that charts of new sheets store of their cells (ECMA-376 Part 1, 21.2.2.106), once these are
calculated."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from tinquire.cells.column import Column, Kind
from tinquire.charts.chart import Chart, Label, Series
from tinquire.formula.language.mentions import mentions
from tinquire.workbook.workbook import Workbook

__all__ = ["refresh_charts"]


def refresh_charts(book: Workbook) -> None:
    """Give charts of sheets that are not written yet the values of their cells as they are now: what a chart was drawn
    with and what its cells show is the same to the last digit."""
    for entry in book.entries:
        sheet = entry.loaded
        if sheet is None:
            continue
        for number, frame in enumerate(sheet.frames):
            if isinstance(frame.content, Chart):
                series = tuple(_refreshed(book, one) for one in frame.content.series)
                sheet.frames[number] = replace(frame, content=replace(frame.content, series=series))


def _refreshed(book: Workbook, series: Series) -> Series:
    values, labels, sizes = series.values, series.labels, series.sizes
    if series.values_at:
        values = _numbers(_cells(book, series.values_at))
    if series.labels_at:
        labels = _labels(_cells(book, series.labels_at), labels)
    if series.sizes_at:
        sizes = _numbers(_cells(book, series.sizes_at))
    return replace(series, values=values, labels=labels, sizes=sizes)


def _cells(book: Workbook, formula: str) -> Column:
    """The values of the cells that a formula names, area by area."""
    found = []
    for mention in mentions(formula):
        area = mention.area
        if area is not None and len(mention.sheets) == 1:
            sheet = book.sheet(mention.sheets[0])
            found += [sheet.column(number, area.top, area.bottom) for number in range(area.left, area.right + 1)]
    return Column.concat(found)


def _numbers(values: Column) -> tuple[float | None, ...]:
    pairs = zip(values.numbers.tolist(), (values.kinds == Kind.NUMBER).tolist(), strict=True)
    return tuple(number if is_number else None for number, is_number in pairs)


def _labels(values: Column, before: Sequence[Label]) -> tuple[Label, ...]:
    """Labels as they are now; yes/no and errors stay the texts that they were made."""
    return tuple(
        value if value is None or isinstance(value, float | str) else old
        for value, old in zip(values, before, strict=True)
    )
