"""The styles part (ECMA-376 Part 1, 18.8): style numbers to appearances and back. Styles are shared, never repeated."""

from __future__ import annotations

import copy
import math

from lxml import etree

from tinquire.cells.numberformat import BUILT_IN_FORMATS, Moment, parse_format
from tinquire.looks import PLAIN, Appearance, Edge, Edges, Variation
from tinquire.looks.finish import PLAIN_FINISH, Finish
from tinquire.looks.palette import INDEXED, rgb, tint
from tinquire.packages.xml import MAIN, canonical_xml, child, children, insert_child, parse_xml, serialise_xml, tag
from tinquire.workbook.parts.finishes import read_finish
from tinquire.workbook.parts.fonts import font_size, turn_code, turned_by, vary_alignment, vary_font, vary_protection
from tinquire.workbook.parts.partial_styles import partial_element, read_partial

__all__ = ["STYLE_ORDER", "StyleBook", "theme_colours"]

#: The first number that a file may give to a format of its own (18.8.30).
_FIRST_OWN_FORMAT = 164
_DEFAULT_FONT = ("Verdana", 10.0)
_EMPTY = f"""<styleSheet xmlns="{MAIN}">
<fonts count="1"><font><sz val="{{size:g}}"/><name val="{{font}}"/></font></fonts>
<fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills>
<borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders>
<cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs>
<cellXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0"/></cellXfs>
<cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>""".replace("\n", "")
#: Children of a style sheet in the order that 18.8.39 asks for.
STYLE_ORDER = (
    "numFmts", "fonts", "fills", "borders", "cellStyleXfs", "cellXfs", "cellStyles", "dxfs", "tableStyles", "colors",
    "extLst",
)  # fmt: skip


