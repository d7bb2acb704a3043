"""Attributes of a part's rows (ECMA-376 Part 1, 18.3.1.73) set in its bytes; cells stay as they are."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping

from tinquire.packages.raw_xml import sheet_data
from tinquire.workbook.sheet_xml.plain_spelling import canonical

__all__ = ["with_levels", "with_rows"]

_ROW = re.compile(rb"<((?:\w+:)?)row\b([^<>]*?)(/?)>")
_NUMBER = re.compile(rb"\sr=[\"']([0-9]+)[\"']")


def with_levels(data: bytes, levels: Mapping[int, int], hidden: Collection[int], folded: Collection[int]) -> bytes:
    """A part whose rows have these levels; some are hidden, and `folded` are those that stand for folded groups. Raises
    as `with_rows`."""
    rows: dict[int, dict[str, str]] = {}
    for row, level in levels.items():
        rows.setdefault(row, {})["outlineLevel"] = str(level)
    for name, some in (("hidden", hidden), ("collapsed", folded)):
        for row in some:
            rows.setdefault(row, {})[name] = "1"
    return with_rows(data, rows)


def with_rows(data: bytes, rows: Mapping[int, Mapping[str, str]]) -> bytes:
    """A part some of whose rows have attributes; rows that the part does not have are left out of account. Raises
    ValueError for a part without cells."""
    _, cells = sheet_data(data) if b"<!" not in data else sheet_data(data := canonical(data))
    if cells.inside is None:
        return data
    start, end = cells.inside

    def changed(found: re.Match[bytes]) -> bytes:
        number = _NUMBER.search(found[2])
        given = None if number is None else rows.get(int(number[1]))
        if not given:
            return found[0]
        attributes = found[2]
        for name, value in given.items():
            attributes = re.sub(rb"\s%s=(\"[^\"]*\"|'[^']*')" % name.encode(), b"", attributes)
            attributes = attributes.rstrip() + b' %s="%s"' % (name.encode(), value.encode())
        return b"<%srow%s%s>" % (found[1], attributes, found[3])

    return data[:start] + _ROW.sub(changed, data[start:end]) + data[end:]
