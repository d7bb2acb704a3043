"""Steps replayed on the state before: do they give the state after, cell for cell and look for look?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import product

from tinquire.amend.change import NotAsExpectedError, apply_amendments
from tinquire.cells.address import cell_name
from tinquire.cells.values import Value
from tinquire.learn.steps import Learned, Step
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.cell_formulas import text_at

__all__ = ["best_readings", "differences", "prove", "replayed"]

#: More differences than these are counted.
_TOLD = 40
#: Readings of all steps together that are tried.
_TRIED = 60


def replayed(data: bytes, name: str, steps: Sequence[Step]) -> Workbook:
    """A workbook with steps done to it. Raises NotAsExpectedError for one that finds something else."""
    book = Workbook.from_bytes(data, name)
    apply_amendments(book, [step.amendment for step in steps])
    # As it will be read: what was set in memory is written and read again.
    return Workbook.from_bytes(book.to_bytes(), name)


def prove(data: bytes, name: str, after: Workbook, learned: Learned) -> None:
    """Note in `learned` what its steps do not explain."""
    try:
        done = replayed(data, name, learned.steps)
    except NotAsExpectedError as error:
        learned.unexplained.append(f"the steps cannot be replayed: {error}")
        return
    found = [
        f"sheet '{sheet}' is {'new' if sheet in after.sheet_names() else 'gone'}"
        for sheet in sorted({*done.sheet_names()} ^ {*after.sheet_names()})
    ]
    for sheet in after.sheet_names():
        if sheet in done.sheet_names():
            found += differences(done, after, sheet, sheet)
    learned.unexplained += found[:_TOLD]
    if len(found) > _TOLD:
        learned.unexplained.append(f"and {len(found) - _TOLD:,} cells more")


def differences(one: Workbook, other: Workbook, old: str, new: str) -> Iterator[str]:
    """What differs between a sheet of one workbook and one of another: values, formulas, looks, widths, panes."""
    was, now = one.sheet(old), other.sheet(new)
    areas = [area for area in (was.used, now.used) if area is not None]
    bottom, right = (max((getattr(area, side) for area in areas), default=0) for side in ("bottom", "right"))
    looks: dict[tuple[int, int], bool] = {}
    for row in range(1, bottom + 1):
        for column in range(1, right + 1):
            told = _cell(was, now, row, column)
            styles = was.style(row, column), now.style(row, column)
            if styles not in looks:
                looks[styles] = one.styles.appearance(styles[0]) == other.styles.appearance(styles[1])
            if told is None and not looks[styles]:
                told = "looks different"
            if told is not None:
                yield f"sheet '{new}', {cell_name(row, column)} {told}"
    for column in sorted({*was.widths} | {*now.widths}):
        if abs(was.widths.get(column, 0) - now.widths.get(column, 0)) > 0.01:
            yield f"sheet '{new}', the width of column {column}"
    if was.frozen != now.frozen:
        yield f"sheet '{new}', what is frozen"


def _cell(was: Sheet, now: Sheet, row: int, column: int) -> str | None:
    """What differs in what a cell holds, in words; None where nothing does. Results of one formula are not compared:
    they are worked out anew."""
    formulas = [sheet.formula(row, column) for sheet in (was, now)]
    texts = [None if one is None else text_at(one, row, column) for one in formulas]
    if texts[0] != texts[1]:
        return f"holds {_shown(texts[1], now.value(row, column))}, not {_shown(texts[0], was.value(row, column))}"
    a, b = was.value(row, column), now.value(row, column)
    if texts[0] is None and (type(a), a) != (type(b), b) and not (a in (None, "") and b in (None, "")):
        return f"holds {_shown(None, b)}, not {_shown(None, a)}"
    return None


def _shown(formula: str | None, value: Value) -> str:
    return f"={formula}" if formula is not None else "nothing" if value is None else repr(value)


def best_readings(
    data: bytes, name: str, after: Workbook, learned: Learned, also: Sequence[tuple[bytes, Workbook]]
) -> None:
    """Of steps that can be read in several ways, take the readings that explain further pairs, too; the plainest where
    several do. What is not explained is noted in `learned`."""
    choices = [step.readings() for step in learned.steps]
    told: list[str] | None = None
    for tried, steps in enumerate(product(*choices)):
        if tried >= _TRIED:
            break
        found = Learned(list(steps))
        for content, wanted in ((data, after), *also):
            prove(content, name, wanted, found)
        if found.is_whole:
            learned.steps, learned.unexplained = found.steps, []
            return
        told = told if told is not None and len(told) <= len(found.unexplained) else found.unexplained
        if told is found.unexplained:
            learned.steps = found.steps
    learned.unexplained += told or []
