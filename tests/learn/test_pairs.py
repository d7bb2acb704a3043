"""Pairs as people make them: results stored, lines on all four sides, blocks beside the rows; replayed on sheets with
more rows and fewer."""

import random

import pytest

from tinquire.cells.address import parse_area
from tinquire.learn.find import learn
from tinquire.learn.prove import prove, replayed
from tinquire.learn.steps import Learned
from tinquire.looks import Edges, Variation
from tinquire.looks.appearance import Edge
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit import sheet_dress as edits
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.grid.sheet import SheetTable, TableColumn
from tinquire.workbook.sheet_xml.row_levels import with_rows

DEPOTS, LINE = ("Harbour", "Uplands", "Millrace"), Edge("thin")
EVERY = Edges(LINE, LINE, LINE, LINE)
CODES = {"Harbour": "H1", "Uplands": "U2", "Millrace": "M3"}


def rows_of(count, seed):
    chance = random.Random(seed)
    return [
        (46300.0 + chance.randrange(400), chance.choice(DEPOTS), chance.choice(("sheet", "towel", "apron")), float(chance.randrange(1, 60)), chance.randrange(100, 9000) / 100)
        for _ in range(count)
    ]  # fmt: skip


def sheet_of(name, headings, lines, top):
    book, sheet = Workbook.new(), Sheet(name)
    day = book.styles.vary(0, Variation(format="yyyy-mm-dd"))
    for column, heading in enumerate(headings, 1):
        sheet.set(top, column, heading)
    for row, line in enumerate(lines, top + 1):
        for column, value in enumerate(line, 1):
            sheet.set(row, column, value, day if headings[column - 1] == "Date" else 0)
    book.add_sheet(sheet)
    return book, sheet


def listing(count, seed, after):
    """A listing that gets a column of codes, coloured headings, and lines around all cells down to the last row."""
    lines, headings = rows_of(count, seed), ["Date", "Depot", "Item", "Pieces", "Charge"]
    if after:
        headings, lines = [*headings, "Code"], [(*line, CODES[line[1]]) for line in lines]
    book, sheet = sheet_of("Listing", headings, lines, 4)
    sheet.set(1, 1, "Monthly listing")
    for row in range(4, 5 + count) if after else ():
        for column in range(1, len(headings) + 1):
            more = {"bold": True, "fill": "DDE6ED"} if row == 4 else {}
            sheet.dress(row, column, book.styles.vary(sheet.style(row, column), Variation(edges=EVERY, **more)))
    return book.to_bytes()


def report(count, seed, after):
    """A report that is sorted and gets a year, sums and averages, sums by depot beside it, a drop-down and a mark."""
    lines, headings = rows_of(count, seed), ["Date", "Depot", "Item", "Pieces", "Charge"]
    if after:
        lines.sort(key=lambda line: (line[1], -line[4]))
        headings = [*headings, "Year"]
    book, sheet = sheet_of("Report", headings, lines, 3)
    last = 3 + count
    if after:
        strong = book.styles.vary(0, Variation(bold=True, edges=Edges(top=LINE)))
        for row in range(4, last + 1):
            sheet.set(row, 6, None, book.styles.vary(0, Variation(format="0")), f"YEAR(A{row})")
        for row, (label, function) in enumerate((("Total", "SUM"), ("Average", "AVERAGE")), last + 1):
            sheet.set(row, 1, label, strong)
            for column, letter in ((4, "D"), (5, "E")):
                sheet.set(row, column, None, strong, f"{function}({letter}4:{letter}{last})")
        sheet.set(3, 9, "By depot", strong)
        for row, depot in enumerate(DEPOTS, 4):
            sheet.set(row, 9, depot)
            sheet.set(row, 10, None, 0, f"SUMIF($B$4:$B${last},I{row},$E$4:$E${last})")
    if not after:
        return book.to_bytes()
    made = Workbook.from_bytes(book.to_bytes(), "r.xlsx")
    look = made.styles.partial_number(Variation(fill="FFE3D0"))
    edits.add_marks(made, "Report", [Mark((parse_area(f"A4:F{last}"),), "expression", ("$E4>50",), look=look)])
    rules = [EntryRule((parse_area("J1:J1"),), "list", formulas=("$I$4:$I$6",), blank=True), EntryRule((parse_area(f"C4:C{last}"),), "list", formulas=('"sheet,towel,apron"',), blank=True)]  # fmt: skip
    edits.add_entry_rules(made, "Report", rules)
    recalculate(made)
    return made.to_bytes()


