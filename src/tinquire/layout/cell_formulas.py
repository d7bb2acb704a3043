"""Docket formulas as they are written into a sheet's cells."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.formula import parse, write
from tinquire.formula.language.tree import Name, Node, RowsOf, TableReference, bound_names
from tinquire.formula.language.writing import replace_nodes

__all__ = ["living_formula"]


def living_formula(
    text: str, sheet_table: str | None, called: Mapping[str, str], columns: Sequence[str], stopped: str, where: str
) -> str:
    """A derived column's formula with `[Heading]` as this row of the sheet's own table, or without one as it is.

    `called` gives the headings of today by the casefolded ones that the formula writes, `columns` are those that the
    sheet shows. Raises UseError when the formula reads what the sheet does not show.
    """
    faults: list[Fault] = []

    def change(node: Node) -> Node | None:
        if isinstance(node, TableReference) and node.table is None and node.first is not None and node.last is not None:
            first, last = called[node.first.casefold()], called[node.last.casefold()]
            missing = [name for name in dict.fromkeys((first, last)) if name not in columns]
            for name in missing:
                why = f"a living formula needs the column '{name}' on its sheet: {known_names(name, columns)}"
                faults.append(Fault(stopped, why, where, 'add it to columns, or write formulas = "values"'))
            if missing:
                return node
            rows = () if sheet_table is None else (RowsOf.THIS,)
            return TableReference(sheet_table, first, last, rows)
        if isinstance(node, Name) and node.name.casefold() in bound:
            return None
        if isinstance(node, Name | TableReference):
            shown = node.name if isinstance(node, Name) else node.table
            why = f"'{shown}' is known to the docket, not to the sheet, so the formula cannot live there"
            faults.append(Fault(stopped, why, where, 'write formulas = "values" for this sheet'))
            return node
        return None

    read = parse(text)
    bound = bound_names(read)
    tree = replace_nodes(read, change)
    if faults:
        raise UseError(*faults)
    return write(tree)
