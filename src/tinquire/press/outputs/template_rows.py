"""Rows of tables in place of a template's sample rows: which rows of the template they are, which column goes where."""

from __future__ import annotations

from collections.abc import Container, Hashable, Mapping
from dataclasses import dataclass, field
from typing import Any, TypeAlias, cast

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.wording import known_names, listed
from tinquire.cells.address import Area, area_name, parse_cell
from tinquire.docket.schema.workbooks import TemplateRowsModel
from tinquire.formula.language.mentions import mentions
from tinquire.press.outputs.verify import Claim
from tinquire.press.record.cell_sources import CellSources
from tinquire.sources.readers.headings import under_heading
from tinquire.tables import Table
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.edit.sample_rows import Room, SampleRows, make_room, put_rows
from tinquire.workbook.edit.templates import Prepared, Template

__all__ = ["PreparedRows", "RowsFilled", "fill_rows", "prepared_rows"]


@dataclass
class RowsFilled:
    """Rows put into a template: the values that cells stand for, what they are made of, warnings, and the areas
    filled."""

    claims: list[Claim] = field(default_factory=list)
    sources: list[CellSources] = field(default_factory=list)
    warnings: list[Fault] = field(default_factory=list)
    areas: list[tuple[str, Area]] = field(default_factory=list)
    #: What is worth knowing, and no reason to look again.
    notes: list[str] = field(default_factory=list)

    def parts(self) -> tuple[list[Any], ...]:
        return self.claims, self.sources, self.warnings, self.areas, self.notes


def fill_rows(
    book: Workbook, asked: Mapping[str, TemplateRowsModel], tables: Mapping[str, Table], name: str,
    where: Mapping[str, str], template: Template | None = None,
) -> RowsFilled:  # fmt: skip
    """Put rows into a template, target by target; `where` says where each is asked for. What is the same each time a
    `template` is filled is done once. Raises one error with all that is wrong: targets that are not there, headings
    without a column, and what is in the way."""
    filled = RowsFilled()
    errors: list[TinQuireError] = []
    for target, model in asked.items():
        try:
            stopped = f"workbook '{name}', rows of '{target}'"
            _Filling(book, target, model, tables[model.table], stopped, where[target], template).fill(filled)
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merge_errors(errors)
    return filled


@dataclass(frozen=True)
class PreparedRows:
    """A template with room for the rows of a table, as it was made for as many before."""

    prepared: Prepared
    table: Table
    #: The table's column for each of the sheet's, and which of these keep the template's formulas.
    columns: dict[int, int]
    kept: set[int]
    room: Room
    filled: RowsFilled


def prepared_rows(
    asked: Mapping[str, TemplateRowsModel], tables: Mapping[str, Table], name: str, where: Mapping[str, str],
    template: Template,
) -> PreparedRows | None:  # fmt: skip
    """What `fill_rows` would make and say of the rows of one target, which are not put in; None where it was not done
    for as many rows before. Of cells it is only said what those with formulas of the template stand for."""
    if len(asked) != 1:
        return None
    ((target, model),) = asked.items()
    table = tables[model.table]
    known = template.prepared(_step(target, model, table))
    if known is None:
        return None
    places, filled = cast(_Places, known.besides), RowsFilled()
    stopped = f"workbook '{name}', rows of '{target}'"
    _Filling(known.book, target, model, table, stopped, where[target], template).note(filled, *places, places[1])
    return PreparedRows(known, table, *places, filled)


#: For the sheet's columns those of the table, which of them keep the template's formulas, and room for the rows.
_Places: TypeAlias = tuple[dict[int, int], set[int], Room]


def _step(target: str, model: TemplateRowsModel, table: Table) -> Hashable:
    """What making room for rows hangs on."""
    how = (model.at, tuple(model.columns.items()), model.by_position, model.below)
    return target, *how, table.height, tuple(table.headings)


