"""Values of cells as texts in their places: prepared once for each look and value, and then put wherever they stand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from tinquire.cells.address import Area
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import Value
from tinquire.pages.cell_looks import CellLook, CellLooks
from tinquire.pages.cell_text import PAD, Placed, put_lines, put_stacked, put_turned
from tinquire.pages.geometry import Grid
from tinquire.pages.lettering import Letters
from tinquire.pages.primitives import Box, Item, Text
from tinquire.pages.shown import Displayed, displayed, shortened
from tinquire.pages.typefaces import Typeface
from tinquire.workbook.inspect.printed import PrintedSheet

__all__ = ["Around", "Ready", "TextPlacer"]

Runs = Sequence[tuple[str, Letters]]
#: Values that are remembered of each look.
_REMEMBERED = 1 << 16
_LEFT, _MIDDLE, _RIGHT = 0.0, 0.5, 1.0
_SIDES = {"left": _LEFT, "center": _MIDDLE, "right": _RIGHT}
_DOWN = {"top": 1.0, "center": 0.5}


class Ready(NamedTuple):
    """A value under a look, ready to be put as one line in one kind of letters: its width, the room to leave at its
    sides, which share of the free room stands before it, and how much of the cell's height lies below its base line."""

    text: str
    width: float
    before: float
    after: float
    side: float
    face: Typeface
    size: float
    colour: str
    down: float
    shift: float
    height: float


class Around:
    """What a text has to know of the cells around its own: their values, and whether they are merged."""

    def __init__(
        self, first: int, last: int, value: Callable[[int, int], Value], merged: Callable[[int, int], Area | None],
        look: Callable[[int, int], CellLook],
    ) -> None:  # fmt: skip
        """Of columns `first` to `last` it is known; `look` is asked for a row and column."""
        self.first, self.last, self.value, self.merged, self.look = first, last, value, merged, look