class StyleBook:
    """The styles of one workbook. Known styles keep their numbers; a new appearance gets the next one."""

    def __init__(self, root: etree._Element, theme: list[str] | None = None) -> None:
        self._root = root
        self._theme = theme or []
        self._formats = {
            _int(element.get("numFmtId")): element.get("formatCode", "General")
            for element in children(child(root, "numFmts"), "numFmt")
        }
        self._xfs = children(child(root, "cellXfs"), "xf")
        self._appearances: dict[int, Appearance] = {}
        self._numbers: dict[Appearance, int] = {}
        self._finishes: dict[int, Finish] = {}
        self._moments: dict[int, Moment] = {}
        self._partials: dict[int, Variation] = {}
        self._variations: dict[tuple[int, Variation], int] = {}
        self.changed = False

    @classmethod
    def empty(cls, font: str = _DEFAULT_FONT[0], size: float = _DEFAULT_FONT[1]) -> StyleBook:
        book = cls(parse_xml(_EMPTY.format(font=font.replace("&", "&amp;").replace('"', "&quot;"), size=size).encode()))
        book.changed = True
        return book

    @property
    def plain_font(self) -> tuple[str, float]:
        """Name and size of the font of undressed cells, in whose digits column widths are stated."""
        appearance = self.appearance(0)
        return appearance.font or _DEFAULT_FONT[0], appearance.size or _DEFAULT_FONT[1]

    def __len__(self) -> int:
        return len(self._xfs)

    def to_bytes(self) -> bytes:
        return serialise_xml(self._root)

    # -- number to appearance --------------------------------------------------------------------------

    def number_format(self, style: int) -> str:
        """The format code of a style number; a number that is not there counts as plain."""
        if not 0 <= style < len(self._xfs):
            return "General"
        return self.format_code(_int(self._xfs[style].get("numFmtId")))

    def format_code(self, number: int) -> str:
        """The format code of a format's number (18.8.30)."""
        return self._formats.get(number) or BUILT_IN_FORMATS.get(number, "General")

    def is_date(self, style: int) -> bool:
        """Whether numbers of this style are dates or times."""
        return self.moment(style) != ""

    def moment(self, style: int) -> Moment:
        """What numbers of this style are shown as: days, times, durations, or none of these."""
        if style not in self._moments:
            self._moments[style] = parse_format(self.number_format(style)).moment
        return self._moments[style]

    def locked(self, style: int) -> bool:
        """Whether cells of a style are locked when their sheet is protected (18.8.33): they are, unless it says no."""
        if not 0 <= style < len(self._xfs):
            return True
        return _locked(self._xfs[style])

    def appearance(self, style: int) -> Appearance:
        if not 0 <= style < len(self._xfs):
            return PLAIN
        if style not in self._appearances:
            self._appearances[style] = self._read(self._xfs[style], self.number_format(style))
        return self._appearances[style]

    def _read(self, xf: etree._Element, code: str) -> Appearance:
        font = self._part("fonts", _int(xf.get("fontId")))
        alignment = child(xf, "alignment")
        name = child(font, "name")
        return Appearance(
            font="" if name is None else name.get("val", ""),
            size=font_size(font),
            bold=_flag(child(font, "b")),
            italic=_flag(child(font, "i")),
            underline=child(font, "u") is not None,
            strike=_flag(child(font, "strike")),
            colour=self.colour(child(font, "color")),
            fill=self._fill(_int(xf.get("fillId"))),
            edges=self._edges(_int(xf.get("borderId"))),
            align=None if alignment is None else alignment.get("horizontal"),
            valign=None if alignment is None else alignment.get("vertical"),
            wrap=alignment is not None and alignment.get("wrapText") in ("1", "true"),
            indent=0 if alignment is None else _int(alignment.get("indent")),
            turned=0 if alignment is None else turned_by(_int(alignment.get("textRotation"))),
            shrink=alignment is not None and alignment.get("shrinkToFit") in ("1", "true"),
            locked=_locked(xf),
            format=code,
        )

    def finish(self, style: int) -> Finish:
        """What a style says of fills, lines and letters beyond its appearance."""
        if not 0 <= style < len(self._xfs):
            return PLAIN_FINISH
        if style not in self._finishes:
            xf = self._xfs[style]
            fill, border = (self._part(f"{name}s", _int(xf.get(f"{name}Id"))) for name in ("fill", "border"))
            font = self._part("fonts", _int(xf.get("fontId")))
            self._finishes[style] = read_finish(child(xf, "alignment"), font, fill, border, self.colour)
        return self._finishes[style]

    def _part(self, group: str, place: int) -> etree._Element | None:
        parent = child(self._root, group)
        members = [] if parent is None else list(parent)
        return members[place] if 0 <= place < len(members) else None

    def _fill(self, place: int) -> str | None:
        pattern = child(self._part("fills", place), "patternFill")
        if pattern is None or pattern.get("patternType", "none") == "none":
            return None
        return self.colour(child(pattern, "fgColor"))

    def _edges(self, place: int) -> Edges:
        border = self._part("borders", place)

        def edge(*names: str) -> Edge | None:
            found = next((side for name in names if (side := child(border, name)) is not None), None)
            if found is None or found.get("style", "none") == "none":
                return None
            return Edge(found.get("style", "thin"), self.colour(child(found, "color")) or "000000")

        return Edges(edge("top"), edge("bottom"), edge("left", "start"), edge("right", "end"))

    def table_styles(self) -> list[etree._Element]:
        """The styles of tables and pivots that the file holds (18.8.40)."""
        return children(child(self._root, "tableStyles"), "tableStyle")

    def partial(self, number: int) -> Variation:
        """What a differential style (18.8.14) changes; nothing for a number that is not there."""
        if number not in self._partials:
            dxf = self._part("dxfs", number)
            self._partials[number] = Variation() if dxf is None else read_partial(dxf, self.colour)
        return self._partials[number]

    def partial_number(self, change: Variation) -> int:
        """The number of the differential style that changes this; added when there is none."""
        return self._shared("dxfs", partial_element(change, self._element("dxf"), self.format_number))

    def format_number(self, code: str) -> int:
        """The number of a format code (18.8.30); added when there is none."""
        self.changed = True
        return self._format(code)

    def colour(self, element: etree._Element | None) -> str | None:
        """RGB of a colour given as such, by theme and tint, or by index (18.8.19)."""
        if element is None:
            return None
        base: str | None = None
        if stated := element.get("rgb"):
            base = rgb(stated)
        elif (theme := element.get("theme")) is not None and _int(theme) < len(self._theme):
            base = self._theme[_int(theme)]
        elif (index := element.get("indexed")) is not None and _int(index) < len(INDEXED):
            base = INDEXED[_int(index)]
        return None if base is None else tint(base, _float(element.get("tint")))

    # -- appearance to number --------------------------------------------------------------------------

    def number(self, appearance: Appearance) -> int:
        """The style number of an appearance; a new style is added when none looks so."""
        if not self._numbers:
            for position in reversed(range(len(self._xfs))):
                self._numbers[self.appearance(position)] = position
        if appearance not in self._numbers:
            self._numbers[appearance] = self._add(appearance)
        return self._numbers[appearance]

    def _add(self, look: Appearance) -> int:
        self.changed = True
        xf = etree.SubElement(self._group("cellXfs"), tag(self._root, "xf"))
        font, fill, border = self._font(look), self._filled(look.fill), self._border(look.edges)
        number = self._format(look.format)
        xf.attrib.update({"numFmtId": str(number), "fontId": str(font), "fillId": str(fill), "borderId": str(border)})
        xf.set("xfId", "0")
        applied = (("NumberFormat", number), ("Font", font), ("Fill", fill), ("Border", border))
        for name, given in applied:
            if given:
                xf.set(f"apply{name}", "1")
        alignment = {
            "horizontal": look.align,
            "vertical": look.valign,
            "wrapText": "1" if look.wrap else None,
            "indent": str(look.indent) if look.indent else None,
            "textRotation": str(turn_code(look.turned)) if look.turned else None,
            "shrinkToFit": "1" if look.shrink else None,
        }
        stated = {name: value for name, value in alignment.items() if value is not None}
        if stated:
            xf.set("applyAlignment", "1")
            etree.SubElement(xf, tag(xf, "alignment"), stated)
        if not look.locked:
            xf.set("applyProtection", "1")
            etree.SubElement(xf, tag(xf, "protection"), locked="0")
        self._count("cellXfs")
        self._xfs.append(xf)
        self._appearances[len(self._xfs) - 1] = look
        return len(self._xfs) - 1

    def vary(self, style: int, change: Variation) -> int:
        """The number of a style that differs from another in some parts only; all else of it is kept, also what an
        `Appearance` does not speak of (protection, rotation, gradients)."""
        key = (style, change)
        if key not in self._variations:
            self._variations[key] = self._vary(style, change)
        return self._variations[key]

    def _vary(self, style: int, change: Variation) -> int:
        group = self._group("cellXfs")
        if not self._xfs:
            self._add(PLAIN)
        xf = copy.deepcopy(self._xfs[style if 0 <= style < len(self._xfs) else 0])
        if change.format is not None:
            xf.set("numFmtId", str(self._format(change.format)))
            xf.set("applyNumberFormat", "1")
        letters = vary_font(self._part("fonts", _int(xf.get("fontId"))), change, self._element("font"))
        if letters is not None:
            xf.set("fontId", str(self._shared("fonts", letters)))
            xf.set("applyFont", "1")
        if change.fill is not None:
            xf.set("fillId", str(self._filled(change.fill)))
            xf.set("applyFill", "1")
        if change.edges is not None:
            edges = change.edges.over(self._edges(_int(xf.get("borderId"))))
            xf.set("borderId", str(self._border(edges)))
            xf.set("applyBorder", "1")
        vary_alignment(xf, change)
        vary_protection(xf, change)
        wanted = canonical_xml(xf)
        for position, known in enumerate(self._xfs):
            if canonical_xml(known) == wanted:
                return position
        group.append(xf)
        self._count("cellXfs")
        self._xfs.append(xf)
        self.changed = True
        return len(self._xfs) - 1

    def _group(self, name: str) -> etree._Element:
        """A group of the style sheet, made in its place when missing."""
        found = child(self._root, name)
        if found is None:
            found = insert_child(self._root, name, STYLE_ORDER)
        return found

    def _count(self, name: str) -> None:
        group = self._group(name)
        group.set("count", str(sum(isinstance(one.tag, str) for one in group)))

    def _shared(self, group: str, element: etree._Element) -> int:
        """The position of an element of this content in a group; added when there is none."""
        parent = self._group(group)
        wanted = canonical_xml(element)
        members = [one for one in parent if isinstance(one.tag, str)]
        for position, known in enumerate(members):
            if canonical_xml(known) == wanted:
                return position
        parent.append(element)
        self._count(group)
        self.changed = True
        return len(members)

    def _element(self, name: str) -> etree._Element:
        return etree.Element(tag(self._root, name), nsmap=self._root.nsmap)  # type: ignore[arg-type]

    def _font(self, look: Appearance) -> int:
        font = self._element("font")
        plain_name, plain_size = self.plain_font
        flags = (("b", look.bold), ("i", look.italic), ("strike", look.strike), ("u", look.underline))
        for name, given in flags:
            if given:
                etree.SubElement(font, tag(font, name))
        etree.SubElement(font, tag(font, "sz"), val=f"{look.size or plain_size:g}")
        if look.colour:
            etree.SubElement(font, tag(font, "color"), rgb=f"FF{look.colour}")
        etree.SubElement(font, tag(font, "name"), val=look.font or plain_name)
        return self._shared("fonts", font)

    def _filled(self, colour: str | None) -> int:
        if colour is None:
            return 0
        fill = self._element("fill")
        pattern = etree.SubElement(fill, tag(fill, "patternFill"), patternType="solid")
        etree.SubElement(pattern, tag(fill, "fgColor"), rgb=f"FF{colour}")
        etree.SubElement(pattern, tag(fill, "bgColor"), indexed="64")
        return self._shared("fills", fill)

    def _border(self, edges: Edges) -> int:
        border = self._element("border")
        for name, edge in (("left", edges.left), ("right", edges.right), ("top", edges.top), ("bottom", edges.bottom)):
            side = etree.SubElement(border, tag(border, name))
            if edge is not None:
                side.set("style", edge.style)
                etree.SubElement(side, tag(border, "color"), rgb=f"FF{edge.colour}")
        etree.SubElement(border, tag(border, "diagonal"))
        return self._shared("borders", border)

    def _format(self, code: str) -> int:
        for number, known in BUILT_IN_FORMATS.items():
            if known == code:
                return number
        for number, known in self._formats.items():
            if known == code:
                return number
        number = max([_FIRST_OWN_FORMAT - 1, *self._formats]) + 1
        self._formats[number] = code
        group = self._group("numFmts")
        etree.SubElement(group, tag(group, "numFmt"), numFmtId=str(number), formatCode=code)
        self._count("numFmts")
        return number


def theme_colours(root: etree._Element | None) -> list[str]:
    """The theme's twelve colours in the order of the `theme` attribute (20.1.6.2; light and dark change places)."""
    scheme = child(child(root, "themeElements"), "clrScheme")
    colours = []
    for entry in scheme if scheme is not None else ():
        value = next(iter(entry), None)
        colours.append("000000" if value is None else rgb(value.get("lastClr") or value.get("val")) or "000000")
    if len(colours) >= 4:
        colours[0], colours[1], colours[2], colours[3] = colours[1], colours[0], colours[3], colours[2]
    return [colour if len(colour) == 6 else "000000" for colour in colours]


def _locked(xf: etree._Element) -> bool:
    protection = child(xf, "protection")
    return protection is None or protection.get("locked", "1") in ("1", "true")


def _int(text: str | None) -> int:
    try:
        return int(text or 0)
    except ValueError:
        return 0


def _float(text: str | None) -> float:
    try:
        found = float(text or 0)
    except ValueError:
        return 0.0
    return found if math.isfinite(found) else 0.0


def _flag(element: etree._Element | None) -> bool:
    return element is not None and element.get("val", "1") in ("1", "true", "on")
