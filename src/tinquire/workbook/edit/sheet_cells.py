"""The cells of a sheet's part after a change: rows and columns that moved, formulas that follow.

Works on the part's bytes, row by row; what neither moves nor mentions the change keeps its bytes.
"""

from __future__ import annotations

import re

from tinquire.cells.address import area_name, cell_name, parse_area, parse_cell
from tinquire.cells.shifting import Moves
from tinquire.formula.language.mentions import offset_text
from tinquire.formula.language.reference_changes import ReferenceChange, may_differ
from tinquire.packages.raw_xml import Element, Unusual, elements, sheet_data, unescape_entities, with_attributes
from tinquire.packages.xml import escape_formula, unescape_controls
from tinquire.workbook.sheet_xml.plain_spelling import canonical_cells

__all__ = ["follow_cells"]

_ATTRIBUTES = rb"((?:[ \t\r\n]+[\w:.\x80-\xff-]+[ \t\r\n]*=[ \t\r\n]*(?:\"[^\"]*\"|'[^']*'))*)[ \t\r\n]*"


def follow_cells(data: bytes, home: str, following: ReferenceChange, shift: Moves | None = None) -> bytes:
    """A sheet's part with its cells moved by `shift`, if there is one, and their formulas following.

    Raises ValueError for parts that cannot be read.
    """
    try:
        return _Cells(data, home, following, shift).followed()
    except Unusual:
        plain, _ = canonical_cells(data)
    try:
        return _Cells(plain, home, following, shift).followed()
    except Unusual:
        raise ValueError("its rows or cells are in no order, or hold more than values and formulas") from None


