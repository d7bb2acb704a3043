"""Tables of a web page as a workbook in memory: some programs export pages and name them as workbooks."""

from __future__ import annotations

from collections.abc import Iterator

from lxml import html as page_parser
from lxml.html import HtmlElement

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.column import Column
from tinquire.workbook import Sheet, Workbook

__all__ = ["read_web_page"]

#: A cell may claim to span any number of rows and columns; none that is meant spans more than this.
_MOST_SPAN = 1_000


def read_web_page(data: bytes, name: str) -> Workbook:
    """Each table of a page as a sheet of texts; what is in a cell that spans several is in its first.

    Raises: AccessError for a page without tables.
    """
    parser = page_parser.HTMLParser(no_network=True, huge_tree=True)
    root = page_parser.document_fromstring(data, parser=parser) if data.strip() else None
    tables = [] if root is None else [item for item in root.iter("table") if item.find(".//table") is None]
    book = Workbook.new()
    for number, table in enumerate(tables, start=1):
        rows = list(_rows(table))
        width = max((len(row) for row in rows), default=0)
        sheet = Sheet(f"Table {number}")
        for column in range(width):
            sheet.put(1, column + 1, Column.from_values(row[column] if column < len(row) else None for row in rows))
        if width:
            book.add_sheet(sheet)
    if not book.entries:
        why = "it is a web page without tables, whatever its name says"
        raise AccessError(Fault("opening a workbook", why, name, "save it as .xlsx in the program that made it"))
    return book


def _rows(table: HtmlElement) -> Iterator[list[str | None]]:
    """The rows of a table; cells that reach down from above push those below to the right."""
    waiting: dict[int, int] = {}
    for row in table.iter("tr"):
        cells: list[str | None] = []

        def skip(cells: list[str | None] = cells) -> None:
            while waiting.get(len(cells), 0) > 0:
                waiting[len(cells)] -= 1
                cells.append(None)

        for cell in row:
            if cell.tag not in ("td", "th"):
                continue
            skip()
            wide, high = _span(cell, "colspan"), _span(cell, "rowspan")
            for offset in range(wide):
                waiting[len(cells)] = high - 1
                cells.append(" ".join(cell.text_content().split()) or None if offset == 0 else None)
        skip()
        yield cells


def _span(cell: HtmlElement, name: str) -> int:
    text = (cell.get(name) or "1").strip()
    return min(max(int(text), 1), _MOST_SPAN) if text.isdecimal() and len(text) < 10 else 1
