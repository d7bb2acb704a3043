"""All that is drawn on a sheet, in the order in which it lies (ECMA-376 Part 1, 20.5): pictures, charts, shapes with
their texts, and where they stand to the point."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import MAX_COLUMN, MAX_ROW
from tinquire.packages.package import Package, Relation
from tinquire.packages.xml import child, children, flag, local
from tinquire.workbook.parts.drawing_colours import drawing_colour, opacity_of
from tinquire.workbook.parts.drawings import POINT, element_text

__all__ = ["Anchor", "Corner", "Drawn", "DrawnPicture", "DrawnText", "Paragraph", "Run", "Shape", "read_drawn"]

_PARTS = 100_000
#: Sixty-thousandths of a degree (20.1.10.3).
_DEGREE = 60_000
_MOST_NESTED, _MOST_DIGITS = 8, 12


@dataclass(frozen=True, slots=True)
class Corner:
    """A cell, and how far from its upper left corner, in points."""

    row: int
    column: int
    right: float
    down: float

    @classmethod
    def on_grid(cls, row: int, column: int, right: float, down: float) -> Corner:
        """A corner whose lines a file counts from zero; one beyond the grid is in its last cell."""
        return cls(min(max(row + 1, 1), MAX_ROW), min(max(column + 1, 1), MAX_COLUMN), right, down)


@dataclass(frozen=True, slots=True)
class Anchor:
    """Where a frame stands: from a corner to another, or of a size; or so many points from the sheet's own corner."""

    start: Corner | None
    end: Corner | None
    size: tuple[float, float] | None
    position: tuple[float, float] | None
    #: The share of that frame that this part of a group takes: left, top, width, height.
    share: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)


@dataclass(frozen=True, slots=True)
class DrawnPicture:
    """A picture's part, and the shares cut off at left, top, right and bottom."""

    part: str
    cut: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True, slots=True)
class Run:
    """A piece of text in one look; None and 0 are left to the shape's own."""

    text: str
    bold: bool = False
    italic: bool = False
    underline: bool = False
    size: float = 0.0
    colour: str | None = None
    font: str = ""


@dataclass(frozen=True, slots=True)
class Paragraph:
    runs: tuple[Run, ...]
    #: 'left', 'center' or 'right'.
    across: str = "left"


@dataclass(frozen=True, slots=True)
class DrawnText:
    """The text of a shape: its paragraphs, where they stand ('top', 'center', 'bottom'), and the room around them in
    points: left, top, right, bottom."""

    paragraphs: tuple[Paragraph, ...]
    down: str = "top"
    inset: tuple[float, float, float, float] = (7.2, 3.6, 7.2, 3.6)


@dataclass(frozen=True, slots=True)
class Shape:
    """A simple shape (20.1.10.56) with its fill, its line and its text. Colours are RGB, six hex digits."""

    kind: str
    fill: str | None
    opacity: float
    line: str | None
    width: float
    dashed: bool
    text: DrawnText | None
    #: Degrees clockwise, and whether it is mirrored across and down.
    turned: float = 0.0
    mirrored: tuple[bool, bool] = (False, False)


@dataclass(frozen=True, slots=True)
class Drawn:
    """Something drawn: its place, its name, what it shows in words, and what it is: a chart's part by its name."""

    anchor: Anchor
    name: str
    alt: str
    content: DrawnPicture | Shape | str | None


def read_drawn(package: Package, drawing: str, theme: Sequence[str] = ()) -> Iterator[Drawn]:
    """What a drawing part draws, from the lowest to the highest; `theme` are the workbook's theme colours."""
    relations = {relation.id: relation for relation in package.relations(drawing) if package.has(relation.target)}
    reader = _Reader(relations, theme)
    for anchor in package.root(drawing):
        if local(anchor) not in ("twoCellAnchor", "oneCellAnchor", "absoluteAnchor"):
            continue
        place = _anchor(anchor)
        for element in anchor:
            yield from reader.read(element, place, 0)


