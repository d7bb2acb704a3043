"""Paragraphs and tables of a letter as strips: their runs, lists, pictures and charts (ECMA-376 Part 1, 17.3, 17.4,
20.4)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

from lxml import etree

from tinquire.base.faults import UseError
from tinquire.charts.draw import draw_chart
from tinquire.document.letter import Letter, kind_of
from tinquire.document.looks import Looks, ParagraphLook, RunLook, points, value
from tinquire.looks.palette import rgb
from tinquire.packages.xml import child, children, whole_number
from tinquire.pages.drawings import drawable
from tinquire.pages.laid_before import Paragraphs
from tinquire.pages.letter_lines import Break, Drawn, Jump, Token, Word, laid_lines, tokens_of_text
from tinquire.pages.lettering import Letters
from tinquire.pages.numerals import numeral
from tinquire.pages.primitives import Areas, Box, Chart, Item, Lines, Pen, Picture, Role, Text
from tinquire.pages.strips import Float, Strip, moved
from tinquire.pages.typefaces import Typefaces
from tinquire.pages.watched import Watched
from tinquire.workbook.parts.chart_reading import read_chart
from tinquire.workbook.parts.drawings import POINT
from tinquire.workbook.parts.styles import theme_colours

__all__ = ["Blocks", "Context", "content_box", "stacked"]

_BLACK = "000000"
_PARAGRAPH = Role("paragraph")
_SMALL = 0.8
#: Signs of the fonts that bullets are often in, as letters that every font has.
_BULLETS = {"\uf0b7": "•", "\uf0a7": "▪", "\uf0d8": "▸", "\uf0fc": "✓", "\uf0a8": "◦", "o": "◦"}
#: What is told of a letter once, by the element that is not laid out.
_TOLD = {"object": "embedded objects are not laid out"}
#: Room within a text box, in points: at its sides, and above and below (20.1.2.1.1).
_INSET = (7.2, 3.6)
#: Elements that stand for a sign, or for the number of the note that they stand in.
_SIGNS = {"noBreakHyphen": "\u2011", "footnoteRef": "", "endnoteRef": ""}
_NOTES = {"footnoteReference": "footnote", "endnoteReference": "endnote"}


@dataclass
class Context:
    """What all blocks of a letter share: its parts, looks, faces, the counters of its lists, and what cannot be laid
    out."""

    letter: Letter
    looks: Looks
    paragraphs: Paragraphs
    faces: Typefaces
    counts: dict[tuple[str, int], int] = field(default_factory=dict)
    problems: dict[str, None] = field(default_factory=dict)
    #: What fields stand for, by their names: PAGE and NUMPAGES.
    fields: dict[str, str] = field(default_factory=dict)
    known: dict[RunLook, Letters] = field(default_factory=dict)
    #: The looks whose letters were asked for since this was emptied.
    asked: dict[RunLook, None] = field(default_factory=dict)
    #: Notes by their parts' kinds; how many there were; endnotes that wait for the end; and how wide footnotes are.
    noted: dict[str, int] = field(default_factory=dict)
    endnotes: list[Strip] = field(default_factory=list)
    room: float = 450.0
    #: The paragraphs of which it is noted where they are put.
    watched: Watched | None = None

    def root(self, part: str) -> etree._Element:
        """A part parsed. Raises AccessError for markup that is damaged."""
        return self.letter.root(part) if self.watched is None else self.watched.root(self.letter, part)

    def letters(self, look: RunLook) -> Letters:
        """The letters of a look; the same object for the same look."""
        self.asked[look] = None
        if (known := self.known.get(look)) is None:
            known = self.known[look] = self._letters(look)
        return known

    def _letters(self, look: RunLook) -> Letters:
        face = self.faces.of(look.font or "Calibri", look.bold, look.italic)
        size = look.size * (_SMALL if look.small_caps else 1.0)
        plain = Letters(face, size, look.colour or _BLACK, int(look.underline), look.strike)
        return plain.scripted(look.script)


class Blocks:
    """Lays out what stands in a part of a letter."""

    def __init__(self, context: Context, part: str) -> None:
        self._context, self._part = context, part
        self._relations = {one.id: one for one in context.letter.package.relations(part)}
        self._field: list[str] = []
        #: The number of the note that is laid out.
        self._note = ""

    def strips(
        self, elements: Sequence[etree._Element], width: float, base: tuple[ParagraphLook, RunLook] | None = None
    ) -> list[Strip]:  # fmt: skip
        """The strips of blocks below each other; the room between paragraphs is in the strip before."""
        found: list[Strip] = []
        before: ParagraphLook | None = None
        for element in elements:
            kind = kind_of(element)
            if kind == "sdt":
                content = child(element, "sdtContent")
                found += self.strips(list(content) if content is not None else [], width, base)
            elif kind == "p":
                look, own = self._known_paragraph(element, base, width)
                close = look.contextual and before is not None and before.style == look.style
                if own and not close:
                    own[0].gap += look.before
                if found and before is not None and before.contextual and before.style == look.style:
                    found[-1].height -= before.after
                if own:
                    own[-1].height += look.after
                found += own
                before = look
            elif kind == "tbl":
                from tinquire.pages.letter_tables import table_strips

                found += table_strips(self, self._context, element, width)
                before = None
        return found

    def set_room(self, width: float) -> None:
        """How wide footnotes are from now on."""
        self._context.room = width

    # -- paragraphs ------------------------------------------------------------------------------------

    def _known_paragraph(
        self, element: etree._Element, base: tuple[ParagraphLook, RunLook] | None, width: float
    ) -> tuple[ParagraphLook, list[Strip]]:  # fmt: skip
        """A paragraph laid out, noted where it is watched."""
        look, strips = self._laid_paragraph(element, base, width)
        if self._context.watched is not None:
            strips = self._context.watched.noted(element, look, base, width, strips)
        return look, strips

    def _laid_paragraph(
        self, element: etree._Element, base: tuple[ParagraphLook, RunLook] | None, width: float
    ) -> tuple[ParagraphLook, list[Strip]]:  # fmt: skip
        """A paragraph laid out, or as it was before."""
        context = self._context
        key = None
        if not self._field:
            key = context.paragraphs.key(etree.tostring(element, with_tail=False), base, width)
        if key is not None and (known := context.paragraphs.find(key)) is not None:
            look, strips, letters = known
            for one in letters:  # fonts that stand in for others are told of each letter
                context.letters(one)
            return look, strips
        look, run = context.looks.paragraph(element, base)
        context.asked.clear()
        strips = self._paragraph(element, look, run, width)
        if key is not None:
            context.paragraphs.put(key, look, strips, tuple(context.asked))
        return look, strips

    def _paragraph(self, element: etree._Element, look: ParagraphLook, run: RunLook, width: float) -> list[Strip]:
        context = self._context
        found = [*self._label(look, run), *self._tokens(element, run, width - look.left - look.right)]
        tokens = [token for token in found if not isinstance(token, Float)]
        mark = child(child(element, "pPr"), "rPr")
        strips = self.lined(tokens, look, context.letters(context.looks.run_over(run, mark)), width)
        strips[0].floats = [token for token in found if isinstance(token, Float)]
        strips[0].anchors = [value(one, "name") or "" for one in element.iter("{*}bookmarkStart")]
        return strips

    def lined(self, tokens: Sequence[Token], look: ParagraphLook, ends: Letters, width: float) -> list[Strip]:
        """The lines of a paragraph of such a look, whose end is in the letters `ends`."""
        strips = laid_lines(tokens, look, ends, width, self._context.looks.tab)
        self._around(strips, look, width)
        if look.page_before:
            strips[0].begins = True
        last = len(strips) - 1
        for number, strip in enumerate(strips):
            # Neither the first nor the last line of a paragraph stands alone on a page.
            alone = number in (0, last - 1) and last > 0
            strip.keeps = (
                (look.keep_lines and number < last) or (alone and number < last) or (look.keep_next and number == last)
            )
        if look.outline is not None or look.style.casefold().startswith("heading"):
            title = " ".join(" ".join(token.text for token in tokens if hasattr(token, "text")).split())
            depth = (
                look.outline
                if look.outline is not None
                else max(int(look.style[-1:]) - 1, 0)
                if look.style[-1:].isdigit()
                else 0
            )
            if title:
                strips[0].mark = (title, min(depth, 5))
                strips[0].items.insert(0, Role(f"heading {depth + 1}"))
                return strips
        if any(isinstance(item, Text) for strip in strips for item in strip.items):
            strips[0].items.insert(0, _PARAGRAPH)
        return strips

    def _around(self, strips: list[Strip], look: ParagraphLook, width: float) -> None:
        """The ground and the lines around a paragraph."""
        sides = {name: edge for name, edge in look.edges if edge.width}
        if not sides and look.ground is None:
            return
        left, wide = look.left, max(width - look.left - look.right, 0.0)
        for number, strip in enumerate(strips):
            below: list[Item] = []
            if look.ground is not None:
                below.append(Areas(look.ground, [Box(left, -strip.height, wide, strip.height)]))
            ends = []
            if "top" in sides and number == 0:
                ends.append((sides["top"], (left, sides["top"].space, left + wide, sides["top"].space)))
            if "bottom" in sides and number == len(strips) - 1:
                y = -strip.height - sides["bottom"].space
                ends.append((sides["bottom"], (left, y, left + wide, y)))
            for name, side, out in (("left", left, -1), ("right", left + wide, 1)):
                if name in sides:
                    x = side + out * sides[name].space
                    ends.append((sides[name], (x, 0.0, x, -strip.height)))
            strip.items = [*below, *strip.items, *(Lines(Pen(edge.width, edge.colour), [end]) for edge, end in ends)]

    def _label(self, look: ParagraphLook, run: RunLook) -> Iterator[Token]:
        """The number or bullet of a list item, and the tab after it (17.9.11)."""
        context = self._context
        if look.numbering is None or (level := context.looks.level(look.numbering)) is None:
            return
        identity, depth = look.numbering
        base = context.looks.abstract.get(identity, identity)
        counts = context.counts
        counts[base, depth] = counts.get((base, depth), level.start - 1) + 1
        for key in [key for key in counts if key[0] == base and key[1] > depth]:
            del counts[key]
        text = level.text
        for place in range(depth + 1):
            known = context.looks.levels.get(identity, {}).get(place)
            number = counts.get((base, place), known.start if known is not None else 1)
            text = text.replace(f"%{place + 1}", numeral(number, known.form if known is not None else "decimal"))
        own = context.looks.run_over(replace(run, underline=False), level.run)
        if level.form == "bullet":
            text, own = _BULLETS.get(text, text), replace(own, font=run.font)
        letters = context.letters(own)
        yield from tokens_of_text(text, letters, None, None)
        yield Jump(letters)

    def _tokens(
        self, element: etree._Element, run: RunLook, room: float, target: str | None = None
    ) -> Iterator[Token | Float]:
        """What stands in a paragraph, in its order."""
        for inner in element:
            kind = kind_of(inner)
            if kind == "r":
                yield from self._run(inner, run, room, target)
            elif kind == "hyperlink":
                relation = self._relations.get(value(inner, "id") or "")
                anchor = value(inner, "anchor")
                leads = (
                    relation.target if relation is not None and relation.outside else f"#{anchor}" if anchor else None
                )
                yield from self._tokens(inner, run, room, leads)
            elif kind == "fldSimple":
                name = (value(inner, "instr") or "").split()
                known = self._context.fields.get(name[0]) if name else None
                if known is None:
                    yield from self._tokens(inner, run, room, target)
                else:
                    first = next((one for one in inner if kind_of(one) == "r"), inner)
                    yield from self._words(known, self._context.looks.run(run, first), target)
            elif kind in ("ins", "smartTag", "sdt", "sdtContent", "moveTo", "AlternateContent", "Choice", "bdo", "dir"):
                yield from self._tokens(inner, run, room, target)

    def _run(
        self, element: etree._Element, base: RunLook, room: float, target: str | None
    ) -> Iterator[Token | Float]:  # fmt: skip
        look = self._context.looks.run(base, element)
        for inner in element:
            kind = kind_of(inner)
            if kind == "fldChar":
                yield from self._field_mark(value(inner, "fldCharType") or "", look, target)
            elif kind == "instrText" and self._field:
                self._field[-1] += inner.text or ""
            elif self._field and self._field[-1].startswith("\0"):
                continue  # what stood there before is not as it is now
            elif look.hidden:
                continue
            elif kind == "t":
                yield from self._words(inner.text or "", look, target)
            elif kind == "tab":
                yield Jump(self._context.letters(look))
            elif kind in ("br", "cr"):
                yield Break(value(inner, "type") == "page")
            elif kind in _SIGNS:
                yield from self._words(_SIGNS[kind] or self._note, look, target)
            elif kind in ("drawing", "AlternateContent"):
                yield from self._drawing(inner, room)
            elif kind in _NOTES:
                yield from self._noted(_NOTES[kind], value(inner, "id") or "", look)
            elif kind in _TOLD:
                self._context.problems[_TOLD[kind]] = None

    def _noted(self, kind: str, identity: str, look: RunLook) -> Iterator[Token]:
        """The number of a note (17.11); a footnote goes along with it, an endnote waits for the end."""
        context = self._context
        part = next((one.target for one in context.letter.package.relations(context.letter.part)
                     if one.kind == f"{kind}s" and context.letter.package.has(one.target)), None)  # fmt: skip
        known = [] if part is None else children(context.letter.root(part), kind)
        note = next((one for one in known if value(one, "id") == identity), None)
        if note is None or part is None or self._note:
            return
        context.noted[kind] = context.noted.get(kind, 0) + 1
        number = numeral(context.noted[kind], "decimal" if kind == "footnote" else "lowerRoman")
        blocks = Blocks(context, part)
        blocks._note = number
        strips = blocks.strips(list(note), context.room)
        if kind == "endnote":
            context.endnotes += strips
            strips = []
        letters = context.letters(replace(look, script="superscript"))
        yield Word(number, letters, look.ground, None, tuple(strips))

    def _field_mark(self, kind: str, look: RunLook, target: str | None) -> Iterator[Token]:
        """Fields in several parts (17.16.18): those that are known are worked out, of others the last result stands."""
        if kind == "begin":
            self._field.append("")
        elif kind == "separate" and self._field:
            name = self._field[-1].split()
            if name[:1] == ["TOC"]:
                self._context.problems["the contents show the page numbers that the document has stored"] = None
            known = self._context.fields.get(name[0].upper()) if name else None
            if known is not None:
                yield from self._words(known, look, target)
                self._field[-1] = "\0"
        elif kind == "end" and self._field:
            self._field.pop()

    def _words(self, text: str, look: RunLook, target: str | None) -> Iterator[Token]:
        shown = text.upper() if look.caps or look.small_caps else text
        return tokens_of_text(shown, self._context.letters(look), look.ground, target)

    # -- drawings --------------------------------------------------------------------------------------

    def _drawing(self, element: etree._Element, room: float) -> Iterator[Token | Float]:
        frame = next((one for one in element.iter() if kind_of(one) in ("inline", "anchor")), None)
        extent = child(frame, "extent")
        if frame is None or extent is None:
            return
        wide, high = ((whole_number(extent.get(name)) or 0) / POINT for name in ("cx", "cy"))
        if wide > room > 0:
            wide, high = room, high * room / wide
        if kind_of(frame) == "anchor" and child(frame, "wrapNone") is None and child(frame, "wrapTopAndBottom") is None:
            self._context.problems["text does not flow around pictures; they stand in their lines"] = None
        named = child(frame, "docPr")
        alt = "" if named is None else named.get("descr", "") or named.get("name", "")
        boxed = next((one for one in frame.iter() if kind_of(one) == "txbxContent"), None)
        items = self._drawn(frame, Box(0.0, 0.0, wide, high), alt) if boxed is None else None
        if boxed is not None:
            high, items = self._text_box(frame, boxed, wide, high)
        if items is None:
            self._context.problems[f"a drawing is not laid out: '{alt}'"] = None
        elif kind_of(frame) == "anchor" and child(frame, "wrapNone") is not None:
            yield Float(wide, high, tuple(items), _placed(frame, "positionH"), _placed(frame, "positionV"))
        else:
            yield Drawn(wide, high, tuple(items))

    def _text_box(
        self, frame: etree._Element, boxed: etree._Element, wide: float, high: float
    ) -> tuple[float, list[Item]]:  # fmt: skip
        """A text box: how high it is, as what stands in it may be higher than stated, and what is drawn."""
        side, above = _INSET
        strips = self.strips(list(boxed), max(wide - 2 * side, 1.0))
        high = max(high, content_box(strips, whole=True) + 2 * above)
        shape = next((one for one in frame.iter() if kind_of(one) == "spPr"), None)
        fill, line = child(child(shape, "solidFill"), "srgbClr"), child(shape, "ln")
        colour = rgb(value(child(child(line, "solidFill"), "srgbClr")))
        items: list[Item] = []
        if (ground := rgb(value(fill))) is not None:
            items.append(Areas(ground, [Box(0.0, 0.0, wide, high)]))
        if colour is not None and line is not None:
            width = (whole_number(line.get("w")) or POINT) / POINT
            corners = ((0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high))
            ends = [(*one, *other) for one, other in zip(corners, (*corners[1:], corners[0]), strict=True)]
            items.append(Lines(Pen(width, colour), ends))
        return high, [*items, *stacked(strips, side, high - above, whole=True)]

    def _drawn(self, frame: etree._Element, box: Box, alt: str) -> list[Item] | None:
        """The picture or chart of a frame."""
        package = self._context.letter.package
        for inner in frame.iter():
            kind = kind_of(inner)
            relation = self._relations.get(value(inner, "embed" if kind == "blip" else "id") or "")
            if relation is None or relation.outside or not package.has(relation.target):
                continue
            if kind == "blip":
                content = drawable(package.read(relation.target))
                return None if content is None else [Picture(box, content, alt)]
            if kind == "chart":
                return self._chart(relation.target, box, alt)
        return None

    def _chart(self, part: str, box: Box, alt: str) -> list[Item] | None:
        package = self._context.letter.package
        theme = next((one.target for one in package.relations(self._context.letter.part) if one.kind == "theme"), None)
        colours = theme_colours(package.root(theme)) if theme is not None and package.has(theme) else []
        read = read_chart(package.root(part), colours)
        try:
            drawing = draw_chart(read.chart, box.width, box.height)
        except UseError:
            return None
        faces = self._context.faces
        return [Chart(box, drawing, (faces.of(drawing.font), faces.of(drawing.font, True)), alt)]


def _placed(frame: etree._Element, name: str) -> tuple[str, float | str]:
    """What a drawing is placed by, and by how many points or how it is aligned (20.4.2.10)."""
    position = child(frame, name)
    align, offset = child(position, "align"), child(position, "posOffset")
    by = "page" if position is None else position.get("relativeFrom", "page")
    if align is not None:
        return by, (align.text or "").strip()
    return by, (points("" if offset is None else offset.text, float(POINT)) or 0.0)


def content_box(strips: Sequence[Strip], *, whole: bool = False) -> float:
    """The height of strips below each other; the room before the first is left out, unless the `whole` is asked for."""
    return sum(strip.gap * (whole or number > 0) + strip.height for number, strip in enumerate(strips))


def stacked(strips: Sequence[Strip], x: float, top: float, *, whole: bool = False) -> list[Item]:
    """Strips below each other from a place downwards."""
    items: list[Item] = []
    for number, strip in enumerate(strips):
        top -= strip.gap * (whole or number > 0)
        items += [moved(item, x, top) for item in strip.items]
        top -= strip.height
    return items