class _Cells:
    def __init__(self, data: bytes, home: str, following: ReferenceChange, shift: Moves | None) -> None:
        self.data = data
        self.home = home
        self.following = following
        self.shift = shift
        self.prefix, self.cells = sheet_data(data)
        name = self.prefix
        self.row_tag = re.compile(rb"<" + name + rb"row\b" + _ATTRIBUTES + rb"(/?)>")
        self.cell_tag = re.compile(rb"<" + name + rb"c\b" + _ATTRIBUTES + rb"(/?)>")
        self.plain_cell = re.compile(rb"(<" + name + rb'c r="[A-Z]{1,3})([0-9]+")')
        self.formula = re.compile(
            rb"<" + name + rb"f\b" + _ATTRIBUTES + rb"(?:/>|>([^<]*)</" + name + rb"f[ \t\r\n]*>)"
        )
        self.any_formula = re.compile(rb"<" + name + rb"f(?=[ \t\r\n/>])")
        self.member = re.compile(rb"<" + name + rb"c\b" + _ATTRIBUTES + rb">[ \t\r\n]*" + self.formula.pattern)

    def followed(self) -> bytes:
        if self.cells.inside is None:
            return self.data
        start, end = self.cells.inside
        body = self.data[start:end]
        if self.shift is None and not self._may_change(body):
            return self.data
        if b"shared" in body:
            body = self._unshared(body)
        pieces: list[bytes] = []
        index = last = 0
        for row in elements(body, 0, len(body), self.prefix + b"row"):
            number = int(row.get(b"r") or 0)
            if number <= last:
                raise Unusual
            last = number
            pieces += [body[index : row.start], self._row(body, row, number)]
            index = row.end
        return b"".join((self.data[:start], *pieces, body[index:], self.data[end:]))

    def _may_change(self, body: bytes) -> bool:
        """Whether a formula of the part may change, where its cells stay where they are."""
        known: dict[tuple[bytes, bool], bool] = {}
        count = 0
        for found in self.formula.finditer(body):
            count += 1
            raw = found[2] or b""
            key = (raw, b"shared" in found[1])
            if key not in known:
                text = _formula_text(raw)
                changes = self.following.formula(text, self.home) != text
                known[key] = changes or (key[1] and may_differ(self.following, text, self.home))
            if known[key] or (found[1] and self._areas(found[1])):
                return True
        return count != body.count(b"<%sf" % self.prefix)

    def _row(self, body: bytes, row: Element, number: int) -> bytes:
        chunk = body[row.start : row.end]
        fresh: int | None = number
        if self.shift is not None and self.shift.rows:
            fresh = self.shift.line(number)
            if fresh is None:
                return b""
        if b"<" + self.prefix + b"f" in chunk:
            chunk = self.formula.sub(self._followed_formula, chunk)
        if fresh != number:
            chunk = self.row_tag.sub(
                lambda found: self._tag(b"row", found, {b"r": b"%d" % (fresh or 0)}), chunk, count=1
            )
            chunk = self._moved_row(chunk, number, fresh or 0)
        elif self.shift is not None and not self.shift.rows:
            chunk = self._shifted_within(chunk, number)
        return chunk

    def _tag(self, name: bytes, found: re.Match[bytes], changes: dict[bytes, bytes | None]) -> bytes:
        return b"<%s%s%s%s>" % (self.prefix, name, with_attributes(found[1], changes), found[2])

    def _moved_cell(self, found: re.Match[bytes], number: int) -> bytes:
        row, column = self._place(Element(0, 0, found[1], None))
        if row != number:
            raise Unusual
        moved = self.shift.line(row if self.shift.rows else column) if self.shift else None
        if self.shift is None or moved is None:
            raise Unusual
        name = cell_name(moved, column) if self.shift.rows else cell_name(row, moved)
        return self._tag(b"c", found, {b"r": name.encode()})

    def _moved_row(self, chunk: bytes, number: int, fresh: int) -> bytes:
        """The cells of a row that moves: as most files spell them, or one by one."""
        old, new = b'%d"' % number, b'%d"' % fresh
        found = self.plain_cell.findall(chunk)
        # Each has its own name first, and that of this row; anything else that begins like a cell is looked at closely.
        if len(found) == chunk.count(b"<" + self.prefix + b"c") and all(digits == old for _, digits in found):
            return self.plain_cell.sub(lambda cell: cell[1] + new, chunk)
        return self.cell_tag.sub(lambda found: self._moved_cell(found, number), chunk)

    @staticmethod
    def _place(cell: Element) -> tuple[int, int]:
        try:
            return parse_cell((cell.get(b"r") or b"").decode("ascii", "replace"))
        except ValueError:
            raise Unusual from None

    def _shifted_within(self, chunk: bytes, number: int) -> bytes:
        """A row whose cells move to other columns, or go with theirs."""
        assert self.shift is not None
        pieces: list[bytes] = []
        index = 0
        moved = False
        for cell in elements(chunk, 0, len(chunk), self.prefix + b"c"):
            _, column = self._place(cell)
            fresh = self.shift.line(column)
            if fresh == column:
                continue
            moved = True
            pieces.append(chunk[index : cell.start])
            if fresh is not None:
                text = chunk[cell.start : cell.end]
                pieces.append(self.cell_tag.sub(lambda found: self._moved_cell(found, number), text, count=1))
            index = cell.end
        if not moved:
            return chunk
        chunk = b"".join((*pieces, chunk[index:]))
        # The row's hint on the columns it spans (18.3.1.73) may be wrong now.
        return self.row_tag.sub(lambda found: self._tag(b"row", found, {b"spans": None}), chunk, count=1)

    def _areas(self, attributes: bytes) -> dict[bytes, bytes | None]:
        """What becomes of the areas that a formula fills or reads, as its attributes say, where these change."""
        changes: dict[bytes, bytes | None] = {}
        element = Element(0, 0, attributes, None)
        for name in (b"ref", b"r1", b"r2"):
            if (area := element.get(name)) is not None:
                moved = self.following.area(parse_area(area.decode()), self.home)
                fresh = None if moved is None else area_name(moved).encode()
                if fresh != area:
                    changes[name] = fresh
        return changes

    def _followed_formula(self, found: re.Match[bytes]) -> bytes:
        changes = self._areas(found[1])
        raw = found[2] or b""
        text = _formula_text(raw)
        fresh_text = self.following.formula(text, self.home)
        if not changes and fresh_text == text:
            return found[0]
        inside = raw if fresh_text == text else escape_formula(fresh_text).encode()
        head = b"<%sf%s" % (self.prefix, with_attributes(found[1], changes))
        return head + (b">%s</%sf>" % (inside, self.prefix) if inside else b"/>")

    def _unshared(self, body: bytes) -> bytes:
        """Shared formulas (18.3.1.40) that the change touches, each cell with its own text instead."""
        masters: dict[bytes, tuple[str, int, int]] = {}
        members = [found for found in self.member.finditer(body) if _is_shared(found[2])]
        formulas = [found[1] for found in self.formula.finditer(body)]
        if len(members) != sum(map(_is_shared, formulas)):
            raise Unusual  # text or markup between a cell's tag and its formula
        if len(formulas) != len(self.any_formula.findall(body)):
            raise Unusual  # an attribute or a formula of another form
        for found in members:
            formula = Element(0, 0, found[2], None)
            if found[3]:
                text = _formula_text(found[3])
                if self.shift is not None or may_differ(self.following, text, self.home):
                    masters[formula.get(b"si") or b""] = (text, *self._place(Element(0, 0, found[1], None)))
        if not masters:
            return body
        return self.member.sub(lambda found: self._own_text(found, masters), body)

    def _own_text(self, found: re.Match[bytes], masters: dict[bytes, tuple[str, int, int]]) -> bytes:
        formula = Element(0, 0, found[2], None)
        if not _is_shared(found[2]) or (master := masters.get(formula.get(b"si") or b"")) is None:
            return found[0]
        row, column = self._place(Element(0, 0, found[1], None))
        text = offset_text(master[0], row - master[1], column - master[2])
        attributes = with_attributes(found[2], {b"t": None, b"si": None, b"ref": None})
        cell = b"<%sc%s>" % (self.prefix, found[1])
        return cell + b"<%sf%s>%s</%sf>" % (self.prefix, attributes, escape_formula(text).encode(), self.prefix)


def _is_shared(attributes: bytes) -> bool:
    return Element(0, 0, attributes, None).get(b"t") == b"shared"


def _formula_text(raw: bytes) -> str:
    return unescape_controls(unescape_entities(raw.decode("utf-8")))
