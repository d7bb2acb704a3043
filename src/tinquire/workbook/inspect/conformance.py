"""Whether a workbook file is sound: what ECMA-376 asks of a package and of SpreadsheetML, checked on the raw parts.

For files that another program complains about, and for everything that we write ourselves. Findings are sentences with
a part and, where there is one, a cell; none means that nothing was found.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Generator, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

from lxml import etree

from tinquire.base.faults import AccessError, TinQuireError
from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, area_name, parse_area, parse_cell
from tinquire.cells.numberformat import BUILT_IN_FORMATS
from tinquire.formula import FormulaError, parse, parse_name
from tinquire.packages.package import Package
from tinquire.packages.xml import child, children, grandchildren, local, unescape_controls
from tinquire.workbook.grid.sheet_names import valid_sheet_name
from tinquire.workbook.inspect.drawing_conformance import drawing_faults, frame_faults
from tinquire.workbook.inspect.pivot_conformance import pivot_faults
from tinquire.workbook.inspect.rule_conformance import rule_faults
from tinquire.workbook.parts.book_part import WORKBOOK_ORDER
from tinquire.workbook.parts.shared_strings import rich_text
from tinquire.workbook.parts.sheet_frame import SHEET_ORDER
from tinquire.workbook.parts.styles import STYLE_ORDER

__all__ = ["Finding", "conformance_findings"]

_FORMS = frozenset({"b", "d", "e", "inlineStr", "n", "s", "str"})
#: Elements that may stand in a part as often as they like.
_SEVERAL = frozenset({"conditionalFormatting", "fileRecoveryPr"})
#: One kind of fault is listed at most so often for each part.
MOST_OF_A_KIND = 5


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that is not as the standard asks."""

    part: str
    says: str


Check = Callable[[Package], Iterable[Finding]]


def conformance_findings(package: Package, content: Check | None = None) -> list[Finding]:
    """All that was found, part by part. Damage that keeps a part from being read is a finding too. `content` checks
    what is in the package, where that is no workbook."""
    findings: list[Finding] = []
    for part in package.names():
        try:
            package.read(part)
        except TinQuireError as error:
            findings.append(Finding(part, error.faults[0].why))
    if findings:
        return findings
    for check in (_content_types, _relationships, content or _book):
        findings += _run_check(package, check)
    return findings


def _run_check(package: Package, check: Check) -> Iterator[Finding]:
    try:
        yield from _limit(check(package))
    except AccessError as error:
        yield Finding(package.name, error.faults[0].why)
    except ValueError as error:
        yield Finding(package.name, f"an attribute is not a number: {error}")


def _limit(findings: Iterable[Finding]) -> Iterator[Finding]:
    """Findings, the same sentence but for its places at most so often."""
    seen: Counter[tuple[str, str]] = Counter()
    for finding in findings:
        key = (finding.part, finding.says.partition(":")[0])
        seen[key] += 1
        if seen[key] <= MOST_OF_A_KIND:
            yield finding
    for (part, kind), count in seen.items():
        if count > MOST_OF_A_KIND:
            yield Finding(part, f"{kind}: {count - MOST_OF_A_KIND:,} more of these")


# -- the package -----------------------------------------------------------------------------------------


def _content_types(package: Package) -> Iterator[Finding]:
    """Part 2, 7.2: every part has a type, by its name or its ending, and every type a part."""
    where = "[Content_Types].xml"
    root = package.root(where)
    names = [item.get("PartName", "").lstrip("/").casefold() for item in children(root, "Override")]
    for name, count in Counter(names).items():
        if count > 1:
            yield Finding(where, f"a part's type is stated twice: {name}")
        if not package.has(name):
            yield Finding(where, f"a type is stated for a part that is not there: {name}")
    for part, kind in package.types().items():
        if part != where and not kind:
            yield Finding(part, "it has no content type")


def _relationships(package: Package) -> Iterator[Finding]:
    """Part 2, 6.5: targets exist, ids are unique."""
    for part in ["", *(name for name in package.names() if not name.casefold().endswith(".rels"))]:
        relations = package.listed_relations(part)
        shown = part or "the package"
        for identity, count in Counter(relation.id for relation in relations).items():
            if count > 1:
                yield Finding(shown, f"a relationship's id comes twice: {identity}")
        for relation in relations:
            if not relation.outside and not package.has(relation.target):
                yield Finding(shown, f"a relationship points to a part that is not there: {relation.target}")


