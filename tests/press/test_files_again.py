"""Files of a template one after the other: the same bytes as each for itself."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from templatebook import DOCKET, ROWS, template
from tinquire.base.faults import TinQuireError
from tinquire.cells.column import Column
from tinquire.docket import load_docket, parse_period
from tinquire.docket.schema.workbooks import TemplateRowsModel
from tinquire.looks import House
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.make import make
from tinquire.press.outputs import filled_files, refilled, workbooks
from tinquire.press.outputs.filled_files import filled_file
from tinquire.tables import Field, Table
from tinquire.workbook import Workbook
from tinquire.workbook.edit.templates import Template


def one_file(source, number, rows, asked):
    """A file of rows (depot, item, pieces), or what is wrong; the rate is the number of the file, which the slots have,
    too."""
    numbers = [row[2] for row in rows]
    columns = [[row[0] for row in rows], [row[1] for row in rows], numbers, [float(number)] * len(rows)]
    fields = ["Depot", "Item", "Pieces", "Rate"]
    if any(len(row) > 3 for row in rows):  # what the template's own formula has to come to
        fields, columns = [*fields, "Charge"], [*columns, [row[3] for row in rows]]
    bags = Table("bags", tuple(map(Field, fields)), tuple(map(Column.from_values, columns)))
    names = {"period": "October", "last": float(number), "place": rows[0][0] if rows else None, "flag": True}
    scope, moment = SlotScope(House(), names, tables={}), datetime(2026, 11, 3, number, tzinfo=UTC)
    try:
        made = filled_file(source, asked, {"bags": bags}, scope, "out.xlsx", moment)
    except TinQuireError as error:
        return str(error)
    return made.content, [str(fault) for fault in (*made.rows.warnings, *made.warnings)], made.rows.notes


def with_header(book):
    book.sheet("Board")  # it is read before its part changes
    part = book.entry("Board").part
    data = book.package.read(part)
    at = data.index(b"<drawing")
    header = b"<headerFooter><oddHeader>[:period:]</oddHeader></headerFooter>"
    book.part_changed(part, data[:at] + header + data[at:])


def spelled_otherwise(book):
    """A result in two places spelled as we would not; the second is as it is in file 3."""
    part = book.entry("Board").part
    data = book.package.read(part)
    assert data.count(b"<v>6</v>") == 1
    book.part_changed(part, data.replace(b"<v>6</v>", b"<v>6.00</v>"))


def formula(text):
    return lambda book: book.sheet("Board").set(20, 1, None, formula=text)


def slot(text):
    return lambda book: book.sheet("Data").set(1, 1, text)


def spill(book):
    book.sheet("Board").set_spilling(20, 1, "SORT(Data!C4:C5)")


PLAIN = [("a", 1.0), ("a", 2.0), ("a", 3.0)]
TEXTS = [("a", 1.0), ("b & c", 1.0), ("<d>", 1.0)]
WITH_SLOT = [("a", 1.0), ("b", 2.0), ("[:period:]", 3.0)]
#: What is done to a template, item and pieces in the first row of three files, and whether the third is made by what is
#: known of the others.
AGAIN = {
    "values alone": (None, PLAIN, True),
    "texts as results": (formula('"<"&Data!B4&">"'), TEXTS, True),
    "values of other kinds": (formula("Data!C4"), [("a", 1.0), ("b", "x"), (2.0, True)], True),
    "blanks": (None, [("a", 1.0), (None, 2.0), ("b", None)], True),
    "a slot in a text": (slot("up to [:last:]"), PLAIN, True),
    "a slot for a number": (slot("[:last:]"), PLAIN, True),
    "the moment": (formula("NOW()"), PLAIN, True),
    "a result that stays as it is spelled": (spelled_otherwise, [("a", 5.0), ("a", 7.0), ("a", 1.0)], True),
    "a slot among the values": (None, WITH_SLOT, False),
    "a slot that the template has": (slot("[:period:]"), WITH_SLOT, False),
    "a result in error": (formula("1/Data!C4"), [("a", 1.0), ("a", 2.0), ("a", 0.0)], False),
    "random numbers": (formula("RAND()"), PLAIN, False),
    "cells that are not named": (formula('INDIRECT("Data!C4")'), PLAIN, False),
    "a result that spills": (spill, PLAIN, False),
    "a slot with a format": (slot("[:last as 0.00:]"), PLAIN, False),
    "a slot that stays a formula": (slot("[:=SUM(C4:C5):]"), PLAIN, False),
    "a row for each": (slot("[:bags.Depot:]"), PLAIN, False),
    "a row that is kept": (slot("[:only if flag:]kept"), PLAIN, False),
    "a slot in a header": (with_header, PLAIN, False),
}


@pytest.mark.parametrize("label", AGAIN)
def test_what_is_known_of_one_file_makes_others(tmp_path, monkeypatch, label):
    change, firsts, again = AGAIN[label]
    template(tmp_path / "t.xlsx", table=True)
    book = Workbook.open(tmp_path / "t.xlsx")
    if change is not None:
        change(book)
    data, asked, known = book.to_bytes(), {"Bags": TemplateRowsModel(table="bags")}, []

    def noted(*given):
        known.append(refilled.refilled(*given))
        return known[-1]

    monkeypatch.setattr(filled_files, "refilled", noted)
    once = Template(lambda: Workbook.from_bytes(data, "t.xlsx"))
    for number, first in enumerate(firsts, start=1):
        rows = [("Quay", *first), ("Harbour", "b", 5.0)]
        found, is_again = one_file(once, number, rows, asked), known[-1] is not None
        assert found == one_file(Template(lambda: Workbook.from_bytes(data, "t.xlsx")), number, rows, asked)
    assert is_again == again


def test_a_file_whose_formulas_come_to_something_else_is_refused(tmp_path):
    template(tmp_path / "t.xlsx", table=True)
    source = Template(lambda: Workbook.open(tmp_path / "t.xlsx"))
    asked = {"Bags": TemplateRowsModel(table="bags")}
    for number in (1, 2):
        assert isinstance(one_file(source, number, [("Quay", "a", 2.0, 2.0 * number)], asked), tuple)
    wrong = one_file(source, 3, [("Quay", "a", 2.0, 7.0)], asked)
    assert "it shows 6 by =C4*D4, and table 'bags', column 'Charge' has 7" in wrong


EACH = """
each = "depots"
key = "Depot"
own = { mine = { from = "bags", Depot = "Depot" } }
"""


@pytest.mark.parametrize("text", ["bags of [:Depot:]", "[:SUM(mine[Pieces]):]"])
def test_files_of_a_docket_are_made_by_what_is_known(tmp_path, monkeypatch, text):
    (tmp_path / "bags.csv").write_text(ROWS + "Millrace,Sheet,4,2\n", "utf-8")
    (tmp_path / "depots.csv").write_text("Depot\nHarbour\nMillrace\nUplands\n", "utf-8")
    docket = DOCKET.format(rows='Bags = { table = "mine" }').replace("[workbooks.w]", "[workbooks.w]" + EACH)
    docket = docket.replace("sources.bags", 'sources.depots.file = "depots.csv"\nsources.bags', 1)
    (tmp_path / "docket.toml").write_text(docket.replace("out.xlsx", "[:Depot:].xlsx"), "utf-8")
    template(tmp_path / "t.xlsx", table=True)
    book = Workbook.open(tmp_path / "t.xlsx")
    book.sheet("Data").set(1, 1, text)
    book.save(tmp_path / "t.xlsx")
    runs, known = [], []
    for plain in (False, True):

        def noted(*given, plain=plain):
            known.append(None if plain else refilled.refilled(*given))
            return known[-1]

        monkeypatch.setattr(workbooks, "refilled", noted)
        runs.append(make(load_docket(tmp_path / "docket.toml"), parse_period("2026-10")).outputs)
    assert [one is not None for one in known] == [False, True, True, False, False, False]
    assert repr(runs[0]) == repr(runs[1]) and len({one.content for one in runs[0]}) == 3
    assert all(one.sources for one in runs[0])


SLOTS = [
    "[:period:]", "up to [:last:], [:place:]", "[:last:]", "[:place as title:]", "[:flag:]", "[:last + 1:]",
    "[:last as 0.00:]", "[:=SUM(A1:A2):]", "[:only if flag:]kept", "[:bags.Depot:]", "[:nothing:]", "[:place",
]  # fmt: skip
FORMULAS = [
    'COUNTIF(Data!A4:A9,"Quay")&" at the quay"', 'IF(Data!C4>5,"many",Data!C4)', "NOW()", "RAND()", "1/Data!C4",
    'INDIRECT("Data!C4")', "Data!A4", "SUMIFS(Data!D1:D60,Data!A1:A60,A1)", "SORT(Data!C4:C5)", "SUBTOTAL(9,Data!C4:C9)",
]  # fmt: skip
VALUES = st.sampled_from([None, 0.5, True, 1e300, -0.0, "", "a<b>&c", "[:period:]", " two  blanks ", "x\ny", "_x000D_"])
ROW = st.tuples(st.sampled_from(["Harbour", "Millrace", "Quay"]), st.one_of(st.integers(0, 9).map(float), VALUES))
#: Files of the same height come again, so that those that follow may be made by what is known of the first.
FILES = st.lists(st.one_of(*(st.lists(ROW, min_size=n, max_size=n) for n in (0, 1, 3))), min_size=3, max_size=7)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    FILES, st.booleans(), st.integers(1, 3), st.booleans(), st.lists(st.sampled_from(SLOTS), max_size=2, unique=True),
    st.lists(st.sampled_from(FORMULAS), max_size=2, unique=True), st.booleans(),
)  # fmt: skip
def test_a_template_opened_once_gives_the_same_files(tmp_path, files, table, sample, stays, slots, formulas, chart):
    """Each file is byte for byte what it is when the template is opened for it alone."""
    template(tmp_path / "t.xlsx", table=table, sample=sample, chart=chart)
    book = Workbook.open(tmp_path / "t.xlsx")
    for name, text in zip(("Data", "Board"), slots, strict=False):
        book.sheet(name).set(1, 1, text)
    for row, text in enumerate(formulas, start=20):
        book.sheet("Board").set(row, 1, None, formula=text)
    data, target = book.to_bytes(), "Bags" if table else "Data"
    asked = {target: TemplateRowsModel(table="bags", at="A4", below="stay" if stays else "move")}

    def opened():
        return Template(lambda: Workbook.from_bytes(data, "t.xlsx"))

    once = opened()
    for number, rows in enumerate(files):
        rows = [(depot, value, value if isinstance(value, float) else 1.5) for depot, value in rows]
        assert one_file(once, number, rows, asked) == one_file(opened(), number, rows, asked)
        assert one_file(once, number, rows, asked) == one_file(once, number, rows, asked)
