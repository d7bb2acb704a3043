"""The fifth stage of a run: named values, calculated by formulas over tables, pivots, statements and each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from tinquire.base.faults import Fault, TinQuireError, UseError
from tinquire.cells.values import Value
from tinquire.docket.schema.statements import FigureModel
from tinquire.formula import FormulaError, parse
from tinquire.formula.language.tree import Name, walk
from tinquire.press.compute.earlier import with_earlier
from tinquire.press.compute.results import Results
from tinquire.slots.slots import slot_name
from tinquire.tables.scope import read_formula, require_no_error, scalar_value

__all__ = ["Figures", "make_figures"]


@dataclass(frozen=True)
class Figures:
    """Figures by name, the column types that give their formats, and what failed."""

    values: Mapping[str, Value]
    types: Mapping[str, str]
    errors: tuple[TinQuireError, ...] = ()


def make_figures(results: Results) -> Figures:
    """Work figures out, each after those that it uses."""
    waiting = {
        name: figure if isinstance(figure, FigureModel) else FigureModel(**{"is": figure})
        for name, figure in results.docket.model.figures.items()
    }
    values: dict[str, Value] = {}
    types: dict[str, str] = {}
    errors: list[TinQuireError] = []
    for name, figure in list(waiting.items()):
        where = results.docket.where("figures", name)
        try:
            formula = with_earlier(figure.is_, results.run, f"figure '{name}'", where)
            waiting[name] = figure.model_copy(update={"is_": formula})
        except TinQuireError as error:
            errors.append(error)
            del waiting[name]
    while waiting:
        ready = [name for name, figure in waiting.items() if not _uses_figure(figure.is_, waiting)]
        if not ready:
            first = next(iter(waiting))
            why = f"the figures {', '.join(waiting)} use each other"
            where = results.docket.where("figures", first)
            errors.append(UseError(Fault("working out figures", why, where, "remove the circle")))
            break
        for name in ready:
            figure = waiting.pop(name)
            try:
                values[name] = _figure(replace(results, figures=values), name, figure)
            except TinQuireError as error:
                errors.append(error)
            if figure.type:
                types[name] = figure.type
    return Figures(values, types, tuple(errors))


def _uses_figure(formula: str, names: Mapping[str, object]) -> bool:
    """Whether a formula uses one of the named figures."""
    wanted = {slot_name(name) for name in names}
    try:
        tree = parse(formula)
    except FormulaError:
        return False
    return any(isinstance(node, Name) and slot_name(node.name) in wanted for node in walk(tree))


def _figure(results: Results, name: str, figure: FigureModel) -> Value:
    where = results.docket.where("figures", name)
    scope = results.scope()
    tree = read_formula(figure.is_, scope, f"figure '{name}'", where)
    return require_no_error(scalar_value(tree, scope, f"figure '{name}'", where), figure.is_, f"figure '{name}'", where)
