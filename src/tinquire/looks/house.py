"""The house style: colours, fonts, number formats by column type, and named looks that build on one another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.languages import ENGLISH, Language
from tinquire.looks.appearance import EDGE_STYLES, Appearance, Edge, Edges, Variation
from tinquire.looks.pages import PagePlan

__all__ = ["BorderRule", "House", "Look"]


@dataclass(frozen=True, slots=True)
class BorderRule:
    """Borders of a block of rows: around it, between its rows, between its columns."""

    outside: Edge | None = None
    rows: Edge | None = None
    columns: Edge | None = None

    def edges(self, *, first_row: bool, last_row: bool, first_column: bool, last_column: bool) -> Edges:
        """The edges of one cell of the block, by where it lies.

        A line between two rows is drawn once, as the upper cell's bottom edge, so a block always ends with its
        own last row.
        """
        return Edges(
            top=self.outside if first_row else None,
            bottom=self.outside if last_row else self.rows,
            left=self.outside if first_column else None,
            right=self.outside if last_column else self.columns,
        )


@dataclass(frozen=True, slots=True)
class Look(Variation):
    """A named, partial appearance; what is None comes from the look that it builds on."""

    on: str | None = None
    outside: str | None = None
    between_rows: str | None = None
    between_columns: str | None = None
    #: The fill of every second row, and the height of each row in points.
    band: str | None = None
    height: float | None = None


#: Number formats by column type where the house says nothing.
DEFAULT_FORMATS = {
    "whole": "#,##0",
    "number": "#,##0.00",
    "money": "#,##0.00",
    "percent": "0.0%",
    "date": "yyyy-mm-dd",
    "time": "hh:mm",
    "duration": "[h]:mm",
    "text": "@",
    "yes/no": "General",
}

#: Looks that every house has, so that a docket without a style still gives a readable sheet.
DEFAULT_LOOKS = {
    "body": Look(valign="center"),
    "title": Look(on="body", bold=True, size=14),
    "section": Look(on="body", bold=True),
    "note": Look(on="body", wrap=True, valign="top"),
    "link": Look(on="body", underline=True),
    "input": Look(on="rows", locked=False),
    "heading": Look(on="body", bold=True, align="center", wrap=True, valign="center"),
    "rows": Look(on="body"),
    "total": Look(on="body", bold=True),
    "subtotal": Look(on="rows", bold=True),
}


@dataclass(frozen=True)
class House:
    """All that a house file says; see `docs/house.md` for its keys."""

    font: str = "Verdana"
    fallback: str = "sans-serif"
    size: float = 10.0
    currency: str = ""
    colours: Mapping[str, str] = field(default_factory=dict)
    formats: Mapping[str, str] = field(default_factory=dict)
    looks: Mapping[str, Look] = field(default_factory=dict)
    language: Language = ENGLISH
    page: PagePlan = field(default_factory=PagePlan)
    #: Free rows and columns between blocks of a sheet.
    gaps: tuple[int, int] = (1, 1)
    #: Colours of charts, by name; those of the house where none are named.
    chart_colours: Sequence[str] = ()
    #: Looks that were asked for before, with all that they build on.
    _folded: dict[str, Look] = field(default_factory=dict, init=False, compare=False, repr=False)

    def colour(self, name: str) -> str:
        """RGB of a colour named in the house, or written `#RRGGBB`. Raises UseError."""
        text = self.colours.get(name, name)
        bare = text.removeprefix("#").upper()
        if len(bare) == 6 and all(digit in "0123456789ABCDEF" for digit in bare):
            return bare
        why = f"'{name}' is not a colour: {known_names(name, list(self.colours))}"
        raise UseError(Fault("reading the house style", why, do="name a colour of [colours], or write #RRGGBB"))

    def number_format(self, column_type: str) -> str:
        """The format of a column type; `¤` stands for the house's currency."""
        code = self.formats.get(column_type) or DEFAULT_FORMATS.get(column_type, "General")
        if column_type == "date" and column_type not in self.formats:
            code = self.language.date_format
        return code.replace("¤", f'"{self.currency}"' if self.currency else "")

    def code(self, text: str) -> str:
        """The number format that a docket means: that of a column type, or the text itself, `¤` for the currency."""
        if text in DEFAULT_FORMATS:
            return self.number_format(text)
        return text.replace("¤", f'"{self.currency}"' if self.currency else "")

    def look(self, name: str) -> Look:
        """A look with all that it builds on folded in. Raises UseError for unknown names and circles."""
        if name not in self._folded:
            self._folded[name] = self._look(name)
        return self._folded[name]

    def _look(self, name: str) -> Look:
        chain: list[Look] = []
        seen: list[str] = []
        following: str | None = name
        while following:
            found = self.looks.get(following) or DEFAULT_LOOKS.get(following)
            if found is None or following in seen:
                why = f"the looks {' -> '.join([*seen, following])} build on each other in a circle"
                if found is None:
                    why = f"there is no look '{following}': {known_names(following, [*DEFAULT_LOOKS, *self.looks])}"
                raise UseError(Fault("reading the house style", why, do="fix the name in the house file or docket"))
            seen.append(following)
            chain.append(found)
            following = found.on
        merged = chain[-1]
        for upper in reversed(chain[:-1]):
            given = {f.name: getattr(upper, f.name) for f in fields(upper) if getattr(upper, f.name) is not None}
            merged = replace(merged, **given)
        return replace(merged, on=None)

    def appearance(self, name: str, column_type: str | None = None) -> Appearance:
        """A look as the appearance of a cell of a column type."""
        look = self.look(name)
        code = look.format or (self.number_format(column_type) if column_type else "General")
        return Appearance(
            font=look.font or self.font,
            size=look.size or self.size,
            bold=bool(look.bold),
            italic=bool(look.italic),
            underline=bool(look.underline),
            colour=self.colour(look.colour) if look.colour else None,
            fill=self.colour(look.fill) if look.fill else None,
            align=look.align,
            valign=look.valign,
            wrap=bool(look.wrap),
            indent=look.indent or 0,
            turned=look.turned or 0,
            shrink=bool(look.shrink),
            locked=look.locked is not False,
            format=code,
        )

    def change(self, name: str) -> Variation:
        """A look as a change to cells that have one: the parts that it states; letters keep their font and size, and
        of its lines the one outside goes around each cell."""
        look = self.look(name)
        edge = self.edge(look.outside)
        return Variation(
            bold=look.bold, italic=look.italic, underline=look.underline,
            colour=self.colour(look.colour) if look.colour else None,
            fill=self.colour(look.fill) if look.fill else None,
            edges=None if edge is None else Edges(edge, edge, edge, edge), format=look.format,
        )  # fmt: skip

    def borders(self, name: str) -> BorderRule:
        look = self.look(name)
        return BorderRule(self.edge(look.outside), self.edge(look.between_rows), self.edge(look.between_columns))

    def edge(self, text: str | None) -> Edge | None:
        """A line written as style and colour, `"thin tin"`; the colour may be left out. Raises UseError."""
        if not text or text == "none":
            return None
        style, _, colour = text.partition(" ")
        if style not in EDGE_STYLES:
            why = f"'{style}' is not a line style: {known_names(style, EDGE_STYLES)}"
            raise UseError(Fault("reading the house style", why, do='write, for example, "thin ink"'))
        return Edge(style, self.colour(colour.strip()) if colour.strip() else "000000")
