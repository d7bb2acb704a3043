"""Complex numbers (18.17.7)."""

from __future__ import annotations

import cmath
import math
import re
from collections.abc import Callable

from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_rows, plain
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all

# -- complex numbers, which a cell holds as text ---------------------------------------------------------

_UNSIGNED = r"(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[Ee][+-]?[0-9]+)?"
_COMPLEX = re.compile(rf"(?P<real>[+-]?{_UNSIGNED})?(?P<imaginary>[+-]?(?:{_UNSIGNED})?)(?P<unit>[ij])\Z")


_REAL = re.compile(rf"[+-]?{_UNSIGNED}\Z")


def read_complex(value: Value) -> tuple[complex, str]:
    """A complex number and the letter of its unit. Raises ErrorValue for other texts."""
    if isinstance(value, CellError):
        raise ErrorValue(value)
    if value is None or isinstance(value, float):
        return complex(value or 0.0), ""
    text = str(value).strip()
    if not isinstance(value, str):
        raise ErrorValue(CellError.VALUE)
    if _REAL.match(text):
        return complex(float(text)), ""
    match = _COMPLEX.match(text)
    if not match or (match["real"] and not match["imaginary"]):
        # `3i` matches with 3 as its real part: it is the imaginary one.
        if match and match["real"]:
            return complex(0, float(match["real"])), match["unit"]
        raise ErrorValue(CellError.NUM)
    part = match["imaginary"]
    if match["real"] and part[:1] not in ("+", "-"):
        raise ErrorValue(CellError.NUM)
    imaginary = float(part + "1") if part in ("", "+", "-") else float(part)
    return complex(float(match["real"] or 0), imaginary), match["unit"]


def write_complex(number: complex, unit: str = "i") -> str:
    """A complex number as text, its parts with up to 15 digits."""
    if not cmath.isfinite(number):
        raise ErrorValue(CellError.NUM)
    unit = unit or "i"
    real, imaginary = (general(part, 15) for part in (number.real, number.imag))
    if imaginary == "0":
        return real
    factor = {"1": "", "-1": "-"}.get(imaginary, imaginary)
    if real == "0":
        return factor + unit
    return f"{real}{'' if factor.startswith('-') else '+'}{factor}{unit}"


def _of_one(work: Callable[[complex], complex]) -> Callable[[Value], str]:
    def function(number: Value) -> str:
        read, unit = read_complex(number)
        return write_complex(work(read), unit)

    return function


def _part(work: Callable[[complex], float]) -> Callable[[Value], float]:
    return lambda number: float(work(read_complex(number)[0]))


def _of_two(work: Callable[[complex, complex], complex]) -> Callable[[Value, Value], str]:
    def function(first: Value, second: Value) -> str:
        (a, unit), (b, other) = read_complex(first), read_complex(second)
        if unit and other and unit != other:
            raise ErrorValue(CellError.VALUE)
        return write_complex(work(a, b), unit or other)

    return function


def _joined(start: complex, work: Callable[[complex, complex], complex]) -> Callable[..., str]:
    def function(*grids: Grid) -> str:
        total, unit = start, ""
        for value in (value for grid in grids for row in grid_rows(grid) for value in row if value is not None):
            read, known = read_complex(value)
            if unit and known and unit != known:
                raise ErrorValue(CellError.VALUE)
            total, unit = work(total, read), unit or known
        return write_complex(total, unit)

    return function


def _complex(real: float, imaginary: float, unit: str = "i") -> str:
    if unit not in ("i", "j"):
        raise ErrorValue(CellError.VALUE)
    return write_complex(complex(real, imaginary), unit)


def _angle(number: complex) -> float:
    if number == 0:
        raise ZeroDivisionError
    return cmath.phase(number)


def _power(number: Value, power: float) -> str:
    read, unit = read_complex(number)
    if read == 0 and power <= 0:
        raise ErrorValue(CellError.NUM)
    whole = power == int(power) and abs(power) < 1e6
    return write_complex(_tidy(read ** int(power) if whole else read**power), unit)


