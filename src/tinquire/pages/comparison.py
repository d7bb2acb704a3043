"""The differences of two workbooks as an HTML page."""

from __future__ import annotations

import html
from collections.abc import Iterator, Sequence

from tinquire.cells.address import column_name, quoted_sheet
from tinquire.workbook.inspect.compare import CellDifference, Comparison, SheetComparison, line_list

__all__ = ["comparison_page"]

#: So many cells and rows of one sheet are listed; the rest are counted.
_MOST_CELLS = 2_000
_MOST_ROWS = 200
_KINDS = ("value", "formula", "result", "look")
_PAGE = """<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>{title}</title>
<style>
body {{ margin: 0; background: #E9E7E1; color: #27343A; font: 14px/1.45 'DejaVu Sans', Verdana, sans-serif; }}
main {{ max-width: 1120px; margin: 0 auto; padding: 32px 24px 64px; }}
h1 {{ font-size: 21px; margin: 0 0 4px; }}
p.files {{ margin: 0 0 24px; color: #5C6B72; }}
section {{ background: #FFFFFF; margin: 0 0 20px; padding: 20px 24px; box-shadow: 0 1px 3px rgba(39, 52, 58, .22); }}
h2 {{ font-size: 16px; margin: 0 0 10px; }}
h3 {{ font-size: 13px; margin: 18px 0 6px; color: #5C6B72; font-weight: normal; }}
table {{ border-collapse: collapse; width: 100%; font-size: 13px; }}
th {{ text-align: left; font-weight: normal; color: #5C6B72; border-bottom: 1px solid #27343A;
  padding: 4px 10px 4px 0; }}
td {{ border-bottom: 1px solid #E4E1DA; padding: 4px 10px 4px 0; vertical-align: top; overflow-wrap: anywhere; }}
table.summary {{ margin-bottom: 20px; background: #FFFFFF; box-shadow: 0 1px 3px rgba(39, 52, 58, .22); }}
table.summary th, table.summary td {{ padding: 7px 16px; }}
td.n, th.n {{ text-align: right; font-variant-numeric: tabular-nums; }}
td.c {{ white-space: nowrap; }}
td.k {{ white-space: nowrap; color: #5C6B72; }}
span.was {{ background: #F6E3DC; }}
span.is {{ background: #DFEDE2; }}
div.wide {{ overflow-x: auto; }}
div.wide table {{ width: auto; }}
div.wide td {{ white-space: nowrap; overflow-wrap: normal; }}
tr.in td {{ background: #EAF3EC; }}
tr.out td {{ background: #F9ECE7; }}
a {{ color: inherit; }}
</style>
</head>
<body>
<main>
<h1>{heading}</h1>
<p class="files">{old} &rarr; {new}</p>
{body}
</main>
</body>
</html>
"""


def comparison_page(comparison: Comparison, old: str, new: str) -> str:
    """A page: what differs in all, then sheet by sheet."""
    differing = [sheet for sheet in comparison.sheets if not sheet.same]
    pieces = [*_headlines(comparison), *([] if comparison.same else [_summary(comparison)])]
    pieces += [_section(sheet) for sheet in differing]
    heading = "Nothing differs" if comparison.same else "What differs"
    return _PAGE.format(
        title=html.escape(f"{old} and {new}"), heading=heading, old=html.escape(old), new=html.escape(new),
        body="\n".join(pieces),
    )  # fmt: skip


def _summary(comparison: Comparison) -> str:
    rows = []
    for sheet in comparison.sheets:
        one = sheet.alignment
        lines = [len(one.new_rows), len(one.old_rows), len(one.new_columns), len(one.old_columns)]
        counts = [sheet.count(kind) for kind in _KINDS]
        cells = "".join(f'<td class="n">{f"{count:,}" if count else "–"}</td>' for count in (*lines, *counts))
        name = html.escape(sheet.name)
        link = name if sheet.same else f'<a href="#{_anchor(sheet)}">{name}</a>'
        rows.append(f"<tr><td>{link}</td>{cells}</tr>")
    headings = (
        "rows inserted",
        "rows removed",
        "columns inserted",
        "columns removed",
        "values",
        "formulas",
        "results",
        "looks",
    )
    head = "".join(f'<th class="n">{heading}</th>' for heading in headings)
    table = f'<table class="summary"><tr><th>sheet</th>{head}</tr>{"".join(rows)}</table>' if rows else ""
    notes = [f"sheet '{name}' is new" for name in comparison.inserted]
    notes += [f"sheet '{name}' was removed" for name in comparison.removed]
    notes += comparison.names + comparison.structure
    return table + (f"<section><h2>The workbook</h2>{_list(notes)}</section>" if notes else "")


