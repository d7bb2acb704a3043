"""What the parts of a docket read: other tables, and formulas."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from tinquire.docket.job import Docket
from tinquire.docket.schema.statements import FigureModel
from tinquire.formula import FormulaError, parse
from tinquire.formula.language.tree import Name, TableReference, walk
from tinquire.slots.slots import slot_name
from tinquire.tables.steps import Step

__all__ = ["all_formulas", "tables_needed", "tables_read"]


def tables_needed(step: Step, known: Iterable[str]) -> list[str]:
    """Of the tables that are known those that a step reads: by name, or in its formulas."""
    read = {name for text in step.formulas for name in tables_read(text)}
    return [name for name in known if name in step.other_tables or slot_name(name) in read]


def all_formulas(docket: Docket) -> Iterator[tuple[tuple[str | int, ...], str]]:
    """Every formula that is seen without rows, and its path in the docket."""
    model = docket.model
    for name, figure in model.figures.items():
        yield ("figures", name), figure.is_ if isinstance(figure, FigureModel) else figure
    for name, check in model.checks.items():
        if check.that is not None:
            yield ("checks", name, "that"), check.that
        for number, formula in enumerate(check.agree):
            yield ("checks", name, "agree", number), formula
    for name, table in model.tables.items():
        for number, step in enumerate(table.steps):
            for text in step.formulas:
                yield ("tables", name, "steps", number), text


def tables_read(text: str) -> set[str]:
    """What a formula names that may be a table, as `slot_name` spells it; nothing for text that is no formula."""
    try:
        nodes = list(walk(parse(text)))
    except FormulaError:
        return set()
    named = {slot_name(node.name) for node in nodes if isinstance(node, Name)}
    return named | {slot_name(node.table) for node in nodes if isinstance(node, TableReference) and node.table}
