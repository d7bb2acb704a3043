"""What stands over a pivot and follows it: charts of its cells, ranges of its rows, and filters that people click."""

from __future__ import annotations

import copy
from collections.abc import Sequence
from functools import partial

from lxml import etree

from tinquire.cells.address import Area
from tinquire.packages.xml import child, children, flag, local, remove_attribute, serialise_xml, tag
from tinquire.workbook.edit.propagate import change_part
from tinquire.workbook.edit.sample_rows import Grown
from tinquire.workbook.parts.page_setup import fixed_area
from tinquire.workbook.pivots.definition import Line
from tinquire.workbook.pivots.ordering import sort_key
from tinquire.workbook.pivots.working import WorkedPivot
from tinquire.workbook.workbook import Workbook

__all__ = ["follow_charts", "follow_clicked_filters", "grown_body", "pivot_of_chart"]


def grown_body(sheet: str, worked: WorkedPivot, area: Area, rows: Sequence[Line]) -> Grown | None:
    """The change of what took all rows of a pivot's body, which were `rows`, to those that it has now; None when it has
    as many."""
    definition = worked.definition
    before = _body(definition.area, definition.first, rows)
    now = _body(area, definition.first, [line.line for line in worked.row_side.lines])
    return None if before is None or now is None or before == now else Grown(sheet, before, now.bottom)


def follow_charts(book: Workbook, sheet: str, worked: WorkedPivot, area: Area) -> None:
    """Let the charts of a pivot have the series and rows that it has now."""
    definition = worked.definition
    now = _body(area, definition.first, [line.line for line in worked.row_side.lines])
    if now is None:
        return
    columns = [
        area.left + definition.first[2] + at
        for at, line in enumerate(worked.column_side.lines)
        if line.line.kind == "" and line.filled
    ]
    for part, content_type in book.package.types().items():
        if content_type.endswith("drawingml.chart+xml"):
            root = book.package.root(part)
            if pivot_of_chart(root) == (sheet.casefold(), definition.name.casefold()) and _series(
                root, sheet, worked, now, columns
            ):
                book.package.put(part, serialise_xml(root))


def _body(area: Area, first: tuple[int, int, int], rows: Sequence[Line]) -> Area | None:
    """A pivot's rows without headings and grand totals."""
    totals = sum(line.kind == "grand" for line in rows)
    body = area._replace(top=area.top + first[1], bottom=area.top + first[1] + len(rows) - totals - 1)
    return body if body.bottom >= body.top else None


# -- charts ----------------------------------------------------------------------------------------------


def pivot_of_chart(root: etree._Element) -> tuple[str, str] | None:
    """The sheet and name of the pivot whose chart this is (21.2.2.144), casefolded."""
    name = child(child(root, "pivotSource"), "name")
    text = "" if name is None else name.text or ""
    sheet, mark, pivot = text.rpartition("]")[2].rpartition("!")
    return (sheet.strip("'").replace("''", "'").casefold(), pivot.casefold()) if mark else None


def _series(root: etree._Element, sheet: str, worked: WorkedPivot, body: Area, columns: Sequence[int]) -> bool:
    """Give a pivot's chart one series for each column of items: the first ones keep their look."""
    every = [one for one in root.iter() if local(one) == "ser"]
    if not every or not columns:
        return False
    definition = worked.definition
    top = definition.area.top
    for surplus in every[len(columns) :]:
        parent = surplus.getparent()
        if parent is not None and len([one for one in parent if local(one) == "ser"]) > 1:
            parent.remove(surplus)
    while len(every) < len(columns):
        model = every[-1]
        fresh = copy.deepcopy(model)
        for one in [one for one in fresh if local(one) in ("spPr", "extLst", "dPt", "dLbls")]:
            fresh.remove(one)
        for name in ("idx", "order"):
            held = child(fresh, name)
            if held is not None:
                held.set("val", str(len(every)))
        model.addnext(fresh)
        every.append(fresh)
    runs = _innermost(worked, body)
    right = body.left + max(definition.first[2], 1) - 1
    first = min(top + (definition.first[0] if definition.columns else 0), body.top - 1)
    for one, column in zip(every, columns, strict=False):
        _point(one, "tx", sheet, [Area(first, column, max(body.top - 1, first), column)])
        _point(one, "cat", sheet, [body._replace(top=low, bottom=high, right=right) for low, high in runs])
        _point(one, "val", sheet, [Area(low, column, high, column) for low, high in runs])
    return True


