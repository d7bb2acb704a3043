"""Tables of a letter as strips, a row each: widths, merged cells, lines, grounds, repeated heading rows (ECMA-376 Part
1, 17.4)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from string import hexdigits
from typing import TYPE_CHECKING, TypeAlias

from lxml import etree

from tinquire.document.letter import kind_of
from tinquire.document.looks import Edge, ParagraphLook, RunLook, edges_of, on, points, value, whole
from tinquire.document.story import rows_of
from tinquire.looks.palette import rgb
from tinquire.packages.xml import child, children
from tinquire.pages.primitives import Areas, Box, Item, Lines, Pen, Role
from tinquire.pages.strips import Strip

if TYPE_CHECKING:
    from tinquire.pages.letter_blocks import Blocks, Context

__all__ = ["table_strips"]

#: Room at the left and right of a cell's text where nothing is stated (17.4.44).
_SIDE = 5.4
_TABLE, _ROW, _CELL, _BODY = (Role(name) for name in ("table", "row", "cell", "body"))
_OF_TABLES = frozenset({"table", "row", "cell", "body"})
_Ends = tuple[float, float, float, float]
_SIDES = ("top", "bottom", "left", "right")
_PARTS = {"firstRow": 0x20, "lastRow": 0x40, "firstColumn": 0x80, "lastColumn": 0x100, "noHBand": 0x200}


@dataclass(frozen=True)
class _Stated:
    """What a cell's properties state (17.4.66): how many columns it takes, and how wide they are, in points; whether it
    begins cells that are merged downwards, or goes on from the row above; its ground, edges, and where its text is."""

    count: int
    width: float | None
    begins: bool
    goes_on: bool
    #: The colour of its ground, as written; None where nothing is stated.
    fill: str | None
    edges: dict[str, Edge]
    anchor: str | None

    @classmethod
    def of(cls, settings: etree._Element | None) -> _Stated:
        merge, width = child(settings, "vMerge"), child(settings, "tcW")
        begins = merge is not None and value(merge) == "restart"
        edges = {name: edge for name, edge in edges_of(child(settings, "tcBorders")) if name in _SIDES}
        return cls(
            max(whole(child(settings, "gridSpan"), otherwise=1), 1),
            points(value(width, "w")) if value(width, "type") == "dxa" else None,
            begins,
            merge is not None and not begins,
            value(child(settings, "shd"), "fill"),
            edges,
            value(child(settings, "vAlign")),
        )

    def ground(self, known: str | None) -> str | None:
        """The colour behind a cell where its properties state one, or none."""
        return known if self.fill is None else rgb(self.fill)


@dataclass
class _Cell:
    """A cell: its first column, its element, and what its properties state."""

    first: int
    element: etree._Element
    stated: _Stated

    @property
    def count(self) -> int:
        return self.stated.count


#: A cell with its lines laid out, where it begins, and how wide it is.
_Laid: TypeAlias = "tuple[_Cell, list[Strip], float, float]"


@dataclass(frozen=True)
class _Styled:
    """What a table's style says of a cell: its paragraphs and letters, its ground, the lines around it."""

    base: tuple[ParagraphLook, RunLook]
    ground: str | None
    edges: dict[str, Edge]


def table_strips(blocks: Blocks, context: Context, table: etree._Element, width: float) -> list[Strip]:
    return _Table(blocks, context, table, width).strips()


