"""The house file, `house.toml`: colours, fonts, number formats and looks."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from tinquire.base.faults import Fault, UseError
from tinquire.cells.languages import ENGLISH, Language, language_of
from tinquire.docket.reading import read_model
from tinquire.docket.schema.pages import HousePageModel
from tinquire.looks import House, Look
from tinquire.looks.pages import PagePlan
from tinquire.tables.types import ColumnType

__all__ = ["HouseModel", "load_house"]


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class LookModel(_Model):
    """A named set of appearance; what it does not say comes from the look it builds on."""

    on: str | None = Field(None, description="The look that it extends.")
    font: str | None = None
    size: float | None = Field(None, gt=0, le=400, description="Points.")
    bold: bool | None = None
    italic: bool | None = None
    underline: bool | None = None
    colour: str | None = Field(None, description="Text colour: a name of [colours], or #RRGGBB.")
    fill: str | None = Field(None, description="Background colour.")
    align: Literal["left", "center", "right"] | None = None
    valign: Literal["top", "center", "bottom"] | None = None
    wrap: bool | None = None
    indent: int | None = Field(None, ge=0, le=15)
    turned: int | None = Field(None, ge=-90, le=90, description="Degrees by which text is turned, counter-clockwise.")
    shrink: bool | None = Field(None, description="Make letters smaller where the text does not fit.")
    locked: bool | None = Field(None, description="Whether cells are locked on protected sheets; `false` for input.")
    format: str | None = Field(None, description="A number format, instead of the column type's.")
    outside: str | None = Field(None, description="The line around a block of rows: style and colour, or 'none'.")
    between_rows: str | None = Field(None, description="The line between rows.")
    between_columns: str | None = Field(None, description="The line between columns.")
    band: str | None = Field(None, description="The background of every second row.")
    height: float | None = Field(None, gt=0, le=409, description="The height of each of its rows, in points.")


class WordsModel(_Model):
    """The words that summaries write, where they are to be others than those of the language."""

    under: str | None = Field(None, description="Label of numbers below the first limit: `under {}`.")
    between: str | None = Field(None, description="Label of numbers between limits: `{} to under {}`.")
    over: str | None = Field(None, description="Label of numbers from the last limit on: `{} and more`.")
    blank: str | None = Field(None, description="The label of a blank among headings: `(blank)`.")
    total: str | None = Field(None, description="The label of a totals row: `Total`.")
    group_total: str | None = Field(None, description="The label of a subtotal: `{} total`.")
    others: str | None = Field(None, description="The groups beyond the first ones: `All others`.")
    rows: str | None = Field(
        None, description="Added to the totals label when a table continues on several sheets: `rows {} to {}`."
    )


class ChartStyleModel(_Model):
    """How charts look."""

    colours: list[str] = Field(
        default_factory=list,
        description="Of series, in order; if not given, those of the house, the most unlike first.",
    )


class HouseModel(_Model):
    """The house style."""

    language: str = Field(
        "en", description="Language of texts, mails, labels and periods: `de`, `fr`, `de-AT`; cells keep their formats."
    )
    words: WordsModel = Field(WordsModel(), description="Words of summaries, in place of the language's.")

    font: str = Field("Verdana", description="Default font, unless a look sets another.")
    fallback: str = Field("sans-serif", description="Fonts to use if the first is missing (web pages and mails).")
    size: float = Field(10.0, gt=0, le=400, description="Points.")
    currency: str = Field("", description="Replaces ¤ in the formats.")
    colours: dict[str, str] = Field(default_factory=dict, description="Names for colours: `#RRGGBB`.")
    formats: dict[ColumnType, str] = Field(default_factory=dict, description="Number formats by column type.")
    looks: dict[str, LookModel] = Field(default_factory=dict, description="Named looks.")
    chart: ChartStyleModel = Field(default_factory=ChartStyleModel, description="How charts look.")
    gaps: list[int] = Field(
        default=[1, 1], min_length=2, max_length=2, description="Free rows and columns between the blocks of a sheet."
    )
    page: HousePageModel = Field(
        default_factory=HousePageModel, description="How sheets are printed, where a sheet does not say otherwise."
    )


def _language(model: HouseModel, path: Path) -> Language:
    """The language of a house with its own words. Raises UseError for one that is not known, or lacks words."""
    given = model.words.model_dump(exclude_none=True)
    stopped = "reading the house style"
    for name, text in given.items():
        example = getattr(ENGLISH.words, name)
        if text.count("{}") != example.count("{}") or set(text.replace("{}", "")) & set("{}"):
            why = f"'{text}' does not have as many {{}} as '{example}'"
            raise UseError(Fault(stopped, why, f"{path}, words.{name}", f"write it like '{example}'"))
    try:
        language, lacking = language_of(model.language)
    except KeyError:
        why = f"'{model.language}' is not a language"
        raise UseError(Fault(stopped, why, f"{path}, language", "write a tag like de, fr or de-AT")) from None
    missing = [name for name in lacking if name not in given]
    if missing:
        why = f"the words of '{model.language}' are not known here: {', '.join(missing)}"
        raise UseError(Fault(stopped, why, f"{path}, language", "write them under [words]"))
    return language.with_words(given)


def load_house(path: Path | None) -> House:
    """The house style of a file; the plain one without. Raises AccessError and UseError."""
    if path is None:
        return House()
    model, _ = read_model(path, HouseModel, "reading the house style")
    looks = {name: Look(**look.model_dump()) for name, look in model.looks.items()}
    house = House(
        model.font,
        model.fallback,
        model.size,
        model.currency,
        model.colours,
        {str(kind): code for kind, code in model.formats.items()},
        looks,
        _language(model, path),
        PagePlan(**model.page.model_dump()),
        (max(model.gaps[0], 0), max(model.gaps[1], 0)),
        tuple(model.chart.colours),
    )
    for colour in model.chart.colours:
        house.colour(colour)
    for name in looks:
        house.appearance(name)
        house.borders(name)
    return house
