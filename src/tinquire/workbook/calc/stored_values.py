"""The values that charts of new sheets store of their cells (ECMA-376 Part 1, 21.2.2.106), once these are
calculated."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lxml import etree

from tinquire.cells.address import Area
from tinquire.cells.column import Column, Kind
from tinquire.charts.chart import Chart, Label, Series
from tinquire.formula.engine.conversions import text_of
from tinquire.formula.language.mentions import mentions
from tinquire.packages.xml import canonical_xml, child, escape_controls, local, serialise_xml, tag
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.sheet_xml.row_writer import number_text
from tinquire.workbook.workbook import Workbook

__all__ = ["has_charts", "refresh_chart_parts", "refresh_charts"]

#: A chart stores no more points than this of one reference.
_MOST_POINTS = 100_000


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
    return Column.concat([column for sheet, area in _areas(book, formula) for column in _columns(sheet, area)])


def _columns(sheet: Sheet, area: Area) -> list[Column]:
    """The values of an area: column by column, or cell by cell of a single row."""
    return [sheet.column(number, area.top, area.bottom) for number in range(area.left, area.right + 1)]


def _areas(book: Workbook, formula: str) -> list[tuple[Sheet, Area]]:
    """The areas that a formula names, by themselves or by a name of the workbook; none where one is no area of it."""
    names = {name.name.casefold(): name.formula for name in book.names}
    found = []
    for mention in mentions(names.get(formula.rpartition("!")[2].casefold(), formula)):
        area = mention.area
        entry = book.entry(mention.sheets[0]) if len(mention.sheets) == 1 and not mention.outside else None
        if area is None or entry is None or entry.kind != "worksheet" or area.height * area.width > _MOST_POINTS:
            return []
        found.append((book.sheet(entry.name), area))
    return found


def _numbers(values: Column) -> tuple[float | None, ...]:
    pairs = zip(values.numbers.tolist(), (values.kinds == Kind.NUMBER).tolist(), strict=True)
    return tuple(number if is_number else None for number, is_number in pairs)


def _labels(values: Column, before: Sequence[Label]) -> tuple[Label, ...]:
    """Labels as they are now; yes/no and errors stay the texts that they were made."""
    return tuple(
        value if value is None or isinstance(value, float | str) else old
        for value, old in zip(values, before, strict=True)
    )


# -- charts that are parts already -----------------------------------------------------------------------


def has_charts(book: Workbook) -> bool:
    """Whether the workbook has charts that are parts."""
    return bool(_chart_parts(book))


def refresh_chart_parts(book: Workbook) -> None:
    """Give the charts of parts the values of their cells as they are now; the workbook is settled. A reference that is
    no area of the workbook keeps what is stored."""
    for part in _chart_parts(book):
        root = book.package.root(part)
        changed = sum(_refresh_reference(book, reference) for reference in list(root.iter(*_REFERENCES)))
        if changed:
            book.package.put(part, serialise_xml(root))


def _chart_parts(book: Workbook) -> list[str]:
    types = book.package.types()
    return [part for part, content_type in types.items() if content_type.endswith("drawingml.chart+xml")]


_REFERENCES = ("{*}numRef", "{*}strRef", "{*}multiLvlStrRef")


def _refresh_reference(book: Workbook, reference: etree._Element) -> bool:
    """Store what the cells of a reference hold (21.2.2.123, .201); True when that is not what was there."""
    formula = child(reference, "f")
    areas = _areas(book, "" if formula is None else formula.text or "")
    if not areas:
        return False
    known = next((item for item in reference if local(item).endswith("Cache")), None)
    name = {"numRef": "numCache", "strRef": "strCache"}.get(local(reference), "multiLvlStrCache")
    fresh = etree.Element(tag(reference, name))
    if name == "multiLvlStrCache":
        _levels(book, fresh, areas)
    else:
        if name == "numCache":
            code = child(known, "formatCode")
            sheet, area = areas[0]
            style = book.styles.number_format(sheet.style(area.top, area.left))
            shown = etree.SubElement(fresh, tag(fresh, "formatCode"))
            shown.text = style if code is None or not code.text else code.text
        values = Column.concat([column for sheet, area in areas for column in _columns(sheet, area)])
        _points(book, fresh, fresh, values, numbers=name == "numCache")
    if known is not None and _same(known, fresh):
        return False
    if known is not None:
        reference.remove(known)
    at = 0 if formula is None else list(reference).index(formula) + 1
    reference.insert(at, fresh)
    return True


def _same(one: etree._Element, other: etree._Element) -> bool:
    return canonical_xml(one) == canonical_xml(other)


def _levels(book: Workbook, cache: etree._Element, areas: Sequence[tuple[Sheet, Area]]) -> None:
    """Labels of several columns: the last one is the innermost level (21.2.2.103)."""
    sheet, area = areas[0]
    count = etree.SubElement(cache, tag(cache, "ptCount"))
    count.set("val", str(area.height))
    for column in reversed(_columns(sheet, area)):
        _points(book, cache, etree.SubElement(cache, tag(cache, "lvl")), column, numbers=False)


def _points(book: Workbook, cache: etree._Element, into: etree._Element, values: Column, *, numbers: bool) -> None:
    if into is cache:
        etree.SubElement(cache, tag(cache, "ptCount")).set("val", str(len(values)))
    for index, value in enumerate(values):
        if value is None or (numbers and not isinstance(value, float)):
            continue
        point = etree.SubElement(into, tag(cache, "pt"), idx=str(index))
        text = etree.SubElement(point, tag(cache, "v"))
        text.text = number_text(value) if isinstance(value, float) else escape_controls(str(text_of(value)))
