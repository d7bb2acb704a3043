"""Angles in radians, and the functions made of them (18.17.7)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from tinquire.cells.column import Column, Floats
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import with_faults
from tinquire.formula.engine.registry import declare_all, elementwise

#: Beyond this size the sine of a double says nothing any more; the standard's programs refuse it.
_LARGEST_ANGLE = 2.0**27


def _angle(work: np.ufunc) -> Callable[[Floats], Any]:
    def function(number: Floats) -> Floats:
        return np.where(np.abs(number) < _LARGEST_ANGLE, work(number), np.nan)

    return function


def _inverted(work: np.ufunc) -> Callable[[Floats], Any]:
    """One divided by a function of an angle; none where that is zero."""

    def function(number: Floats) -> Column:
        below = np.where(np.abs(number) < _LARGEST_ANGLE, work(number), np.nan)
        zero = below == 0
        result = Column.of_numbers(1.0 / np.where(zero, 1.0, below))
        return with_faults(result, np.where(zero, CellError.DIV0.code + 1, 0).astype(np.uint8))

    return function


declare_all(
    elementwise,
    __name__,
    [
        ("SIN(number: number)", _angle(np.sin), "The sine of an angle.", "SIN(PI()/2)", "1"),
        ("COS(number: number)", _angle(np.cos), "The cosine of an angle.", "COS(0)", "1"),
        ("TAN(number: number)", _angle(np.tan), "The tangent of an angle.", "ROUND(TAN(PI()/4), 12)", "1"),
        ("SEC(number: number)", _inverted(np.cos), "One divided by the cosine.", "SEC(0)", "1"),
        ("CSC(number: number)", _inverted(np.sin), "One divided by the sine.", "CSC(PI()/2)", "1"),
        ("COT(number: number)", _inverted(np.tan), "One divided by the tangent.", "ROUND(COT(PI()/4), 12)", "1"),
        ("SINH(number: number)", np.sinh, "The hyperbolic sine.", "SINH(0)", "0"),
        ("COSH(number: number)", np.cosh, "The hyperbolic cosine.", "COSH(0)", "1"),
        ("TANH(number: number)", np.tanh, "The hyperbolic tangent.", "TANH(0)", "0"),
        ("SECH(number: number)", lambda n: 1 / np.cosh(n), "One divided by the hyperbolic cosine.", "SECH(0)", "1"),
        ("CSCH(number: number)", _inverted(np.sinh), "One divided by the hyperbolic sine.", "CSCH(0)", "#DIV/0!"),
        ("COTH(number: number)", _inverted(np.tanh), "One divided by the hyperbolic tangent.", "COTH(0)", "#DIV/0!"),
        ("ASIN(number: number)", np.arcsin, "The angle that has a sine.", "ROUND(ASIN(1)*2 - PI(), 12)", "0"),
        ("ACOS(number: number)", np.arccos, "The angle that has a cosine.", "ACOS(1)", "0"),
        ("ATAN(number: number)", np.arctan, "The angle that has a tangent.", "ROUND(ATAN(1)*4 - PI(), 12)", "0"),
        ("ACOT(number: number)", lambda n: np.pi / 2 - np.arctan(n), "The angle that has a cotangent, between 0 and pi.", "ROUND(ACOT(1)*4 - PI(), 12)", "0"),
        ("ASINH(number: number)", np.arcsinh, "The number that has a hyperbolic sine.", "ASINH(SINH(2))", "2"),
        ("ACOSH(number: number)", np.arccosh, "The number that has a hyperbolic cosine.", "ACOSH(1)", "0"),
        ("ATANH(number: number)", np.arctanh, "The number that has a hyperbolic tangent.", "ATANH(0)", "0"),
        ("ACOTH(number: number)", lambda n: np.where(np.abs(n) > 1, np.arctanh(1 / np.where(n == 0, 1, n)), np.nan), "The number that has a hyperbolic cotangent.", "ROUND(ACOTH(2), 6)", "0.549306"),
        ("DEGREES(number: number)", np.degrees, "Radians as degrees.", "DEGREES(PI())", "180"),
        ("RADIANS(number: number)", np.radians, "Degrees as radians.", "RADIANS(180) = PI()", "TRUE"),
        ("PI()", lambda: np.array([np.pi]), "The ratio of a circle's circumference to its diameter.", "ROUND(PI(), 4)", "3.1416"),
    ],
)  # fmt: skip


@elementwise("ATAN2(x: number, y: number)")
def atan2(x: Floats, y: Floats) -> Column:
    """The angle from the origin to a point (18.17.7).

    >>> ROUND(ATAN2(1, 1)*4 - PI(), 12)
    0
    """
    nowhere = np.where((x == 0) & (y == 0), CellError.DIV0.code + 1, 0).astype(np.uint8)
    return with_faults(Column.of_numbers(np.arctan2(y, x)), nowhere)