# -- the workbook ----------------------------------------------------------------------------------------


def _book(package: Package) -> Iterator[Finding]:
    main = next((item.target for item in package.relations() if item.kind == "officeDocument"), "")
    root = package.root(main)
    yield from _order(main, root, WORKBOOK_ORDER)
    relations = {item.id: item for item in package.relations(main)}
    by_kind = {item.kind: item.target for item in relations.values()}
    styles = yield from _styles(package, by_kind.get("styles"))
    strings = 0
    if (part := by_kind.get("sharedStrings")) and package.has(part):
        strings = len(children(package.root(part), "si"))
    sheets = children(child(root, "sheets"), "sheet")
    yield from _sheet_list(main, sheets)
    yield from _names(main, root, len(sheets))
    tables: list[tuple[str, str, str]] = []
    names = {sheet.get("name", "").casefold() for sheet in sheets}
    for sheet in sheets:
        identity = next((str(value) for key, value in sheet.attrib.items() if str(key).endswith("}id")), "")
        relation = relations.get(identity)
        if relation is None:
            yield Finding(main, f"a sheet has no relationship: '{sheet.get('name')}'")
            continue
        roles = {item.kind for item in relations.values() if item.target.casefold() == relation.target.casefold()}
        if len(roles) > 1:
            yield Finding(main, f"a sheet's part is one of another kind too: {relation.target}")
        if relation.kind == "worksheet" and package.has(relation.target):
            yield from _Worksheet(package, relation.target, styles, strings, names).findings(tables)
    for index, what in ((1, "id"), (2, "name")):
        for value, count in Counter(table[index].casefold() for table in tables).items():
            if count > 1:
                yield Finding(main, f"two tables have one {what}: {value}")


def _order(part: str, root: etree._Element, order: Sequence[str]) -> Iterator[Finding]:
    """Children in the order of the schema, and once; foreign ones may stand anywhere."""
    positions = [order.index(name) for name in map(local, root) if name in order]
    for before, after in pairwise(positions):
        if after < before:
            yield Finding(part, f"elements are out of order: '{order[after]}' comes after '{order[before]}'")
            break
    for place, count in Counter(positions).items():
        if count > 1 and order[place] not in _SEVERAL:
            yield Finding(part, f"an element stands more than once: '{order[place]}'")


def _sheet_list(main: str, sheets: Sequence[etree._Element]) -> Iterator[Finding]:
    for what, values in (
        ("name", [sheet.get("name", "").casefold() for sheet in sheets]),
        ("id", [sheet.get("sheetId", "") for sheet in sheets]),
    ):
        for value, count in Counter(values).items():
            if count > 1:
                yield Finding(main, f"two sheets have one {what}: '{value}'")
    for sheet in sheets:
        if not valid_sheet_name(sheet.get("name", "")):
            yield Finding(main, f"a sheet's name is not allowed: '{sheet.get('name', '')}'")
    if sheets and all(sheet.get("state", "visible") != "visible" for sheet in sheets):
        yield Finding(main, "no sheet is visible")


def _names(main: str, root: etree._Element, sheets: int) -> Iterator[Finding]:
    seen: Counter[tuple[str, str]] = Counter()
    for item in grandchildren(root, "definedNames", "definedName"):
        name, owner = item.get("name", ""), item.get("localSheetId", "")
        seen[name.casefold(), owner] += 1
        if owner and not (owner.isdecimal() and int(owner) < sheets):
            yield Finding(main, f"a name belongs to a sheet that is not there: '{name}'")
        try:
            parse_name(item.text or "")
        except FormulaError as error:
            yield Finding(main, f"a name's formula cannot be read: '{name}', {error.expected}")
    for (name, _), count in seen.items():
        if count > 1:
            yield Finding(main, f"two names are the same: '{name}'")


