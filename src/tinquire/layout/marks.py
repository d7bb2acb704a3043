"""Marks over a block of rows: conditions in the words of a docket as rules of a sheet (ECMA-376 Part 1, 18.3.1.10)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import chain

from tinquire.base.faults import Fault, UseError
from tinquire.cells.address import Area, cell_name
from tinquire.formula.language.writing import write_value
from tinquire.layout.row_block import RowBlock, all_made
from tinquire.looks import House
from tinquire.workbook.grid.marks import SIGN_SETS, Bars, Mark, Scale, Signs, Threshold, own_condition
from tinquire.workbook.parts.styles import StyleBook

__all__ = ["MarkPlan", "marks_over"]


@dataclass(frozen=True, kw_only=True)
class MarkPlan:
    """A mark as it is asked for; of the conditions one is given. `place` is where it is asked for, for messages."""

    on: Sequence[str] = ()
    look: str | None = None
    where: str | None = None
    above: float | str | None = None
    at_least: float | str | None = None
    below: float | str | None = None
    at_most: float | str | None = None
    equal: bool | float | str | None = None
    unequal: bool | float | str | None = None
    between: Sequence[float | str] | None = None
    contains: str | None = None
    begins: str | None = None
    ends: str | None = None
    blank: bool | None = None
    error: bool | None = None
    repeated: bool | None = None
    unique: bool | None = None
    largest: int | None = None
    smallest: int | None = None
    percent: bool = False
    average: str | None = None
    time: str | None = None
    scale: Sequence[str] | None = None
    bars: str | None = None
    signs: str | None = None
    limits: Sequence[float] = ()
    stop: bool = False
    place: str = ""


def marks_over(
    plans: Sequence[MarkPlan], headings: Sequence[str], rows: Sequence[Area], house: House, styles: StyleBook,
    stopped: str, after: int = 0,
) -> list[Mark]:  # fmt: skip
    """The marks of a block whose columns have these headings and whose rows lie in these areas; they go after as many
    marks of the sheet.

    Raises one UseError with all columns that are missing, formulas that cannot be read and looks that are not there.
    """

    def mark(number: int, plan: MarkPlan) -> Mark:
        block = RowBlock(headings, rows, f"{stopped}, mark {number}", plan.place)
        try:
            look = None if plan.look is None else styles.partial_number(house.change(plan.look))
        except UseError as error:  # the house does not know who asked
            raise UseError(*(Fault(block.stopped, one.why, block.where, one.do) for one in error.faults)) from None
        return replace(_mark(plan, block, house), priority=after + number, stop=plan.stop, look=look)

    return all_made(mark, plans)


def _mark(plan: MarkPlan, block: RowBlock, house: House) -> Mark:
    """The rule of a plan, yet without look and priority. Raises UseError."""
    areas = block.areas(plan.on)
    if plan.where is not None:
        return Mark(areas, "expression", (block.formula(plan.where),))
    first = cell_name(block.area.top, min(area.left for area in areas))
    found = (_compared(plan, block, areas), _of_kinds(plan, areas, first), _drawn(plan, block, areas, house))
    for mark in chain.from_iterable(found):
        return mark
    raise UseError(Fault(block.stopped, "it has no condition", block.where, "say when it holds"))


def _compared(plan: MarkPlan, block: RowBlock, areas: tuple[Area, ...]) -> Iterator[Mark]:
    for bound, operator in (
        (plan.above, "greaterThan"), (plan.at_least, "greaterThanOrEqual"), (plan.below, "lessThan"),
        (plan.at_most, "lessThanOrEqual"),
    ):  # fmt: skip
        if bound is not None:
            yield Mark(areas, "cellIs", (block.bound(bound),), settings={"operator": operator})
    for constant, operator in ((plan.equal, "equal"), (plan.unequal, "notEqual")):
        if constant is not None:
            given = constant if isinstance(constant, bool | str) else float(constant)
            yield Mark(areas, "cellIs", (write_value(given),), settings={"operator": operator})
    if plan.between is not None:
        low, high = map(block.bound, plan.between)
        yield Mark(areas, "cellIs", (low, high), settings={"operator": "between"})


def _of_kinds(plan: MarkPlan, areas: tuple[Area, ...], first: str) -> Iterator[Mark]:
    """Rules of a kind of their own; those that have a condition state it too, as the first cell reads it."""
    texts = ((plan.contains, "containsText"), (plan.begins, "beginsWith"), (plan.ends, "endsWith"))
    kinds = [(kind, {"operator": kind, "text": text}) for text, kind in texts if text is not None]
    plain = (
        (plan.blank, "containsBlanks"), (plan.error, "containsErrors"), (plan.repeated, "duplicateValues"),
        (plan.unique, "uniqueValues"),
    )  # fmt: skip
    kinds += [(kind, {}) for holds, kind in plain if holds]
    for rank, bottom in ((plan.largest, False), (plan.smallest, True)):
        if rank is not None:
            stated = {"rank": str(rank), "percent": "1" if plan.percent else "", "bottom": "1" if bottom else ""}
            kinds.append(("top10", {name: value for name, value in stated.items() if value}))
    if plan.average is not None:
        below, equal = "below" in plan.average, "at or" in plan.average
        stated = {"aboveAverage": "0" if below else "", "equalAverage": "1" if equal else ""}
        kinds.append(("aboveAverage", {name: value for name, value in stated.items() if value}))
    if plan.time is not None:
        kinds.append(("timePeriod", {"timePeriod": _TIMES[plan.time]}))
    for kind, settings in kinds:
        condition = own_condition(kind, settings, first)
        yield Mark(areas, kind, () if condition is None else (condition,), settings=settings)


def _drawn(plan: MarkPlan, block: RowBlock, areas: tuple[Area, ...], house: House) -> Iterator[Mark]:
    if plan.scale is not None:
        steps = [Threshold("min"), *([Threshold("percentile", "50")] if len(plan.scale) == 3 else []), Threshold("max")]
        yield Mark(areas, "colorScale", scale=Scale(tuple(steps), tuple(map(house.colour, plan.scale))))
    if plan.bars is not None:
        yield Mark(areas, "dataBar", bars=Bars(Threshold("min"), Threshold("max"), house.colour(plan.bars)))
    if plan.signs is not None:
        name, count = _SETS[plan.signs], SIGN_SETS[_SETS[plan.signs]]
        if plan.limits and len(plan.limits) != count - 1:
            why = f"'{plan.signs}' are {count} signs with {count - 1} limits between, and {len(plan.limits)} are given"
            raise UseError(Fault(block.stopped, why, block.where, f"give {count - 1} limits, or none"))
        limits = [Threshold("num", f"{limit:.15g}") for limit in plan.limits]
        steps = limits or [Threshold("percent", str(round(100 * number / count))) for number in range(1, count)]
        yield Mark(areas, "iconSet", signs=Signs(name, (Threshold("percent", "0"), *steps)))


#: Words of dockets for sets of signs (18.18.42) and for times (18.18.82).
_SETS = {
    "arrows": "3Arrows", "lights": "3TrafficLights1", "flags": "3Flags", "ratings": "5Rating", "quarters": "5Quarters",
}  # fmt: skip
_TIMES = {
    "today": "today", "yesterday": "yesterday", "tomorrow": "tomorrow", "last seven days": "last7Days",
    "this week": "thisWeek", "last week": "lastWeek", "next week": "nextWeek", "this month": "thisMonth",
    "last month": "lastMonth", "next month": "nextMonth",
}  # fmt: skip