class TextPlacer:
    """Puts the texts of one sheet's cells."""

    def __init__(self, system: DateSystem, printed: PrintedSheet, grid: Grid, looks: CellLooks, slack: float) -> None:
        self._system, self._printed, self._grid, self._looks, self._slack = system, printed, grid, looks, slack

    def ready(self, value: Value, look: CellLook) -> Ready | Displayed:
        """A value under a look: made ready where it is one plain line, else as it is displayed."""
        key = (value,) if isinstance(value, bool) else value  # true is no one
        found = look.ready.get(key)
        if found is None:
            if len(look.ready) > _REMEMBERED:
                look.ready.clear()
            found = look.ready[key] = self._made_ready(value, look)
        return found

    def _made_ready(self, value: Value, look: CellLook) -> Ready | Displayed:
        shown = displayed(value, look.look.format, self._system, self._printed.errors)
        across = look.across(value)
        if not look.plain or shown.fills is not None or "\n" in shown.text:
            return shown
        letters = self._looks.recoloured(look.letters, shown.colour)
        before = (
            PAD + (letters.width(shown.before) if shown.before else 0.0) + (look.indent if across == "left" else 0.0)
        )
        after = PAD + (letters.width(shown.after) if shown.after else 0.0) + (look.indent if across == "right" else 0.0)
        pitch, high = letters.line, letters.height
        valign = look.look.valign
        above = -high / 2 if valign == "center" else -(pitch + high) / 2 if valign == "top" else (pitch - high) / 2
        return Ready(
            shown.text, letters.width(shown.text), before, after, _SIDES[across], letters.face, letters.size,
            letters.colour, _DOWN.get(valign or "", 0.0), above + letters.descent, high,
        )  # fmt: skip

    def put(self, around: Around, out: list[Item], own: Area, value: Value, look: CellLook, box: Box) -> None:
        """The text of a cell, or of merged ones."""
        rich = self._printed.rich.get((own.top, own.left)) if self._printed.rich else None
        ready = self.ready(value, look)
        alone = own.height == own.width == 1
        if isinstance(ready, Ready):
            if rich is None and alone:
                self.put_ready(around, out, own, value, look, ready, box)
                return
            ready = displayed(value, look.look.format, self._system, self._printed.errors)
        self._put_displayed(around, out, own, value, look, ready, box)

    def put_ready(
        self, around: Around, out: list[Item], own: Area, value: Value, look: CellLook, ready: Ready, box: Box
    ) -> None:  # fmt: skip
        """A plain line; one that does not fit is drawn narrower, shortened, run over or cut."""
        text, wide = ready.text, ready.width
        room, clip = box.width - ready.before - ready.after, None
        if wide > room:
            if wide <= room * self._slack:
                wide = room
            elif isinstance(value, float):
                letters = self._looks.recoloured(look.letters, ready.colour)
                text = self._number(value, text, look, letters, room)
                wide = min(letters.width(text), max(room, 0.1))
            else:
                clip = self._room(around, own, look.across(value), wide, box, look)
        if not text:
            return
        if clip is None and ready.height > box.height + 1:
            clip = box
        x = box.x + ready.before + (room - wide) * ready.side
        y = box.y + box.height * ready.down + ready.shift
        out.append(Text(x, y, text, ready.face, ready.size, ready.colour, wide, 0.0, clip))

    def _put_displayed(
        self, around: Around, out: list[Item], own: Area, value: Value, look: CellLook, shown: Displayed, box: Box
    ) -> None:  # fmt: skip
        text, letters = shown.text, self._looks.recoloured(look.letters, shown.colour)
        across = look.across(value)
        rich = self._printed.rich.get((own.top, own.left)) if self._printed.rich else None
        alone = own.height == own.width == 1
        if shown.fills is not None:
            text = _filled(shown, letters, box)
        runs = [(text, letters)] if rich is None else [(run.text, self._looks.rich(look, run)) for run in rich]
        if across == "fill" and text:
            times = max(int((box.width - 2 * PAD) / max(letters.width(text), 0.1)), 1)
            runs = [(text * times, letters)]
        placed = Placed(runs, box, across, look, self._slack, letters.width(shown.before), letters.width(shown.after))
        if look.finish.stacked:
            out += put_stacked(placed, box)
        elif look.look.turned:
            out += put_turned(placed, look.look.turned, None if alone else box)
        elif isinstance(value, float) and not look.look.shrink and not look.look.wrap:
            placed.runs = [(self._number(value, text, look, letters, placed.right - placed.left), letters)]
            out += put_lines(placed, box, wraps=False)
        elif across == "centerContinuous" and alone:
            placed.box = whole = self._centred_over(around, own.top, own.left, box)
            out += put_lines(placed, whole, wraps=False)
        else:
            wide = sum(own_letters.width(part) for part, own_letters in runs)
            clip = box if look.wraps or not alone else self._room(around, own, across, wide, box, look)
            out += put_lines(placed, clip, wraps=look.wraps)

    def _number(self, value: float, text: str, look: CellLook, letters: Letters, room: float) -> str:
        """A number that fits: as it is, in General form with fewer digits, or else filled with signs."""
        if letters.width(text) <= room * self._slack:
            return text
        digit = max(letters.face.digit * letters.size, 0.1)
        if look.look.format.casefold() == "general":
            for most in range(int(room * self._slack / digit) + 1, 0, -1):
                shorter = shortened(value, most)
                if shorter is not None and letters.width(shorter) <= room * self._slack:
                    return shorter
        return "#" * max(int(room / max(letters.width("#"), 0.1)), 1)

    # -- over other cells ------------------------------------------------------------------------------

    def _room(self, around: Around, own: Area, across: str, wide: float, box: Box, look: CellLook) -> Box:
        """Where a long text may be drawn: over its own cell, and over blank neighbours as far as it needs."""
        more = wide + 2 * PAD + look.indent - box.width
        if more <= 0:
            return box
        left, right = box.x, box.right
        share = more if across != "center" else more / 2
        if across in ("left", "center", "general", "justify"):
            right = self._reach(around, own, 1, share, box.right)
        if across in ("right", "center"):
            left = self._reach(around, own, -1, share, box.x)
        return Box(left, box.y, right - left, box.height)

    def _reach(self, around: Around, own: Area, side: int, needed: float, start: float) -> float:
        """How far a text reaches over blank neighbours to the left (-1) or to the right (1)."""
        grid = self._grid
        reached, got = start, 0.0
        step = -side if grid.right_to_left else side
        row, column = own.top, (own.right if step > 0 else own.left) + step
        while got < needed and around.first <= column <= max(around.last, grid.columns):
            if around.value(row, column) is not None or around.merged(row, column) is not None:
                break
            wide = grid.widths[column] if column <= grid.columns else 0.0
            got += wide
            reached += side * wide
            column += step
        return reached

    def _centred_over(self, around: Around, row: int, column: int, box: Box) -> Box:
        """The box of a cell whose text is centred over it and the blank cells after it that ask for the same."""
        last = column
        while last + 1 <= around.last and around.value(row, last + 1) is None:
            if around.look(row, last + 1).look.align != "centerContinuous":
                break
            last += 1
        return Box(self._grid.left(column, last), box.y, self._grid.width(column, last), box.height)


def _filled(shown: Displayed, letters: Letters, box: Box) -> str:
    """A text with the letter that its format repeats between its two parts."""
    assert shown.fills is not None
    head, letter = shown.fills
    room = box.width - 2 * PAD - letters.width(head + shown.text + shown.before + shown.after)
    times = int(room / max(letters.width(letter), 0.1)) if letter else 0
    return head + letter * max(times, 0) + shown.text
