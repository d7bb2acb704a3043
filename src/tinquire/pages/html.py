"""Sheets of a workbook as one HTML page: values as displayed, looks, widths, merged cells."""

from __future__ import annotations

import html
from collections.abc import Callable, Sequence

from tinquire.base.faults import DataError, Fault
from tinquire.cells.address import Area, area_name, quoted_sheet
from tinquire.cells.display import show
from tinquire.cells.values import CellError, Value
from tinquire.looks import Appearance, Edge, Variation
from tinquire.looks.widths import column_pixels
from tinquire.pages.frames import Framed, frames_of
from tinquire.pages.mail_form import mail_form
from tinquire.pages.signs import sign_of
from tinquire.pages.table_looks import with_table_looks
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.marked import CellMarks, MarkedSheet, marked_sheet
from tinquire.workbook.inspect.contents import BookDetails, SheetDetails
from tinquire.workbook.inspect.printed import print_areas

__all__ = ["html_page"]

_UNCHANGED, _UNMARKED = Variation(), CellMarks()
#: A page with more cells than this is of no use to anybody.
_MOST_CELLS = 2_000_000
#: Blank cells may be dressed to the end of the grid; this many rows and columns of them are drawn.
DRESSED_MARGIN = 3
#: Fonts for readers who lack a workbook's own; the first is as wide as the widest common ones.
_FALLBACK = "'DejaVu Sans', sans-serif"
_POINT = 96 / 72
#: Line styles of 18.18.3 as CSS has them: width in pixels and style.
_LINES = {
    "hair": "1px dotted", "dotted": "1px dotted", "dashed": "1px dashed", "thin": "1px solid", "medium": "2px solid",
    "mediumDashed": "2px dashed", "double": "3px double", "thick": "3px solid",
}  # fmt: skip
_PAGE = """<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>{title}</title>
<style>
body {{ margin: 0; padding: 24px; background: #E9E7E1; color: #27343A; font-family: {font}; font-size: {size:g}pt; }}
section {{ background: #FFFFFF; margin: 0 auto 28px; padding: 28px 32px; width: max-content; min-width: 480px;
  box-shadow: 0 1px 3px rgba(39, 52, 58, .25); }}
h2 {{ margin: 0 0 14px; font-size: 8pt; font-weight: normal; letter-spacing: .08em; color: #8A979C; }}
table {{ border-collapse: collapse; table-layout: fixed; }}
td {{ padding: 0 4px; height: 20px; overflow: hidden; white-space: nowrap; vertical-align: bottom; }}
td.n {{ text-align: right; }}
td.m {{ text-align: center; }}
td.o {{ overflow: visible; }}
div.sheet {{ position: relative; }}
div.frame {{ position: absolute; background: #FFFFFF; }}
div.frame img {{ display: block; width: 100%; height: 100%; }}
div.buttons {{ border: 1px solid #8A979C; height: 100%; box-sizing: border-box; overflow: hidden; padding: 6px; }}
div.buttons b {{ display: block; padding: 2px 2px 6px; }}
div.buttons span {{ display: block; padding: 4px 8px; margin-bottom: 3px; background: #E4E9EC; }}
div.buttons span.off {{ background: none; color: #8A979C; box-shadow: inset 0 0 0 1px #E4E9EC; }}
div.frame p {{ margin: 0; padding: 8px; height: 100%; box-sizing: border-box; color: #8A979C; border: 1px solid; }}
td i {{ float: left; font-style: normal; padding-right: 4px; }}
p.rest {{ margin: 10px 0 0; color: #8A979C; }}
{styles}
@media print {{ body {{ background: none; padding: 0; }} section {{ box-shadow: none; break-after: page; }} }}
</style>
</head>
<body>
{sections}
</body>
</html>
"""


def html_page(
    book: Workbook, title: str, sheets: Sequence[str] = (), most_rows: int | None = None, now: float | None = None,
    tell: Callable[[str], None] = lambda _: None, *, for_mail: bool = False,
) -> str:  # fmt: skip
    """A page with the named sheets, or all visible ones; of each the first `most_rows` rows, the rest counted.

    Marks are drawn as they hold; `now` is the serial of the moment that counts as now, for those by today's date.
    With `for_mail` it is in the form that mail programs show. `tell` gets a sentence on each mark that cannot be
    evaluated, and so is not drawn.
    """
    shown = [
        book.sheet(entry.name)
        for entry in book.entries
        if entry.kind == "worksheet" and (entry.name in sheets if sheets else entry.state == "visible")
    ]
    used = _Classes(book)
    details = BookDetails(book)
    sections = []
    for sheet in shown:
        entry = book.entry(sheet.name)
        own = details.sheet(sheet.name) if entry is not None and entry.part is not None else SheetDetails(sheet.name)
        marked = marked_sheet(book, sheet, own.marks, now)
        frames = list(frames_of(book, sheet, own, "png" if for_mail else "svg"))
        for frame in frames:
            if frame.problem:
                tell(f"{quoted_sheet(sheet.name)}: {frame.problem}")
        for skipped in marked.skipped:
            areas = ", ".join(map(area_name, skipped.mark.areas))
            tell(f"a mark of {quoted_sheet(sheet.name)}!{areas} is not drawn ({skipped.mark.words}): {skipped.why}")
        dressed = with_table_looks(book, sheet, tell)
        sections.append(_section(book, dressed, marked, used, most_rows, frames))
    styles = "\n".join(f".{name} {{ {rule} }}" for name, rule in used.rules() if rule)
    font, size = book.styles.plain_font
    page = _PAGE.format(
        title=html.escape(title), font=_family(font), size=size, styles=styles, sections="\n".join(sections)
    )
    return mail_form(page) if for_mail else page