class _Table:
    def __init__(self, blocks: Blocks, context: Context, table: etree._Element, width: float) -> None:
        self._blocks, self._context, self._table = blocks, context, table
        settings = child(table, "tblPr")
        self._chain = [*context.looks.chain(value(child(settings, "tblStyle")))]
        self._settings = [child(style, "tblPr") for style in self._chain] + [settings]
        self._edges: dict[str, Edge] = {}
        self._margins = {"left": _SIDE, "right": _SIDE, "top": 0.0, "bottom": 0.0}
        for one in self._settings:
            self._edges |= dict(edges_of(child(one, "tblBorders")))
            for side in child(one, "tblCellMar") if child(one, "tblCellMar") is not None else ():  # type: ignore[union-attr]
                name = {"start": "left", "end": "right"}.get(kind_of(side), kind_of(side))
                self._margins[name] = points(value(side, "w")) or 0.0
        self._stated: dict[bytes, _Stated] = {}
        self._rows = rows_of(table)
        self._cells = [self._row_cells(row) for row in self._rows]
        self._widths = self._column_widths(width)
        total = sum(self._widths)
        align = next((v for one in reversed(self._settings) if (v := value(child(one, "jc"))) is not None), "left")
        indents = [points(value(child(one, "tblInd"), "w")) for one in self._settings]
        indent = next((stated for stated in reversed(indents) if stated is not None), -self._margins["left"])
        self._x = {"center": (width - total) / 2, "right": width - total, "end": width - total}.get(align or "", indent)
        look = child(settings, "tblLook")
        self._wants = {name: _wanted(look, name, bit) for name, bit in _PARTS.items()}
        self._of_style: dict[tuple[str, ...], _Styled] = {}

    def _row_cells(self, row: etree._Element) -> list[_Cell]:
        cells: list[_Cell] = []
        first = whole(child(child(row, "trPr"), "gridBefore"))
        for element in (one for one in row.iter("{*}tc") if self._is_own(one, row)):
            cells.append(_Cell(first, element, self._stated_by(child(element, "tcPr"))))
            first += cells[-1].count
        return cells

    def _stated_by(self, settings: etree._Element | None) -> _Stated:
        """What properties state: the cells of a column mostly have the same."""
        key = b"" if settings is None else etree.tostring(settings, with_tail=False)
        if (known := self._stated.get(key)) is None:
            known = self._stated[key] = _Stated.of(settings)
        return known

    def _is_own(self, cell: etree._Element, row: etree._Element) -> bool:
        """Whether a cell is of this row, and not of a table within one of its cells."""
        parent = cell.getparent()
        while parent is not None and parent is not row:
            if kind_of(parent) == "tc":
                return False
            parent = parent.getparent()
        return parent is row

    def _column_widths(self, width: float) -> list[float]:
        """The widths of the grid's columns: as stated, or equal shares of the room; never wider than it."""
        stated = [points(value(one, "w")) or 0.0 for one in children(child(self._table, "tblGrid"), "gridCol")]
        count = max((cell.first + cell.count for cells in self._cells for cell in cells), default=1)
        stated += [0.0] * (count - len(stated))
        for cells in self._cells:
            for cell in cells:
                if cell.count == 1 and not stated[cell.first] and cell.stated.width:
                    stated[cell.first] = cell.stated.width
        if not any(stated):
            return [width / len(stated)] * len(stated)
        usual = sum(stated) / max(sum(one > 0 for one in stated), 1)
        stated = [one or usual for one in stated]
        total, room = sum(stated), width + self._margins["left"] + self._margins["right"]
        return [one * room / total for one in stated] if total > room else stated

    # -- rows ------------------------------------------------------------------------------------------

    def strips(self) -> list[Strip]:
        strips: list[Strip] = []
        heads: list[Strip] = []
        heading = True
        for number, (row, cells) in enumerate(zip(self._rows, self._cells, strict=True)):
            settings = child(row, "trPr")
            strip = self._row(
                number,
                cells,
                points(value(child(settings, "trHeight"))) or 0.0,
                value(child(settings, "trHeight"), "hRule") == "exact",
            )
            heading = heading and on(child(settings, "tblHeader")) is True
            if heading:
                heads.append(strip)
                strip.keeps = True
            else:
                strip.heads = heads
            # Merged cells hold their rows together; others may go on overleaf where the row allows it (17.4.6).
            merged = any(cell.stated.begins or cell.stated.goes_on for cell in cells)
            strip.holds = merged or on(child(settings, "cantSplit")) is True or heading
            if any(cell.stated.begins for cell in cells) or (
                number + 1 < len(self._cells) and any(one.stated.goes_on for one in self._cells[number + 1])
            ):
                strip.keeps = strip.keeps or len(self._rows) < 12
            strips.append(strip)
        if strips:
            strips[0].items.insert(0, _TABLE)
        return strips

    def _row(self, number: int, cells: list[_Cell], least: float, exact: bool) -> Strip:
        from tinquire.pages.letter_blocks import content_box

        margins = self._margins
        laid: list[_Laid] = []
        height = least
        for cell in cells:
            x = self._x + sum(self._widths[: cell.first])
            wide = sum(self._widths[cell.first : cell.first + cell.count])
            base = self._styled(number, cell).base
            room = max(wide - margins["left"] - margins["right"], 1.0)
            strips = [] if cell.stated.goes_on else self._blocks.strips(list(cell.element), room, base)
            laid.append((cell, strips, x, wide))
            if not exact:
                height = max(height, content_box(strips, whole=True) + margins["top"] + margins["bottom"])
        strip = self._drawn(number, laid, height)
        if exact:
            strip.cut = None
        return strip

    def _drawn(self, number: int, laid: list[_Laid], height: float) -> Strip:
        """A row, or what of it stands on a page, of cells with their lines laid out."""
        from tinquire.pages.letter_blocks import content_box, stacked

        margins = self._margins
        items: list[Item] = []
        lines: list[tuple[Pen, _Ends]] = []
        texts: list[Item] = []
        for cell, strips, x, wide in laid:
            ground = cell.stated.ground(self._styled(number, cell).ground)
            if ground is not None:
                items.append(Areas(ground, [Box(x, -height, wide, height)]))
            lines += self._cell_lines(number, cell, Box(x, -height, wide, height))
            inner = content_box(strips, whole=True)
            free = height - inner - margins["top"] - margins["bottom"]
            down = margins["top"] + {"center": free / 2, "bottom": free}.get(cell.stated.anchor or "", 0.0)
            own = stacked(strips, x + margins["left"], -down, whole=True)
            # Of a table within a cell the paragraphs are the cell's.
            texts += [_CELL, *(item for item in own if not isinstance(item, Role) or item.name not in _OF_TABLES)]
        inner_strips = [strip for _, strips, *_ in laid for strip in strips]
        return Strip(
            height, [_ROW, *items, *_run_together(lines), *texts, _BODY],
            anchors=[anchor for strip in inner_strips for anchor in strip.anchors],
            notes=[note for strip in inner_strips for note in strip.notes],
            cut=lambda room: self._cut(number, laid, room),
        )  # fmt: skip

    def _cut(self, number: int, laid: list[_Laid], room: float) -> tuple[Strip, Strip] | None:
        """The lines of each cell that fit into a height, and the others as a row of their own."""
        from tinquire.pages.letter_blocks import content_box

        edges = self._margins["top"] + self._margins["bottom"]
        firsts: list[_Laid] = []
        rests: list[_Laid] = []
        for cell, strips, x, wide in laid:
            count, taken = 0, 0.0
            while count < len(strips) and taken + strips[count].gap + strips[count].height <= room - edges:
                taken += strips[count].gap + strips[count].height
                count += 1
            firsts.append((cell, strips[:count], x, wide))
            rests.append((cell, strips[count:], x, wide))
        if not any(strips for _, strips, *_ in firsts) or not any(strips for _, strips, *_ in rests):
            return None
        left = max(content_box(strips, whole=True) for _, strips, *_ in rests) + edges
        return self._drawn(number, firsts, room), self._drawn(number, rests, left)

    def _parts(self, number: int, cell: _Cell) -> list[str]:
        """The parts of the table's style that a cell takes (17.7.6), from the weakest on."""
        wants = self._wants
        parts = ["wholeTable"]
        if not wants["noHBand"]:
            parts.append("band1Horz" if (number - wants["firstRow"]) % 2 == 0 else "band2Horz")
        if wants["firstColumn"] and cell.first == 0:
            parts.append("firstCol")
        if wants["lastColumn"] and cell.first + cell.count == len(self._widths):
            parts.append("lastCol")
        if wants["lastRow"] and number == len(self._rows) - 1:
            parts.append("lastRow")
        if wants["firstRow"] and number == 0:
            parts.append("firstRow")
        return parts

    def _styled(self, number: int, cell: _Cell) -> _Styled:
        """What the table's style says of a cell."""
        parts = tuple(self._parts(number, cell))
        if (known := self._of_style.get(parts)) is None:
            known = self._of_style[parts] = self._style_of(parts)
        return known

    def _style_of(self, parts: tuple[str, ...]) -> _Styled:
        looks = self._context.looks
        paragraph, run = looks.plain_paragraph, looks.plain_run
        ground: str | None = None
        edges: dict[str, Edge] = {}
        for style in self._chain:
            own = {value(one, "type") or "": one for one in children(style, "tblStylePr")}
            for one in (style, *(own[name] for name in parts if name in own)):
                paragraph = looks.paragraph_over(paragraph, child(one, "pPr"))
                run = looks.run_over(run, child(one, "rPr"))
                own_cells = _Stated.of(child(one, "tcPr"))
                ground = own_cells.ground(ground)
                edges |= own_cells.edges
        return _Styled((paragraph, run), ground, edges)

    def _cell_lines(self, number: int, cell: _Cell, box: Box) -> Iterator[tuple[Pen, _Ends]]:
        """The lines around a cell: its own, those of the style's part, those of the table."""
        last_row, last = number == len(self._rows) - 1, cell.first + cell.count == len(self._widths)
        edges: dict[str, Edge | None] = {
            "top": self._edges.get("top" if number == 0 else "insideH"),
            "bottom": self._edges.get("bottom" if last_row else "insideH"),
            "left": self._edges.get("left" if cell.first == 0 else "insideV"),
            "right": self._edges.get("right" if last else "insideV"),
        }
        edges |= self._styled(number, cell).edges | cell.stated.edges
        below = self._cells[number + 1] if not last_row else []
        if cell.stated.goes_on:
            edges["top"] = None
        if any(one.stated.goes_on and one.first == cell.first for one in below):
            edges["bottom"] = None
        ends = {
            "top": (box.x, box.top, box.right, box.top), "bottom": (box.x, box.y, box.right, box.y),
            "left": (box.x, box.y, box.x, box.top), "right": (box.right, box.y, box.right, box.top),
        }  # fmt: skip
        for name, edge in edges.items():
            if edge is not None and edge.width:
                dashes = (2.0, 1.5) if edge.style in ("dashed", "dotted", "dashSmallGap", "dotDash") else ()
                yield Pen(edge.width, edge.colour, dashes), ends[name]


def _run_together(lines: Iterable[tuple[Pen, _Ends]]) -> list[Item]:
    """A row's lines by their pens; level ones that follow each other are one, so that no seam shows between cells."""
    found: dict[Pen, list[_Ends]] = {}
    open_: dict[tuple[Pen, float, float], int] = {}
    for pen, ends in lines:
        known = found.setdefault(pen, [])
        level = ends[1] == ends[3]
        place = open_.pop((pen, ends[0], ends[1]), None) if level else None
        if place is None:
            place = len(known)
            known.append(ends)
        else:
            known[place] = (*known[place][:2], *ends[2:])
        if level:
            open_[pen, ends[2], ends[3]] = place
    return [Lines(pen, ends) for pen, ends in found.items()]


def _wanted(look: etree._Element | None, name: str, bit: int) -> bool:
    """Whether a table takes a part of its style (17.4.56): said by name, or as a bit of a hexadecimal number."""
    stated = value(look, name)
    if stated is not None:
        return stated in ("1", "true", "on")
    bits = value(look, "val") or "0"
    return bool(int(bits, 16) & bit) if 0 < len(bits) < 9 and set(bits) <= set(hexdigits) else False
