"""One cell of a workbook read and set in the file's bytes: without a model, a parser or the other parts.

For a thousand small files, or one cell of a very large one. It takes only what is of the plain form, and says
`Unusual` of all else: `Workbook` does that, with the same result.
"""

from __future__ import annotations

import re
import zlib
from dataclasses import dataclass
from functools import cached_property, lru_cache

from tinquire.cells.address import cell_name
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import CellError, Value
from tinquire.packages.deflate import crc32, inflate
from tinquire.packages.entry_edits import with_recalculation
from tinquire.packages.raw_xml import Element, Unusual, elements, has_formula, unescape_entities
from tinquire.packages.xml import parse_xml
from tinquire.packages.zip_archive import MAX_RATIO
from tinquire.packages.zip_directory import Member, packed_content, read_directory, replace_members
from tinquire.workbook.parts.shared_strings import items_of, text_item, text_of, with_items
from tinquire.workbook.parts.styles import StyleBook
from tinquire.workbook.sheet_xml.cell_splice import CellPatch, change_cell, splice_cells
from tinquire.workbook.sheet_xml.cell_values import stored_value, value_of

__all__ = ["DirectBook", "DirectCell"]

_BOMB_FLOOR = 1 << 20
_SHEET = re.compile(rb"<(?:\w+:)?sheet ([^<>]*)/>")
_RELATION = re.compile(rb"<Relationship ([^<>]*)/>")
#: A name begins where no other letter of it stands before: looked for from each letter on, a long one would take long.
_ATTRIBUTE = re.compile(rb"(?<![\w:])([\w:]+)=\"([^\"]*)\"")
#: Sheets are looked through for formulas while they are smaller than this when packed; of larger ones it is assumed.
_LOOKED_THROUGH = 1 << 20
#: How most cells are written.
_PLAIN_CELL = re.compile(rb'<c( r="[A-Z]+[0-9]+"(?: s="([0-9]+)")?(?: t="([a-zA-Z]+)")?)>(<v>([^<]*)</v>)</c>')
#: Signs of cells that hang together with others, and a rare character of each: a single one is found many times
#: faster than several.
_HANGING = ((b"P", b"<tablePart"), (b"y", b't="array"'))
#: Of packed sheets up to this size it is remembered whether they held formulas.
_SMALL = 1 << 14


@dataclass(slots=True)
class DirectCell:
    """A cell as found: its value, style number, and whether it holds a formula; `None` for the element when there is
    no such cell yet."""

    value: Value
    style: int
    formula: bool
    element: Element | None