class _Classes:
    """The classes of a page: one for each style of the workbook, and for each that marks have changed."""

    def __init__(self, book: Workbook) -> None:
        self._book = book
        self._known: dict[tuple[int, Variation], tuple[str, str]] = {}

    def of(self, style: int, change: Variation) -> tuple[Appearance, str]:
        """The appearance of a style as marks change it, and the name of its class; none for what is plain."""
        look = self._book.styles.appearance(style).varied(change)
        key = (style, change)
        if key not in self._known:
            name = f"s{style}" if change == _UNCHANGED else f"m{len(self._known)}"
            self._known[key] = name, css(look) if style or change != _UNCHANGED else ""
        name, rule = self._known[key]
        return look, name if rule else ""

    def rules(self) -> list[tuple[str, str]]:
        return sorted(self._known.values())


def _section(
    book: Workbook, sheet: Sheet, marked: MarkedSheet, used: _Classes, most_rows: int | None, frames: Sequence[Framed]
) -> str:
    rows, columns = _extent(book, sheet)
    if columns * (rows if most_rows is None else min(rows, most_rows)) > _MOST_CELLS:
        why = f"its used area is {rows:,} rows by {columns:,} columns, too many to draw"
        raise DataError(Fault(f"laying out sheet '{sheet.name}'", why, book.name, "say how many: --rows 100"))
    last = rows if most_rows is None else min(rows, most_rows)
    _, size = book.styles.plain_font
    shown = [number for number in range(1, columns + 1) if number not in sheet.hidden_columns]
    widths = [column_pixels(sheet.widths.get(number, 9.0), size) for number in shown]
    # Once the first row's cells are known to be merged, the columns' widths must come from elsewhere.
    group = "".join(f'<col style="width: {width}px">' for width in widths)
    grid = _Grid(book, sheet, last, columns, used, marked)
    body = "\n".join(grid.row(row) for row in range(1, last + 1) if row not in sheet.hidden_rows)
    rest = f'\n<p class="rest">and {rows - last:,} more rows</p>' if last < rows else ""
    name = html.escape(sheet.name)
    table = f'<table style="width: {sum(widths)}px"><colgroup>{group}</colgroup>\n{body}\n</table>{rest}'
    if frames:
        across = max(sum(widths), *(frame.left + frame.width for frame in frames))
        height = max(frame.top + frame.height for frame in frames)
        over = "\n".join(frame.markup for frame in frames)
        room = f"min-width: {across:.0f}px; min-height: {height:.0f}px"
        table = f'<div class="sheet" style="{room}">{table}\n{over}</div>'
    return f"<section>\n<h2>{name}</h2>\n{table}\n</section>"


def _extent(book: Workbook, sheet: Sheet) -> tuple[int, int]:
    """Last row and column of the page: of what is printed, if the sheet says so; else what holds something, and some
    dressed cells around it."""
    rows, columns = sheet.extent()
    entry = book.entry(sheet.name)
    areas = print_areas(book, sheet.name) if entry is not None and entry.part is not None else sheet.print_areas
    used = sheet.used or Area(1, 1, 1, 1)
    bottom = max((area.bottom for area in areas), default=used.bottom + DRESSED_MARGIN)
    right = max((area.right for area in areas), default=used.right + DRESSED_MARGIN)
    return min(rows, bottom), min(columns, right)


