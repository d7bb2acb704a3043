"""Variants of a workbook: cells found and set, values as their cells take them, each from the same start."""

from datetime import UTC, date, datetime

import pypdfium2
import pytest

from books import book_of
from tinquire.base.faults import DataError, TinQuireError, UseError
from tinquire.base.processes import map_in_processes
from tinquire.cells.address import Area
from tinquire.cells.dates import serial_from_date
from tinquire.larkfold.dashboard import dashboard_template
from tinquire.looks import Appearance
from tinquire.pages.pdf import pdf_of
from tinquire.pages.sheet_layout import Asked
from tinquire.pages.variants import PrintPlan, Setting, Variant, faults_of, find_setting, variant_pages
from tinquire.press.outputs.variants import Finished, VariantJob, made_variants
from tinquire.workbook import Workbook
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.page_setup import PageSetup

NOW = datetime(2026, 11, 3, 9, tzinfo=UTC)
DAY = serial_from_date(date(2026, 10, 31))
RATES = {"Harbour": 3.0, "Uplands": 5.0, "Empty": 0.0}


def master(**more):
    """A report on a depot and a day, over a sheet of rates."""
    cells = {"A1": "Depot", "B1": "Harbour", "A2": "Day", "B2": DAY, "A4": "Rate", "B4": "=IFERROR(VLOOKUP(B1,Rates!A1:B3,2,FALSE),1/0)",
             "A5": "Twice", "B5": "=B4*2", **more}  # fmt: skip
    rates = {
        f"{letter}{row}": value
        for row, pair in enumerate(RATES.items(), start=1)
        for letter, value in zip("AB", pair, strict=True)
    }
    book = book_of({"Report": cells, "Rates": rates})
    sheet = book.sheet("Report")
    sheet.widths = {1: 16.0, 2: 16.0}
    sheet.page = PageSetup(margins=(0.5,) * 6)
    sheet.dress(2, 2, book.styles.number(Appearance(format="d mmm yyyy")))
    sheet.entry_rules.append(EntryRule((Area(1, 2, 1, 2),), "list", "between", ("Rates!$A$1:$A$4",)))
    sheet.entry_rules.append(EntryRule((Area(2, 2, 2, 2),), "date", "greaterThan", ("46000",)))
    book.settle()
    set_name(book, "chosen", "Report!$B$1")
    return Workbook.from_bytes(book.to_bytes(), "m.xlsx")


SETTINGS = [
    # as it is written, the usual sheet, the cell
    ("Report!B4", None, ("Report", 4, 2)),
    ("'Report'!$B$4", None, ("Report", 4, 2)),
    ("b4", "Report", ("Report", 4, 2)),
    ("chosen", None, ("Report", 1, 2)),
    ("CHOSEN", None, ("Report", 1, 2)),
    ("Day", None, ("Report", 2, 2)),
    ("day:", None, ("Report", 2, 2)),
    ("Uplands", None, ("Rates", 2, 2)),
]


@pytest.mark.parametrize(("written", "usual", "cell"), SETTINGS)
def test_a_cell_is_found(written, usual, cell):
    assert find_setting(master(), written, usual) == Setting(written, *cell)


MISSING = [
    ("nowhere", None, "it is no cell, name or heading"),
    ("b4", None, "it is no cell, name or heading"),
    ("Harbour", None, "it stands beside 2 cells: Report!C1, Rates!B1"),
    ("Gone!A1", None, "no sheet"),
    ("Depot", "Rates", "it is no cell, name or heading"),
]


@pytest.mark.parametrize(("written", "usual", "why"), MISSING)
def test_a_cell_that_is_not_there(written, usual, why):
    with pytest.raises(TinQuireError, match=why):
        find_setting(master(), written, usual)


def variant(place="row 2", **values):
    book = master()
    return Variant(place, tuple((find_setting(book, written), value) for written, value in values.items()))


FAULTS = [
    # what is set, why it may not be
    ({"chosen": "Harbour"}, None),
    ({"chosen": "Harbor"}, "the cell takes only"),
    ({"chosen": "Harbour", "Day": "2026-10-05"}, None),
    ({"Day": "05/10/2026"}, "the cell holds a day, and the value is a text"),
    ({"Day": 46500.0}, None),
    ({"Day": 3.0}, "the cell takes only"),
    ({"chosen": None}, None),
]


@pytest.mark.parametrize(("values", "why"), FAULTS)
def test_values_are_looked_at_before_anything_is_made(values, why):
    book = master()
    before = book.sheet("Report").value(1, 2)
    faults = list(faults_of(book, [variant(**values)], 46_000.0))
    assert [fault.why[: len(why or "")] for fault in faults] == ([] if why is None else [why])
    assert all(fault.where == "row 2" for fault in faults) and book.sheet("Report").value(1, 2) == before


def test_all_that_is_wrong_in_a_list_is_told_at_once():
    many = [variant(f"row {number}", chosen=name) for number, name in enumerate(("Harbour", "x", "y"), start=2)]
    assert [fault.where for fault in faults_of(master(), many, 46_000.0)] == ["row 3", "row 4"]


