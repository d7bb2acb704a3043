"""What `CELL` and `PHONETIC` ask of a cell beside its value: how it is shown, whether it is locked, how it is read."""

from __future__ import annotations

import re
from collections.abc import Mapping

from tinquire.cells.numberformat import SectionKind, parse_format
from tinquire.cells.values import Value
from tinquire.packages.xml import child, children
from tinquire.workbook.workbook import Workbook

__all__ = ["cell_facts", "reading_of"]

#: The sign of how a text is in its cell (18.17.7, CELL).
_PREFIXES = {"left": "'", "right": '"', "center": "^", "fill": "\\"}
#: Codes of dates and times by the parts that their format shows, without what stands between them.
_DATES = (
    (("d", "mmm", "y"), "D1"), (("d", "mmm"), "D2"), (("mmm", "y"), "D3"), (("m", "d", "y"), "D4"), (("m", "d"), "D5"),
    (("d", "m", "y"), "D4"), (("d", "m"), "D5"), (("y", "m", "d"), "D4"), (("h", "m", "s", "a"), "D6"),
    (("h", "m", "a"), "D7"), (("h", "m", "s"), "D8"), (("h", "m"), "D9"),
)  # fmt: skip
_QUOTED = re.compile(r'"[^"]*"|\\.|_.|\*.|\[\$[^]]*\]')
_DEFAULT_WIDTH = 8.0


def cell_facts(book: Workbook, name: str, row: int, column: int) -> Mapping[str, Value]:
    """`format`, `color`, `parentheses`, `prefix`, `protect` and `width` of a cell, as 18.17.7 spells them.

    `filename` is not among them: it would differ from one machine to another.
    """
    sheet = book.sheet(name)
    style = sheet.style(row, column)
    code = book.styles.number_format(style)
    value = sheet.value(row, column)
    align = book.styles.appearance(style).align
    sections = _QUOTED.sub("", code).split(";")
    negative = sections[1] if len(sections) > 1 else ""
    coloured = bool(re.search(r"\[(?:[A-Za-z]+ ?\d*)\]", negative)) and "[h" not in negative
    return {
        "format": _format_code(code) + ("-" if coloured else "") + ("()" if "(" in sections[0] else ""),
        "color": float(coloured),
        "parentheses": float("(" in sections[0]),
        "prefix": _PREFIXES.get(align or "left", "'") if isinstance(value, str) else "",
        "protect": float(book.styles.locked(style)),
        "width": float(round(sheet.widths.get(column, _DEFAULT_WIDTH))),
    }


def _format_code(code: str) -> str:
    """A number format in one of the letters of 18.17.7, with its decimals."""
    section = parse_format(code).sections[0]
    bare = _QUOTED.sub("", code.split(";", maxsplit=1)[0])
    if section.kind is SectionKind.DATE:
        parts = re.findall(r"d+|m+|y+|h+|s+|[aA](?=[mM/])", re.sub(r"AM/PM|A/P", "a", bare, flags=re.IGNORECASE) + "/")
        shown = tuple("mmm" if part[:3] == "mmm" else part[:1].lower() for part in parts)
        return next((letter for known, letter in _DATES if known == shown), "G")
    if section.kind in (SectionKind.GENERAL, SectionKind.TEXT, SectionKind.FRACTION):
        return "G"
    decimals = len(re.match(r"[0#?]*", bare.partition(".")[2])[0])  # type: ignore[index]
    if "%" in bare:
        return f"P{decimals}"
    if re.search(r"[Ee][+-]", bare):
        return f"S{decimals}"
    if re.search(r"[$£€¥]", code.split(";", maxsplit=1)[0]):
        return f"C{decimals}"
    return f"{',' if ',' in bare else 'F'}{decimals}"


def reading_of(book: Workbook, name: str, row: int, column: int) -> str | None:
    """How a cell's text is read, by the phonetic runs that its shared item has (18.4.6); None where it has none."""
    cells = book.sheet(name).columns.get(column)
    part = book.strings_part
    if cells is None or part is None:
        return None
    at = cells.places(row, row)
    if at.stop == at.start:
        return None
    code = int(cells.codes[at][0])
    items = children(book.package.root(part), "si")
    if code >= len(items):
        return None
    runs = [child(run, "t") for run in children(items[code], "rPh")]
    text = "".join(run.text or "" for run in runs if run is not None)
    return text or None
