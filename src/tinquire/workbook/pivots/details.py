"""What is told of a pivot: its fields by where they stand, what is chosen and filtered (ECMA-376 Part 1, 18.10)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.values import Value
from tinquire.packages.package import Package
from tinquire.workbook.parts.pivots import PivotTable, read_pivot
from tinquire.workbook.pivots.definition import VALUES, PivotDefinition, read_definition
from tinquire.workbook.pivots.filters import BEST
from tinquire.workbook.pivots.store import stored_items
from tinquire.workbook.pivots.words import item_text

__all__ = ["described_pivot"]


def described_pivot(package: Package, part: str) -> PivotTable:
    """A pivot by its part, with its fields. Raises AccessError for one that cannot be read."""
    plain = read_pivot(package, part)
    cache = next((one.target for one in package.relations(part) if one.kind == "pivotCacheDefinition"), None)
    try:
        definition = read_definition(package.root(part))
        items = [] if cache is None or not package.has(cache) else stored_items(package.root(cache))
    except (ValueError, OverflowError) as error:
        why = f"its part '{part}' cannot be read: {error}"
        raise AccessError(Fault("opening a workbook", why, package.name, "get the file again")) from None

    def name(number: int) -> str:
        own = definition.fields[number].caption if 0 <= number < len(definition.fields) else None
        return own or (plain.fields[number] if 0 <= number < len(plain.fields) else f"field {number}")

    return replace(
        plain,
        down=tuple(name(number) for number in definition.rows if number != VALUES),
        across=tuple(name(number) for number in definition.columns if number != VALUES),
        above=tuple((name(number), _chosen(definition, items, number, item)) for number, item in definition.pages),
        values=tuple(_value(one.name, name(one.field), one.how, one.shown) for one in definition.data),
        filters=tuple(f"{name(number)}: {says}" for number, says in _filters(definition)),
    )


def _chosen(definition: PivotDefinition, items: Sequence[Sequence[Value]], number: int, item: int | None) -> str:
    states = definition.fields[number].items or () if 0 <= number < len(definition.fields) else ()
    if item is None:
        hidden = sum(state.hidden for state in states)
        return f"all but {hidden}" if hidden else "all"
    if item >= len(states) or number >= len(items) or states[item].shared >= len(items[number]):
        return "what is not there"
    value = items[number][states[item].shared]
    return states[item].caption or ("blank" if value is None else item_text(value))


def _value(name: str, field: str, how: str, shown: str) -> str:
    said = f"{name.strip()} ({how} of {field}"
    return f"{said}, as {shown})" if shown != "normal" else f"{said})"


def _filters(definition: PivotDefinition) -> Iterator[tuple[int, str]]:
    above = {number for number, _ in definition.pages}
    for number, one in enumerate(definition.fields):
        hidden = sum(state.hidden for state in one.items or ())
        if hidden and one.axis and number not in above:
            yield number, f"{hidden} of {len(one.items or ())} hidden"
    for rule in definition.filters:
        if rule.kind in BEST:
            yield rule.field, f"the {'least' if rule.lowest else 'best'} {rule.amount:g} by {rule.kind}"
        else:
            yield rule.field, " ".join(word for word in (rule.kind, rule.first, rule.second) if word)
