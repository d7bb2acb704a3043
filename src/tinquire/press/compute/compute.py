"""The first half of a run, stage by stage: sources -> tables -> pivots, statements, figures -> checks.

Each stage is a function from values to values, and gathers its faults as far as they do not follow from one another:
a source that cannot be read does not hide what is wrong with the next, but a table is not made from one that failed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from tinquire.press.compute.checks import Before, make_checks
from tinquire.press.compute.figures import make_figures
from tinquire.press.compute.pivots import make_pivots
from tinquire.press.compute.results import Results
from tinquire.press.compute.run import Run
from tinquire.press.compute.sources import read_sources, with_fetched
from tinquire.press.compute.statements import make_statements
from tinquire.press.compute.tables import make_tables

__all__ = ["compute"]


def compute(run: Run, before: Before, progress: Callable[[str], None]) -> Results:
    """Calculate all tables, pivots, statements, figures and checks.

    `before` tells what the run of the period before kept under a name; `progress` hears what is being done.
    """
    sources = read_sources(run, progress)
    progress("shaping tables")
    tables = make_tables(run, sources)
    pivots = make_pivots(run, tables)
    statements = make_statements(run, tables)
    results = Results(
        run,
        with_fetched(sources.gathered, (*tables.fetched, *pivots.fetched)),
        {**tables.tables, **statements.accounts},
        tables.remote,
        tables.steps,
        pivots.pivots,
        statements.statements,
        errors=(*sources.errors, *tables.errors, *pivots.errors, *statements.errors),
        warnings=sources.warnings,
    )
    # A figure or a check over half the tables would only repeat what is wrong with the other half.
    if results.errors:
        return results
    figures = make_figures(results)
    results = replace(results, figures=figures.values, figure_types=figures.types, errors=figures.errors)
    if results.errors:
        return results
    checks = make_checks(results, before)
    warnings = (*results.warnings, *checks.warnings)
    return replace(results, checks=checks.results, facts=checks.facts, errors=checks.errors, warnings=warnings)