def _styles(package: Package, part: str | None) -> Generator[Finding, None, tuple[int, int]]:
    """Checks the style sheet, and gives the numbers of cell styles (1 without a part) and of differential ones."""
    if part is None or not package.has(part):
        return 1, 0
    root = package.root(part)
    yield from _order(part, root, STYLE_ORDER)
    groups = {group: child(root, group) for group in STYLE_ORDER}
    sizes = {name: 0 if group is None else len(group) for name, group in groups.items()}
    known = {int(item.get("numFmtId", "0")) for item in children(child(root, "numFmts"), "numFmt")}
    for name, group in groups.items():
        stated = None if group is None else group.get("count")
        if stated is not None and stated != str(sizes[name]):
            yield Finding(part, f"a count is wrong: {name} says {stated} and has {sizes[name]}")
    xfs = children(child(root, "cellXfs"), "xf")
    for index, xf in enumerate(xfs):
        for attribute, name in (("fontId", "fonts"), ("fillId", "fills"), ("borderId", "borders")):
            if int(xf.get(attribute, "0")) >= max(sizes[name], 1):
                yield Finding(part, f"a style points past the {name}: style {index}")
        number = int(xf.get("numFmtId", "0"))
        if number >= 164 and number not in known and number not in BUILT_IN_FORMATS:
            yield Finding(part, f"a style's number format is not there: style {index}, format {number}")
    return max(len(xfs), 1), sizes["dxfs"]


# -- sheets and tables -----------------------------------------------------------------------------------


