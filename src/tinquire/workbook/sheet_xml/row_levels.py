"""Outline levels of a part's rows (ECMA-376 Part 1, 18.3.1.73) set in its bytes; cells stay as they are."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping

from tinquire.packages.raw_xml import sheet_data
from tinquire.workbook.sheet_xml.plain_spelling import canonical

__all__ = ["with_levels"]

_ROW = re.compile(rb"<((?:\w+:)?)row\b([^<>]*?)(/?)>")
_NUMBER = re.compile(rb"\sr=[\"']([0-9]+)[\"']")


def with_levels(data: bytes, levels: Mapping[int, int], hidden: Collection[int], folded: Collection[int]) -> bytes:
    """A part whose rows have these levels; some are hidden, and `folded` are those that stand for folded groups. Rows
    that the part does not have are left out of account. Raises ValueError for a part without cells."""
    _, cells = sheet_data(data) if b"<!" not in data else sheet_data(data := canonical(data))
    if cells.inside is None:
        return data
    start, end = cells.inside

    def changed(found: re.Match[bytes]) -> bytes:
        number = _NUMBER.search(found[2])
        row = int(number[1]) if number is not None else 0
        given = {}
        if row in levels:
            given[b"outlineLevel"] = str(levels[row]).encode()
        if row in hidden:
            given[b"hidden"] = b"1"
        if row in folded:
            given[b"collapsed"] = b"1"
        if not given:
            return found[0]
        attributes = found[2]
        for name, value in given.items():
            attributes = re.sub(rb"\s%s=(\"[^\"]*\"|'[^']*')" % name, b"", attributes)
            attributes = attributes.rstrip() + b' %s="%s"' % (name, value)
        return b"<%srow%s%s>" % (found[1], attributes, found[3])

    return data[:start] + _ROW.sub(changed, data[start:end]) + data[end:]
