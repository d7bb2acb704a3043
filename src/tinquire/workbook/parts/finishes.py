"""The finish of a style (ECMA-376 Part 1, 18.8.20, .24, .32, .4, .1): patterns, gradients, diagonal lines, stacked
letters."""

from __future__ import annotations

from collections.abc import Callable

from lxml import etree

from tinquire.looks.appearance import Edge
from tinquire.looks.finish import Finish, Hatch, RunningFill
from tinquire.packages.xml import child, children, flag

__all__ = ["read_finish"]

#: Letters below each other (18.8.1).
_STACKED = "255"
Colour = Callable[[etree._Element | None], str | None]


def read_finish(
    alignment: etree._Element | None, font: etree._Element | None, fill: etree._Element | None,
    border: etree._Element | None, colour: Colour,
) -> Finish:  # fmt: skip
    """What the elements of a style say beyond its appearance; `colour` resolves colour elements."""
    under, script = child(font, "u"), child(font, "vertAlign")
    kind = "" if under is None else under.get("val", "single")
    order = None if alignment is None else alignment.get("readingOrder")
    diagonal = _edge(child(border, "diagonal"), colour)
    return Finish(
        hatch=_hatch(child(fill, "patternFill"), colour),
        running=_running(child(fill, "gradientFill"), colour),
        rising=diagonal if flag(border, "diagonalUp", default=False) else None,
        falling=diagonal if flag(border, "diagonalDown", default=False) else None,
        stacked=alignment is not None and alignment.get("textRotation") == _STACKED,
        double_underline=kind.startswith("double"),
        accounting_underline=kind.endswith("Accounting"),
        script=None if script is None or script.get("val") == "baseline" else script.get("val"),
        right_to_left={"1": False, "2": True}.get(order or ""),
    )


def _edge(element: etree._Element | None, colour: Colour) -> Edge | None:
    if element is None or element.get("style", "none") == "none":
        return None
    return Edge(element.get("style", "thin"), colour(child(element, "color")) or "000000")


def _hatch(pattern: etree._Element | None, colour: Colour) -> Hatch | None:
    if pattern is None or (name := pattern.get("patternType", "none")) in ("none", "solid"):
        return None
    return Hatch(name, colour(child(pattern, "fgColor")) or "000000", colour(child(pattern, "bgColor")))


def _running(gradient: etree._Element | None, colour: Colour) -> RunningFill | None:
    stops = tuple(
        sorted(
            (_share(stop.get("position")), colour(child(stop, "color")) or "FFFFFF")
            for stop in children(gradient, "stop")
        )
    )
    if gradient is None or len(stops) < 2:
        return None
    if gradient.get("type") == "path":
        sides = tuple(_share(gradient.get(side)) for side in ("left", "right", "top", "bottom"))
        return RunningFill(stops, inner=(sides[0], sides[1], sides[2], sides[3]))
    try:
        return RunningFill(stops, float(gradient.get("degree", "0")))
    except ValueError:
        return RunningFill(stops)


def _share(text: str | None) -> float:
    try:
        return min(max(float(text or 0), 0.0), 1.0)
    except ValueError:
        return 0.0