class _Worksheet:
    """One worksheet's part, with what its cells may point to."""

    def __init__(
        self, package: Package, part: str, styles: tuple[int, int], strings: int, sheets: Collection[str]
    ) -> None:
        self.package = package
        self.part = part
        self.root = package.root(part)
        self.styles, self.partials = styles
        self.strings = strings
        #: Names of the workbook's sheets, casefolded.
        self.sheets = sheets
        #: Texts by row and column: those of the sheet's own, and the numbers of shared ones.
        self.texts: dict[tuple[int, int], str] = {}
        self.shared: dict[tuple[int, int], int] = {}

    def findings(self, tables: list[tuple[str, str, str]]) -> Iterator[Finding]:
        """All findings of the sheet; its tables' (part, id, name) are added to a list."""
        yield from _order(self.part, self.root, SHEET_ORDER)
        yield from self._columns()
        yield from self._rows()
        yield from self._merged()
        yield from map(self._found, rule_faults(self.root, self.partials))
        relations = {item.id: item for item in self.package.relations(self.part)}
        yield from map(self._found, frame_faults(self.root, relations))
        yield from (Finding(*fault) for fault in drawing_faults(self.package, self.part, self.sheets))
        yield from (Finding(*fault) for fault in pivot_faults(self.package, self.part))
        for item in grandchildren(self.root, "tableParts", "tablePart"):
            identity = next((str(value) for key, value in item.attrib.items() if str(key).endswith("}id")), "")
            relation = relations.get(identity)
            if relation is None or relation.kind != "table":
                yield self._found(f"a table has no relationship: '{identity}'")
            elif self.package.has(relation.target):
                yield from self._table(relation.target, tables)

    def _found(self, says: str) -> Finding:
        return Finding(self.part, says)

    def _columns(self) -> Iterator[Finding]:
        last = 0
        for item in grandchildren(self.root, "cols", "col"):
            low, high = int(item.get("min", "0")), int(item.get("max", "0"))
            if not last < low <= high <= MAX_COLUMN:
                yield self._found(f"columns overlap or run beyond the grid: {low} to {high}")
            last = max(last, high)

    def _rows(self) -> Iterator[Finding]:
        last_row = 0
        shared: set[str] = set()
        masters: set[str] = set()
        for row in grandchildren(self.root, "sheetData", "row"):
            number = int(row.get("r") or last_row + 1)
            if not last_row < number <= MAX_ROW:
                yield self._found(f"rows are out of order or beyond the grid: row {number}")
            last_row = number
            last_column = 0
            for cell in children(row, "c"):
                address = cell.get("r")
                try:
                    at_row, column = parse_cell(address) if address else (number, last_column + 1)
                except ValueError:
                    yield self._found(f"a cell's address is not valid: '{address}'")
                    continue
                if at_row != number or column <= last_column or column > MAX_COLUMN:
                    yield self._found(f"a cell is out of place: {address} in row {number}")
                last_column = column
                yield from self._cell(cell, address or f"row {number}", (number, column), shared, masters)
        for group in sorted(shared - masters):
            yield self._found(f"a shared formula has no master: group {group}")

    def _cell(
        self, cell: etree._Element, name: str, place: tuple[int, int], shared: set[str], masters: set[str]
    ) -> Iterator[Finding]:
        form = cell.get("t", "n")
        if form not in _FORMS:
            yield self._found(f"a cell's type is not known: {name}, '{form}'")
        if not cell.get("s", "0").isdecimal() or int(cell.get("s", "0")) >= self.styles:
            yield self._found(f"a cell's style is not there: {name}, {cell.get('s')}")
        value = child(cell, "v")
        text = "" if value is None else value.text or ""
        if form == "s" and value is not None and not (text.isdecimal() and int(text) < self.strings):
            yield self._found(f"a cell's text is not there: {name}, {text}")
        elif form == "n" and text and not _is_number(text):
            yield self._found(f"a cell's number is not valid: {name}, '{text}'")
        if form == "inlineStr" and (inline := child(cell, "is")) is not None:
            self.texts[place] = rich_text(inline)
        elif form == "str":
            self.texts[place] = unescape_controls(text)
        elif form == "s" and text.isdecimal():
            self.shared[place] = int(text)
        formula = child(cell, "f")
        if formula is None:
            return
        if formula.get("t") == "shared":
            shared.add(formula.get("si", ""))
            if formula.text:
                masters.add(formula.get("si", ""))
        if formula.text and formula.get("t") != "dataTable":
            try:
                parse(formula.text.strip(), *place)
            except FormulaError as error:
                yield self._found(f"a formula cannot be read: {name}, {error.expected}")

    def _merged(self) -> Iterator[Finding]:
        areas: list[Area] = []
        for group in children(self.root, "mergeCells"):
            before = len(areas)
            for item in children(group, "mergeCell"):
                try:
                    areas.append(parse_area(item.get("ref", "")))
                except ValueError:
                    yield self._found(f"merged cells have no area: '{item.get('ref', '')}'")
            if group.get("count") not in (None, str(len(areas) - before)):
                says = f"mergeCells says {group.get('count')} and has {len(areas) - before}"
                yield self._found(f"a count is wrong: {says}")
        areas.sort()
        active: list[Area] = []
        for area in areas:
            # By ascending top, only areas that reach down to this one can overlap it.
            active = [item for item in active if item.bottom >= area.top]
            if any(item.overlaps(area) for item in active):
                yield self._found(f"merged cells overlap: {area_name(area)}")
            active.append(area)

    def _table(self, part: str, tables: list[tuple[str, str, str]]) -> Iterator[Finding]:
        """18.5.1: a table's area, columns and headings agree."""
        root = self.package.root(part)
        name = root.get("displayName", "")
        tables.append((part, root.get("id", ""), name))
        try:
            area = parse_area(root.get("ref", ""))
        except ValueError:
            yield Finding(part, f"the table has no area: '{root.get('ref', '')}'")
            return
        columns = [item.get("name", "") for item in children(child(root, "tableColumns"), "tableColumn")]
        if len(columns) != area.width:
            yield Finding(part, f"the table has {area.width} columns on its sheet and {len(columns)} by name")
        for column, count in Counter(column.casefold() for column in columns).items():
            if count > 1:
                yield Finding(part, f"two columns have one name: '{column}'")
        headings, totals = root.get("headerRowCount", "1") != "0", root.get("totalsRowCount", "0") != "0"
        if area.height < 1 + headings + totals:
            yield Finding(part, "the table has no row for data")
        if headings:
            yield from self._headings(part, area, columns)

    def _headings(self, part: str, area: Area, columns: Sequence[str]) -> Iterator[Finding]:
        texts = self._shared_texts()
        for index, column in enumerate(columns):
            place = (area.top, area.left + index)
            number = self.shared.get(place, len(texts))
            shown = texts[number] if number < len(texts) else self.texts.get(place)
            if unescape_controls(column) != shown:
                yield Finding(part, f"a heading is not the column's name: '{shown}' over '{column}'")

    def _shared_texts(self) -> list[str]:
        main = next((relation.target for relation in self.package.relations() if relation.kind == "officeDocument"), "")
        part = next(
            (relation.target for relation in self.package.relations(main) if relation.kind == "sharedStrings"), None
        )
        if part is None or not self.package.has(part):
            return []
        return [rich_text(item) for item in children(self.package.root(part), "si")]


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True
