"""Sizes of papers in points, by their numbers in files (ECMA-376 Part 1, 18.18.50) and by name."""

from __future__ import annotations

__all__ = ["PAPER_NAMES", "paper_number", "paper_size"]

_MILLIMETRE, _INCH = 72 / 25.4, 72.0
#: Width and height, in millimetres or in inches as each is defined.
_METRIC = {
    8: (297, 420), 9: (210, 297), 10: (210, 297), 11: (148, 210), 12: (250, 353), 13: (176, 250), 27: (110, 220),
    28: (162, 229), 29: (324, 458), 30: (229, 324), 31: (114, 162), 34: (176, 250), 43: (100, 148), 66: (420, 594),
    67: (297, 420), 70: (105, 148),
}  # fmt: skip
_IMPERIAL = {
    1: (8.5, 11), 2: (8.5, 11), 3: (11, 17), 4: (17, 11), 5: (8.5, 14), 6: (5.5, 8.5), 7: (7.25, 10.5), 14: (8.5, 13),
    16: (10, 14), 17: (11, 17), 20: (4.125, 9.5), 24: (17, 22), 25: (22, 34), 26: (34, 44),
}  # fmt: skip
#: Numbers by the names that people use.
_NAMES = {"letter": 1, "tabloid": 3, "legal": 5, "a2": 66, "a3": 8, "a4": 9, "a5": 11, "a6": 70, "b4": 12, "b5": 13}
PAPER_NAMES = ("A4", "Letter", "A3", "A5", "Legal", "Tabloid", "A2", "A6", "B4", "B5")
_USUAL = 9


def paper_size(number: int) -> tuple[float, float]:
    """Width and height of a paper in points; of one that nobody named, A4's."""
    if number in _IMPERIAL:
        wide, high = _IMPERIAL[number]
        return wide * _INCH, high * _INCH
    across, down = _METRIC.get(number, _METRIC[_USUAL])
    return across * _MILLIMETRE, down * _MILLIMETRE


def paper_number(name: str) -> int | None:
    """A paper's number by its name, whatever the case; None for one that is not known."""
    return _NAMES.get(name.strip().casefold())
