"""Parts whose rows and cells do not say which they are (18.3.1.73, 18.3.1.4: `r` may be left out), since each follows
the one before it. They get their addresses, so that they can be read as fast as others."""

from __future__ import annotations

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, column_name
from tinquire.packages.raw_xml import Unusual, sheet_data

__all__ = ["with_addresses"]


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
