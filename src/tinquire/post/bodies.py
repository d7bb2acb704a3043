"""What a mail says, in the forms in which it goes out: plain text, and HTML as mail programs show it, with the looks
in each element, without scripts, its pictures inside the message (RFC 2387, RFC 2392)."""

from __future__ import annotations

import html
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, TypeAlias, Union

if TYPE_CHECKING:
    from tinquire.document.laid_tables import LaidCell, LaidTable

__all__ = ["Body", "BodyStyle", "Picture", "body_html", "body_text", "pictures_of"]

_PIXELS = 96 / 72


@dataclass(frozen=True, slots=True)
class BodyStyle:
    """How the HTML body looks: fonts in order, size in points, colours as RGB."""

    fonts: Sequence[str] = ("sans-serif",)
    size: float = 10.0
    colour: str = "000000"


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture in a body: PNG, what it shows in words, its width and height in points."""

    data: bytes
    alt: str
    width: float
    height: float


#: Texts (paragraphs with blank lines between, lists of lines that begin with '- '), tables and pictures, in order.
Body: TypeAlias = Sequence[Union[str, "LaidTable", Picture]]


def pictures_of(body: Body | str) -> list[Picture]:
    return [] if isinstance(body, str) else [part for part in body if isinstance(part, Picture)]


def body_text(body: Body | str) -> str:
    """A body as plain text: tables in columns, pictures by what they show."""
    if isinstance(body, str):
        return body.strip() + "\n"
    parts = []
    for part in body:
        if isinstance(part, str):
            parts.append(part.strip())
        else:
            parts.append(f"[{part.alt}]" if isinstance(part, Picture) else _columns(part))
    return "\n\n".join(part for part in parts if part) + "\n"


def _columns(table: LaidTable) -> str:
    """A table set out in columns."""
    widths = [1] * len(table.widths)
    for cells in table.rows:
        for place, cell in _placed(cells):
            if cell.columns == 1:
                widths[place] = max(widths[place], len(cell.text))
    lines = []
    for number, cells in enumerate(table.rows):
        line = ""
        for place, cell in _placed(cells):
            room = sum(widths[place : place + cell.columns]) + 2 * (cell.columns - 1)
            text = cell.text.rjust(room) if cell.align == "right" else cell.text.ljust(room)
            line += text + "  "
        lines.append(line.rstrip())
        if number + 1 == table.headings:
            lines.append("-" * (sum(widths) + 2 * (len(widths) - 1)))
    return "\n".join(lines)


def _placed(cells: Sequence[LaidCell]) -> list[tuple[int, LaidCell]]:
    found, place = [], 0
    for cell in cells:
        found.append((place, cell))
        place += cell.columns
    return found


def body_html(body: Body | str, style: BodyStyle, identities: Sequence[str] = ()) -> str:
    """A body as a small HTML page; `identities` are the content ids of its pictures, in order. All text is escaped."""
    fonts = html.escape(", ".join(f"'{font}'" if " " in font else font for font in style.fonts))
    look = f"font-family: {fonts}; font-size: {style.size:g}pt; line-height: 1.5; color: #{style.colour}"
    known = iter(identities)
    parts = []
    for part in [body] if isinstance(body, str) else body:
        if isinstance(part, str):
            parts += [_block(block) for block in re.split(r"\n\s*\n", part.strip()) if block.strip()]
        elif isinstance(part, Picture):
            parts.append(_picture(part, next(known)))
        else:
            parts.append(_table(part))
    inside = "\n".join(parts)
    return f'<!DOCTYPE html>\n<html>\n<body style="{look}">\n{inside}\n</body>\n</html>\n'


def _block(block: str) -> str:
    lines = [line.strip() for line in block.strip().splitlines()]
    if all(line.startswith("- ") for line in lines):
        items = "\n".join(f"<li>{html.escape(line[2:])}</li>" for line in lines)
        return f"<ul>\n{items}\n</ul>"
    return "<p>" + "<br>\n".join(html.escape(line) for line in lines) + "</p>"


def _picture(one: Picture, identity: str) -> str:
    width, height = round(one.width * _PIXELS), round(one.height * _PIXELS)
    look = "max-width: 100%; height: auto; border: 0"
    named = f'src="cid:{html.escape(identity)}" alt="{html.escape(one.alt, quote=True)}"'
    return f'<p><img {named} width="{width}" height="{height}" style="{look}"></p>'


def _table(table: LaidTable) -> str:
    rows = []
    for number, cells in enumerate(table.rows):
        tag = "th" if number < table.headings else "td"
        inside = "".join(_cell(cell, tag) for cell in cells)
        rows.append(f"<tr>{inside}</tr>")
    look = "border-collapse: collapse; margin: 8px 0"
    return f'<table cellspacing="0" cellpadding="0" style="{look}">\n' + "\n".join(rows) + "\n</table>"


def _cell(cell: LaidCell, tag: str) -> str:
    from tinquire.pages.html import css  # only mails with tables need what draws pages

    look = css(cell.look) + f"; text-align: {cell.align}; padding: 2px 8px; line-height: 1.3"
    look += "" if cell.look.bold else "; font-weight: normal"
    look += "; white-space: nowrap" if cell.align == "right" else ""
    wide = f' colspan="{cell.columns}"' if cell.columns > 1 else ""
    scope = ' scope="col"' if tag == "th" else ""
    return f'<{tag}{wide}{scope} style="{html.escape(look.strip("; "), quote=True)}">{html.escape(cell.text)}</{tag}>'
