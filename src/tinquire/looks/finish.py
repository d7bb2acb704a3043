"""What of a cell's look an `Appearance` does not speak of, because nobody asks for it in a docket: hatched and running
fills, lines across, letters below each other."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.looks.appearance import Edge

__all__ = ["PLAIN_FINISH", "Finish", "Hatch", "RunningFill"]


@dataclass(frozen=True, slots=True)
class Hatch:
    """A pattern (ECMA-376 Part 1, 18.18.55) in one colour on another, RGB in six hex digits; without a ground, on the
    paper."""

    name: str
    colour: str
    ground: str | None


@dataclass(frozen=True, slots=True)
class RunningFill:
    """A gradient (18.8.24): shares and colours along an angle in degrees clockwise, or outwards from an inner
    rectangle, given by its shares from left, right, top and bottom."""

    stops: tuple[tuple[float, str], ...]
    angle: float = 0.0
    inner: tuple[float, float, float, float] | None = None


@dataclass(frozen=True, slots=True)
class Finish:
    hatch: Hatch | None = None
    running: RunningFill | None = None
    #: Lines from the lower left corner up, and from the upper left corner down.
    rising: Edge | None = None
    falling: Edge | None = None
    #: Letters stand below each other, unturned.
    stacked: bool = False
    double_underline: bool = False
    #: Underlined over the width of the cell (18.18.82).
    accounting_underline: bool = False
    #: 'superscript' or 'subscript'.
    script: str | None = None
    #: Whether text runs from right to left: None is what the text itself says.
    right_to_left: bool | None = None


PLAIN_FINISH = Finish()