class _Reader:
    def __init__(self, relations: dict[str, Relation], theme: Sequence[str]) -> None:
        self._relations = relations
        self._theme = theme

    def read(self, element: etree._Element, place: Anchor, depth: int) -> Iterator[Drawn]:
        named = next(element.iter("{*}cNvPr"), None)
        name, alt = ("", "") if named is None else (named.get("name", ""), named.get("descr", ""))
        if named is not None and flag(named, "hidden", default=False):
            return
        match local(element):
            case "pic":
                yield Drawn(place, name, alt, self._picture(element))
            case "graphicFrame":
                chart = next((self._part(item, "chart") for item in element.iter("{*}chart")), None)
                yield Drawn(place, name, alt, chart)
            case "sp" | "cxnSp":
                yield Drawn(place, name, alt, self._shape(element))
            case "grpSp" if depth < _MOST_NESTED:
                yield from self._group(element, place, depth)
            case "AlternateContent":
                # Click filters are drawn as such; of anything else that has a newer form, that one is read.
                for inner in child(element, "Choice") if child(element, "Choice") is not None else ():  # type: ignore[union-attr]
                    if local(inner) != "graphicFrame" or next(inner.iter("{*}chart"), None) is not None:
                        yield from self.read(inner, place, depth)

    def _part(self, element: etree._Element, kind: str) -> str | None:
        for key, value in element.attrib.items():
            relation = self._relations.get(str(value))
            if str(key).endswith(("}id", "}embed")) and relation is not None and relation.kind == kind:
                return relation.target
        return None

    def _picture(self, element: etree._Element) -> DrawnPicture | None:
        blip = next(element.iter("{*}blip"), None)
        part = None if blip is None else self._part(blip, "image")
        if part is None:
            return None
        source = next(element.iter("{*}srcRect"), None)
        cut = tuple(0.0 if source is None else _share(source.get(side)) for side in ("l", "t", "r", "b"))
        return DrawnPicture(part, (cut[0], cut[1], cut[2], cut[3]))

    def _shape(self, element: etree._Element) -> Shape:
        look, style = child(element, "spPr"), child(element, "style")
        form = child(look, "xfrm")
        kind = child(look, "prstGeom")
        fill, opacity = self._fill(look, style)
        line, width, dashed = self._line(look, style)
        turned = 0.0 if form is None else (_whole(form.get("rot")) or 0) / _DEGREE
        mirrored = (flag(form, "flipH", default=False), flag(form, "flipV", default=False))
        plain = "line" if local(element) == "cxnSp" else "rect"
        name = plain if kind is None else kind.get("prst", plain)
        return Shape(name, fill, opacity, line, width, dashed, self._text(element, style), turned, mirrored)

    def _fill(self, look: etree._Element | None, style: etree._Element | None) -> tuple[str | None, float]:
        if look is not None:
            if child(look, "noFill") is not None:
                return None, 1.0
            if (solid := child(look, "solidFill")) is not None:
                return drawing_colour(solid, self._theme), opacity_of(solid)
            if (running := child(look, "gradFill")) is not None:
                stops = children(child(running, "gsLst"), "gs")
                return (drawing_colour(stops[0], self._theme) if stops else None), 1.0
        reference = child(style, "fillRef")
        used = reference is not None and reference.get("idx", "0") != "0"
        return (drawing_colour(reference, self._theme) if used else None), 1.0

    def _line(self, look: etree._Element | None, style: etree._Element | None) -> tuple[str | None, float, bool]:
        line = child(look, "ln")
        width = max((_whole(line.get("w")) or 9525) / POINT, 0.25) if line is not None else 0.75
        dash = child(line, "prstDash")
        dashed = dash is not None and dash.get("val", "solid") != "solid"
        if line is not None and child(line, "noFill") is not None:
            return None, width, dashed
        if line is not None and (solid := child(line, "solidFill")) is not None:
            return drawing_colour(solid, self._theme), width, dashed
        reference = child(style, "lnRef")
        used = reference is not None and reference.get("idx", "0") != "0"
        return (drawing_colour(reference, self._theme) if used else None), width, dashed

    def _text(self, element: etree._Element, style: etree._Element | None) -> DrawnText | None:
        body = child(element, "txBody")
        usual = drawing_colour(child(style, "fontRef"), self._theme)
        paragraphs = tuple(self._paragraph(one, usual) for one in children(body, "p"))
        if body is None or not any(run.text for one in paragraphs for run in one.runs):
            return None
        settings = child(body, "bodyPr")
        down = {"ctr": "center", "b": "bottom"}.get("" if settings is None else settings.get("anchor", "t"), "top")
        usual_inset = (91_440, 45_720, 91_440, 45_720)
        inset = tuple(
            (_whole(None if settings is None else settings.get(side)) or 0) / POINT
            if settings is not None and settings.get(side) is not None else plain / POINT
            for side, plain in zip(("lIns", "tIns", "rIns", "bIns"), usual_inset, strict=True)
        )  # fmt: skip
        return DrawnText(paragraphs, down, (inset[0], inset[1], inset[2], inset[3]))

    def _paragraph(self, paragraph: etree._Element, usual: str | None) -> Paragraph:
        settings = child(paragraph, "pPr")
        across = {"ctr": "center", "r": "right"}.get("" if settings is None else settings.get("algn", "l"), "left")
        default = child(settings, "defRPr")
        runs = []
        for piece in paragraph:
            if local(piece) == "br":
                runs.append(Run("\n"))
            elif local(piece) in ("r", "fld"):
                runs.append(self._run(piece, default, usual))
        return Paragraph(tuple(runs), across)

    def _run(self, piece: etree._Element, default: etree._Element | None, usual: str | None) -> Run:
        look = child(piece, "rPr")

        def of(name: str) -> str | None:
            own = None if look is None else look.get(name)
            return own if own is not None or default is None else default.get(name)

        colour = drawing_colour(child(look, "solidFill"), self._theme)
        colour = colour or drawing_colour(child(default, "solidFill"), self._theme) or usual
        latin = child(look, "latin") if look is not None else child(default, "latin")
        name = "" if latin is None else latin.get("typeface", "")
        return Run(
            element_text(child(piece, "t")), of("b") in ("1", "true"), of("i") in ("1", "true"),
            (of("u") or "none") != "none", (_whole(of("sz")) or 0) / 100, colour,
            "" if name.startswith("+") else name,
        )  # fmt: skip

    def _group(self, element: etree._Element, place: Anchor, depth: int) -> Iterator[Drawn]:
        """The members of a group (20.5.2.17), each in its share of the group's frame."""
        form = child(child(element, "grpSpPr"), "xfrm")
        whole = _box(child(form, "chOff"), child(form, "chExt"))
        left, top, width, height = place.share
        for inner in element:
            own = child(child(inner, "spPr"), "xfrm")
            if own is None:
                own = child(child(inner, "grpSpPr"), "xfrm") if local(inner) == "grpSp" else child(inner, "xfrm")
            box = _box(child(own, "off"), child(own, "ext"))
            if whole is None or box is None or not whole[2] or not whole[3]:
                continue
            share = (
                left + (box[0] - whole[0]) / whole[2] * width, top + (box[1] - whole[1]) / whole[3] * height,
                box[2] / whole[2] * width, box[3] / whole[3] * height,
            )  # fmt: skip
            moved = Anchor(place.start, place.end, place.size, place.position, share)
            yield from self.read(inner, moved, depth + 1)


