"""What an amendment says: where, what the cells must have now, and what it becomes."""

from __future__ import annotations

import datetime
import re
from pathlib import Path

from pydantic import Field, model_validator

from tinquire.amend.dress_schema import SheetDress
from tinquire.amend.list_schema import ListChange
from tinquire.amend.look_schema import AmendModel, LookChange
from tinquire.amend.summary_schema import SummaryChange
from tinquire.docket.reading import read_model
from tinquire.tables.totals import TotalKind

__all__ = ["Amendment", "AmendmentList", "LookChange", "Shape", "load_amendments"]

#: A value as TOML writes it; days and moments become serials with a date format.
AnyValue = bool | int | float | str | datetime.datetime | datetime.date
_LINES = re.compile(r"([0-9]{1,7}|[A-Za-z]{1,3})(?::([0-9]{1,7}|[A-Za-z]{1,3}))?\Z")

#: What is said of cells alone.
_OF_CELLS = ("matching", "value", "becomes", "formula", "total", "format")


class Shape(AmendModel):
    """A change of a sheet's shape; references in the whole workbook follow."""

    insert_rows: str | None = Field(None, description="Insert blank rows before a row: `5`, or `5:7` for three.")
    delete_rows: str | None = Field(None, description="Delete rows: `5`, `5:7`.")
    insert_columns: str | None = Field(None, description="Insert blank columns before a column: `C`, `C:D`.")
    delete_columns: str | None = Field(None, description="Delete columns: `C`, `C:D`.")
    rename_sheet: str | None = Field(None, description="New name of the sheet.")
    hide_sheet: bool | None = Field(None, description="Hide the sheet, or (false) show it.")
    add_sheet: str | None = Field(None, description="A new blank sheet of this name, after all others.")
    delete_sheet: bool | None = Field(None, description="Delete the sheet.")

    @model_validator(mode="after")
    def _are_lines(self) -> Shape:
        for key in ("insert_rows", "delete_rows", "insert_columns", "delete_columns"):
            text = getattr(self, key)
            found = _LINES.match(text) if text is not None else None
            if text is not None and (found is None or found[1].isdecimal() != key.endswith("rows")):
                example = "5 or 5:7" if key.endswith("rows") else "C or C:D"
                raise ValueError(f"{key} is written like {example}")
        return self

    @property
    def given(self) -> bool:
        return any(getattr(self, key) is not None for key in Shape.model_fields)


