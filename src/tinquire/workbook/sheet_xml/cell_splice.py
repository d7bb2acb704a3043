"""Cells changed in the bytes of a sheet's part, and nothing else: not one byte outside the changed cells."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

from tinquire.cells.address import cell_name, parse_cell
from tinquire.packages.raw_xml import ATTRIBUTE, Element, Unusual, elements, sheet_data
from tinquire.packages.xml import escape_formula, escape_text

__all__ = ["CellPatch", "change_cell", "splice_cells"]


@dataclass(slots=True)
class CellPatch:
    """What one cell becomes: `form` is its `t` attribute ('' for numbers), `value` the text of its `v` element."""

    row: int
    column: int
    form: str
    value: str | None
    style: int
    formula: str | None = None
    #: The area that an array formula fills.
    array: str = ""
    #: Leave the `f` element as it is: only the result changed.
    keep_formula: bool = False


def splice_cells(data: bytes, patches: Sequence[CellPatch]) -> bytes:
    """The part's bytes with cells set; patches come by row, then column.

    Raises Unusual where the bytes cannot be distinguished safely: comments, other encodings, rows or cells without
    addresses or out of order.
    """
    prefix, cells = sheet_data(data)
    if cells.inside is None:
        body = _fresh_rows(patches, prefix)
        return data[: cells.start] + b"<%ssheetData>%s</%ssheetData>" % (prefix, body, prefix) + data[cells.end :]
    start, end = cells.inside
    pieces: list[bytes] = []
    index = start
    for begin, stop, text in _edits(data, start, end, patches, prefix):
        pieces += [data[index:begin], text]
        index = stop
    return data[:start] + b"".join(pieces) + data[index:]


def _edits(
    data: bytes, start: int, end: int, patches: Sequence[CellPatch], prefix: bytes
) -> Iterator[tuple[int, int, bytes]]:
    """What to put where: first byte, byte after the last, and the bytes instead; in order, never overlapping."""
    wanted = [(row, list(group)) for row, group in groupby(patches, key=lambda item: item.row)]
    last = 0
    for element in elements(data, start, end, prefix + b"row"):
        number = int(element.get(b"r") or 0)
        if number <= last:
            raise Unusual
        last = number
        while wanted and wanted[0][0] < number:
            yield element.start, element.start, _fresh_rows(wanted.pop(0)[1], prefix)
        if wanted and wanted[0][0] == number:
            yield from _row_edits(data, element, wanted.pop(0)[1], prefix)
        if not wanted:
            return
    for _, group in wanted:
        yield end, end, _fresh_rows(group, prefix)


def _row_edits(data: bytes, row: Element, patches: list[CellPatch], prefix: bytes) -> Iterator[tuple[int, int, bytes]]:
    cells: dict[int, Element] = {}
    for cell in elements(data, *(row.inside or (row.end, row.end)), prefix + b"c"):
        try:
            at_row, column = parse_cell((cell.get(b"r") or b"").decode("ascii", "replace"))
        except ValueError:
            raise Unusual from None
        if at_row != patches[0].row or (cells and column <= max(cells)):
            raise Unusual
        cells[column] = cell
    fresh = [patch for patch in patches if patch.column not in cells]
    if row.inside is None or (fresh and row.get(b"spans") is not None):
        # A row that gets cells needs an open tag, and its hint on which columns it spans may be wrong now.
        kept = b"".join(b" %s=%s" % pair for pair in ATTRIBUTE.findall(row.attributes) if pair[0] != b"spans")
        opening = b"<%srow%s>" % (prefix, kept)
        if row.inside is None:
            yield (
                row.start,
                row.end,
                opening + b"".join(_markup(item, prefix) for item in patches) + b"</%srow>" % prefix,
            )
            return
        yield row.start, row.inside[0], opening
    for patch in patches:
        if patch.column in cells:
            cell = cells[patch.column]
            yield cell.start, cell.end, change_cell(data, cell, patch, prefix)
            continue
        position = next((cells[column].start for column in sorted(cells) if column > patch.column), row.inside[1])
        yield position, position, _markup(patch, prefix)


def _fresh_rows(patches: Sequence[CellPatch], prefix: bytes) -> bytes:
    rows = []
    for number, group in groupby(patches, key=lambda item: item.row):
        cells = b"".join(_markup(patch, prefix) for patch in group)
        rows.append(b'<%srow r="%d">%s</%srow>' % (prefix, number, cells, prefix))
    return b"".join(rows)


#: What stands in most cells: a value without a prefix, to be exchanged, and nothing to be kept.
_ONLY_VALUE = re.compile(rb"(?:<v>[^<]*</v>)?")


def change_cell(data: bytes, cell: Element, patch: CellPatch, prefix: bytes) -> bytes:
    """A known cell's bytes: attributes and children that the patch does not speak of are kept."""
    kept = b"".join(
        [b" %s=%s" % pair for pair in ATTRIBUTE.findall(cell.attributes) if pair[0] not in (b"r", b"s", b"t")]
    )
    formula, others = b"", b""
    inner = b"" if cell.inside is None else data[slice(*cell.inside)]
    if not _ONLY_VALUE.fullmatch(inner):
        taken = []
        for name in (b"f", b"v", b"is"):
            for element in elements(inner, 0, len(inner), prefix + name):
                taken.append(element)
                if name == b"f" and patch.keep_formula:
                    formula = inner[element.start : element.end]
        index = 0
        for element in sorted(taken, key=lambda item: item.start):
            others += inner[index : element.start]
            index = element.end
        others = (others + inner[index:]).strip()
    return _markup(patch, prefix, kept, formula, others)


def _markup(
    patch: CellPatch, prefix: bytes, attributes: bytes = b"", formula: bytes = b"", others: bytes = b""
) -> bytes:
    """A cell's bytes."""
    head = b'<%sc r="%s"' % (prefix, cell_name(patch.row, patch.column).encode())
    if patch.style:
        head += b' s="%d"' % patch.style
    if patch.form:
        head += b' t="%s"' % patch.form.encode()
    content = formula
    if patch.formula is not None:
        form = b' t="array" ref="%s"' % patch.array.encode() if patch.array else b""
        content = b"<%sf%s>%s</%sf>" % (prefix, form, escape_formula(patch.formula).encode(), prefix)
    if patch.value is not None:
        content += b"<%sv>%s</%sv>" % (prefix, escape_text(patch.value).encode(), prefix)
    content += others
    if not content:
        return head + attributes + b"/>"
    return head + attributes + b">" + content + b"</%sc>" % prefix