@dataclass(frozen=True)
class _Filling:
    book: Workbook
    target: str
    model: TemplateRowsModel
    table: Table
    stopped: str
    where: str
    template: Template | None

    def fill(self, filled: RowsFilled) -> None:
        columns, kept, room = self.prepared()
        values = {number: self.table.columns[index] for number, index in columns.items() if number not in kept}
        put_rows(self.book, room, values)
        self.note(filled, columns, kept, room, columns)

    def note(
        self, filled: RowsFilled, columns: dict[int, int], kept: set[int], room: Room, claimed: Container[int]
    ) -> None:
        """Say what the rows are that were put where room was made for them, and what the cells of some columns stand
        for."""
        sample = room.sample
        do = "take all of them, or none"
        names = [item.name for index, item in enumerate(self.table.fields) if index not in columns.values()]
        if names:
            filled.notes.append(f"no heading for {listed(names)} of '{self.table.name}'")
        filled.warnings += [Fault(self.stopped, why, self.where, do, warning=True) for why in room.partial]
        top, height = sample.area.top, self.table.height
        bottom = top + max(height, 1) - 1
        filled.areas.append((sample.sheet, sample.area._replace(bottom=bottom)))
        if not height:
            return
        for number, index in columns.items():
            if number not in claimed:
                continue
            says = f"table '{self.table.name}', column '{self.table.fields[index].name}'"
            # The template's own formulas must come to what the table has.
            size = 0.0 if number not in kept else float(abs(self.table.columns[index].numbers).sum())
            wanted = self.table.columns[index]
            filled.claims.append(Claim(sample.sheet, top, number, wanted, says, "", size, number in kept))
        if self.table.origin is not None:
            area = Area(top, sample.area.left, bottom, sample.area.right)
            filled.sources.append(CellSources(sample.sheet, area, f"table '{self.table.name}'", self.table.origin))

    def prepared(self) -> _Places:
        """Which column goes where, and room for the rows, made as it was for as many rows before."""
        template = self.template
        if template is None or not template.is_untouched(self.book):
            return self.with_room()
        step = _step(self.target, self.model, self.table)
        known = template.prepared(step)
        if known is None:
            places = self.with_room()
            template.keep(step, self.book, places)
            return places
        self.book.become(known.book)
        return cast(_Places, known.besides)

    def with_room(self) -> _Places:
        sample, headings = self.sample()
        columns = self.columns(sample, headings)
        sheet = self.book.sheet(sample.sheet)
        kept = {number for number in columns if sheet.formula(sample.area.top, number) is not None}
        valued, stay = columns.keys() - kept, self.model.below == "stay"
        return columns, kept, make_room(self.book, sample, self.table.height, valued, stay=stay)

    # -- which rows ------------------------------------------------------------------------------------

    def sample(self) -> tuple[SampleRows, list[str]]:
        """The sample rows, and the heading of each of their columns. Raises UseError and DataError."""
        known = self.book.tables()
        if (found := known.get(self.target.casefold())) is not None:
            sheet, table = found
            return SampleRows(sheet, table.data, table.name), [column.name for column in table.columns]
        named = next((item for item in self.book.names if item.name.casefold() == self.target.casefold()), None)
        if named is not None:
            mention = next(iter(mentions(named.formula)), None)
            area = None if mention is None else mention.area
            if mention is None or area is None or len(mention.sheets) != 1:
                why = f"the name '{named.name}' stands for {named.formula}, which is no range of one sheet"
                raise UseError(Fault(self.stopped, why, self.where, "name a range, a table or a sheet"))
            sheet = self.book.sheet(mention.sheets[0]).name
            return SampleRows(sheet, area), self.headings(self.book.sheet(sheet), area)
        entry = self.book.entry(self.target)
        if entry is None:
            names = [*(table.name for _, table in known.values()), *(item.name for item in self.book.names)]
            told = known_names(self.target, [*names, *self.book.sheet_names()])
            why = f"the template has no table, name or sheet '{self.target}': {told}"
            raise UseError(Fault(self.stopped, why, self.where, "name one of these"))
        return self.below_headings(self.book.sheet(entry.name))

    def below_headings(self, sheet: Sheet) -> tuple[SampleRows, list[str]]:
        """The rows that begin at a cell of a sheet, down to the last one before a blank row or their totals."""
        if self.model.at is None:
            why = f"'{self.target}' is a sheet, and it is not said where its sample rows begin"
            raise UseError(Fault(self.stopped, why, self.where, 'write at = "A2", the first cell below the headings'))
        try:
            row, column = parse_cell(self.model.at)
        except ValueError:
            why = f"'{self.model.at}' is not a cell"
            raise UseError(Fault(self.stopped, why, self.where, 'write, for example, at = "A2"')) from None
        last = sheet.extent()[1]
        heading_row = row - 1 if not self.model.by_position and row > 1 else row
        right = column
        while right < last and sheet.value(heading_row, right + 1) is not None:
            right += 1
        if sheet.value(heading_row, column) is None:
            why = f"cell {self.model.at} of sheet '{sheet.name}' has no heading above it"
            raise DataError(Fault(self.stopped, why, self.where, "say the first cell of the sample rows"))
        area = Area(row, column, self.last_row(sheet, row, column, right), right)
        return SampleRows(sheet.name, area), self.headings(sheet, area)

    def last_row(self, sheet: Sheet, row: int, left: int, right: int) -> int:
        heading = sheet.value(row - 1, left) if row > 1 else None
        under = under_heading(self.book, sheet, heading) if isinstance(heading, str) else None
        if under is not None and under.rows and under.rows[0] == row and left in under.columns:
            return under.rows[-1]
        last = row
        while any(sheet.value(last + 1, column) is not None for column in range(left, right + 1)):
            last += 1
        return last

    def headings(self, sheet: Sheet, area: Area) -> list[str]:
        if area.top == 1:
            return [""] * area.width
        return [str(sheet.value(area.top - 1, column) or "") for column in range(area.left, area.right + 1)]

    # -- which columns ---------------------------------------------------------------------------------

    def columns(self, sample: SampleRows, headings: list[str]) -> dict[int, int]:
        """The table's column for each of the sheet's. Raises DataError for headings without one."""
        area, fields = sample.area, self.table.fields
        if self.model.by_position:
            if len(fields) > area.width:
                why = f"table '{self.table.name}' has {len(fields)} columns, and {area_name(area)} has {area.width}"
                raise DataError(Fault(self.stopped, why, self.where, "keep the columns that the template shows"))
            return {area.left + index: index for index in range(len(fields))}
        renamed = {heading.casefold(): column for heading, column in self.model.columns.items()}
        folded = {heading.casefold() for heading in headings}
        if unknown := [heading for heading in self.model.columns if heading.casefold() not in folded]:
            why = f"the template has no heading '{unknown[0]}': {known_names(unknown[0], headings)}"
            raise UseError(Fault(self.stopped, why, self.where, "write the heading as it stands in the template"))
        sheet, found, missing = self.book.sheet(sample.sheet), {}, []
        for number, heading in enumerate(headings, start=area.left):
            wanted = renamed.get(heading.casefold(), heading)
            index = self.table.index_of(wanted) if wanted else None
            if index is not None:
                found[number] = index
            elif sheet.formula(area.top, number) is None:
                missing.append((heading, wanted))
        if missing:
            raise DataError(*(self.missing(heading, wanted) for heading, wanted in missing))
        return found

    def missing(self, heading: str, wanted: str) -> Fault:
        told = known_names(wanted, self.table.headings)
        why = f"the template's heading '{heading}' has no column in table '{self.table.name}': {told}"
        do = f'derive it, or write columns = {{ "{heading}" = "COLUMN" }}'
        return Fault(self.stopped, why, self.where, do)
