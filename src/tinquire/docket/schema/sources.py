"""Sources in the docket."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import CellValue, Model

__all__ = ["SourceModel"]


class SourceModel(Model):
    """Where rows come from, and how to read them."""

    file: str | None = Field(None, description="One file, relative to the docket's folder.")
    files: str | None = Field(None, description="A pattern of files, all read and stacked: `*`, `?`, `**`, slots.")
    database: str | None = Field(
        None, description="A database's URL, such as `sqlite:///till.sqlite` or `postgresql+psycopg://host/name`."
    )
    query: str | None = Field(
        None, description="The query; `:period_first`, `:period_last` and `:period` are the period."
    )
    password_from: str | None = Field(None, description="The environment variable that holds its password.")
    rows: Literal["travel", "stay"] = Field(
        "travel", description="With `stay`, its rows stay in the database, which groups them for pivots and `group`."
    )
    sheet: str | None = Field(
        None,
        description="The sheet to read, when there are several. With `*` or `?`: all visible sheets of such names.",
    )
    table: str | None = Field(None, description="The workbook's table to read, by its name.")
    range: str | None = Field(None, description="A range of the sheet, such as `B4:H90`, or a defined name.")
    header: Literal["find"] | int | list[int] = Field(
        "find", description="The heading row: found, or its number; or the first and last of rows that are joined."
    )
    totals_row: Literal["agree", "drop", "none"] = Field(
        "agree",
        description="A totals row at the foot is left out; with `agree` its sums must be those of the rows. "
        "`none`: every row is data.",
    )
    types: dict[str, str] = Field(default_factory=dict, description="Column types by heading.")
    read_as: dict[str, dict[str, CellValue]] = Field(
        default_factory=dict, description="By heading: texts and their values."
    )
    unreadable: Literal["stop", "blank"] | dict[str, CellValue] = Field(
        "stop", description='For values that cannot be read: stop, blank, or by heading what they become ("" a blank).'
    )
    known_as: dict[str, list[str]] = Field(
        default_factory=dict, description="By heading: its other names in some files."
    )
    differing: Literal["stop", "blank", "keep"] = Field(
        "stop", description="If files differ in their columns: leave missing ones blank, or keep only common ones."
    )
    same_file: Literal["stop", "once", "keep"] = Field(
        "stop", description="If two files have the same content: stop, read one, or read both."
    )
    stamp: dict[str, str] = Field(
        default_factory=dict,
        description="Columns added to every row, with slots: also `[:file.stem:]`, `[:file.name:]`, `[:sheet:]`.",
    )
    separator: Literal[",", ";", "\t", "|"] | None = Field(
        None, description="Separator of delimited text; found if not given."
    )
    decimal: Literal[".", ","] | None = Field(None, description="Decimal mark of delimited text.")
    encoding: str | None = Field(None, description="Encoding of delimited text.")

    @model_validator(mode="after")
    def _one_place(self) -> SourceModel:
        if sum(item is not None for item in (self.file, self.files, self.database)) != 1:
            raise ValueError("a source has either file, files or database")
        if (self.database is None) != (self.query is None):
            raise ValueError("a database needs a query, and a query a database")
        if self.rows == "stay":
            unread = ("read_as", "known_as", "stamp")
            wrong = [key for key in unread if getattr(self, key)] + ["unreadable"] * (self.unreadable != "stop")
            if self.database is None or wrong:
                why = f"{wrong[0]} is for rows that travel" if wrong else "only a database's rows can stay in it"
                raise ValueError(why)
        if self.sheet is not None and self.table is not None:
            raise ValueError("a source has either sheet or table")
        if self.range is not None and self.table is not None:
            raise ValueError("a source has either range or table")
        if isinstance(self.header, list) and (len(self.header) != 2 or self.header[0] > self.header[1]):
            raise ValueError("header names the first and the last of the heading rows")
        return self
