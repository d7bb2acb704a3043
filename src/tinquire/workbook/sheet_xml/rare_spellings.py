"""Spellings of sheets that some programs write, put into the common one, so that they can be read as fast: rows and
cells that do not say which they are (18.3.1.73, 18.3.1.4: `r` may be left out), and elements with a prefix."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from itertools import chain

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, column_name
from tinquire.packages.raw_xml import Unusual, sheet_data

__all__ = ["with_addresses", "without_prefix"]

#: A root stands within so many bytes, or is not looked for.
_ROOT_WITHIN = 4096
_ROOT = re.compile(rb"<([A-Za-z_][\w.-]*:)worksheet[ >]")


def without_prefix(chunks: Iterable[bytes]) -> Iterator[bytes]:
    """The part with elements named without the prefix that its root has, if any; their namespace is told nowhere.

    Raises Unusual for a part with such a prefix and with what may hold text that looks like its elements.
    """
    source = iter(chunks)
    first = next(source, b"")
    if not (root := _ROOT.search(first, 0, _ROOT_WITHIN)):
        yield from chain((first,), source)
        return
    opened, closed = b"<" + root[1], b"</" + root[1]
    held = b""
    for chunk in chain((first,), source, (b"",)):
        held += chunk
        if b"<!" in held:
            raise Unusual
        # What a last bracket begins may go on in the next chunk.
        cut = held.rfind(b"<", max(len(held) - len(closed), 0)) if chunk else -1
        cut = len(held) if cut < 0 else cut
        yield held[:cut].replace(opened, b"<").replace(closed, b"</")
        held = held[cut:]


def with_addresses(data: bytes) -> bytes:
    """The part with an address in every row and cell. Raises Unusual where one of them has its own, and for parts that
    are not in the plain form."""
    prefix, cells = sheet_data(data)
    if prefix or cells.inside is None:
        raise Unusual
    start, end = cells.inside
    head, *rows = data[start:end].split(b"<row")
    if head.strip() or len(rows) > MAX_ROW or b" r=" in data[start:end].replace(b"\n", b" ").replace(b"\t", b" "):
        raise Unusual
    names: list[bytes] = []
    pieces = [data[:start]]
    for number, row in enumerate(rows, start=1):
        before, *inside = row.split(b"<c")
        if before[:1] not in b" >/" or len(inside) > MAX_COLUMN:
            raise Unusual
        while len(names) < len(inside):
            names.append(b'<c r="%s' % column_name(len(names) + 1).encode())
        digits = b'%d"' % number
        pieces += [b'<row r="', digits, before]
        for name, cell in zip(names, inside, strict=False):
            if cell[:1] not in b" >/":
                raise Unusual
            pieces += [name, digits, cell]
    pieces.append(data[end:])
    return b"".join(pieces)
