"""Entry rules of a docket on their way to a sheet: lists that are columns of tables on earlier sheets."""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.docket.schema.entries import EntryRuleModel
from tinquire.formula import FormulaError, parse
from tinquire.formula.language.tree import TableReference
from tinquire.formula.language.writing import escaped_column, write_value
from tinquire.layout.entry_rules import EntryPlan
from tinquire.workbook import SheetTable

__all__ = ["entry_plan"]

_STOPPED = "the list of an entry rule"


def entry_plan(
    model: EntryRuleModel, on: Sequence[str], tables: Container[str], shown: Mapping[str, SheetTable], where: str
) -> EntryPlan:
    """The plan of an entry rule on some columns. A list that is a column of one of the docket's `tables` is that of the
    sheet which shows the table whole, and grows with it. Raises UseError where no sheet does."""
    given = model.model_dump(include=set(EntryRuleModel.model_fields))
    if isinstance(model.one_of, str):
        try:
            tree = parse(model.one_of)
        except FormulaError as error:
            raise UseError(Fault(_STOPPED, error.faults[0].why, where, "write table[Column]")) from None
        if isinstance(tree, TableReference) and tree.table is not None and tree.table in tables:
            given["one_of"] = _column(tree, shown.get(tree.table), where)
    return EntryPlan(**given, on=on, place=where)


def _column(tree: TableReference, shown: SheetTable | None, where: str) -> str:
    if shown is None:
        why = f"no sheet before it shows the table '{tree.table}' whole"
        raise UseError(Fault(_STOPPED, why, where, "put a sheet of that table first"))
    if tree.first is None or shown.index_of(tree.first) is None:
        known = known_names(tree.first or "", [column.name for column in shown.columns])
        why = f"the sheet of '{tree.table}' has no column '{tree.first or ''}': {known}"
        raise UseError(Fault(_STOPPED, why, where, "name one of its columns"))
    # A rule cannot read a table by its name, but by a text that names it.
    return f"INDIRECT({write_value(f'{shown.name}[{escaped_column(tree.first)}]')})"
