"""Why a cell holds what it holds, and what reads it."""

from __future__ import annotations

import pytest

from books import book_of
from tinquire.base.faults import DataError
from tinquire.cells import Area, CellError
from tinquire.workbook import SheetTable
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.grid.sheet import TableColumn
from tinquire.workbook.inspect.trace import Tracer
from tinquire.workbook.parts.defined_names import DefinedName

CHARGES = SheetTable(
    "Charges", Area(1, 1, 5, 4), tuple(TableColumn(one) for one in ("Depot", "Pieces", "Rate", "Charge"))
)
SHEETS = {
    "Charges": {
        "A1": "Depot", "B1": "Pieces", "C1": "Rate", "D1": "Charge",
        "A2": "Harbour", "B2": 4.0, "C2": 0.5, "D2": "=Charges[[#This Row],[Pieces]]*Charges[[#This Row],[Rate]]",
        "A3": "Millrace", "B3": 6.0, "C3": 0.25, "D3": "=Charges[[#This Row],[Pieces]]*Charges[[#This Row],[Rate]]",
        "A4": "Harbour", "B4": 2.0, "C4": 0.5, "D4": "=Charges[[#This Row],[Pieces]]*Charges[[#This Row],[Rate]]",
        "A5": "Uplands", "B5": 1.0, "C5": 3.0, "D5": "=Charges[[#This Row],[Pieces]]*Charges[[#This Row],[Rate]]",
    },
    "Cover": {
        "B2": "Depot", "C2": "Charged", "D2": "Share",
        "B3": "Harbour", "C3": "=SUMIFS(Charges[Charge],Charges[Depot],B3)", "D3": "=C3/C$5",
        "B4": "Millrace", "C4": "=SUMIFS(Charges[Charge],Charges[Depot],B4)", "D4": "=C4/C$5",
        "B5": "All", "C5": "=SUM(Charges!D2:D5)", "E5": "=VLOOKUP(\"Uplands\",Charges!A1:D5,3,FALSE)",
        "F5": "=XLOOKUP(\"nix\",Charges!A2:A5,Charges!B2:B5,0)", "G5": "=MATCH(\"Millrace\",Charges!A1:A5,0)",
        "H5": "=COUNTIF(Charges!A2:A5,\"H*\")", "I5": "=rate*2", "J5": "=SUM(",
    },
}  # fmt: skip


@pytest.fixture(scope="module")
def tracer():
    book = book_of(SHEETS, tables=[("Charges", CHARGES)], names=[DefinedName("rate", "Charges!$C$2")])
    recalculate(book)
    return Tracer(book, rows=2)


def test_a_cell_is_explained_in_words_of_headings_down_to_the_data(tracer):
    top = tracer.explain("cover", 3, 4, 3)
    assert (top.place, top.called, top.formula, top.words) == (
        "Cover!D3",
        "Harbour, Share",
        "=C3/C$5",
        "[Charged]/[All, Charged]",
    )
    charged, all_ = top.inputs
    assert (charged.place, charged.called, charged.shown) == ("Cover!C3", "Harbour, Charged", "3")
    assert charged.words == "SUMIFS(Charges[Charge],Charges[Depot],[Depot])"
    assert [(one.place, one.shown) for one in charged.inputs] == [
        ("Charges!D2", "2"), ("Charges!D3", "1.5"), ("Charges!D4", "1"), ("Charges!D5", "3"),
        ("Charges!A2", "Harbour"), ("Charges!A3", "Millrace"), ("Charges!A4", "Harbour"), ("Charges!A5", "Uplands"),
        ("Cover!B3", "Harbour"),
    ]  # fmt: skip
    assert all_.inputs[0].words == "Charges[Pieces]*Charges[Rate]"


