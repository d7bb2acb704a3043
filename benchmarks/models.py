"""Workbooks as people build them: formulas filled across, in blocks, as thousands of shared groups, or singly."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from benchmarks.measure import Measure
from tinquire.cells import column_name
from tinquire.formula.language.tokens import tokenise
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate

__all__ = ["measures"]

_START = '<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
_END = "</sheetData></worksheet>"
#: Matrices of the model are of this many rows and columns.
SIDE = 200


def measures(folder: Path) -> Iterator[Measure]:
    """The lines of the table for whole models; `folder` is for the files they need."""
    yield _against_reading(
        folder,
        "450k formulas of four forms, 33k shared groups across rows, each row reading the one 300 above",
        4,
        _strided,
    )
    yield _against_reading(
        folder,
        "60k formulas in blocks of 12 columns filled right, 400 forms, six sheets that read each other",
        5,
        _blocks,
    )
    yield _model(folder)
    yield _single_forms(folder)


def _against_reading(folder: Path, work: str, at_most: float, make: Callable[[], dict[str, Iterator[str]]]) -> Measure:
    path = _saved(folder / f"{make.__name__}.xlsx", make())
    return Measure(work, "reading the same file", at_most, lambda: recalculate(_read(path)), lambda: _read(path))


def _read(path: Path) -> Workbook:
    book = Workbook.open(path)
    list(book.sheets())
    return book


def _saved(path: Path, sheets: dict[str, Iterator[str]]) -> Path:
    """A workbook whose sheets have these rows of markup."""
    book = Workbook.new()
    for name in sheets:
        book.add_sheet(Sheet(name))
    book.save(path)
    with zipfile.ZipFile(path) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:
        for name, data in parts.items():
            if not name.startswith("xl/worksheets/"):
                archive.writestr(name, data)
        for number, rows in enumerate(sheets.values(), start=1):
            archive.writestr(f"xl/worksheets/sheet{number}.xml", _START + "".join(rows) + _END)
    return path


def _row(number: int, cells: Iterator[str]) -> str:
    return f'<row r="{number}">{"".join(cells)}</row>'


def _number(row: int, column: int, value: float) -> str:
    return f'<c r="{column_name(column)}{row}"><v>{value}</v></c>'


def _formula(row: int, column: int, text: str) -> str:
    return f'<c r="{column_name(column)}{row}"><f>{text}</f><v>0</v></c>'


def _strided() -> dict[str, Iterator[str]]:
    """Four forms by turns, each row of 14 formulas a shared group that reads the row 300 above."""
    rng = np.random.default_rng(1)
    width, stride, groups = 14, 300, 33_000
    first, last = 4, 4 + width - 1
    forms = [
        lambda row, above: f"D{above}*(1+$B{row})",
        lambda row, above: f"D{above}+$B{row}*$C{row}",
        lambda row, above: f"ROUND(D{above}*0.9+$C{row},2)",
        lambda row, above: f"IF(D{above}&gt;$C{row},D{above}-$C{row},D{above}+$B{row})",
    ]

    def rows() -> Iterator[str]:
        for row in range(1, stride + groups + 1):
            cells = [_number(row, 2, round(rng.random() / 100, 4)), _number(row, 3, round(rng.random() * 10, 2))]
            if row <= stride:
                cells += [_number(row, column, round(rng.random() * 100, 2)) for column in range(first, last + 1)]
            else:
                text = forms[row % 4](row, row - stride)
                area = f"{column_name(first)}{row}:{column_name(last)}{row}"
                head = f'<f t="shared" ref="{area}" si="{row}">{text}</f>'
                for column in range(first, last + 1):
                    formula = head if column == first else f'<f t="shared" si="{row}"/>'
                    cells.append(f'<c r="{column_name(column)}{row}">{formula}<v>0</v></c>')
            yield _row(row, iter(cells))

    return {"Flows": rows()}


def _blocks() -> dict[str, Iterator[str]]:
    """Six sheets of a plan by months: lines filled right over twelve columns.

    They read the month before, other lines, the sheet before and the first sheet's assumptions.
    """
    rng = np.random.default_rng(2)
    sheets, lines, months = 6, 834, 12
    shapes = [
        "{c}{a}*Plan1!$B${k}+{c}{b}", "{c}{a}-{c}{b}", "SUM({c}{b}:{c}{a})", "IF({c}{a}&gt;0,{c}{a}*Plan1!$B${k},0)",
        "{p}{row}+{c}{a}", "ROUND({c}{a}*1.{k:02d},2)", "MAX({c}{a},{c}{b})-{k}", "{before}!{c}{row}*0.5+{c}{a}",
    ]  # fmt: skip

    def rows(number: int) -> Iterator[str]:
        before = f"Plan{max(number - 1, 1)}"
        for row in range(1, 21):
            yield _row(row, (_number(row, column, round(rng.random() * 9 + 1, 3)) for column in range(2, 15)))
        for line in range(lines):
            row = 21 + line
            # A form stands in about a dozen lines: the same shape, distances and assumption.
            form = line % (400 // sheets + 1)
            shape, k = shapes[form % len(shapes)], 1 + form % 20
            if number == 1 and "before" in shape:
                shape = shapes[0]
            a, b = row - 1 - form % 3, row - 4 - form % 7
            cells = [_number(row, 2, k)]
            for month in range(months):
                c, p = column_name(3 + month), column_name(2 + month)
                text = shape.format(c=c, p=p, a=a, b=b, k=k, row=row, before=before)
                cells.append(_formula(row, 3 + month, text))
            yield _row(row, iter(cells))

    return {f"Plan{number}": rows(number) for number in range(1, sheets + 1)}


def _model(folder: Path) -> Measure:
    """Chains of blocks, matrices and look-ups of an energy model."""
    rng = np.random.default_rng(3)
    first, second = rng.random((SIDE, SIDE)).round(4), rng.random((SIDE, SIDE)).round(4)
    hours, regions = 3000, 40

    def matrices() -> Iterator[str]:
        for row in range(1, SIDE + 1):
            yield _row(row, (_number(row, column + 1, value) for column, value in enumerate(first[row - 1].tolist())))
        for row in range(SIDE + 1, 2 * SIDE + 1):
            values = second[row - SIDE - 1].tolist()
            yield _row(row, (_number(row, column + 1, value) for column, value in enumerate(values)))

    end = column_name(SIDE)
    a, b = f"In!$A$1:${end}${SIDE}", f"In!$A${SIDE + 1}:${end}${2 * SIDE}"

    def products() -> Iterator[str]:
        """The product of both, its transpose, and the product of these."""
        forms = [f"MMULT({a},{b})", f"TRANSPOSE(A1:{end}{SIDE})", f"MMULT(A1:{end}{SIDE},A{SIDE + 1}:{end}{2 * SIDE})"]
        for block, text in enumerate(forms):
            top = block * SIDE + 1
            for row in range(top, top + SIDE):
                cells = [f'<c r="{column_name(column)}{row}"><v>0</v></c>' for column in range(1, SIDE + 1)]
                if row == top:
                    area = f"A{top}:{end}{top + SIDE - 1}"
                    cells[0] = f'<c r="A{top}"><f t="array" ref="{area}">{text}</f><v>0</v></c>'
                yield _row(row, iter(cells))

    def flows() -> Iterator[str]:
        """Hours down, regions across: each hour from the one before, its inputs by look-ups."""
        heads = (_number(1, column, column - 2) for column in range(3, 3 + regions))
        yield _row(1, iter([_number(1, 1, 0), _number(1, 2, 0), *heads]))
        for row in range(2, hours + 2):
            cells = [_number(row, 1, row - 1), _number(row, 2, round(rng.random(), 4))]
            for number in range(regions):
                c = column_name(3 + number)
                match number % 8:
                    case 0:
                        text = f"SUMPRODUCT(In!$A$1:$A$20,In!$B$1:$B$20)*$B{row}+{c}$1"
                    case 1:
                        match = f"MATCH($A{row},$A$2:$A${hours + 1},0)-INT(($A{row}-1)/200)*200"
                        text = f"INDEX(In!$A$1:${end}${SIDE},{match},{c}$1)"
                    case 2:
                        text = f"HLOOKUP({c}$1,$C$1:$AZ$1,1,FALSE)+$B{row}"
                    case 3:
                        text = f"OFFSET(In!$A$1,MOD($A{row},50),{c}$1)*$B{row}"
                    case 4:
                        text = f"{column_name(2 + number)}{row}+{column_name(1 + number)}{row}"
                    case 5:
                        text = f"IF({column_name(2 + number)}{row}&gt;1,{column_name(2 + number)}{row}-1,$B{row})"
                    case 6:
                        text = f"{c}{row - 1}*0.9+{column_name(2 + number)}{row}*0.1"
                    case _:
                        text = f"ROUND({column_name(2 + number)}{row}*1.05,3)"
                cells.append(_formula(row, 3 + number, text))
            yield _row(row, iter(cells))

    path = _saved(folder / "model.xlsx", {"In": matrices(), "Products": products(), "Flows": flows()})

    def beside() -> object:
        _read(path)
        product = first @ second
        return product @ product.T

    return Measure(
        "150k formulas of a model: blocks, MMULT and TRANSPOSE of 200 x 200, SUMPRODUCT, INDEX, HLOOKUP, OFFSET",
        "NumPy by hand for the arrays, and reading", 4, lambda: recalculate(_read(path)), beside,
    )  # fmt: skip


def _single_forms(folder: Path) -> Measure:
    """Formulas of which no two have the same form."""
    texts = [
        f"ROUND(B{row}*{row / 8}+IF(C{row}&gt;{row},D{row},B{row}/{row}),2)-SUM(B{row}:D{row})"
        for row in range(1, 20_001)
    ]

    def rows() -> Iterator[str]:
        for row, text in enumerate(texts, start=1):
            cells = [_number(row, column, row % (90 + column)) for column in (2, 3, 4)]
            yield _row(row, iter([*cells, _formula(row, 5, text)]))

    path = _saved(folder / "single.xlsx", {"Single": rows()})
    spelled = [text.replace("&gt;", ">") for text in texts]
    return Measure(
        "20k formulas, each of its own form", "one tokeniser pass over each", 3,
        lambda: recalculate(_read(path)), lambda: [tokenise(text) for text in spelled],
    )  # fmt: skip