class Amendment(Shape, ListChange, SheetDress):
    """One guarded change."""

    say: str = Field("", description="The reason, a sentence for the list of changes.")
    sheet: str | None = Field(None, description="The sheet, or a pattern of sheets with `*` and `?`.")
    at: str | None = Field(None, description="A cell or range: `B4`, `B4:B9`, `Rates!B4`.")
    name: str | None = Field(None, description="A defined name of the workbook.")
    table: str | None = Field(None, description="A table; with `column`, the cells of its rows.")
    column: str | None = Field(None, description="A column of the table, by its heading.")
    heading: str | None = Field(None, description="The cells under a heading, wherever it stands.")
    headings: bool = Field(
        False, description="The headings themselves, all of those that stand in one row; with heading, that one."
    )
    where: str | None = Field(
        None, description="Only rows for which a formula over headings is true; without another place, whole rows."
    )
    matching: AnyValue | None = Field(
        None, description="Only cells that match, as in conditional functions (`none`, `>=100`)."
    )
    expect: AnyValue | None = Field(None, description="The value that each cell must have now; `''` for a blank cell.")
    expect_formula: str | None = Field(None, description="The formula that each cell must have now.")
    expect_cells: int | None = Field(None, ge=0, description="How many cells must be found.")
    optional: bool = Field(False, description="A file without such cells is left as it is, without a message.")
    value: AnyValue | None = Field(None, description="The new value, with its type; `''` makes the cell blank.")
    becomes: str | None = Field(None, description="The value of a formula over headings: `TRIM([Name])`.")
    replace: dict[str, str] = Field(default_factory=dict, description="Parts of texts, and what replaces them.")
    formula: str | None = Field(
        None, description="A formula as the first cell reads it, filled down; `[Heading]` is that column's cell."
    )
    total: TotalKind | None = Field(None, description="A total in the cell below the column's last row.")
    format: str | None = Field(None, description="A number format.")
    summary: SummaryChange | None = Field(None, description="Rows summed up by their values.")
    look: LookChange = Field(LookChange(), description='Parts of a look: `{ bold = true, fill = "#F4EFE6" }`.')

    @model_validator(mode="after")
    def _says_where_and_what(self) -> Amendment:
        positions = [key for key in ("at", "name", "table", "heading") if getattr(self, key) is not None]
        positions += ["headings"] * (self.headings and self.heading is None)
        if len(positions) > 1:
            raise ValueError(f"it says where in {len(positions)} ways: {' and '.join(positions)}")
        if (self.table is None) != (self.column is None) and not self.dress():
            raise ValueError("table and column go together")
        if self.where is not None and (set(positions) - {"table", "heading"} or self.total is not None):
            raise ValueError("where chooses rows below headings: say heading, or table and column, or neither")
        if self.summary is not None:
            return self._check_summary(positions)
        if self.given:
            return self._check_shape(positions)
        if self.dress():
            return self._check_dress(positions)
        if self.listed():
            return self._check_list(positions)
        if not positions and self.matching is None and self.where is None and not self.replace:
            raise ValueError("no place is given: add at, name, table and column, heading, where or matching")
        what = [key for key in ("value", "formula", "becomes", "total") if getattr(self, key) is not None]
        what += ["replace"] * bool(self.replace)
        if len(what) > 1:
            raise ValueError(f"it gives {len(what)} changes: {' and '.join(what)}; one is allowed")
        if not what and self.format is None and self.look == LookChange():
            raise ValueError("no change is given: add value, becomes, replace, formula, total, format or look")
        if self.total is not None and not (self.heading or self.table):
            raise ValueError("a total needs a heading or a table's column")
        if any(not old for old in self.replace):
            raise ValueError("replace has an empty text to look for")
        return self

    def _check_dress(self, places: list[str]) -> Amendment:
        others = [
            key
            for key in ("matching", "value", "becomes", "formula", "total", "format")
            if getattr(self, key) is not None
        ]
        if others or self.replace or self.look != LookChange() or set(places) - {"table", "heading"}:
            raise ValueError(f"{' and '.join(self.dress())}: how a sheet is dressed is an amendment of its own")
        return self

    def _check_list(self, places: list[str]) -> Amendment:
        others = [key for key in ("matching", "total", "where") if getattr(self, key) is not None]
        known = self.listed().keys() - {"after", "before"}
        if self.add is None:
            others += [key for key in ("value", "formula", "becomes") if getattr(self, key) is not None]
            dressed = ["format"] * (self.format is not None) + ["look"] * (self.look != LookChange())
            others += [] if self.below or self.type else dressed
        if self.add is None and self.move is None:
            others += [key for key in ("after", "before") if getattr(self, key) is not None]
        alone = len(known) == 1 if {"add", "move", "below", "type"} & known else True
        if places != ["heading"] * (self.type is not None) or others or self.replace or not alone:
            raise ValueError(f"{' and '.join(self.listed())}: a change of the list is an amendment of its own")
        if self.move is not None and (self.after is None) == (self.before is None):
            raise ValueError("a column moves after a heading, or before one")
        if self.after is not None and self.before is not None:
            raise ValueError("a column comes after a heading, or before one, not both")
        if sum(one is not None for one in (self.value, self.formula, self.becomes)) > 1:
            raise ValueError("a new column is filled with a value or by a formula, not by both")
        return self

    def _check_summary(self, places: list[str]) -> Amendment:
        others = [*places, *(key for key in _OF_CELLS if getattr(self, key) is not None), *self.listed(), *self.dress()]
        if others or self.given or self.replace or self.look != LookChange():
            raise ValueError("a summary is an amendment of its own; its looks are another")
        return self

    def _check_shape(self, places: list[str]) -> Amendment:
        if self.add_sheet is not None and self.sheet is not None:
            raise ValueError("add_sheet names the new sheet; it needs no other")
        if self.sheet is None and (self.rename_sheet or self.delete_sheet or self.hide_sheet is not None):
            raise ValueError("a change of sheets needs a sheet")
        others = [
            key
            for key in ("matching", "value", "becomes", "formula", "total", "format")
            if getattr(self, key) is not None
        ]
        if places or others or self.replace or self.look != LookChange() or self.dress():
            raise ValueError("a change of rows, columns or sheets must be an amendment of its own")
        return self


class AmendmentList(AmendModel):
    """The amendments file."""

    title: str = Field("", description="A title for the report.")
    amend: list[Amendment] = Field(description="The amendments, applied in their order.", min_length=1)


def load_amendments(path: Path) -> AmendmentList:
    """Read an amendments file. Raises AccessError when it cannot be read, UseError with all that is wrong in it."""
    model, _ = read_model(path, AmendmentList, "reading the amendments")
    return model
