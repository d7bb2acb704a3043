"""Headers and footers: their codes (ECMA-376 Part 1, 18.3.1.46) as three parts with runs of letters."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime

from tinquire.cells.dates import serial_from_date
from tinquire.cells.display import show
from tinquire.pages.cell_looks import CellLooks
from tinquire.pages.cell_text import underlined
from tinquire.pages.lettering import Letters, lines_of
from tinquire.pages.primitives import Item, Picture

__all__ = ["Facts", "HeadRun", "head_runs", "put_head"]

_CODE = re.compile(
    r'&(?P<font>"[^"]*")|&K(?P<colour>[0-9A-Fa-f]{6}|[0-9]{2}[+-][0-9]{3})|&(?P<size>[0-9]{1,3})'
    r"|&(?P<page>P)(?P<move>[+-][0-9]+)?|&(?P<code>.)|(?P<text>[^&]+)",
    re.DOTALL,
)
#: Ends of lines, as files write them.
_ENDS = re.compile(r"(?:_x000D_|\r)\n?")
_SIDES = {"L": 0, "C": 1, "R": 2}
_BLACK = "000000"


@dataclass(frozen=True)
class Facts:
    """What codes stand for: the page's number, how many there are, the moment, file, folder and sheet."""

    page: int
    pages: int
    moment: datetime
    file: str
    folder: str
    sheet: str


@dataclass(frozen=True, slots=True)
class _Style:
    font: str = ""
    size: float = 0.0
    bold: bool = False
    italic: bool = False
    underline: int = 0
    strike: bool = False
    script: str | None = None
    colour: str = _BLACK


@dataclass(frozen=True, slots=True)
class HeadRun:
    """A piece of a header or footer: its text, or a picture's place, in a style."""

    text: str
    style: _Style
    picture: bool = False


def head_runs(codes: str, facts: Facts) -> tuple[list[HeadRun], list[HeadRun], list[HeadRun]]:
    """The parts of a header or footer: left, centre and right. What begins without a side is the centre."""
    parts: tuple[list[HeadRun], list[HeadRun], list[HeadRun]] = ([], [], [])
    side, style = 1, _Style()
    for match in _CODE.finditer(codes):
        code = match["code"]
        if code is not None and code.upper() in _SIDES and code.isupper():
            side, style = _SIDES[code], _Style()
        elif code == "G":
            parts[side].append(HeadRun("", style, picture=True))
        else:
            text = _text(match, facts)
            last = parts[side][-1] if parts[side] else None
            if last is not None and last.style == style and not last.picture:
                parts[side][-1] = HeadRun(last.text + text, style)
            elif text:
                parts[side].append(HeadRun(text, style))
            style = _styled(style, match)
    return parts


def _text(match: re.Match[str], facts: Facts) -> str:
    if match["text"] is not None:
        return (
            match["text"].replace("\r\n", "\n").replace("_x000D_\n", "\n").replace("_x000D_", "\n").replace("\r", "\n")
        )
    if match["page"] is not None:
        return str(facts.page + int(match["move"] or 0))
    now = serial_from_date(facts.moment.replace(tzinfo=None))
    said: dict[str, Callable[[], str]] = {
        "N": lambda: str(facts.pages), "A": lambda: facts.sheet, "F": lambda: facts.file, "Z": lambda: facts.folder,
        "D": lambda: show(now, "d mmmm yyyy").text, "T": lambda: show(now, "hh:mm").text, "&": lambda: "&",
    }  # fmt: skip
    found = said.get(match["code"] or "")
    return "" if found is None else found()


def _styled(style: _Style, match: re.Match[str]) -> _Style:
    """A style as a code changes it."""
    if match["font"] is not None:
        name, _, kind = match["font"].strip('"').partition(",")
        bold, italic = "bold" in kind.casefold(), any(word in kind.casefold() for word in ("italic", "oblique"))
        return replace(style, font="" if name in ("-", "") else name, bold=bold, italic=italic)
    if match["size"] is not None:
        return replace(style, size=float(match["size"]))
    if match["colour"] is not None:
        return replace(
            style, colour=match["colour"].upper() if len(match["colour"]) == 6 and match["colour"].isalnum() else _BLACK
        )
    scripts = {"X": "superscript", "Y": "subscript"}
    match match["code"]:
        case "B":
            return replace(style, bold=not style.bold)
        case "I":
            return replace(style, italic=not style.italic)
        case "U":
            return replace(style, underline=0 if style.underline else 1)
        case "E":
            return replace(style, underline=0 if style.underline else 2)
        case "S":
            return replace(style, strike=not style.strike)
        case "X" | "Y":
            wanted = scripts[match["code"]]
            return replace(style, script=None if style.script == wanted else wanted)
    return style


def put_head(
    runs: tuple[list[HeadRun], list[HeadRun], list[HeadRun]], looks: CellLooks, left: float, right: float, edge: float,
    scale: float, *, foot: bool, pictures: tuple[Picture | None, Picture | None, Picture | None] = (None, None, None),
) -> list[Item]:  # fmt: skip
    """The parts of a header (growing downwards from `edge`) or of a footer (upwards), between two sides, in points of
    the page; letters are `scale` times as large."""
    items: list[Item] = []
    for side, part in enumerate(runs):
        picture = pictures[side] if any(run.picture for run in part) else None
        if picture is not None:
            box = picture.box
            x = (left, (left + right - box.width) / 2, right - box.width)[side]
            y = edge if foot else edge - box.height
            items.append(replace(picture, box=box._replace(x=x, y=y)))
        written = [(run.text, _letters(looks, run.style, scale)) for run in part if not run.picture]
        if not written:
            continue
        lines = lines_of(written, None)
        heights = [max((piece.letters.height for piece in line.pieces), default=0.0) or 9.0 for line in lines]
        top = edge + sum(heights) if foot else edge
        for line, height in zip(lines, heights, strict=True):
            x = (left, (left + right - line.width) / 2, right - line.width)[side]
            base = top - max((piece.letters.ascent for piece in line.pieces), default=0.0)
            for piece in line.pieces:
                if piece.text.strip():
                    letters = piece.letters
                    items += underlined(letters.put(x, base, piece.text, piece.width), letters)
                x += piece.width
            top -= height
    return items


def _letters(looks: CellLooks, style: _Style, scale: float) -> Letters:
    size = (style.size or looks.plain_size) * scale
    letters = looks.letters(style.font, size, style.bold, style.italic, style.colour, style.underline, style.strike)
    return letters.scripted(style.script)
