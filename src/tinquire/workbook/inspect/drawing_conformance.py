"""Whether what hangs on a sheet is as the standard has it: its drawing, charts, links, filter, outline and pages
(ECMA-376 Part 1, 20.5, 21.2, 18.3.1)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from itertools import pairwise

from lxml import etree

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, parse_area
from tinquire.formula import FormulaError, parse
from tinquire.formula.language.mentions import mentions
from tinquire.packages.package import Package, Relation
from tinquire.packages.xml import child, children, grandchildren, local, whole_number
from tinquire.workbook.parts.drawings import element_text

__all__ = ["drawing_faults", "frame_faults"]

_CHART_TYPE = "application/vnd.openxmlformats-officedocument.drawingml.chart+xml"
_ANCHORS = frozenset({"twoCellAnchor", "oneCellAnchor", "absoluteAnchor", "AlternateContent"})
#: Children in the order of the schema: of a chart's space, a chart, a series, an axis (21.2.2.29, .27, .170, .226).
_SPACE = ("date1904", "lang", "roundedCorners", "AlternateContent", "style", "clrMapOvr", "pivotSource", "protection",
          "chart", "spPr", "txPr", "externalData", "printSettings", "userShapes", "extLst")  # fmt: skip
_CHART = ("title", "autoTitleDeleted", "pivotFmts", "view3D", "floor", "sideWall", "backWall", "plotArea", "legend",
          "plotVisOnly", "dispBlanksAs", "showDLblsOverMax", "extLst")  # fmt: skip
_SERIES = ("idx", "order", "tx", "spPr", "invertIfNegative", "explosion", "pictureOptions", "marker", "dPt", "dLbls",
           "trendline", "errBars", "cat", "xVal", "val", "yVal", "smooth", "shape", "bubbleSize", "bubble3D",
           "extLst")  # fmt: skip
_AXIS = ("axId", "scaling", "delete", "axPos", "majorGridlines", "minorGridlines", "title", "numFmt", "majorTickMark",
         "minorTickMark", "tickLblPos", "spPr", "txPr", "crossAx", "crosses", "crossesAt", "auto", "lblAlgn",
         "lblOffset", "baseTimeUnit", "crossBetween", "majorUnit", "majorTimeUnit", "minorUnit", "minorTimeUnit",
         "tickLblSkip", "tickMarkSkip", "dispUnits", "noMultiLvlLbl", "extLst")  # fmt: skip
_AXES = frozenset({"catAx", "valAx", "dateAx", "serAx"})


def _out_of_order(element: etree._Element, order: Sequence[str]) -> str | None:
    """The first child that stands before one that it should come after."""
    places = [order.index(name) for name in map(local, element) if name in order]
    return next((order[after] for before, after in pairwise(places) if after < before), None)


# -- drawings --------------------------------------------------------------------------------------------
#: Kinds of relationships of workbooks and sheets, which no drawing has.
_NEVER_DRAWN = frozenset({
    "pivotCacheDefinition", "pivotCacheRecords", "pivotTable", "worksheet", "sharedStrings", "styles", "table", "theme",
    "drawing", "vmlDrawing", "comments",
})  # fmt: skip


def drawing_faults(package: Package, sheet_part: str, sheets: Collection[str]) -> Iterator[tuple[str, str]]:
    """What is wrong with a sheet's drawing and its charts: part and sentence. `sheets` are the workbook's,
    casefolded."""
    for relation in package.relations(sheet_part):
        if relation.kind != "drawing" or not package.has(relation.target):
            continue
        part = relation.target
        root = package.root(part)
        relations = {item.id: item for item in package.relations(part)}
        # What leads to a part of the workbook, and not of a drawing, is no relationship of a frame.
        drawn = {identity for identity, item in relations.items() if item.kind not in _NEVER_DRAWN}
        ids: list[str] = []
        for anchor in root:
            if isinstance(anchor.tag, str) and local(anchor) not in _ANCHORS:
                yield part, f"an anchor's kind is not known: '{local(anchor)}'"
            yield from ((part, says) for says in _anchor(anchor))
            ids += [item.get("id", "") for item in anchor.iter("{*}cNvPr")]
            for element in anchor.iter():
                given = [str(value) for key, value in element.attrib.items() if str(key).endswith(("}id", "}embed"))]
                yield from ((part, f"a frame has no relationship: '{one}'") for one in given if one not in drawn)
        for identity, count in Counter(ids).items():
            if count > 1:
                yield part, f"two shapes have one id: {identity}"
        for item in relations.values():
            if item.kind == "chart" and package.has(item.target):
                if package.type_of(item.target) != _CHART_TYPE:
                    yield item.target, f"a chart's content type is another: '{package.type_of(item.target)}'"
                yield from ((item.target, says) for says in chart_faults(package.root(item.target), sheets))


def _anchor(anchor: etree._Element) -> Iterator[str]:
    corners = []
    for name in ("from", "to"):
        corner = child(anchor, name)
        if corner is None:
            continue
        column, row = (whole_number(element_text(child(corner, line)).strip()) for line in ("col", "row"))
        if column is None or row is None or column >= MAX_COLUMN or row >= MAX_ROW:
            yield "a frame is anchored off the grid"
            return
        corners.append((row, column))
    if len(corners) == 2 and (corners[0][0] > corners[1][0] or corners[0][1] > corners[1][1]):
        yield "a frame ends before it begins"
    extent = child(anchor, "ext")
    if extent is not None and any(whole_number(extent.get(name)) is None for name in ("cx", "cy")):
        yield "a frame's size is not a number"


# -- charts ----------------------------------------------------------------------------------------------


def chart_faults(root: etree._Element, sheets: Collection[str]) -> Iterator[str]:
    """What is wrong with a chart part."""
    chart = child(root, "chart")
    plot = child(chart, "plotArea")
    if local(root) != "chartSpace" or chart is None or plot is None:
        yield "a chart has no plot"
        return
    axes = {_value(child(axis, "axId")): axis for axis in plot if local(axis) in _AXES}
    groups = [item for item in plot if local(item).endswith("Chart")]
    ordered = [(root, _SPACE), (chart, _CHART), *((axis, _AXIS) for axis in axes.values())]
    ordered += [(series, _SERIES) for group in groups for series in children(group, "ser")]
    for element, order in ordered:
        if (odd := _out_of_order(element, order)) is not None:
            yield f"elements are out of order: '{odd}' in {local(element)}"
    for group in groups:
        for item in children(group, "axId"):
            if _value(item) not in axes:
                yield f"a plot's axis is not there: {_value(item)}"
    for identity, axis in axes.items():
        if _value(child(axis, "crossAx")) not in axes:
            yield f"an axis crosses one that is not there: {identity}"
    for name in ("idx", "order"):
        for value, count in Counter(
            _value(child(one, name)) for group in groups for one in children(group, "ser")
        ).items():
            if count > 1:
                yield f"two series have one {name}: {value}"
    yield from _data(plot, sheets)


def _value(element: etree._Element | None) -> str:
    return "" if element is None else element.get("val", "")


def _data(plot: etree._Element, sheets: Collection[str]) -> Iterator[str]:
    """Formulas that cannot be read, and more points than are stated."""
    for formula in plot.iter("{*}f"):
        text = formula.text or ""
        try:
            parse(text, 1, 1)
        except FormulaError as error:
            yield f"a chart's formula cannot be read: {text}, {error.expected}"
            continue
        for mention in mentions(text):
            for sheet in mention.sheets if not mention.outside else ():
                if sheet.casefold() not in sheets:
                    yield f"a chart reads a sheet that is not there: '{sheet}'"
    for cache in plot.iter("{*}numCache", "{*}strCache", "{*}numLit", "{*}strLit"):
        stated = whole_number(_value(child(cache, "ptCount")))
        places = [whole_number(point.get("idx")) for point in children(cache, "pt")]
        if stated is not None and any(place is None or place >= stated for place in places):
            yield f"a chart has more points than it states: {stated}"


# -- around the cells ------------------------------------------------------------------------------------


def frame_faults(root: etree._Element, relations: Mapping[str, Relation]) -> Iterator[str]:
    """What is wrong with links, filter, outline and pages of a sheet, with its relationships by their ids."""
    for link in grandchildren(root, "hyperlinks", "hyperlink"):
        identity = next((str(value) for key, value in link.attrib.items() if str(key).endswith("}id")), None)
        if identity is not None and identity not in relations:
            yield f"a link has no relationship: '{identity}'"
        if not _is_area(link.get("ref", "")):
            yield f"a link stands over no cells: '{link.get('ref', '')}'"
    for wanted in children(root, "autoFilter"):
        if not _is_area(wanted.get("ref", "")):
            yield f"a filter has no area: '{wanted.get('ref', '')}'"
    for name, kind in (("drawing", "drawing"), ("legacyDrawing", "vmlDrawing")):
        for element in children(root, name):
            identity = next((str(value) for key, value in element.attrib.items() if str(key).endswith("}id")), "")
            if identity not in relations or relations[identity].kind != kind:
                yield f"a {name} has no relationship: '{identity}'"
    for line in (*grandchildren(root, "cols", "col"), *grandchildren(root, "sheetData", "row")):
        level = line.get("outlineLevel")
        if level is not None and (whole_number(level) is None or int(level) > 7):
            yield f"an outline level is none of 0 to 7: {level}"
    yield from _pages(root)


def _pages(root: etree._Element) -> Iterator[str]:
    for setup in children(root, "pageSetup"):
        scale = setup.get("scale")
        if scale is not None and not 10 <= (whole_number(scale) or 0) <= 400:
            yield f"a page's scale is none of 10 to 400: {scale}"
    for group in (*children(root, "rowBreaks"), *children(root, "colBreaks")):
        name, stated = local(group), whole_number(group.get("count"))
        if stated is not None and stated != len(children(group, "brk")):
            yield f"a count is wrong: {name} says {stated} and has {len(children(group, 'brk'))}"


def _is_area(text: str) -> bool:
    try:
        parse_area(text)
    except ValueError:
        return False
    return True
