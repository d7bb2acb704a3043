"""Small changes in the bytes of parts that list things: all around an entry stays as another program wrote it.

Each raises Unusual where the markup has a form in which it cannot be distinguished safely; then a parser has to do it.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from tinquire.packages.raw_xml import Unusual, elements, unescape_entities

__all__ = ["with_entry", "with_recalculation", "without_entries"]

_CALCULATION = re.compile(rb"<(?:\w+:)?calcPr\b[^<>]*>")
#: The last of the elements that stand before it (18.2.27).
_BEFORE_CALCULATION = re.compile(
    rb".*</((?:\w+:)?)(?:sheets|functionGroups|externalReferences|definedNames)>", re.DOTALL
)


def without_entries(data: bytes, name: bytes, attribute: bytes, gone: Callable[[str], bool]) -> bytes:
    """A part without those elements of a name whose attribute is one that goes."""
    _require_plain(data)
    pieces, index = [], 0
    for element in elements(data, 0, len(data), name):
        value = element.get(attribute)
        if value is None:
            raise Unusual
        if gone(unescape_entities(value.decode())):
            pieces.append(data[index : element.start])
            index = element.end
    return b"".join((*pieces, data[index:])) if index else data


def with_entry(data: bytes, around: bytes, entry: bytes) -> bytes:
    """A part with an entry more, after the others in its outermost element."""
    _require_plain(data)
    close = b"</" + around + b">"
    end = data.rfind(close)
    if end < 0 or data[end + len(close) :].strip():
        raise Unusual
    return data[:end] + entry + data[end:]


def with_recalculation(data: bytes) -> bytes:
    """The workbook's part, asking the program that opens the file to work all results out (18.2.2)."""
    _require_plain(data)
    match = _CALCULATION.search(data)
    if match is None:
        index = _BEFORE_CALCULATION.search(data)
        if index is None:
            raise Unusual
        tag = b'<%scalcPr fullCalcOnLoad="1"/>' % index[1]
        return data[: index.end()] + tag + data[index.end() :]
    if b'fullCalcOnLoad="1"' in match[0]:
        return data
    if b"fullCalcOnLoad" in match[0]:
        raise Unusual
    tag = re.sub(rb"(\s*/?>)\Z", rb' fullCalcOnLoad="1"\1', match[0])
    return data[: match.start()] + tag + data[match.end() :]


def _require_plain(data: bytes) -> None:
    if b"<!" in data or b"\0" in data:
        raise Unusual
