"""Rows that stay in a database: which tables they are, and what in a docket would need them here."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TypeAlias

from tinquire.base.faults import Fault
from tinquire.docket.job import Docket
from tinquire.docket.schema.tables import TableModel
from tinquire.docket.usage import all_formulas, tables_read
from tinquire.slots.slots import slot_name
from tinquire.tables.steps.drop_rows import DropRows
from tinquire.tables.steps.group import Group
from tinquire.tables.steps.keep_rows import KeepRows

__all__ = ["needing_rows"]

#: What needs rows, in words, the table, and its place in the docket.
_Need: TypeAlias = tuple[str, str, tuple[str | int, ...]]


def needing_rows(docket: Docket, order: Sequence[str]) -> Iterator[Fault]:
    """Faults for what needs rows that stay in a database; `order` is that of the docket's tables."""
    known = _staying(docket, order)
    if not known:
        return
    for what, name, path in (*_in_tables(docket, known), *_in_outputs(docket), *_in_formulas(docket)):
        found = next((item for item in known if slot_name(item) == slot_name(name)), None)
        if found is not None:
            why = f"{what} needs the rows of '{found}', which stay in the database"
            do = f'group them first, or write rows = "travel" in sources.{known[found]}'
            yield Fault("reading the docket", why, docket.where(*path), do)


def _staying(docket: Docket, order: Sequence[str]) -> dict[str, str]:
    """Sources and tables whose rows stay, each with its source."""
    model = docket.model
    found = {name: name for name, source in model.sources.items() if source.rows == "stay"}
    for name in order:
        table = model.tables[name]
        if table.from_ in found and not any(isinstance(step, Group) for step in table.steps):
            found[name] = found[table.from_]
    return found


def _in_tables(docket: Docket, known: dict[str, str]) -> Iterator[_Need]:
    for name, table in docket.model.tables.items():
        early = _before_group(table) if table.from_ in known else len(table.steps)
        for number, step in enumerate(table.steps):
            path = ("tables", name, "steps", number)
            for other in step.other_tables:
                yield f"tables.{name}, step {number + 1}", other, path
            if table.from_ in known and number < early and not isinstance(step, KeepRows | DropRows):
                what = f"tables.{name}, step {number + 1}, which is not keep_rows, drop_rows or group,"
                yield what, table.from_, path


def _before_group(table: TableModel) -> int:
    """How many steps come before the first that groups."""
    return next((number for number, step in enumerate(table.steps) if isinstance(step, Group)), len(table.steps))


def _in_workbooks(docket: Docket) -> Iterator[_Need]:
    model = docket.model
    for name, book in model.workbooks.items():
        for target, rows in book.rows.items():
            yield "a template", rows.table, ("workbooks", name, "rows", target)
        for target, repeated in book.repeat.items():
            for table in (repeated.each, *(rows.table for rows in repeated.rows.values())):
                yield "a repeated sheet", table, ("workbooks", name, "repeat", target)
        for number, sheet in enumerate(book.sheets):
            path = ("workbooks", name, "sheets", number)
            cut = sheet.split_by() is not None or book.split_by() is not None
            for block in sheet.parts():
                if block.table is not None:
                    yield "a sheet", block.table, path
                elif (cut or block.per is not None) and block.pivot in model.pivots:
                    yield "a sheet split by a column", model.pivots[block.pivot].from_, path


def _in_outputs(docket: Docket) -> Iterator[_Need]:
    model = docket.model
    for name, statement in model.statements.items():
        for other in (statement.lines, statement.map.table, *(amount.table for amount in statement.amounts)):
            yield f"statements.{name}", other, ("statements", name)
    yield from _in_workbooks(docket)
    for name, check in model.checks.items():
        for key in ("rows", "no_repeats", "complete", "values", "none_missing"):
            if (asked := getattr(check, key)) is not None:
                yield f"checks.{name}", asked.table, ("checks", name, key)
        if check.fresh is not None:
            yield f"checks.{name}", check.fresh.source, ("checks", name, "fresh")
    yield from _in_letters(docket)


def _in_letters(docket: Docket) -> Iterator[_Need]:
    """Lists that repeat outputs, and their own rows."""
    model = docket.model
    repeated = (
        ("workbooks", model.workbooks), ("mails", model.mails), ("letters", model.letters), ("prints", model.prints),
    )  # fmt: skip
    for kind, outputs in repeated:
        for name, output in outputs.items():
            for table in (output.each, *(own.from_ for own in output.own.values())):
                if table is not None:
                    yield f"{kind}.{name}", table, (kind, name)


def _in_formulas(docket: Docket) -> Iterator[_Need]:
    for path, text in all_formulas(docket):
        for other in sorted(tables_read(text)):
            yield "a formula", other, path