def plain_summary(count, seed, after):
    """Rows, and a sheet on which somebody summed them up by depot, with stored results."""
    lines = rows_of(count, seed)
    book, _ = sheet_of("Rows", ["Date", "Depot", "Item", "Pieces", "Charge"], lines, 2)
    if after:
        sums = Sheet("By depot")
        sums.set(1, 1, "Charged by depot")
        for column, heading in enumerate(("Depot", "Charge", "Bags", "Mean"), 1):
            sums.set(3, column, heading)
        for row, depot in enumerate(sorted({line[1] for line in lines}), 4):
            own = [line[4] for line in lines if line[1] == depot]
            for column, value in enumerate((depot, sum(own), float(len(own)), sum(own) / len(own)), 1):
                sums.set(row, column, value)
        book.add_sheet(sums)
    return book.to_bytes()


def tabled(count, seed, after):
    """A table part with a column worked out in its own words, and a total in its totals row's place."""
    lines, headings = rows_of(count, seed), ["Date", "Depot", "Item", "Pieces", "Charge"]
    if after:
        headings, lines = (
            ["Date", "Depot", "Item", "Pieces", "Each", "Charge"],
            [(*line[:4], None, line[4]) for line in lines],
        )
    book, sheet = sheet_of("Table", headings, lines, 1)
    sheet.tables.append(
        SheetTable("Bags", parse_area(f"A1:{'F' if after else 'E'}{count + 1}"), tuple(map(TableColumn, headings)))
    )
    for row in range(2, count + 2) if after else ():
        sheet.set(row, 5, None, 0, "Bags[[#This Row],[Charge]]/Bags[[#This Row],[Pieces]]")
    return book.to_bytes()


def summed(count, seed, after):
    """An export with its own line of totals, which somebody sets off; columns get a format, and rows a sum each."""
    lines, headings = rows_of(count, seed), ["Date", "Depot", "Item", "Pieces", "Charge"]
    if after:
        headings, lines = [*headings, "Each"], [(*line, None) for line in lines]
    book, sheet = sheet_of("Export", headings, lines, 3)
    last = 3 + count
    strong = book.styles.vary(0, Variation(bold=True, edges=Edges(top=LINE))) if after else 0
    sheet.set(last + 1, 1, "Total", strong)
    sheet.set(last + 1, 4, sum(line[3] for line in lines), strong)
    for row in range(4, last + 1) if after else ():
        sheet.set(row, 6, None, book.styles.vary(0, Variation(format="0.00")), f"E{row}/D{row}")
    return book.to_bytes()


def scattered(count, seed, after):
    """A form without a list: single cells, a label that looks otherwise, a formula of cells."""
    book, sheet = Workbook.new(), Sheet("Form")
    for row, label in enumerate(("Name", "Days", "A day", "In all"), 2):
        sheet.set(row, 2, label)
    sheet.set(3, 3, float(count))
    sheet.set(4, 3, 12.5)
    if after:
        sheet.set(5, 3, None, book.styles.vary(0, Variation(bold=True, format="0.00")), "C3*C4")
        sheet.dress(2, 2, book.styles.vary(0, Variation(fill="DDE6ED")))
        sheet.set(2, 3, "nobody yet")
    book.add_sheet(sheet)
    return book.to_bytes()


PAIRS = {
    "listing": listing,
    "report": report,
    "summary": plain_summary,
    "table": tabled,
    "export": summed,
    "form": scattered,
}
WORDS = {
    "listing": ["SWITCH([Depot]", "outside thin, between rows thin, between columns thin", "headings are shown"],
    "report": ["=YEAR([Date])", "sorted by Depot, -Charge", "=SUMIF(rows[Depot],I4,rows[Charge])", "=AVERAGE(rows[Pieces])", "one of $I$4:$I$6", "[Charge]>50"],
    "summary": ["a summary on 'By depot'", "A1 becomes 'Charged by depot'"],
    "table": ["[Charge]/[Pieces]"],
    "export": ["=[Charge]/[Pieces]", "below the last row: what stands there is set off"],
    "form": ["=C3*C4", "C2 becomes 'nobody yet'", "B2 looks otherwise"],
}  # fmt: skip


