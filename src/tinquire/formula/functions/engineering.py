"""Bessel functions, bits and units (18.17.7)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, plain
from tinquire.formula.engine.registry import declare_all

# -- Bessel functions and bits ---------------------------------------------------------------------------


def _bessel(name: str) -> Callable[[float, float], float]:
    def function(x: float, order: float) -> float:
        from scipy import special

        if order < 0 or (name in ("kn", "yn") and x <= 0):
            raise ErrorValue(CellError.NUM)
        work: Any = getattr(special, name)
        return float(work(int(order), x))

    return function


_MOST_BITS = 1 << 48


def _bits(work: Callable[[int, int], int]) -> Callable[[float, float], float]:
    def function(first: float, second: float) -> float:
        if not all(0 <= item < _MOST_BITS and item == int(item) for item in (first, second)):
            raise ErrorValue(CellError.NUM)
        return float(work(int(first), int(second)))

    return function


def _shifted(number: float, by: float) -> float:
    if not 0 <= number < _MOST_BITS or number != int(number) or abs(by) > 53:
        raise ErrorValue(CellError.NUM)
    found = int(number) << int(by) if by >= 0 else int(number) >> -int(by)
    if found >= _MOST_BITS:
        raise ErrorValue(CellError.NUM)
    return float(found)


declare_all(
    plain,
    __name__,
    [
        ("BESSELI(x: number, order: number)", _bessel("iv"), "The modified Bessel function of the first kind.", "ROUND(BESSELI(2, 0), 6)", "2.279585"),
        ("BESSELJ(x: number, order: number)", _bessel("jn"), "The Bessel function of the first kind.", "ROUND(BESSELJ(2, 0), 6)", "0.223891"),
        ("BESSELK(x: number, order: number)", _bessel("kn"), "The modified Bessel function of the second kind.", "ROUND(BESSELK(2, 0), 6)", "0.113894"),
        ("BESSELY(x: number, order: number)", _bessel("yn"), "The Bessel function of the second kind.", "ROUND(BESSELY(2, 0), 6)", "0.510376"),
        ("BITAND(first: number, second: number)", _bits(lambda a, b: a & b), "The bits that both whole numbers have.", "BITAND(6, 12)", "4"),
        ("BITOR(first: number, second: number)", _bits(lambda a, b: a | b), "The bits that either whole number has.", "BITOR(6, 12)", "14"),
        ("BITXOR(first: number, second: number)", _bits(lambda a, b: a ^ b), "The bits that exactly one of two whole numbers has.", "BITXOR(6, 12)", "10"),
        ("BITLSHIFT(number: number, places: number)", _shifted, "A whole number's bits moved to the left.", "BITLSHIFT(6, 1)", "12"),
        ("BITRSHIFT(number: number, places: number)", lambda n, by: _shifted(n, -by), "A whole number's bits moved to the right.", "BITRSHIFT(6, 1)", "3"),
    ],
)  # fmt: skip


# -- units -----------------------------------------------------------------------------------------------

_INCH, _POUND, _FOOT, _GALLON = 0.0254, 453.59237, 0.3048, 3.785411784e-3


#: Units by what they measure: how many of the first one each is. Those marked take prefixes.
_UNITS: dict[str, dict[str, float]] = {
    "mass": {"g*": 1.0, "lbm": _POUND, "ozm": _POUND / 16, "grain": _POUND / 7000, "stone": _POUND * 14, "cwt": _POUND * 100, "uk_cwt": _POUND * 112, "ton": _POUND * 2000, "uk_ton": _POUND * 2240, "sg": 14593.902937206, "u*": 1.66053906660e-24},
    "length": {"m*": 1.0, "mi": 1609.344, "Nmi": 1852.0, "in": _INCH, "ft": _FOOT, "yd": 0.9144, "ang*": 1e-10, "ell": 1.143, "ly*": 9460730472580800.0, "pc*": 3.0856775814913673e16, "Pica": _INCH / 72, "Picapt": _INCH / 72, "pica": _INCH / 6, "survey_mi": 6336000 / 3937},
    "time": {"s*": 1.0, "sec*": 1.0, "mn": 60.0, "min": 60.0, "hr": 3600.0, "day": 86400.0, "d": 86400.0, "yr": 31557600.0},
    "pressure": {"Pa*": 1.0, "p*": 1.0, "atm*": 101325.0, "at*": 101325.0, "mmHg*": 133.322, "psi": 6894.757293168361, "Torr": 101325 / 760},
    "force": {"N*": 1.0, "dyn*": 1e-5, "dy*": 1e-5, "lbf": 4.4482216152605, "pond*": 9.80665e-3},
    "energy": {"J*": 1.0, "e*": 1e-7, "c*": 4.184, "cal*": 4.1868, "eV*": 1.602176634e-19, "ev*": 1.602176634e-19, "HPh": 2684519.5376961729, "hh": 2684519.5376961729, "Wh*": 3600.0, "wh*": 3600.0, "flb": 1.3558179483314004, "BTU": 1055.05585262, "btu": 1055.05585262},
    "power": {"W*": 1.0, "w*": 1.0, "HP": 745.69987158227022, "h": 745.69987158227022, "PS": 735.49875},
    "magnetism": {"T*": 1.0, "ga*": 1e-4},
    "volume": {"l*": 1e-3, "L*": 1e-3, "lt*": 1e-3, "tsp": _GALLON / 768, "tspm": 5e-6, "tbs": _GALLON / 256, "oz": _GALLON / 128, "cup": _GALLON / 16, "pt": _GALLON / 8, "us_pt": _GALLON / 8, "uk_pt": 5.6826125e-4, "qt": _GALLON / 4, "uk_qt": 1.1365225e-3, "gal": _GALLON, "uk_gal": 4.54609e-3, "m3": 1.0, "m^3": 1.0, "in3": _INCH**3, "in^3": _INCH**3, "ft3": _FOOT**3, "ft^3": _FOOT**3, "yd3": 0.9144**3, "yd^3": 0.9144**3, "barrel": _GALLON * 42, "bushel": 0.03523907016688},
    "area": {"m2": 1.0, "m^2": 1.0, "in2": _INCH**2, "in^2": _INCH**2, "ft2": _FOOT**2, "ft^2": _FOOT**2, "yd2": 0.9144**2, "yd^2": 0.9144**2, "mi2": 1609.344**2, "mi^2": 1609.344**2, "ha": 1e4, "ar": 100.0, "uk_acre": 4046.8564224, "us_acre": (6336000 / 3937) ** 2 / 640, "Morgen": 2500.0},
    "information": {"bit*": 1.0, "byte*": 8.0},
    "speed": {"m/s*": 1.0, "m/sec*": 1.0, "m/h*": 1 / 3600, "m/hr*": 1 / 3600, "mph": 0.44704, "kn": 1852 / 3600, "admkn": 1853.184 / 3600},
}  # fmt: skip


_PREFIXES = {
    "Y": 1e24, "Z": 1e21, "E": 1e18, "P": 1e15, "T": 1e12, "G": 1e9, "M": 1e6, "k": 1e3, "h": 1e2, "da": 1e1, "e": 1e1,
    "d": 1e-1, "c": 1e-2, "m": 1e-3, "u": 1e-6, "n": 1e-9, "p": 1e-12, "f": 1e-15, "a": 1e-18, "z": 1e-21, "y": 1e-24,
}  # fmt: skip


_BINARY = {"Yi": 80, "Zi": 70, "Ei": 60, "Pi": 50, "Ti": 40, "Gi": 30, "Mi": 20, "ki": 10}


#: Temperatures: how far the zero of each lies from absolute zero, and how large a degree is.
_DEGREES = {"C": (273.15, 1.0), "cel": (273.15, 1.0), "K": (0.0, 1.0), "kel": (0.0, 1.0), "F": (459.67, 5 / 9), "fah": (459.67, 5 / 9), "Rank": (0.0, 5 / 9), "Reau": (218.52, 1.25)}  # fmt: skip


def _unit(name: str) -> tuple[str, float]:
    """What a unit measures, and how many of the first one of that kind it is. Raises ErrorValue."""
    for kind, units in _UNITS.items():
        for known, size in units.items():
            bare = known.removesuffix("*")
            if name == bare:
                return kind, size
            if known.endswith("*") and name.endswith(bare):
                prefix = name.removesuffix(bare)
                if kind == "information" and prefix in _BINARY:
                    return kind, size * 2.0 ** _BINARY[prefix]
                if prefix in _PREFIXES:
                    return kind, size * _PREFIXES[prefix]
    raise ErrorValue(CellError.NA)


@plain("CONVERT(number: number, from: text, to: text)")
def convert(number: float, source: str, target: str) -> float:
    """A measurement in another unit (18.17.7).

    >>> CONVERT(5, "mi", "km")
    8.04672
    """
    if source in _DEGREES and target in _DEGREES:
        if source == target:
            return number
        (from_zero, from_size), (to_zero, to_size) = _DEGREES[source], _DEGREES[target]
        found = (number + from_zero) * from_size / to_size - to_zero
        return round(found, 10)
    (kind, size), (other, other_size) = _unit(source), _unit(target)
    if kind != other:
        raise ErrorValue(CellError.NA)
    return number * size / other_size
