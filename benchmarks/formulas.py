"""Formulas and recalculation, beside the same numbers worked out by hand with NumPy."""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from benchmarks.measure import Measure
from tinquire.cells import Area, Column
from tinquire.formula import Frame, evaluate_column, parse
from tinquire.formula.engine.recurrences import run_recurrence
from tinquire.formula.engine.running_totals import running_sums, running_total
from tinquire.formula.language.mentions import down_pattern
from tinquire.formula.language.tokens import tokenise
from tinquire.formula.language.tree import Node
from tinquire.workbook import Formula, Sheet, Workbook
from tinquire.workbook.calc.column_formulas import reads
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.calc.scope import BookScope

__all__ = ["measures"]

ROWS = 100_000
KEYS = 20_000


def _book(**sheets: dict[int, Column]) -> Workbook:
    book = Workbook.new()
    for name, columns in sheets.items():
        sheet = Sheet(name)
        for number, column in columns.items():
            sheet.put(1, number, column)
        book.add_sheet(sheet)
    return book


def measures(folder: Path) -> Iterator[Measure]:
    """The lines of the table for formulas; `folder` is for the files they need."""
    rng = np.random.default_rng(7)
    yield from _columns(rng)
    yield from _recurrence(rng)
    yield from _lookups(rng)
    yield from _conditional(rng)
    yield from _reading()
    yield from _workbook(folder, rng)


def _columns(rng: np.random.Generator) -> Iterator[Measure]:
    b, c, d = (rng.integers(0, 10_000, ROWS) / 100 for _ in range(3))
    book = _book(S={2: Column.of_numbers(b), 3: Column.of_numbers(c), 4: Column.of_numbers(d)})
    scope = BookScope(book)
    tree = parse("B1*C1-D1", 1, 5)
    yield Measure(
        "`=B2*C2-D2` over 100k rows", "NumPy by hand", 2.5,
        lambda: evaluate_column(tree, Frame(scope, "S", 1, 5, ROWS)), lambda: b * c - d,
    )  # fmt: skip
    yield _total(scope, "running total of 100k rows", "G1+B2", 7, lambda: np.cumsum(b))
    yield _total(
        scope, "balance of 100k rows: two terms, added one after the other", "F1+B2-C2", 6, lambda: np.cumsum(b - c)
    )
    book.sheet("S").put(2, 6, Column.blank(ROWS - 1), None, Formula("F1+B2-C2", 2, 6))
    yield Measure(
        "the same in a whole recalculation: read, compared, stored", "cumsum", None,
        lambda: recalculate(book), lambda: np.cumsum(b - c),
    )  # fmt: skip


def _total(scope: BookScope, work: str, text: str, column: int, by_hand: Callable[[], object]) -> Measure:
    tree = parse(text, 2, column)

    def added() -> object:
        frame = Frame(scope, "S", 2, column, ROWS - 1)
        found = running_total(tree, frame)
        assert found is not None
        return running_sums(*found, frame)

    return Measure(work, "cumsum", 3, added, by_hand)


def _recurrence(rng: np.random.Generator) -> Iterator[Measure]:
    """A subtotal that begins again where a customer's number changes, or its name."""
    customers = np.sort(rng.integers(0, 5_000, ROWS)).astype(np.int32)
    names = [f"Customer {number}" for number in range(5_000)]
    amounts = rng.integers(0, 10_000, ROWS) / 100
    keys = {"a number": Column.of_numbers(customers), "a name": Column.of_codes(customers, names)}
    for what, key in keys.items():
        looped, closures = _subtotals(key, amounts)
        assert np.array_equal(looped(), closures()[1:])
        says = "a first-order chain with IF over 100k rows" if what == "a number" else f"the same by {what}"
        yield Measure(says, "a closure per cell", 0.15 if what == "a number" else None, looped, closures)


