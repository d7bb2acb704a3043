"""How a letter looks: styles that build on one another, numbering, theme fonts (ECMA-376 Part 1, 17.7, 17.9)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from lxml import etree

from tinquire.document.letter import Letter, kind_of
from tinquire.looks.palette import rgb
from tinquire.packages.xml import child, children, whole_number

__all__ = ["Edge", "Level", "Looks", "ParagraphLook", "RunLook", "Tab", "edges_of", "on", "points", "value", "whole"]

#: Twentieths of a point (22.9.2.14), and eighths (17.18.4).
_TWENTIETHS, _EIGHTHS = 20.0, 8.0
_MOST_STYLES = 40
#: A drawing area of a PDF is no larger (Annex C.2); columns of a table and levels of a list are never so many.
_MOST_POINTS, _MOST_COUNT = 14_400.0, 1_000
#: Levels of a list are eight below the first (17.9.6); an outline level of 9 is that of text (17.3.1.20).
_MOST_LEVELS, _NO_HEADING = 8, 9
_HIGHLIGHTS = {
    "yellow": "FFFF00", "green": "00FF00", "cyan": "00FFFF", "magenta": "FF00FF", "blue": "0000FF", "red": "FF0000",
    "darkBlue": "000080", "darkCyan": "008080", "darkGreen": "008000", "darkMagenta": "800080", "darkRed": "800000",
    "darkYellow": "808000", "darkGray": "808080", "lightGray": "C0C0C0", "black": "000000",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class RunLook:
    """Letters of a run: sizes are points, colours RGB in six hex digits."""

    font: str = ""
    size: float = 10.0
    bold: bool = False
    italic: bool = False
    underline: bool = False
    strike: bool = False
    colour: str | None = None
    ground: str | None = None
    script: str | None = None
    caps: bool = False
    small_caps: bool = False
    hidden: bool = False


@dataclass(frozen=True, slots=True)
class Edge:
    """A line beside a paragraph or cell: its style (17.18.2), width in points, colour, and distance from the text."""

    style: str
    width: float
    colour: str
    space: float = 0.0


@dataclass(frozen=True, slots=True)
class Tab:
    """A tab stop in points from the margin; `kind` is left, center, right or decimal, `leader` fills the way there."""

    at: float
    kind: str = "left"
    leader: str = ""


@dataclass(frozen=True, slots=True)
class ParagraphLook:
    """A paragraph: lengths are points; `line` is a multiple of the font's own, or a height by `rule`."""

    align: str = "left"
    left: float = 0.0
    right: float = 0.0
    first: float = 0.0
    before: float = 0.0
    after: float = 0.0
    line: float = 1.0
    rule: str = "auto"
    keep_next: bool = False
    keep_lines: bool = False
    page_before: bool = False
    contextual: bool = False
    ground: str | None = None
    edges: tuple[tuple[str, Edge], ...] = ()
    tabs: tuple[Tab, ...] = ()
    numbering: tuple[str, int] | None = None
    outline: int | None = None
    style: str = ""


@dataclass(frozen=True, slots=True)
class Level:
    """A level of a list (17.9.6): its format, its text with %1 and the like, where it begins, its letters."""

    form: str
    text: str
    start: int
    run: etree._Element | None
    paragraph: etree._Element | None


def value(element: etree._Element | None, name: str = "val") -> str | None:
    """An attribute of the main namespace."""
    if element is None:
        return None
    for key, text in element.items():
        if str(key).rpartition("}")[2] == name:
            return str(text)
    return None


def points(text: str | None, parts: float = _TWENTIETHS) -> float | None:
    """A length in points of one in parts of a point."""
    try:
        length = float(text or "") / parts
    except ValueError:
        return None
    return length if abs(length) <= _MOST_POINTS else None  # and what is no number is not either


def whole(element: etree._Element | None, name: str = "val", otherwise: int = 0, most: int = _MOST_COUNT) -> int:
    """A count that an attribute states: `otherwise` where it is none, never more than `most`."""
    number = whole_number(value(element, name))
    return otherwise if number is None else min(number, most)


def on(element: etree._Element | None) -> bool | None:
    """A property that is yes or no (17.17.4); None where it is not stated."""
    return None if element is None else value(element) not in ("0", "false", "off")