class DirectBook:
    """A workbook's bytes, of which some parts are exchanged."""

    def __init__(self, data: bytes) -> None:
        """Raises Unusual for archives that are not of the plain form."""
        self._data = data
        self._members, self._directory = read_directory(data)
        self._fresh: dict[str, bytes] = {}
        self._read: dict[str, bytes] = {}
        self._names: dict[str, str] = {}
        self._sheets = self._sheet_parts()

    # -- parts -----------------------------------------------------------------------------------------

    def read(self, part: str) -> bytes:
        if (known := self._fresh.get(part) or self._read.get(part)) is not None:
            return known
        member, packed = self._packed(part)
        unfold = _unpack_cached if part in _ALIKE else _unpack
        content = self._read[part] = unfold(packed, member.size, member.crc, member.method)
        return content

    def _packed(self, part: str) -> tuple[Member, bytes]:
        """A part's entry and its bytes as they lie. Raises Unusual."""
        member = self._members.get(part)
        if member is None or (member.size > _BOMB_FLOOR and member.size > MAX_RATIO * max(member.packed, 1)):
            raise Unusual
        return member, packed_content(self._data, member)

    def _sheet_parts(self) -> dict[str, str]:
        """Parts of the worksheets by casefolded name, of a workbook laid out as programs lay it out."""
        if _main_part(self.read("_rels/.rels")) != "xl/workbook.xml":
            raise Unusual
        parts, names = _sheets(self.read("xl/workbook.xml"), self.read("xl/_rels/workbook.xml.rels"))
        self._names = names
        return parts

    def sheet_part(self, name: str) -> str:
        """A worksheet's part. Raises Unusual."""
        part = self._sheets.get(name.casefold())
        if part is None:
            raise Unusual
        return part

    def sheet_name(self, name: str) -> str:
        """A sheet's name as the workbook writes it."""
        return self._names[name.casefold()]

    @cached_property
    def date_system(self) -> DateSystem:
        return DateSystem.FROM_1904 if b'date1904="1"' in self.read("xl/workbook.xml") else DateSystem.FROM_1900

    # -- cells -----------------------------------------------------------------------------------------

    def cell(self, sheet: str, row: int, column: int) -> DirectCell:
        """A cell as it is. Raises Unusual for a sheet with tables or array formulas, whose cells hang together."""
        part = self.sheet_part(sheet)
        data = self.read(part)
        name = cell_name(row, column).encode()
        if not data.startswith((b"<?xml", b"<work")) or _hangs_together(data):
            raise Unusual
        mark = b'r="%s"' % name
        at = data.find(mark)
        if at < 0 or data.find(mark, at + 1) > 0:
            return self._missing(data, name)
        start = data.rfind(b"<", 0, at)
        if plain := _PLAIN_CELL.match(data, start):
            attributes, style, form, _, stored = plain.groups()
            element = Element(start, plain.end(), attributes, plain.span(4))
            return DirectCell(self._stored_value(form or b"n", stored), int(style or 0), False, element)
        found = next(elements(data, start, len(data), b"c"), None)
        if found is None or found.start != start or found.get(b"r") != name:
            raise Unusual
        inside = b"" if found.inside is None else data[slice(*found.inside)]
        value = self._value(found.get(b"t") or b"n", inside)
        return DirectCell(value, int(found.get(b"s") or 0), b"<f" in inside, found)

    @staticmethod
    def _missing(data: bytes, name: bytes) -> DirectCell:
        if name in data or b"<c>" in data or b"<row>" in data:
            raise Unusual
        return DirectCell(None, 0, False, None)

    def _value(self, form: bytes, inside: bytes) -> Value:
        found = next(elements(inside, 0, len(inside), b"v"), None)
        return self._stored_value(form, b"" if found is None or found.inside is None else inside[slice(*found.inside)])

    def _stored_value(self, form: bytes, stored: bytes) -> Value:
        try:
            return value_of(form.decode(), unescape_entities(stored.decode()), self._shared)
        except ValueError:
            raise Unusual from None

    def _shared(self, place: int) -> str:
        items = items_of(self.read("xl/sharedStrings.xml"))
        if not 0 <= place < len(items):
            raise Unusual
        return text_of(items[place])

    def number_format(self, style: int) -> str:
        """The format code of a style number."""
        return (
            _styles(self.read("xl/styles.xml")).number_format(style) if "xl/styles.xml" in self._members else "General"
        )

    def set(self, sheet: str, row: int, column: int, value: Value, known: DirectCell) -> None:
        """Set a cell's value; its style stays. `known` is what `cell` said of it."""
        if isinstance(value, CellError):
            raise Unusual
        part = self.sheet_part(sheet)
        form, stored = stored_value(value, self._place)
        patch = CellPatch(row, column, form, stored, known.style)
        data = self.read(part)
        if known.element is None:
            self._fresh[part] = splice_cells(data, [patch])
        else:
            found = known.element
            self._fresh[part] = data[: found.start] + change_cell(data, found, patch, b"") + data[found.end :]

    def _place(self, text: str) -> int:
        """A text's place among the shared ones, to which it is added where it is new."""
        data = self.read("xl/sharedStrings.xml")
        items, fresh = items_of(data), text_item(text)
        if (known := fresh.removesuffix("</si>")) in items:
            return items.index(known)
        self._fresh["xl/sharedStrings.xml"] = with_items(data, fresh.encode())
        return len(items)

    def may_hold_formulas(self) -> bool:
        """Whether a sheet holds formulas; of large sheets it is assumed."""
        for part in self._sheets.values():
            if part in self._members and self._members[part].packed > _LOOKED_THROUGH:
                return True
        return any(map(self._has_formula, self._sheets.values()))

    def _has_formula(self, part: str) -> bool:
        if part in self._read:
            return has_formula(self._read[part])
        member, packed = self._packed(part)
        look = _contains_formula_cached if member.packed <= _SMALL else _contains_formula
        return look(packed, member.size, member.crc, member.method)

    def mark_stale(self) -> None:
        """Ask the program that opens the file to recalculate (18.2.2). Raises Unusual where that is not one place."""
        data = self.read("xl/workbook.xml")
        asking = with_recalculation(data)
        if asking != data:
            self._fresh["xl/workbook.xml"] = asking

    # -- saving ----------------------------------------------------------------------------------------

    def to_bytes(self) -> bytes:
        """The whole file: untouched members as they lie, with the space between them."""
        return replace_members(self._data, self._members, self._directory, self._fresh, self._read)