def _box(offset: etree._Element | None, extent: etree._Element | None) -> tuple[int, int, int, int] | None:
    if offset is None or extent is None:
        return None
    values = [_whole(text) for text in (offset.get("x"), offset.get("y"), extent.get("cx"), extent.get("cy"))]
    return None if None in values else (values[0] or 0, values[1] or 0, values[2] or 0, values[3] or 0)


def _anchor(anchor: etree._Element) -> Anchor:
    extent, position = child(anchor, "ext"), child(anchor, "pos")
    size = None
    if extent is not None and local(anchor) != "twoCellAnchor":
        size = ((_whole(extent.get("cx")) or 0) / POINT, (_whole(extent.get("cy")) or 0) / POINT)
    where = None
    if position is not None:
        where = ((_whole(position.get("x")) or 0) / POINT, (_whole(position.get("y")) or 0) / POINT)
    return Anchor(_corner(child(anchor, "from")), _corner(child(anchor, "to")), size, where)


def _corner(element: etree._Element | None) -> Corner | None:
    """A corner (20.5.2.5)."""
    if element is None:
        return None
    row, column, right, down = (
        _whole(element_text(child(element, name)).strip()) or 0 for name in ("row", "col", "colOff", "rowOff")
    )
    return Corner.on_grid(row, column, right / POINT, down / POINT)


def _whole(text: str | None) -> int | None:
    """A whole number with or without a sign; None for anything else."""
    bare = (text or "").strip()
    digits = bare.removeprefix("-")
    return int(bare) if digits.isascii() and digits.isdigit() and len(digits) < _MOST_DIGITS else None


def _share(text: str | None) -> float:
    return min(max((_whole(text) or 0) / _PARTS, 0.0), 0.99)