class _Grid:
    """The cells of one sheet while its rows are written."""

    def __init__(
        self, book: Workbook, sheet: Sheet, rows: int, columns: int, used: _Classes, marked: MarkedSheet
    ) -> None:
        self.book = book
        self.sheet = sheet
        self.columns = columns
        self.used = used
        self.marked = marked
        self.values = [sheet.column(number, 1, rows).to_list() for number in range(1, columns + 1)]
        self.styles = [sheet.styles(number, 1, rows).tolist() for number in range(1, columns + 1)]
        self.merged = {(area.top, area.left): area for area in sheet.merged}
        self.covered = {
            (row, column)
            for area in sheet.merged
            for row in range(area.top, min(area.bottom, rows) + 1)
            for column in range(area.left, min(area.right, columns) + 1)
        } - set(self.merged)

    def row(self, row: int) -> str:
        height = self.sheet.heights.get(row)
        style = f' style="height: {height * _POINT:.0f}px"' if height else ""
        cells = "".join(
            self.cell(row, column)
            for column in range(1, self.columns + 1)
            if (row, column) not in self.covered and column not in self.sheet.hidden_columns
        )
        return f"<tr{style}>{cells}</tr>"

    def cell(self, row: int, column: int) -> str:
        value = self.values[column - 1][row - 1]
        number = self.styles[column - 1][row - 1]
        marks = self.marked.at(row, column) or _UNMARKED
        look, name = self.used.of(number, marks.look)
        area = self.merged.get((row, column), Area(row, column, row, column))
        inline = self._far_edges(area, look)
        classes = [name] if name else []
        if look.align is None:
            classes += _natural_class(value)
        if isinstance(value, str) and not look.wrap and self._free_beside(row, column):
            classes.append("o")
        shown = show(value, look.format, self.book.date_system)
        across = sum(number not in self.sheet.hidden_columns for number in range(area.left, area.right + 1))
        spans = (f' colspan="{across}"' if across > 1 else "") + (
            f' rowspan="{area.height}"' if area.height > 1 else ""
        )
        if shown.colour:
            inline.append(f"color: #{shown.colour}")
        if marks.bar is not None:
            colour, share = marks.bar
            edge = f"{share:.1%}"
            inline.append(f"background-image: linear-gradient(to right, #{colour} {edge}, transparent {edge})")
            inline.append("background-size: 100% 70%; background-repeat: no-repeat; background-position: center")
        own = f' style="{"; ".join(inline)}"' if inline else ""
        attribute = f' class="{" ".join(classes)}"' if classes else ""
        text = "" if marks.hides_value else html.escape(shown.text)
        sign = "" if marks.sign is None else _sign(*marks.sign)
        return f"<td{attribute}{spans}{own}>{sign}{text}</td>"

    def _far_edges(self, area: Area, look: Appearance) -> list[str]:
        """Right and bottom lines of merged cells, which their last cells carry."""
        if area.height == 1 and area.width == 1:
            return []
        right, bottom = min(area.right, self.columns), min(area.bottom, len(self.styles[0]))
        last = self.book.styles.appearance(self.styles[right - 1][bottom - 1]).edges
        sides = (("right", last.right, look.edges.right), ("bottom", last.bottom, look.edges.bottom))
        return [f"border-{side}: {_line(edge)}" for side, edge, own in sides if edge is not None and edge != own]

    def _free_beside(self, row: int, column: int) -> bool:
        """Whether a long text may run over the next cell, as it does where that one is blank."""
        return column >= self.columns or self.values[column][row - 1] is None


def _sign(name: str, place: int) -> str:
    """A sign of a set (18.18.42), drawn as a letter: its form by the set's kind, its colour by its place."""
    shape, colour = sign_of(name, place)
    return f'<i style="color: #{colour}">{shape}</i>'


def _natural_class(value: Value) -> list[str]:
    """Where a value stands when its style does not say: numbers right, yes/no and errors in the middle."""
    if isinstance(value, bool | CellError):
        return ["m"]
    return ["n"] if isinstance(value, float) else []


def css(look: Appearance) -> str:
    """An appearance as CSS declarations."""
    rules = []
    if look.font:
        rules.append(f"font-family: {_family(look.font)}")
    if look.size:
        rules.append(f"font-size: {look.size:g}pt")
    rules += ["font-weight: bold"] * look.bold + ["font-style: italic"] * look.italic
    decoration = " ".join(["underline"] * look.underline + ["line-through"] * look.strike)
    if decoration:
        rules.append(f"text-decoration: {decoration}")
    if look.colour:
        rules.append(f"color: #{look.colour}")
    if look.fill:
        rules.append(f"background: #{look.fill}")
    if look.align in ("left", "center", "right"):
        rules.append(f"text-align: {look.align}")
    if look.valign in ("top", "center", "bottom"):
        rules.append(f"vertical-align: {'middle' if look.valign == 'center' else look.valign}")
    if look.wrap:
        rules.append("white-space: normal")
    if look.indent:
        rules.append(f"padding-left: {4 + 9 * look.indent}px")
    for side in ("top", "bottom", "left", "right"):
        edge: Edge | None = {
            "top": look.edges.top, "bottom": look.edges.bottom, "left": look.edges.left, "right": look.edges.right,
        }[side]  # fmt: skip
        if edge:
            rules.append(f"border-{side}: {_line(edge)}")
    return "; ".join(rules)


def _line(edge: Edge) -> str:
    return f"{_LINES.get(edge.style, '1px dashed')} #{edge.colour}"


def _family(font: str) -> str:
    """A font's name in CSS, without what could end the declaration: it may come from a stranger's file."""
    bare = "".join(character for character in font if character.isalnum() or character in " -_")
    return f"'{bare}', {_FALLBACK}"