def _hangs_together(data: bytes) -> bool:
    cells = data.find(b"<sheetData")
    if cells < 0 or (b"!" in data and b"<!--" in data):
        return True
    return any(data.find(rare, cells) >= 0 and data.find(sign, cells) >= 0 for rare, sign in _HANGING)


#: Parts that are byte for byte the same in many files of one kind: what they hold is remembered.
_ALIKE = frozenset({"_rels/.rels", "xl/workbook.xml", "xl/_rels/workbook.xml.rels", "xl/styles.xml"})


def _unpack(packed: bytes, size: int, crc: int, method: int) -> bytes:
    """A member's content, checked. Raises Unusual for damage."""
    try:
        content = inflate(packed, size) if method else packed
    except (zlib.error, ValueError):
        raise Unusual from None
    if len(content) != size or crc32(content) != crc:
        raise Unusual
    return content


def _contains_formula(packed: bytes, size: int, crc: int, method: int) -> bool:
    return has_formula(_unpack(packed, size, crc, method))


_unpack_cached = lru_cache(maxsize=32)(_unpack)
#: Sheets that are not changed are often the same in all files, too.
_contains_formula_cached = lru_cache(maxsize=128)(_contains_formula)


@lru_cache(maxsize=8)
def _main_part(relationships: bytes) -> str:
    for match in _RELATION.finditer(relationships):
        given = dict(_ATTRIBUTE.findall(match[1]))
        if given.get(b"Type", b"").endswith(b"/officeDocument"):
            return given.get(b"Target", b"").decode("ascii", "replace").lstrip("/")
    return ""


@lru_cache(maxsize=32)
def _sheets(workbook: bytes, relationships: bytes) -> tuple[dict[str, str], dict[str, str]]:
    """Parts and names of the worksheets by casefolded name, of a workbook laid out as programs lay it out."""
    relations = {}
    for match in _RELATION.finditer(relationships):
        given = dict(_ATTRIBUTE.findall(match[1]))
        if given.get(b"Type", b"").endswith(b"/worksheet"):
            relations[given.get(b"Id", b"")] = given.get(b"Target", b"").decode()
    parts, names = {}, {}
    for match in _SHEET.finditer(workbook):
        given = dict(_ATTRIBUTE.findall(match[1]))
        target = relations.get(next((value for key, value in given.items() if key.endswith(b":id")), b""))
        if target is not None:
            name = unescape_entities(given.get(b"name", b"").decode())
            names[name.casefold()] = name
            parts[name.casefold()] = target.lstrip("/") if target.startswith("/") else f"xl/{target}"
    if not parts or any(".." in part for part in parts.values()):
        raise Unusual
    return parts, names


@lru_cache(maxsize=32)
def _styles(data: bytes) -> StyleBook:
    """Files of one kind share their styles byte for byte."""
    try:
        return StyleBook(parse_xml(data))
    except ValueError:
        raise Unusual from None
