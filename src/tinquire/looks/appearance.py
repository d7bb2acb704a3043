"""`Appearance`: everything about how one cell looks, as a value that can be compared and shared."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

__all__ = ["EDGE_STYLES", "PLAIN", "Appearance", "Edge", "Edges", "Variation"]

#: Line styles of a border (ECMA-376 Part 1, 18.18.3), thinnest first.
EDGE_STYLES = (
    "hair", "dotted", "dashed", "dashDot", "dashDotDot", "thin", "mediumDashed", "mediumDashDot",
    "mediumDashDotDot", "slantDashDot", "medium", "double", "thick",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Edge:
    """One side of a cell's border: a style of `EDGE_STYLES` and a colour (RGB, six hex digits)."""

    style: str
    colour: str = "000000"


@dataclass(frozen=True, slots=True)
class Edges:
    top: Edge | None = None
    bottom: Edge | None = None
    left: Edge | None = None
    right: Edge | None = None

    def over(self, other: Edges) -> Edges:
        """These edges, and the other's where these have none."""
        return Edges(
            self.top or other.top, self.bottom or other.bottom, self.left or other.left, self.right or other.right
        )


@dataclass(frozen=True, slots=True)
class Appearance:
    """Letters, fill, border, alignment and number format of a cell. Colours are RGB, six hex digits; sizes points."""

    font: str = ""
    size: float = 0.0
    bold: bool = False
    italic: bool = False
    underline: bool = False
    strike: bool = False
    colour: str | None = None
    fill: str | None = None
    edges: Edges = Edges()
    align: str | None = None
    valign: str | None = None
    wrap: bool = False
    indent: int = 0
    #: Degrees by which text is turned, counter-clockwise, from -90 to 90.
    turned: int = 0
    #: Letters become smaller where the text would not fit.
    shrink: bool = False
    #: Whether the cell cannot be changed while its sheet is protected.
    locked: bool = True
    format: str = "General"

    def bordered(self, edges: Edges) -> Appearance:
        return replace(self, edges=edges.over(self.edges))

    def varied(self, change: Variation) -> Appearance:
        """This appearance with the parts that a change names; of edges, those that it has."""
        given = change.given()
        if change.edges is not None:
            given["edges"] = change.edges.over(self.edges)
        return replace(self, **given)  # type: ignore[arg-type]


#: A cell that nobody dressed. An empty font name and a size of 0 stand for the workbook's own.
PLAIN = Appearance()


@dataclass(frozen=True, slots=True)
class Variation:
    """Some parts of an appearance that change; None leaves the part as it is. Colours are RGB, six hex digits."""

    font: str | None = None
    size: float | None = None
    bold: bool | None = None
    italic: bool | None = None
    underline: bool | None = None
    strike: bool | None = None
    colour: str | None = None
    fill: str | None = None
    edges: Edges | None = None
    align: str | None = None
    valign: str | None = None
    wrap: bool | None = None
    indent: int | None = None
    turned: int | None = None
    shrink: bool | None = None
    locked: bool | None = None
    format: str | None = None

    def over(self, other: Variation) -> Variation:
        """The parts of this change, and the other's where this has none."""
        both = {**other.given(), **self.given()}
        if self.edges is not None and other.edges is not None:
            both["edges"] = self.edges.over(other.edges)
        return Variation(**both)  # type: ignore[arg-type]

    def given(self) -> dict[str, object]:
        """The parts that change, by name."""
        return {part.name: value for part in fields(self) if (value := getattr(self, part.name)) is not None}