@dataclass
class Looks:
    """The styles, numbering and fonts of a letter."""

    styles: dict[str, etree._Element] = field(default_factory=dict)
    plain_run: RunLook = RunLook()
    plain_paragraph: ParagraphLook = ParagraphLook()
    usual: str = ""
    levels: dict[str, dict[int, Level]] = field(default_factory=dict)
    abstract: dict[str, str] = field(default_factory=dict)
    fonts: dict[str, str] = field(default_factory=dict)
    tab: float = 36.0
    #: What was worked out before, by what it was worked out of: letters say the same thing in a thousand places.
    known_runs: dict[tuple[RunLook, bytes], RunLook] = field(default_factory=dict)
    known_paragraphs: dict[tuple[ParagraphLook, RunLook, bytes], tuple[ParagraphLook, RunLook]] = field(
        default_factory=dict
    )

    @classmethod
    def of(cls, letter: Letter) -> Looks:
        """Raises AccessError for damaged parts."""
        looks = cls()
        parts = {
            one.kind: one.target for one in letter.package.relations(letter.part) if letter.package.has(one.target)
        }
        if (part := parts.get("theme")) is not None:
            looks._read_theme(letter.root(part))
        if (part := parts.get("styles")) is not None:
            looks._read_styles(letter.root(part))
        if (part := parts.get("numbering")) is not None:
            looks._read_numbering(letter.root(part))
        if (part := parts.get("settings")) is not None:
            looks.tab = points(value(child(letter.root(part), "defaultTabStop"))) or looks.tab
        return looks

    def _read_theme(self, root: etree._Element) -> None:
        for name in ("majorFont", "minorFont"):
            found = next((one for one in root.iter() if kind_of(one) == name), None)
            latin = child(found, "latin")
            self.fonts[name.removesuffix("Font")] = "" if latin is None else latin.get("typeface", "")

    def _read_styles(self, root: etree._Element) -> None:
        for style in children(root, "style"):
            identity = value(style, "styleId") or ""
            self.styles[identity] = style
            if value(style, "type") == "paragraph" and value(style, "default") in ("1", "true"):
                self.usual = identity
        defaults = child(root, "docDefaults")
        self.plain_run = self.run_over(self.plain_run, child(child(defaults, "rPrDefault"), "rPr"))
        self.plain_paragraph = self.paragraph_over(self.plain_paragraph, child(child(defaults, "pPrDefault"), "pPr"))

    def _read_numbering(self, root: etree._Element) -> None:
        lists: dict[str, dict[int, Level]] = {}
        for one in children(root, "abstractNum"):
            lists[value(one, "abstractNumId") or ""] = {
                whole(level, "ilvl"): Level(
                    value(child(level, "numFmt")) or "decimal", value(child(level, "lvlText")) or "",
                    whole(child(level, "start"), otherwise=1, most=1_000_000), child(level, "rPr"), child(level, "pPr"),
                )
                for level in children(one, "lvl")
            }  # fmt: skip
        for one in children(root, "num"):
            identity, base = value(one, "numId") or "", value(child(one, "abstractNumId")) or ""
            self.levels[identity], self.abstract[identity] = lists.get(base, {}), base

    # -- chains ----------------------------------------------------------------------------------------

    def chain(self, identity: str | None) -> list[etree._Element]:
        """A style and those that it builds on, the deepest first."""
        found: list[etree._Element] = []
        while identity is not None and (style := self.styles.get(identity)) is not None and len(found) < _MOST_STYLES:
            if style in found:
                break
            found.insert(0, style)
            identity = value(child(style, "basedOn"))
        return found

    def paragraph(
        self, element: etree._Element, base: tuple[ParagraphLook, RunLook] | None = None
    ) -> tuple[ParagraphLook, RunLook]:  # fmt: skip
        """How a paragraph looks, and its letters where runs say nothing else; `base` is what a table's style says."""
        look, run = base or (self.plain_paragraph, self.plain_run)
        settings = child(element, "pPr")
        key = (look, run, b"" if settings is None else etree.tostring(settings, with_tail=False))
        if (known := self.known_paragraphs.get(key)) is None:
            known = self.known_paragraphs[key] = self._paragraph(look, run, settings)
        return known

    def _paragraph(
        self, look: ParagraphLook, run: RunLook, settings: etree._Element | None
    ) -> tuple[ParagraphLook, RunLook]:  # fmt: skip
        style = value(child(settings, "pStyle")) or self.usual
        for one in self.chain(style):
            look = self.paragraph_over(look, child(one, "pPr"))
            run = self.run_over(run, child(one, "rPr"))
        look = replace(look, style=style)
        own = self.paragraph_over(look, settings)
        if own.numbering is not None and (level := self.level(own.numbering)) is not None:
            own = self.paragraph_over(self.paragraph_over(look, level.paragraph), settings)
        return own, run

    def level(self, numbering: tuple[str, int]) -> Level | None:
        return self.levels.get(numbering[0], {}).get(numbering[1])

    def run(self, base: RunLook, element: etree._Element) -> RunLook:
        """How a run of a paragraph looks."""
        settings = child(element, "rPr")
        if settings is None:
            return base
        key = (base, etree.tostring(settings, with_tail=False))
        if (known := self.known_runs.get(key)) is None:
            known = base
            for one in self.chain(value(child(settings, "rStyle"))):
                known = self.run_over(known, child(one, "rPr"))
            known = self.known_runs[key] = self.run_over(known, settings)
        return known

    def run_over(self, look: RunLook, settings: etree._Element | None) -> RunLook:
        """A look with what run properties (17.3.2) say."""
        if settings is None:
            return look
        given: dict[str, object] = {}
        for name, key in (("b", "bold"), ("i", "italic"), ("strike", "strike"), ("caps", "caps"),
                          ("smallCaps", "small_caps"), ("vanish", "hidden")):  # fmt: skip
            if (state := on(child(settings, name))) is not None:
                given[key] = state
        if (under := value(child(settings, "u"))) is not None:
            given["underline"] = under != "none"
        if (size := points(value(child(settings, "sz")), 2.0)) is not None:
            given["size"] = size
        if (font := self._font(child(settings, "rFonts"))) is not None:
            given["font"] = font
        if (colour := value(child(settings, "color"))) is not None:
            given["colour"] = rgb(colour)
        if (highlight := value(child(settings, "highlight"))) is not None:
            given["ground"] = _HIGHLIGHTS.get(highlight)
        elif (fill := _filled(child(settings, "shd"))) is not None:
            given["ground"] = fill
        if (script := value(child(settings, "vertAlign"))) is not None:
            given["script"] = None if script == "baseline" else script
        return replace(look, **given)  # type: ignore[arg-type]

    def _font(self, element: etree._Element | None) -> str | None:
        if (theme := value(element, "asciiTheme")) is not None:
            return self.fonts.get("major" if theme.startswith("major") else "minor") or None
        return value(element, "ascii") or value(element, "hAnsi")

    def paragraph_over(self, look: ParagraphLook, settings: etree._Element | None) -> ParagraphLook:
        """A look with what paragraph properties (17.3.1) say."""
        if settings is None:
            return look
        given = _measures(settings)
        for name, key in (("keepNext", "keep_next"), ("keepLines", "keep_lines"), ("pageBreakBefore", "page_before"),
                          ("contextualSpacing", "contextual")):  # fmt: skip
            if (state := on(child(settings, name))) is not None:
                given[key] = state
        if (fill := _filled(child(settings, "shd"))) is not None:
            given["ground"] = fill
        if (edges := child(settings, "pBdr")) is not None:
            given["edges"] = tuple(edges_of(edges))
        if (tabs := child(settings, "tabs")) is not None:
            given["tabs"] = _tabs(look.tabs, tabs)
        if (outline := whole_number(value(child(settings, "outlineLvl")))) is not None:
            given["outline"] = outline if outline < _NO_HEADING else None
        if (numbered := child(settings, "numPr")) is not None:
            given["numbering"] = _numbering(numbered, look.numbering)
        return replace(look, **given)  # type: ignore[arg-type]


