"""What is attached to cells: charts and pictures in frames, links and notes."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.charts.chart import Chart

__all__ = ["CellLink", "CellNote", "Frame", "PictureFile"]


@dataclass(frozen=True, slots=True)
class PictureFile:
    """A picture's bytes, and its form: 'png' or 'jpeg'."""

    content: bytes
    form: str


@dataclass(frozen=True, slots=True)
class Frame:
    """A chart or picture whose upper left corner lies in a cell, so many points from that of the cell; width and height
    are points."""

    row: int
    column: int
    width: float
    height: float
    content: Chart | PictureFile
    name: str
    #: What it shows, in words.
    alt: str = ""
    from_left: float = 0.0
    from_top: float = 0.0


@dataclass(frozen=True, slots=True)
class CellLink:
    """A link of a cell: to a place in the workbook (`Sheet!A1`), or outside to an address or a file."""

    row: int
    column: int
    target: str
    outside: bool = False
    tip: str = ""


@dataclass(frozen=True, slots=True)
class CellNote:
    """A note on a cell."""

    row: int
    column: int
    text: str
    author: str = ""
