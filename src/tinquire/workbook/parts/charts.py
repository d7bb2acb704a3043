"""Charts (ECMA-376 Part 1, 21.2): their kinds, titles and series; their formulas follow changes, or become values."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import Area, quoted_sheet
from tinquire.charts.chart import Chart
from tinquire.formula.language.reference_changes import ReferenceChange
from tinquire.packages.package import Package
from tinquire.packages.xml import child, children, local, tag
from tinquire.workbook.parts.chart_reading import read_chart
from tinquire.workbook.parts.drawings import anchor_area, anchor_offset, anchor_size, anchors_of

__all__ = [
    "ChartOnSheet", "SeriesCells", "drop_cached_values", "follow_formulas", "freeze_lost_series", "read_charts",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class SeriesCells:
    """The formulas of a chart's series (21.2.2.170): its name, labels and values; '' where there is none."""

    name: str
    labels: str
    values: str


@dataclass(frozen=True, slots=True)
class ChartOnSheet:
    """A chart on a sheet: the cells that its frame covers (the first alone when it has a size of its own, in points),
    its description, the cells of its series, and kinds of plots that a description has no word for."""

    area: Area | None
    chart: Chart
    cells: tuple[SeriesCells, ...]
    unknown: tuple[str, ...] = ()
    size: tuple[float, float] | None = None
    alt: str = ""
    offset: tuple[float, float] = (0.0, 0.0)

    @property
    def kinds(self) -> tuple[str, ...]:
        return (*self.chart.kinds, *self.unknown)

    @property
    def title(self) -> str:
        return self.chart.title


def read_charts(package: Package, drawing: str, theme: Sequence[str] = ()) -> Iterator[ChartOnSheet]:
    """The charts of a drawing part; `theme` are the workbook's theme colours."""
    for anchor, inner in anchors_of(package, drawing, "chart"):
        root = package.root(inner.target)
        read = read_chart(root, theme)
        named = next((item for item in anchor.iter("{*}cNvPr")), None)
        alt = "" if named is None else named.get("descr", "")
        cells = tuple(_cells(root))
        area, size, offset = anchor_area(anchor), anchor_size(anchor), anchor_offset(anchor)
        yield ChartOnSheet(area, read.chart, cells, read.unknown, size, alt, offset)


def _cells(root: etree._Element) -> Iterator[SeriesCells]:
    for series in root.iter("{*}ser"):

        def formula(names: Sequence[str], series: etree._Element = series) -> str:
            part = next((element for element in series if local(element) in names), None)
            return "" if part is None else next((item.text or "" for item in part.iter("{*}f")), "")

        yield SeriesCells(formula(["tx"]), formula(["cat", "xVal"]), formula(["val", "yVal"]))


def follow_formulas(root: etree._Element, following: ReferenceChange) -> bool:
    """Every formula of a part that stands on no sheet, such as a chart's series (21.2.2.65)."""
    changed = False
    for element in root.iter():
        if local(element) == "f" and element.text:
            fresh = following.formula(element.text, "")
            if fresh != element.text:
                element.text = fresh
                changed = True
    return _follow_pivot_name(root, following) or changed


def _follow_pivot_name(root: etree._Element, following: ReferenceChange) -> bool:
    """The sheet in the name of the pivot that a chart shows (21.2.2.144): `[file]Sheet!Pivot`."""
    name = child(child(root, "pivotSource"), "name")
    if name is None or not name.text or "!" not in name.text:
        return False
    file, bracket, place = name.text.rpartition("]")
    sheet, _, pivot = place.rpartition("!")
    fresh = following.formula(f"{quoted_sheet(sheet.strip(chr(39)))}!$A$1", "").rpartition("!")[0]
    if not fresh or fresh.strip("'") == sheet.strip("'"):
        return False
    name.text = f"{file}{bracket}{fresh.strip(chr(39))}!{pivot}"
    return True


def freeze_lost_series(root: etree._Element, lost: Callable[[str], bool]) -> bool:
    """Series whose formulas read what is lost keep the values that the chart holds of them (21.2.2.111, .192)."""
    changed = False
    for reference in list(root.iter("{*}numRef", "{*}strRef")):
        formula, parent = child(reference, "f"), reference.getparent()
        cache = next((item for item in reference if local(item) in ("numCache", "strCache")), None)
        if formula is None or parent is None or cache is None or not lost(formula.text or ""):
            continue
        changed = True
        if local(parent) == "tx":
            owner = parent.getparent()
            if owner is None or local(owner) != "ser":
                continue
            fresh = etree.Element(tag(root, "v"))
            fresh.text = next((value.text for value in cache.iter("{*}v")), "")
        else:
            fresh = etree.Element(tag(root, "numLit" if local(reference) == "numRef" else "strLit"))
            fresh.extend(list(cache))
        parent.replace(reference, fresh)
    return changed


def drop_cached_values(root: etree._Element) -> bool:
    """Take out the values that a chart was drawn with: they may be of rows that are gone. It is drawn again from its
    formulas on opening."""
    found = list(root.iter("{*}numCache", "{*}strCache", "{*}multiLvlStrCache"))
    found += [point for literal in root.iter("{*}numLit", "{*}strLit") for point in children(literal, "pt")]
    for element in found:
        parent = element.getparent()
        if parent is not None:
            parent.remove(element)
    return bool(found)