def _measures(settings: etree._Element) -> dict[str, object]:
    """Alignment, indents and spacing that paragraph properties state."""
    given: dict[str, object] = {}
    if (align := value(child(settings, "jc"))) is not None:
        given["align"] = {"start": "left", "end": "right", "both": "justify", "distribute": "justify"}.get(align, align)
    indent, spacing = child(settings, "ind"), child(settings, "spacing")
    stated = (
        (indent, "left", "left"), (indent, "start", "left"), (indent, "right", "right"), (indent, "end", "right"),
        (indent, "firstLine", "first"), (spacing, "before", "before"), (spacing, "after", "after"),
    )  # fmt: skip
    for element, name, key in stated:
        if (length := points(value(element, name))) is not None:
            given[key] = length
    if (hanging := points(value(indent, "hanging"))) is not None:
        given["first"] = -hanging
    if (line := value(spacing, "line")) is not None:
        rule = value(spacing, "lineRule") or "auto"
        given["rule"], given["line"] = rule, points(line, 240.0 if rule == "auto" else _TWENTIETHS) or 1.0
    return given


def _numbering(numbered: etree._Element, known: tuple[str, int] | None) -> tuple[str, int] | None:
    """The list and level of a paragraph; list 0 is none (17.9.18)."""
    identity, depth = value(child(numbered, "numId")), child(numbered, "ilvl")
    chosen, at = known or ("0", 0)
    chosen = identity or chosen
    return None if chosen == "0" else (chosen, whole(depth, otherwise=at, most=_MOST_LEVELS))


def edges_of(element: etree._Element | None) -> Iterator[tuple[str, Edge]]:
    """Lines around something (17.3.4) by their sides; a side that says there is none has an edge of no width."""
    for side in element if element is not None else ():
        style = value(side)
        if style is None:
            continue
        width = 0.0 if style in ("nil", "none") else (points(value(side, "sz"), _EIGHTHS) or 0.5)
        name = {"start": "left", "end": "right"}.get(kind_of(side), kind_of(side))
        yield (
            name,
            Edge(style, width, rgb(value(side, "color")) or "000000", points(value(side, "space"), 1.0) or 0.0),
        )


def _filled(element: etree._Element | None) -> str | None:
    """The colour of a ground (17.3.5); None for none."""
    return rgb(value(element, "fill"))


def _tabs(known: tuple[Tab, ...], element: etree._Element) -> tuple[Tab, ...]:
    """Tab stops with those of an element added, and those that it clears taken away."""
    stops = {tab.at: tab for tab in known}
    for one in children(element, "tab"):
        at, kind = points(value(one, "pos")), value(one) or "left"
        if at is None:
            continue
        if kind == "clear":
            stops.pop(at, None)
        else:
            leader = {"dot": ".", "hyphen": "-", "underscore": "_"}.get(value(one, "leader") or "", "")
            stops[at] = Tab(at, {"start": "left", "end": "right"}.get(kind, kind), leader)
    return tuple(stops[at] for at in sorted(stops))