@pytest.mark.parametrize("name", PAIRS)
def test_a_pair_is_explained_and_replayed_on_more_rows_and_fewer(name):
    make = PAIRS[name]
    found = learn(make(40, 1, False), "a.xlsx", Workbook.from_bytes(make(40, 1, True), "a.xlsx"))
    assert found.is_whole, found.unexplained
    said = " ".join(step.says for step in found.steps)
    assert all(word in said for word in WORDS[name]), said
    for count, seed in ((12, 2), (90, 3)):
        compared = Learned()
        done = replayed(make(count, seed, False), "a.xlsx", found.steps, found.home)
        prove(done, Workbook.from_bytes(make(count, seed, True), "a.xlsx"), compared)
        assert compared.is_whole, compared.unexplained


def left(data, change):
    """What is left over of a change that no step can make."""
    book = Workbook.from_bytes(data, "a.xlsx")
    change(book)
    return learn(data, "a.xlsx", Workbook.from_bytes(book.to_bytes(), "a.xlsx"))


def strange(book):
    """Numbers that nothing explains, in rows that nothing has in common."""
    for row, value in ((6, 7.13), (9, 1.97), (14, 3.33)):
        book.sheet("Listing").set(row, 5, value)


def beside(book):
    """More cells beside the rows than are said one by one."""
    for row in range(1, 260):
        book.sheet("Listing").set(row, 8, float(row * row % 7))


def higher(book):
    """A row made higher by hand, which no step can say."""
    part = book.entry("Listing").part
    book.part_changed(part, with_rows(book.package.read(part), {4: {"ht": "30", "customHeight": "1"}}))


LEFT = [(beside, False), (higher, False), (strange, True), (lambda book: book.sheet("Listing").set(30, 2, True), True)]


@pytest.mark.parametrize(("change", "whole"), LEFT)
def test_what_is_not_explained_is_listed_and_what_is_said_is_true(change, whole):
    found = left(listing(40, 1, False), change)
    compared = Learned()
    book = Workbook.from_bytes(listing(40, 1, False), "a.xlsx")
    change(book)
    prove(replayed(listing(40, 1, False), "a.xlsx", found.steps, found.home), book, compared)
    assert compared.unexplained == found.unexplained and found.is_whole == whole


def test_one_sheet_of_several_is_learned_for_all(tmp_path, tinquire):
    book = Workbook.from_bytes(listing(20, 1, False), "a.xlsx")
    for number, count in enumerate((15, 30), 2):
        other = Workbook.from_bytes(listing(count, number, False), "b.xlsx").sheet("Listing")
        sheet = Sheet(f"Listing {number}")
        rows, columns = other.extent()
        for row in range(1, rows + 1):
            for column in range(1, columns + 1):
                if (value := other.value(row, column)) is not None:
                    sheet.set(row, column, value)
        book.add_sheet(sheet)
    (tmp_path / "before.xlsx").write_bytes(book.to_bytes())
    first = book.sheet("Listing")
    for row in range(5, 25):
        first.set(row, 6, None, 0, f"D{row}*2")
    first.set(4, 6, "Twice")
    (tmp_path / "after.xlsx").write_bytes(book.to_bytes())
    learned = tmp_path / "learned.toml"
    assert tinquire("learn", tmp_path / "before.xlsx", tmp_path / "after.xlsx", "--out", learned).code == 0
    words = ("--with", learned, "--every-sheet", "--out", tmp_path / "out")
    assert tinquire("amend", tmp_path / "before.xlsx", *words).code == 0
    made = Workbook.open(tmp_path / "out/before.xlsx")
    assert [
        made.sheet(name).formula(last, 6).text for name, last in (("Listing", 24), ("Listing 2", 19), ("Listing 3", 34))
    ]
    assert made.sheet("Listing 3").value(4, 6) == "Twice" and made.sheet("Listing 2").formula(20, 6) is None