@pytest.mark.parametrize(("depth", "levels"), [(0, 1), (1, 2), (2, 3), (3, 4), (9, 4)])
def test_the_tree_is_cut_at_a_depth(tracer, depth, levels):
    def deep(step):
        return 1 + max((deep(one) for one in step.inputs), default=0)

    assert deep(tracer.explain("Cover", 3, 4, depth)) == levels
    assert tracer.explain("Cover", 3, 4, 0).cut


@pytest.mark.parametrize(
    ("cell", "call", "headings", "rows", "count"),
    [
        (
            (3, 3),
            "SUMIFS(Charges[Charge],Charges[Depot],[Depot])",
            ("Depot", "Charge"),
            [(2, ("Harbour", "2")), (4, ("Harbour", "1"))],
            2,
        ),
        (
            (5, 5),
            'VLOOKUP("Uplands",[Depot to Charge],3,FALSE)',
            ("Depot", "Pieces", "Rate", "Charge"),
            [(5, ("Uplands", "1", "3", "3"))],
            1,
        ),
        ((5, 6), 'XLOOKUP("nix",[Depot],[Pieces],0)', ("Depot",), [], 0),
        ((5, 7), 'MATCH("Millrace",[Depot],0)', ("Depot",), [(3, ("Millrace",))], 1),
        ((5, 8), 'COUNTIF([Depot],"H*")', ("Depot",), [(2, ("Harbour",)), (4, ("Harbour",))], 2),
    ],
)
def test_the_rows_that_were_really_used_are_listed(tracer, cell, call, headings, rows, count):
    (data,) = tracer.explain("Cover", *cell, 1, to_data=True).data
    assert (data.call, data.sheet, data.headings, list(data.rows), data.count) == (
        call,
        "Charges",
        headings,
        rows,
        count,
    )


def test_names_plain_cells_and_unreadable_formulas_are_told_as_they_are(tracer):
    named = tracer.explain("Cover", 5, 9)
    assert named.words == "rate*2"
    assert [(one.place, one.called) for one in named.inputs] == [("Charges!C2", "rate")]
    plain = tracer.explain("Charges", 2, 2)
    assert (plain.formula, plain.inputs, plain.shown) == ("", (), "4")
    assert tracer.explain("Cover", 5, 10).words == "a value is missing at the end"
    assert tracer.explain("Cover", 99, 9).shown == "blank"
    with pytest.raises(DataError):
        tracer.explain("Nowhere", 1, 1)


@pytest.mark.parametrize(
    ("cell", "readers"),
    [
        (("Charges", 3, 2), ["Charges!D3", "Cover!E5", "Cover!F5"]),
        (("Charges", 3, 4), ["Cover!C3:C4", "Cover!C5", "Cover!E5"]),
        (("Cover", 5, 3), ["Cover!D3:D4"]),
        (("Charges", 2, 3), ["Charges!D2", "Cover!E5", "Cover!I5"]),
        (("Cover", 1, 1), []),
    ],
)
def test_what_reads_a_cell_is_found(tracer, cell, readers):
    assert [step.place for step in tracer.dependents(*cell)] == readers


def test_a_label_is_called_by_the_heading_of_its_column_and_not_by_the_label_above(tracer):
    (_, _, label) = tracer.explain("Cover", 4, 3, 1).inputs[-3:]
    assert (label.place, label.called, label.shown) == ("Cover!B4", "Depot", "Millrace")
    assert tracer.explain("Cover", 4, 3, 0).words == "SUMIFS(Charges[Charge],Charges[Depot],[Depot])"


def test_an_error_is_followed_to_the_cell_in_which_it_began():
    book = book_of(
        {
            "S": {"A1": 0.0, "A2": "=1/A1", "A3": "=A2+1", "A4": "=SUM(A1:A3)"},
            "T": {"A1": "=S!A4*2", "B1": "=B2", "B2": CellError.NA},
        }
    )
    recalculate(book)
    tracer = Tracer(book)
    assert tracer.cause("T", 1, 1) == "S!A2"
    assert tracer.cause("T", 1, 2) == "T!B2"
    assert tracer.cause("S", 2, 1) == "S!A2"