def _innermost(worked: WorkedPivot, body: Area) -> list[tuple[int, int]]:
    """The runs of a body's rows that are no totals of others."""
    deepest = max(line.level for line in worked.row_side.lines)
    runs: list[tuple[int, int]] = []
    for at, line in enumerate(worked.row_side.lines, start=body.top):
        if line.line.kind or not line.filled or line.level < deepest:
            continue
        if runs and runs[-1][1] == at - 1:
            runs[-1] = (runs[-1][0], at)
        else:
            runs.append((at, at))
    return runs or [(body.top, body.bottom)]


def _point(series: etree._Element, name: str, sheet: str, areas: Sequence[Area]) -> None:
    """Let a part of a series refer to areas."""
    texts = [fixed_area(sheet, area) for area in areas]
    held = child(series, name)
    for formula in held.iter() if held is not None else ():
        if local(formula) == "f":
            formula.text = texts[0] if len(texts) == 1 else f"({','.join(texts)})"


# -- filters that people click ---------------------------------------------------------------------------


def follow_clicked_filters(book: Workbook, sheet: str, worked: WorkedPivot) -> None:
    """Give the buttons of a pivot's fields the items that these have now: new ones are on where none was off, and all
    stand in order. What they are connected to stays."""
    identity = next(
        (
            one.get("sheetId", "")
            for one in children(child(book.root, "sheets"), "sheet")
            if one.get("name", "").casefold() == sheet.casefold()
        ),
        "",
    )
    for part, content_type in book.package.types().items():
        if content_type.endswith("slicerCache+xml") and book.package.has(part):
            change_part(book, part, partial(_buttons, worked=worked, sheet=identity))


def _buttons(root: etree._Element, worked: WorkedPivot, sheet: str) -> bool:
    connected = [one for one in root.iter() if local(one) == "pivotTable"]
    own = (worked.definition.name.casefold(), sheet)
    if own not in {(one.get("name", "").casefold(), one.get("tabId", "")) for one in connected}:
        return False
    name = root.get("sourceName", "").casefold()
    number = next((at for at, field in enumerate(worked.store.fields) if field.name.casefold() == name), None)
    tabular = next((one for one in root.iter() if local(one) == "tabular"), None)
    group = child(tabular, "items")
    if number is None or tabular is None or group is None or number not in worked.items:
        return False
    field = worked.store.fields[number]
    before = {int(one.get("x", "0")): one for one in group}
    every_on = all(flag(one, "s", False) for one in group)
    hidden = {state.shared for state in worked.items[number].states if state.hidden}
    kept = dict(enumerate(range(len(field.items)))) if field.kept is None else field.kept
    known = {kept[old]: one for old, one in before.items() if old in kept}
    for one in list(group):
        group.remove(one)
    present = set(field.codes.tolist())
    keys = [(float(at),) if field.grouping is not None else sort_key(value) for at, value in enumerate(field.items)]
    order = sorted(range(len(field.items)), key=lambda at: keys[at], reverse=tabular.get("sortOrder") == "descending")
    for shared in order:
        is_new = shared not in known
        one = known[shared] if not is_new else etree.Element(tag(group, "i"), x=str(shared))
        one.set("x", str(shared))
        if is_new and (every_on or shared not in hidden):
            one.set("s", "1")
        if shared in present:
            remove_attribute(one, "nd")
        else:
            one.set("nd", "1")
        group.append(one)
    group.set("count", str(len(group)))
    return True
