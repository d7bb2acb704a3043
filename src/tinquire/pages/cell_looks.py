"""How the cells of a sheet are drawn: each style of a workbook, as marks change it, made ready once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from tinquire.cells.values import CellError, Value
from tinquire.looks import Appearance, Edge, Edges, Variation
from tinquire.looks.finish import Finish
from tinquire.pages.lettering import Letters
from tinquire.pages.typefaces import Typefaces
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.printed import RichRun

__all__ = ["CellLook", "CellLooks"]

_BLACK = "000000"
_NO_EDGES, _SIDES = Edges(), ("top", "bottom", "left", "right")
_UNCHANGED = Variation()
#: Blanks that one step of an indent is wide (18.8.1).
_INDENT = 3


@dataclass(frozen=True)
class CellLook:
    """A style made ready: its appearance and finish, its letters, and how far its text is moved in, in points."""

    look: Appearance
    finish: Finish
    letters: Letters
    indent: float
    #: Whether its text breaks into lines.
    wraps: bool
    has_edges: bool
    #: Whether a text takes the plain way: one line, along its row, within the cell or over blank neighbours.
    plain: bool
    #: Whether its sheet runs from right to left.
    mirrored: bool = False
    #: Values that were shown in this look before, as they are drawn.
    ready: dict[object, Any] = field(default_factory=dict, compare=False, repr=False)

    @cached_property
    def has_ground(self) -> bool:
        return self.look.fill is not None or self.finish.hatch is not None or self.finish.running is not None

    @cached_property
    def is_crossed(self) -> bool:
        return self.finish.rising is not None or self.finish.falling is not None

    def across(self, value: Value) -> str:
        """Where a value stands in its cell when its style does not say (18.18.40): numbers right, yes/no and errors in
        the middle."""
        align = self.look.align
        if align not in (None, "general"):
            return align or "left"
        if isinstance(value, bool | CellError):
            return "center"
        return "right" if isinstance(value, float) != self.mirrored else "left"


class CellLooks:
    """The looks of a workbook's styles, and of those that marks have changed."""

    def __init__(self, book: Workbook, faces: Typefaces, *, colourless: bool = False, mirrored: bool = False) -> None:
        self._mirrored = mirrored
        self._book = book
        self._faces = faces
        self._colourless = colourless
        self._known: dict[tuple[int, Variation], CellLook] = {}
        self._edges: dict[Edge, Edge] = {}
        self.plain_font, self.plain_size = book.styles.plain_font
        plain = faces.of(self.plain_font)
        self.space = plain.width(" ") * self.plain_size

    def of(self, style: int, change: Variation = _UNCHANGED) -> CellLook:
        key = (style, change)
        if key not in self._known:
            self._known[key] = self._made(style, change)
        return self._known[key]

    def _made(self, style: int, change: Variation) -> CellLook:
        look = self._book.styles.appearance(style).varied(change)
        finish = self._book.styles.finish(style)
        if change.fill is not None and (finish.hatch or finish.running):
            finish = replace(finish, hatch=None, running=None)
        if finish.hatch is not None:
            look = replace(look, fill=None)
        if look.edges != _NO_EDGES:
            # One object for each kind of line: neighbours are compared by the hundred thousand.
            sides = {side: edge for side in _SIDES if (edge := getattr(look.edges, side)) is not None}
            look = replace(
                look, edges=Edges(**{side: self._edges.setdefault(edge, edge) for side, edge in sides.items()})
            )
        if self._colourless:
            look, finish = _without_colours(look), replace(finish, hatch=None, running=None)
        underline = (2 if finish.double_underline else 1) if look.underline else 0
        letters = self.letters(look.font, look.size, look.bold, look.italic, look.colour, underline, look.strike)
        wraps = look.wrap or look.align in ("justify", "distributed") or look.valign in ("justify", "distributed")
        turned = look.turned != 0 or finish.stacked
        edges = look.edges
        plain = not (wraps or turned or look.shrink or finish.script or finish.accounting_underline or underline)
        plain = plain and not look.strike and look.align in (None, "general", "left", "right", "center")
        return CellLook(
            look, finish, letters.scripted(finish.script), look.indent * _INDENT * self.space, wraps and not turned,
            bool(edges.top or edges.bottom or edges.left or edges.right or finish.rising or finish.falling), plain,
            self._mirrored,
        )  # fmt: skip

    def letters(
        self, font: str, size: float, bold: bool, italic: bool, colour: str | None, underline: int = 0,
        strike: bool = False,
    ) -> Letters:  # fmt: skip
        """Letters of a font; an empty name and a size of 0 are the workbook's own."""
        face = self._faces.of(font or self.plain_font, bold, italic)
        shown = _BLACK if self._colourless else colour or _BLACK
        return Letters(face, size or self.plain_size, shown, underline, strike)

    def recoloured(self, letters: Letters, colour: str | None) -> Letters:
        """Letters in the colour that a number format asks for, if it does."""
        if colour is None or self._colourless or colour == letters.colour:
            return letters
        return replace(letters, colour=colour)

    def rich(self, look: CellLook, run: RichRun) -> Letters:
        """The letters of a run of a cell's text."""
        own, given = look.look, run
        underline = own.underline if given.underline is None else given.underline
        letters = self.letters(
            given.font or own.font, own.size if given.size is None else given.size,
            own.bold if given.bold is None else given.bold, own.italic if given.italic is None else given.italic,
            given.colour or own.colour, int(underline), own.strike if given.strike is None else given.strike,
        )  # fmt: skip
        return letters.scripted(given.script)

    def line_heights(self, styles: Mapping[int, int] | set[int]) -> dict[int, float]:
        """The height of a row of one line for each of some styles."""
        return {style: self.of(style).letters.line for style in styles}


def _without_colours(look: Appearance) -> Appearance:
    """An appearance for print in black and white: no fills, black lines and letters."""
    edges = replace(
        look.edges,
        **{side: replace(edge, colour=_BLACK) for side in _SIDES if (edge := getattr(look.edges, side)) is not None},
    )
    return replace(look, fill=None, colour=None, edges=edges)
