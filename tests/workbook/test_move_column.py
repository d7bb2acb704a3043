"""A column moved: its cells, their looks and width, and all that reads them, go along."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tinquire.base.faults import DataError
from tinquire.cells.address import Area, column_name
from tinquire.looks import Variation
from tinquire.workbook import Sheet, Workbook, edit
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit import sheet_dress
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.inspect.contents import BookDetails

WIDTH = 5


def workbook():
    book, sheet = Workbook.new(), Sheet("Data")
    for column in range(1, WIDTH + 1):
        style = book.styles.vary(0, Variation(size=8.0 + column))
        sheet.set(1, column, f"C{column}", style)
        sheet.widths[column] = 10.0 + column
        for row in range(2, 6):
            sheet.set(row, column, float(row * 10 + column), style)
    sheet.set(2, 3, None, 0, "A2+B2*2")
    reader = Sheet("Reader")
    for row in range(1, WIDTH + 1):
        letter = column_name(row)
        reader.set(row, 1, None, 0, f"SUM(Data!{letter}2:{letter}5)")
        reader.set(row, 2, None, 0, f"Data!${letter}$3*2+MAX(Data!{letter}:{letter})")
    book.add_sheet(sheet)
    book.add_sheet(reader)
    made = Workbook.from_bytes(book.to_bytes(), "m.xlsx")
    sheet_dress.add_marks(
        made, "Data", [Mark((Area(2, 4, 5, 4),), "cellIs", ("30",), settings={"operator": "greaterThan"})]
    )
    recalculate(made)
    return made.to_bytes()


DATA = workbook()


def results(book):
    return [book.sheet("Reader").value(row, column) for row in range(1, WIDTH + 1) for column in (1, 2)]


@settings(max_examples=25)
@given(st.integers(1, WIDTH), st.integers(1, WIDTH + 1))
def test_what_reads_a_column_reads_it_where_it_went(column, before):
    book = Workbook.from_bytes(DATA, "m.xlsx")
    wanted = results(book)
    edit.move_column(book, "Data", column, before)
    book = Workbook.from_bytes(book.to_bytes(), "m.xlsx")
    order = [one for one in range(1, WIDTH + 1) if one != column]
    order.insert(len([one for one in order if one < before]), column)
    sheet = book.sheet("Data")
    assert [sheet.value(1, place) for place in range(1, WIDTH + 1)] == [f"C{one}" for one in order]
    assert [sheet.widths[place] for place in range(1, WIDTH + 1)] == [10.0 + one for one in order]
    sizes = [book.styles.appearance(sheet.style(1, place)).size for place in range(1, WIDTH + 1)]
    assert sizes == [8.0 + one for one in order]
    (mark,) = BookDetails(book).sheet("Data").marks
    assert mark.areas == (Area(2, order.index(4) + 1, 5, order.index(4) + 1),)
    assert not recalculate(book).errors and results(book) == wanted
    assert conformance_findings(book.package) == []


def test_an_array_formula_is_not_torn():
    book = Workbook.from_bytes(DATA, "m.xlsx")
    book.sheet("Data").set_spilling(8, 1, "A2:E2*2")
    recalculate(book)
    with pytest.raises(DataError, match="array formula"):
        edit.move_column(book, "Data", 2, 5)