def printed(plan=None, **values):
    data = master().to_bytes()
    pages = variant_pages(data, "m.xlsx", variant(**values), plan or PrintPlan(("Report",)), NOW)
    return pypdfium2.PdfDocument(pdf_of(pages, NOW))[0].get_textpage().get_text_bounded().split()


def test_what_depends_on_the_cells_is_worked_out():
    assert printed(chosen="Uplands") == ["Depot", "Uplands", "Day", "31", "Oct", "2026", "Rate", "5", "Twice", "10"]
    assert printed(chosen="Harbour", Day="2026-10-05") == [
        "Depot",
        "Harbour",
        "Day",
        "5",
        "Oct",
        "2026",
        "Rate",
        "3",
        "Twice",
        "6",
    ]


STOPPED = [
    ({"chosen": "Nobody"}, PrintPlan(("Report",)), r"Report!B4 shows #DIV/0! \(=IFERROR"),
    ({"chosen": "Empty"}, PrintPlan(("Report",), Asked(areas=(Area(4, 1, 5, 2),))), "the report is empty"),
]


@pytest.mark.parametrize(("values", "plan", "why"), STOPPED)
def test_errors_and_empty_reports_stop_a_variant(values, plan, why):
    with pytest.raises(DataError, match=why):
        printed(plan, **values)


def test_what_may_be_empty_or_is_not_printed():
    area = Asked(areas=(Area(4, 1, 5, 2),))
    assert printed(PrintPlan(("Report",), area, allow_empty=True), chosen="Empty") == ["Rate", "0", "Twice", "0"]
    assert printed(PrintPlan(("Report",), Asked(areas=(Area(1, 1, 2, 2),))), chosen="Nobody") == [
        "Depot",
        "Nobody",
        "Day",
        "31",
        "Oct",
        "2026",
    ]


def test_pivots_follow_the_cells():
    """The dashboard's pivots and charts are over its rows: what a variant sets there is in them."""
    data = dashboard_template()
    book = Workbook.from_bytes(data, "d.xlsx")
    own = Variant("row 2", ((find_setting(book, "Data!H2"), 4_004.8),))
    found = [
        pypdfium2.PdfDocument(pdf_of(variant_pages(data, "d.xlsx", one, PrintPlan(("Dashboard",)), NOW), NOW))[0]
        for one in (Variant("row 1", ()), own)
    ]
    before, after = (page.get_textpage().get_text_bounded() for page in found)
    assert "£20.60" in before and "£4,020.60" in after and "£20.60" not in after


# -- many of them ----------------------------------------------------------------------------------------


def job(**settings):
    return VariantJob(master().to_bytes(), "m.xlsx", PrintPlan(("Report",), **settings), NOW, "pdf")


def test_one_that_fails_stops_no_other():
    names = ["Harbour", "Nobody", "Uplands", "Harbour"]
    made = list(made_variants(job(), [variant(chosen=name) for name in names], names, workers=1))
    assert [one.error is None for one in made] == [True, False, True, True]
    assert made[0].contents[0] == made[3].contents[0] != made[2].contents[0], "none sees another's values"
    assert isinstance(made[1].error, DataError)


class Remembered(dict):
    find, put = dict.get, dict.__setitem__


def test_what_was_made_once_is_not_made_again():
    names, kept = ["Harbour", "Uplands"], Remembered()
    variants = [variant(chosen=name) for name in names]
    first, again = (list(made_variants(job(), variants, names, kept, workers=1)) for _ in range(2))
    assert [one.again for one in first] == [False, False] and [one.again for one in again] == [True, True]
    assert [one.contents for one in first] == [one.contents for one in again]
    other = list(made_variants(job(), variants, ["Harbour", "another title"], kept, workers=1))
    assert [one.again for one in other] == [True, False]


def test_the_moment_counts_where_the_workbook_asks_for_it():
    later = datetime(2026, 11, 4, 9, tzinfo=UTC)
    for formula, again in (("=B4", True), ("=NOW()", False)):
        data = master(A9="Now", B9=formula).to_bytes()
        kept, own = Remembered(), VariantJob(data, "m.xlsx", PrintPlan(("Report",)), NOW, "pdf")
        list(made_variants(own, [variant(chosen="Harbour")], ["t"], kept, workers=1))
        (one,) = made_variants(
            VariantJob(data, "m.xlsx", own.plan, later, "pdf"), [variant(chosen="Harbour")], ["t"], kept, workers=1
        )
        assert one.again == again


def test_several_processes_make_the_same():
    names = ["Harbour", "Uplands", "Nobody"] * 3
    variants = [variant(chosen=name) for name in names]
    one, two = (list(made_variants(job(), variants, names, workers=count)) for count in (1, 2))
    assert [made.contents for made in one] == [made.contents for made in two]
    assert [str(made.error) for made in one] == [str(made.error) for made in two]
    assert isinstance(one[2], Finished) and isinstance(two[2].error, DataError)


def _squared(shared, item):
    if item < 0:
        raise UseError
    return shared * item * item


def test_pieces_by_several_processes_come_in_order():
    assert list(map_in_processes(_squared, 2, range(20), 2)) == [2 * n * n for n in range(20)]
    with pytest.raises(UseError):
        list(map_in_processes(_squared, 2, [1, -1, 2], 2))