def _tidy(number: complex) -> complex:
    """Without what rounding leaves of a part that should be zero."""
    size = abs(number)
    return complex(
        0.0 if abs(number.real) < size * 1e-15 else number.real, 0.0 if abs(number.imag) < size * 1e-15 else number.imag
    )


def _divided(a: complex, b: complex) -> complex:
    if b == 0:
        raise ErrorValue(CellError.NUM)
    return a / b


declare_all(
    plain,
    __name__,
    [
        ("COMPLEX(real: number, imaginary: number, unit: text = 'i')", _complex, "A complex number from its two parts.", "COMPLEX(7, -2)", "7-2i"),
        ("IMREAL(number: value)", _part(lambda z: z.real), "The real part of a complex number.", 'IMREAL("7-2i")', "7"),
        ("IMAGINARY(number: value)", _part(lambda z: z.imag), "The imaginary part of a complex number.", 'IMAGINARY("7-2i")', "-2"),
        ("IMABS(number: value)", _part(abs), "The absolute value of a complex number.", 'IMABS("8-6i")', "10"),
        ("IMARGUMENT(number: value)", _part(_angle), "The angle of a complex number.", 'ROUND(IMARGUMENT("2+2i"), 6)', "0.785398"),
        ("IMCONJUGATE(number: value)", _of_one(lambda z: z.conjugate()), "A complex number with the sign of its imaginary part reversed.", 'IMCONJUGATE("7-2i")', "7+2i"),
        ("IMDIV(first: value, second: value)", _of_two(_divided), "One complex number divided by another.", 'IMDIV("7+i", "1+i")', "4-3i"),
        ("IMSUB(first: value, second: value)", _of_two(lambda a, b: a - b), "The difference of two complex numbers.", 'IMSUB("9+7i", "4+2i")', "5+5i"),
        ("IMPOWER(number: value, power: number)", _power, "A complex number to a power.", 'IMPOWER("1+2i", 2)', "-3+4i"),
        *(
            (f"{name}(number: value)", _of_one(work), f"{says} of a complex number.", f'{name}("{given}")', result)
            for name, work, says, given, result in (
                ("IMSQRT", cmath.sqrt, "The square root", "-4", "2i"),
                ("IMEXP", cmath.exp, "The exponential", "0", "1"),
                ("IMLN", cmath.log, "The natural logarithm", "1", "0"),
                ("IMLOG10", cmath.log10, "The logarithm to base ten", "100", "2"),
                ("IMLOG2", lambda z: cmath.log(z) / math.log(2), "The logarithm to base two", "8", "3"),
                ("IMSIN", cmath.sin, "The sine", "0", "0"),
                ("IMCOS", cmath.cos, "The cosine", "0", "1"),
                ("IMTAN", cmath.tan, "The tangent", "0", "0"),
                ("IMSINH", cmath.sinh, "The hyperbolic sine", "0", "0"),
                ("IMCOSH", cmath.cosh, "The hyperbolic cosine", "0", "1"),
                ("IMSEC", lambda z: 1 / cmath.cos(z), "One divided by the cosine", "0", "1"),
                ("IMCSC", lambda z: 1 / cmath.sin(z), "One divided by the sine", "0", "#DIV/0!"),
                ("IMCOT", lambda z: 1 / cmath.tan(z), "One divided by the tangent", "0", "#DIV/0!"),
                ("IMSECH", lambda z: 1 / cmath.cosh(z), "One divided by the hyperbolic cosine", "0", "1"),
                ("IMCSCH", lambda z: 1 / cmath.sinh(z), "One divided by the hyperbolic sine", "0", "#DIV/0!"),
            )
        ),
    ],
)  # fmt: skip


declare_all(
    arrays,
    __name__,
    [
        ("IMSUM(number: cells, number...: cells)", _joined(0j, lambda a, b: a + b), "The sum of complex numbers.", 'IMSUM("7-2i", "1+5i")', "8+3i"),
        ("IMPRODUCT(number: cells, number...: cells)", _joined(1 + 0j, lambda a, b: a * b), "The product of complex numbers.", 'IMPRODUCT("7-2i", "1+5i")', "17+33i"),
    ],
)  # fmt: skip