def _list(texts: Sequence[str]) -> str:
    return "<ul>" + "".join(f"<li>{html.escape(text)}</li>" for text in texts) + "</ul>"


def _anchor(sheet: SheetComparison) -> str:
    return html.escape("sheet-" + "-".join(sheet.name.split()), quote=True)


def _section(sheet: SheetComparison) -> str:
    pieces = [f'<section id="{_anchor(sheet)}"><h2>{html.escape(sheet.name)}</h2>']
    if sheet.structure:
        pieces.append(_list(sheet.structure))
    one = sheet.alignment
    for lines, says in ((one.new_columns, "inserted"), (one.old_columns, "removed")):
        if lines:
            pieces.append(f"<h3>Columns {says}: {line_list(lines, rows=False)}</h3>")
    pieces += _rows(sheet.inserted_rows, "inserted", "in")
    pieces += _rows(sheet.removed_rows, "removed (by their numbers before)", "out")
    if sheet.cells:
        pieces.append(_cells(sheet.cells))
    return "\n".join([*pieces, "</section>"])


def _rows(rows: dict[int, list[str]], says: str, mark: str) -> Iterator[str]:
    if not rows:
        return
    shown = list(rows.items())[:_MOST_ROWS]
    width = max(len(cells) for _, cells in shown)
    used = [n for n in range(width) if any(len(cells) > n and cells[n] for _, cells in shown)]
    head = "".join(f"<th>{column_name(n + 1)}</th>" for n in used)
    body = "".join(
        f'<tr class="{mark}"><td class="n">{row}</td>'
        + "".join(f"<td>{html.escape(cells[n] if n < len(cells) else '')}</td>" for n in used)
        + "</tr>"
        for row, cells in shown
    )
    rest = f"<p>and {len(rows) - len(shown):,} more</p>" if len(rows) > len(shown) else ""
    yield f"<h3>Rows {says}: {len(rows):,}</h3>"
    yield f'<div class="wide"><table><tr><th class="n">row</th>{head}</tr>{body}</table></div>{rest}'


def _cells(cells: Sequence[CellDifference]) -> str:
    body = "".join(_cell(cell) for cell in cells[:_MOST_CELLS])
    rest = f"<p>and {len(cells) - _MOST_CELLS:,} more</p>" if len(cells) > _MOST_CELLS else ""
    return f"<h3>Cells: {len(cells):,}</h3><table>{_head('cell', 'name', 'kind')}{body}</table>{rest}"


def _head(*before: str) -> str:
    """The heading row of a table of cells: `before` and what was, is, and moved."""
    cells = "".join(f"<th>{item}</th>" for item in (*before, "before", "after"))
    return f'<tr>{cells}<th class="n">change</th><th class="n">per cent</th></tr>'


def _headlines(comparison: Comparison) -> Iterator[str]:
    """Figures and totals that changed, before all details."""
    found = [(sheet, cell) for sheet in comparison.sheets for cell in sheet.cells if cell.headline]
    if not found:
        return
    body = "".join(
        f'<tr><td>{html.escape(cell.called)}</td><td class="c"><a href="#{_anchor(sheet)}">'
        f"{html.escape(quoted_sheet(sheet.name))}!{cell.cell}</a></td>{_movement(cell)}</tr>"
        for sheet, cell in found[:_MOST_ROWS]
    )
    rest = f"<p>and {len(found) - _MOST_ROWS:,} more</p>" if len(found) > _MOST_ROWS else ""
    head = _head("name", "cell")
    yield f"<section><h2>Figures and totals that changed</h2><table>{head}{body}</table>{rest}</section>"


def _cell(one: CellDifference) -> str:
    position = one.cell if one.before == one.cell else f"{one.cell} (was {one.before})"
    called = f"<td>{html.escape(one.called)}</td>"
    return f'<tr><td class="c">{position}</td>{called}<td class="k">{one.kind}</td>{_movement(one)}</tr>'


def _movement(one: CellDifference) -> str:
    """What was and is, and by how much it moved."""
    was = f'<span class="was">{html.escape(one.was)}</span>' if one.was else "nothing"
    now = f'<span class="is">{html.escape(one.now)}</span>' if one.now else "nothing"
    by, percent = one.spelled_move
    return f'<td>{was}</td><td>{now}</td><td class="n c">{by}</td><td class="n c">{percent}</td>'