def _subtotals(key: Column, amounts: NDArray[np.float64]) -> tuple[Callable[[], Any], Callable[[], Any]]:
    """The formula run as a loop, and by closures made from its parts as one would make them from its tree."""
    column, total = 4, Column.of_numbers([0.0])
    book = _book(S={1: key, 2: Column.of_numbers(amounts), column: total})
    scope, tree = BookScope(book), parse("IF(A2=A1,D1+B2,B2)", 2, column)
    own = Area(2, column, ROWS, column)

    def outside(node: Node, frame: Frame) -> bool:
        return not any(area.overlaps(own) for (_, area), _ in reads(node, frame))

    def looped() -> Any:
        found = run_recurrence({column: tree}, Frame(scope, "S", 2, column, ROWS - 1), outside)
        assert found is not None
        return found[0].numbers

    cells = {1: key.to_list(), 2: amounts.tolist(), column: [0.0] * ROWS}

    def cell(number: int, back: int) -> Callable[[int], Any]:
        values = cells[number]
        return lambda row: values[row - back]

    def joined(sign: Callable[[Any, Any], Any], left: Callable[[int], Any], right: Callable[[int], Any]) -> Any:
        return lambda row: sign(left(row), right(row))

    def chosen(condition: Callable[[int], Any], yes: Callable[[int], Any], no: Callable[[int], Any]) -> Any:
        return lambda row: yes(row) if condition(row) else no(row)

    formula = chosen(
        joined(operator.eq, cell(1, 0), cell(1, 1)), joined(operator.add, cell(column, 1), cell(2, 0)), cell(2, 0)
    )

    def closures() -> Any:
        results = cells[column]
        for row in range(1, ROWS):
            results[row] = formula(row)
        return results

    return looped, closures


def _lookups(rng: np.random.Generator) -> Iterator[Measure]:
    known = rng.permutation(KEYS * 5)[:KEYS].astype(np.float64)
    wanted = rng.choice(known, ROWS)
    values = rng.random(KEYS)
    book = _book(K={1: Column.of_numbers(known), 2: Column.of_numbers(values)}, S={1: Column.of_numbers(wanted)})
    tree = parse(f"VLOOKUP(A1,K!$A$1:$B${KEYS},2,FALSE)", 1, 2)

    def by_hand() -> object:
        order = np.argsort(known)
        return values[order[np.searchsorted(known, wanted, sorter=order)]]

    yield Measure(
        "exact lookup of 100k keys in 20k rows", "NumPy by hand (sort, searchsorted)", 1.5,
        lambda: evaluate_column(tree, Frame(BookScope(book), "S", 1, 2, ROWS)), by_hand,
    )  # fmt: skip
    apart = _book(
        K={1: Column.of_numbers(known / 7), 2: Column.of_numbers(values)}, S={1: Column.of_numbers(wanted / 7)}
    )
    yield Measure(
        "the same with keys that are not whole numbers", "NumPy by hand (sort, searchsorted)", 1.5,
        lambda: evaluate_column(tree, Frame(BookScope(apart), "S", 1, 2, ROWS)), by_hand,
    )  # fmt: skip
    sorted_keys = np.sort(known)
    bands = _book(
        K={1: Column.of_numbers(sorted_keys), 2: Column.of_numbers(values)}, S={1: Column.of_numbers(wanted + 0.5)}
    )
    nearest = parse(f"VLOOKUP(A1,K!$A$1:$B${KEYS},2,TRUE)", 1, 2)
    yield Measure(
        "nearest lookup of 100k keys in 20k sorted rows", "NumPy by hand (searchsorted)", 1.5,
        lambda: evaluate_column(nearest, Frame(BookScope(bands), "S", 1, 2, ROWS)),
        lambda: values[np.searchsorted(sorted_keys, wanted + 0.5, side="right") - 1],
    )  # fmt: skip


def _conditional(rng: np.random.Generator) -> Iterator[Measure]:
    depots = [f"Depot {number}" for number in range(50)]
    codes, months, values = rng.integers(0, 50, ROWS), rng.integers(1, 21, ROWS).astype(float), rng.random(ROWS)
    data = {
        1: Column.of_codes(codes.astype(np.int32), depots),
        2: Column.of_numbers(months),
        3: Column.of_numbers(values),
    }
    wanted = {
        1: Column.of_texts([depots[n % 50] for n in range(1000)]),
        2: Column.of_numbers([n // 50 + 1 for n in range(1000)]),
    }
    book = _book(D=data, S=wanted)
    tree = parse(f"SUMIFS(D!$C$1:$C${ROWS},D!$A$1:$A${ROWS},A1,D!$B$1:$B${ROWS},B1)", 1, 3)
    texts = np.array([depots[code] for code in codes])

    def by_hand() -> object:
        return [values[(texts == depots[n % 50]) & (months == n // 50 + 1)].sum() for n in range(1000)]

    yield Measure(
        "1,000 conditional sums, two criteria, over 100k rows", "one NumPy mask per formula", 0.02,
        lambda: evaluate_column(tree, Frame(BookScope(book), "S", 1, 3, 1000)), by_hand,
    )  # fmt: skip


def _reading() -> Iterator[Measure]:
    texts = [f"ROUND(F{row}*G{row}-SUM(H$1:H{row}),2)" for row in range(1, ROWS + 1)]
    blob = "\n".join(texts).encode() + b"\n"

    def predicted() -> object:
        pattern = down_pattern(texts[0], 1)
        assert pattern is not None
        assert pattern.texts(1, ROWS) == blob
        return parse(texts[0], 1, 1)

    yield Measure(
        "100k formulas read into relative form", "the full tokeniser on each", 0.12,
        predicted, lambda: [tokenise(text) for text in texts],
    )  # fmt: skip


def _workbook(folder: Path, rng: np.random.Generator) -> Iterator[Measure]:
    """A million formula cells of mixed kinds."""
    path, out = folder / "formulas.xlsx", folder / "recalculated.xlsx"
    book = _book(
        S={number: Column.of_numbers(rng.integers(0, 10_000, ROWS) / 100) for number in (1, 2, 3)},
        R={1: Column.of_numbers(np.arange(100.0)), 2: Column.of_numbers(rng.random(100))},
    )
    formulas = [
        "A1*B1-C1", "IF(A1>B1,A1,B1)", "ROUND(D1*1.2,2)", "VLOOKUP(INT(A1),R!$A$1:$B$100,2,FALSE)", "SUM(A1:C1)",
        "A1&\"-\"&INT(B1)", "IFERROR(A1/B1,0)", "MAX(A1,B1,C1)", "D1+E1+F1", "MOD(INT(C1),7)",
    ]  # fmt: skip
    sheet = book.sheet("S")
    for number, text in enumerate(formulas, start=4):
        sheet.put(1, number, Column.blank(ROWS), None, Formula(text, 1, number))
    # A rate of which a thousand cells depend.
    book.sheet("R").put(1, 4, Column.of_numbers([0.21]))
    book.add_sheet(Sheet("T", columns={}))
    book.sheet("T").put(1, 1, Column.blank(1000), None, Formula("S!A1*R!$D$1", 1, 1))
    recalculate(book)
    book.save(path)

    def rewritten() -> None:
        opened = Workbook.open(path)
        opened.sheet("S").put(1, 14, Column.of_numbers([1.0]))
        opened.save(out)

    def recalculated() -> None:
        opened = Workbook.open(path)
        recalculate(opened)
        opened.sheet("S").put(1, 14, Column.of_numbers([1.0]))
        opened.save(out)

    yield Measure(
        "1M formula cells: read, recalculated, written", "the same file read and written", 2, recalculated, rewritten
    )
    opened = Workbook.open(path)
    recalculate(opened)
    yield Measure(
        "one input, on which 1,000 cells depend, changed among 1M formulas", "the full recalculation", 0.01,
        lambda: recalculate(opened, changed=[("R", Area(1, 4, 1, 4))]), lambda: recalculate(opened),
    )  # fmt: skip
