"""Jobs other than the demo's, small enough to read: other periods, no template, odd rows, other mails."""

from __future__ import annotations

import email
from datetime import UTC, datetime
from email.policy import default

import pytest

from tinquire.base.faults import TinQuireError
from tinquire.cells.address import parse_cell
from tinquire.docket import load_docket, parse_period
from tinquire.packages.package import Package
from tinquire.press.make import make
from tinquire.press.publish import publish
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import conformance_findings

BASE = """title = "Hall lettings"
period = "quarter"
out = "out"
outbox = "mails/[:period:]"
[sources.lettings]
file = "lettings.csv"
types = { Day = "date ymd", Hours = "number", Fee = "money", Paid = "yes/no", Share = "percent", From = "time" }
"""
ROWS = """Hall,Day,From,Hours,Fee,Share,Paid,Remark
Great hall,2026/10/05,09:30,3.5,£120.50,10%,yes,
Annex,2026/10/06,14:00,2,£40.00,0%,no,"=HYPERLINK(""x"")"
Great hall,2026/11/20,18:15,5,(£10.00),5%,y,+refund
,2026/12/01,08:00,1,£15.00,,n,@door
"""
SHEET = '[workbooks.w]\nname = "Lettings [:period:].xlsx"\n[[workbooks.w.sheets]]\nname = "All"\ntable = "lettings"\n'


def made(folder, docket, rows=ROWS, period="2026-Q4", **files):
    """A job's pack, its first workbook read back."""
    (folder / "docket.toml").write_text(docket, "utf-8")
    (folder / "lettings.csv").write_text(rows, "utf-8")
    for name, content in files.items():
        (folder / name.replace("_", ".")).write_text(content, "utf-8")
    pack = make(load_docket(folder / "docket.toml"), parse_period(period))
    if not pack.outputs:
        return pack, None
    path = folder / "check.xlsx"
    path.write_bytes(pack.outputs[0].data)
    assert conformance_findings(Package.open(path)) == []
    return pack, Workbook.open(path)


def column(sheet, number, top, bottom):
    return sheet.column(number, top, bottom).to_list()


def test_a_sheet_without_a_template_title_or_house(tmp_path):
    pack, book = made(tmp_path, BASE + SHEET)
    sheet = book.sheet("All")
    assert pack.outputs[0].path.name == "Lettings 2026-Q4.xlsx"
    assert column(sheet, 1, 1, 5) == ["Hall", "Great hall", "Annex", "Great hall", None]
    assert column(sheet, 5, 2, 5) == [120.5, 40.0, -10.0, 15.0]
    assert column(sheet, 7, 2, 5) == [True, False, True, False]
    assert column(sheet, 8, 2, 5) == [None, '=HYPERLINK("x")', "+refund", "@door"]
    assert sheet.formula_count() == 0
    formats = [book.styles.number_format(sheet.style(2, n)) for n in (2, 3, 4, 5, 6)]
    assert formats == ["yyyy-mm-dd", "hh:mm", "#,##0.00", "#,##0.00", "0.0%"]
    assert (sheet.frozen, sheet.tables[0].totals) == ((1, 0), False)


TOTALS = [
    # kind, living: the formula and the value under Hours
    ("sum", "SUBTOTAL(109,All[Hours])", 11.5),
    ("average", "SUBTOTAL(101,All[Hours])", 2.875),
    ("count", "SUBTOTAL(103,All[Hours])", 4.0),
    ("smallest", "SUBTOTAL(105,All[Hours])", 1.0),
    ("largest", "SUBTOTAL(104,All[Hours])", 5.0),
]


@pytest.mark.parametrize(("kind", "formula", "value"), TOTALS)
@pytest.mark.parametrize("living", [True, False])
def test_totals_of_each_kind(tmp_path, kind, formula, value, living):
    how = 'formulas = "living"\n' if living else ""
    _, book = made(tmp_path, BASE + SHEET + how + f'totals = {{ Hours = "{kind}" }}\ntotal_label = "[:period.long:]"\n')
    sheet = book.sheet("All")
    assert sheet.value(6, 4) == value
    assert (sheet.formula(6, 4).text if living else sheet.formula(6, 4)) == (formula if living else None)
    assert sheet.value(6, 1) == "quarter 4 of 2026"
    assert book.tables()["all"][1].totals is True


def test_an_empty_table_still_makes_a_sheet(tmp_path):
    docket = (
        BASE
        + '[tables.none]\nfrom = "lettings"\nsteps = [{ keep_rows = "[Hours] > 99" }, { derive = "Twice", as = "[Hours]*2" }]\n'
    )
    sheet_part = (
        SHEET.replace('"lettings"', '"none"') + 'formulas = "living"\ntotals = { Hours = "sum", Twice = "average" }\n'
    )
    _, book = made(tmp_path, docket + sheet_part)
    sheet = book.sheet("All")
    assert sheet.tables[0].data.height == 1
    assert (sheet.value(3, 4), sheet.value(3, 9), sheet.formula_count()) == (0, None, 0)


def test_sheets_split_by_a_column_with_a_blank_and_forbidden_characters(tmp_path):
    rows = ROWS.replace("Annex", "Annex/East: [1]*?" + "x" * 30)
    docket = BASE + SHEET.replace('name = "All"', 'name = "[:Hall:]"\nsplit = "Hall"\ntitle = "Hall [:Hall:]"')
    _, book = made(tmp_path, docket, rows)
    names = book.sheet_names()
    assert len(names) == 3
    assert all(len(name) <= 31 for name in names)
    assert names[1:] == ["Great hall", "Sheet"]
    assert names[0].startswith("Annex East 1")
    assert [book.sheet(name).tables[0].data.height for name in names] == [1, 2, 1]
    assert book.sheet("Great hall").value(1, 1) == "Hall Great hall"


PIVOTS = [
    # keys of the pivot, first rows of its sheet
    ('values = [{ sum = "Fee" }]', [["Hall", "Fee"], ["Annex", 40], ["Great hall", 110.5], [None, 15]]),
    ('values = [{ sum = "Fee" }]\ntotals = "All"', [["Hall", "Fee"], ["Annex", 40], ["Great hall", 110.5], [None, 15], ["All", 165.5]]),
    ('columns = ["Paid"]\nvalues = [{ count = "Fee" }]\nempty = 0', [["Hall", "FALSE", "TRUE"], ["Annex", 1, 0], ["Great hall", 0, 2], [None, 1, 0]]),
    ('columns = ["Paid"]\nvalues = [{ largest = "Fee", as = "most" }]\ntotals_across = "both"',
     [["Hall", "FALSE", "TRUE", "both"], ["Annex", 40, None, 40], ["Great hall", None, 120.5, 120.5], [None, 15, None, 15]]),
    ('columns = ["Paid"]\nvalues = [{ average = "Hours", as = "mean" }, { smallest = "Hours", as = "least" }]',
     [["Hall", "FALSE", None, "TRUE", None], [None, "mean", "least", "mean", "least"], ["Annex", 2, 2, None, None], ["Great hall", None, None, 4.25, 3.5]]),
]  # fmt: skip


@pytest.mark.parametrize(("keys", "expected"), PIVOTS)
def test_pivots_on_sheets(tmp_path, keys, expected):
    docket = (
        BASE
        + f'[pivots.p]\nfrom = "lettings"\nrows = ["Hall"]\n{keys}\n'
        + SHEET.replace('table = "lettings"', 'pivot = "p"')
    )
    _, book = made(tmp_path, docket)
    sheet = book.sheet("All")
    found = [[sheet.value(row, n + 1) for n in range(len(expected[0]))] for row in range(1, len(expected) + 1)]
    assert found == expected


FORMULAS = [
    ("SUM(lettings[Fee])", 165.5), ('SUMIFS(lettings[Fee],lettings[Paid],TRUE)', 110.5), ("ROWS(lettings)", 4), ("COUNTA(lettings[Hall])", 3),
    ("INDEX(lettings[Hours],2)", 2), ('VLOOKUP("Annex",lettings,5,FALSE)', 40), ("COLUMNS(lettings)", 8), ("MAX(lettings[[Hours]:[Fee]])", 120.5),
    ("SUMPRODUCT(lettings[Hours]*lettings[Fee])", 466.75), ('TEXT(MAX(lettings[Day]),"d mmm")', "1 Dec"), ("INDEX(p[Fee],1)", 40.0), ("SUM(p[Fee])", 165.5),
    ("other_figure*2", 8), ("SUM(IF(lettings[Paid],1,0))", 2), ('COUNTIFS(lettings[Hall],"")', 1), ('title&"!"', "Hall lettings!"),
]  # fmt: skip


@pytest.mark.parametrize(("formula", "expected"), FORMULAS)
def test_figures(tmp_path, formula, expected):
    quoted = formula.replace('"', '\\"')
    docket = BASE + '[pivots.p]\nfrom = "lettings"\nrows = ["Hall"]\nvalues = [{ sum = "Fee" }]\n'
    pack, _ = made(tmp_path, docket + f'[figures]\nit = "{quoted}"\nother_figure = "ROWS(lettings)"\n')
    assert pack.results.figures["it"] == expected


MAIL = """[mails.all]
from = "Halls <halls@town.example>"
to = "Clerk <clerk@town.example>, [:Hall before ' ':]@hire.example"
cc = "board@town.example"
reply_to = "Desk <desk@town.example>"
each = "lettings"
subject = "[:Hall as upper:] on [:Day as d mmmm:]"
attach = ["w", "notes.txt"]
body = "Fee [:Fee as money:], [:[Hours]*2:] half days, paid [:Paid:], [:Share as percent:]"
"""


def test_mails_with_copies_answers_and_files(tmp_path):
    rows = "\n".join(ROWS.splitlines()[:3])
    pack, _ = made(tmp_path, BASE + SHEET + MAIL, rows, notes_txt="x")
    message = email.message_from_bytes(pack.mails[1].data, policy=default)
    assert (message["To"], message["Cc"]) == ("Clerk <clerk@town.example>, Annex@hire.example", "board@town.example")
    assert (message["Reply-To"], message["Subject"]) == ("Desk <desk@town.example>", "ANNEX on 6 October")
    assert message.get_body(("plain",)).get_content().strip() == "Fee 40.00, 4 half days, paid FALSE, 0.0%"
    assert [part.get_filename() for part in message.iter_attachments()] == ["Lettings 2026-Q4.xlsx", "notes.txt"]
    assert pack.mails[1].to == ("clerk@town.example", "Annex@hire.example", "board@town.example")
    publish(pack, datetime(2027, 1, 2, tzinfo=UTC))
    assert len(list((tmp_path / "mails/2026-Q4").glob("*.eml"))) == 2


def test_the_same_person_may_get_two_mails_of_one_kind(tmp_path):
    mail = MAIL.replace(", [:Hall before ' ':]@hire.example", "").replace(', "notes.txt"', "")
    pack, _ = made(tmp_path, BASE + SHEET + mail, "\n".join(ROWS.splitlines()[:3]))
    assert [one.file for one in pack.mails] == ["all - clerk@town.example.eml", "all - clerk@town.example (2).eml"]
    assert len({one.identity for one in pack.mails}) == 2


BROKEN = [
    # what is added to the docket, why it stops
    ('[figures]\na = "1/0"\n', "1/0 gives #DIV/0!"),
    ('[figures]\na = "lettings[Fees]"\n', "no column 'Fees': the nearest is 'Fee'"),
    ('[figures]\na = "[Fee]"\n', "no rows are at hand here; write table[Fee]"),
    ('[checks.c]\nthat = "ROWS(lettings) = 5"\n', "ROWS(lettings) is 4"),
    ('[pivots.p]\nfrom = "lettings"\nrows = ["Hal"]\nvalues = [{ sum = "Fee" }]\n', "no column 'Hal': the nearest is 'Hall'"),
    (SHEET + 'columns = ["Hal"]\n', "no column 'Hal'"),
    (SHEET + 'totals = { Fees = "sum" }\n', "no column 'Fees'"),
    (SHEET + 'looks = { rows = "fancy" }\n', "there is no look 'fancy'"),
    (SHEET + 'title = "[:nobody:]"\n', "there is no name 'nobody'"),
    (SHEET + 'title = "[:lettings:]"\n', "'lettings' is a table; a slot needs one value"),
    (SHEET + 'title = "[:ROWS(letings):]"\n', "the nearest is 'lettings'"),
    (SHEET.replace("[:period:]", "[:perod:]"), "there is no name 'perod': the nearest is 'period'"),
    (SHEET + SHEET.replace("workbooks.w", "workbooks.v"), "is the name of workbook 'w' too"),
    (MAIL.replace('"w", ', ""), "neither an output of this docket nor a file"),
    (MAIL.replace('attach = ["w", "notes.txt"]', 'attach = ["[:no:].pdf"]'), "there is no name 'no'"),
    (MAIL.replace('attach = ["w", "notes.txt"]\n', "").replace("clerk@town.example", "clerk at town"), "is not an e-mail address"),
    (MAIL.replace('attach = ["w", "notes.txt"]\n', "").replace('from = "Halls <halls@town.example>"', 'from = " "'), "there is no sender"),
    ('[tables.t]\nfrom = "lettings"\nsteps = [{ derive = "x", as = "[Fee]/([Hours]-2)" }]\n', "gives #DIV/0!"),
]  # fmt: skip


@pytest.mark.parametrize(("more", "why"), BROKEN, ids=[case[1][:45] for case in BROKEN])
def test_what_stops_a_small_job(tmp_path, more, why):
    with pytest.raises(TinQuireError) as caught:
        made(tmp_path, BASE + more)
    assert any(why in fault.why for fault in caught.value.faults), [fault.why for fault in caught.value.faults]
    assert all(fault.stopped and fault.do for fault in caught.value.faults)


def test_folders_with_slots_that_nothing_fills(tmp_path):
    for key in ("out", "outbox"):
        docket = BASE.replace(f'{key} = "', f'{key} = "[:nowhere:]')
        with pytest.raises(TinQuireError, match=f"the folder '{key}'"):
            made(tmp_path, docket + SHEET)


def test_a_template_alone_is_enough_and_its_rings_stop(tmp_path):
    from tinquire.workbook import Sheet

    for formula, why in (
        ("A1+1", None),
        ("C1", "circular reference: Plan!C1 -> Plan!C1"),
        ("NOPE(1)", "the function NOPE is not known"),
        ("A1/0", "it gives #DIV/0!"),
    ):
        template = Workbook.new()
        sheet = Sheet("Plan")
        sheet.set(1, 1, "[:ROWS(lettings):]")
        sheet.set(1, 3, None, formula=formula)
        template.add_sheet(sheet)
        template.save(tmp_path / "t.xlsx")
        docket = BASE + '[workbooks.w]\nname = "w.xlsx"\ntemplate = "t.xlsx"\n'
        if why is None:
            _, book = made(tmp_path, docket)
            assert (book.sheet("Plan").value(1, 1), book.sheet("Plan").value(1, 3)) == (4, 5)
            continue
        with pytest.raises(TinQuireError, match="recalculating workbook 'w'") as caught:
            made(tmp_path, docket)
        assert why in caught.value.faults[0].why


DATA = SHEET.replace('"All"', '"Rows"') + '[[workbooks.w.sheets]]\nname = "All"\npivot = "p"\nformulas = "living"\n'
LIVING = [
    # keys of the pivot; a cell and its formula
    ('rows = ["Hall"]\nvalues = [{ sum = "Fee" }]\nempty = 0\ntotals = "All"', "B2", "SUMIFS(Rows[Fee],Rows[Hall],$A2)"),
    ('rows = ["Hall"]\nvalues = [{ sum = "Fee" }]\nempty = 0\ntotals = "All"', "B4", 'SUMIFS(Rows[Fee],Rows[Hall],"=")'),
    ('rows = ["Hall"]\nvalues = [{ sum = "Fee" }]\nempty = 0\ntotals = "All"', "B5", "SUM(Rows[Fee])"),
    ('rows = ["Hall"]\ncolumns = ["Paid"]\nvalues = [{ count = "Share" }, { average = "Hours", as = "mean" }]\ntotals_across = "both"',
     "C3", 'IF(COUNTIFS(Rows[Hall],$A3,Rows[Paid],FALSE)=0,"",AVERAGEIFS(Rows[Hours],Rows[Hall],$A3,Rows[Paid],FALSE))'),
    ('rows = ["Paid", { field = "Day", by = "month" }]\ncolumns = ["Hall"]\nvalues = [{ largest = "Fee" }]\nempty = "-"\nsubtotals = {}', "C2",
     'IF(COUNTIFS(Rows[Paid],$A2,Rows[Day],">=46296",Rows[Day],"<46327",Rows[Hall],C$1)=0,"-",MAXIFS(Rows[Fee],Rows[Paid],$A2,Rows[Day],">=46296",Rows[Day],"<46327",Rows[Hall],C$1))'),
    ('rows = ["Paid", { field = "Day", by = "month" }]\nvalues = [{ sum = "Fee" }]\nempty = 0\nsubtotals = { where = "above" }', "C2", "SUMIFS(Rows[Fee],Rows[Paid],FALSE)"),
    ('rows = [{ field = "Hours", bands = [2, 4] }]\nvalues = [{ smallest = "Fee", as = "least" }]', "B2", 'IF(COUNTIFS(Rows[Hours],"<2")=0,"",MINIFS(Rows[Fee],Rows[Hours],"<2"))'),
]  # fmt: skip


@pytest.mark.parametrize(("keys", "cell", "formula"), LIVING)
@pytest.mark.parametrize("split", ["", 'split = "Paid"\n'])
def test_living_pivots(tmp_path, keys, cell, formula, split):
    """A pack is only made when every living cell shows what its rows add up to; odd labels mean themselves."""
    rows = (
        ROWS + 'a*b,2026/12/02,08:00,4,£5.00,,y,\naxb,2026/10/02,08:00,4,£6.00,,y,\n">1",2026/10/02,08:00,7,£9.00,,n,\n'
    )
    docket = BASE + f'[pivots.p]\nfrom = "lettings"\n{keys}\n' + DATA + split.replace('"Paid"', '"Paid"')
    _, book = made(tmp_path, docket, rows if split else ROWS)
    assert book.sheet_names() == (["Rows", "All", "All (2)"] if split else ["Rows", "All"])
    found = [book.sheet(name).formula_count() for name in book.sheet_names()[1:]]
    assert all(found)
    if not split:
        row, column_ = parse_cell(cell)
        assert book.sheet("All").formula(row, column_).text.replace("_xlfn.", "") == formula


NOT_LIVING = [
    ('rows = ["Hall"]\nvalues = [{ median = "Fee" }]', "its value 'Fee' is median; in cells live sum"),
    ('rows = ["Hall"]\nvalues = [{ sum = "Fee", show = "share" }]', "is shown as share, not as it is"),
    ('rows = [{ field = "Hall", top = 1 }]\nvalues = [{ sum = "Fee" }]', "its field 'Hall' is cut to the first 1 group"),
    ('rows = ["Remark"]\nvalues = [{ sum = "Fee" }]', "its field 'Remark' has '=X' and '=x', which conditional sums take for the same"),
    ('rows = ["Hall"]\nvalues = [{ sum = "Fee" }]\nwhere = "[Paid]"', "it leaves rows out by 'where'"),
    ('rows = ["Code"]\nvalues = [{ sum = "Fee" }]', "it shows 160.5 by =IF("),
]  # fmt: skip


@pytest.mark.parametrize(("keys", "why"), NOT_LIVING)
def test_pivots_that_cannot_live(tmp_path, keys, why):
    rows = ROWS.replace('"=HYPERLINK(""x"")"', "=X").replace("+refund", "=x")
    rows = "\n".join(
        f"{line},{code}" for line, code in zip(rows.splitlines(), ["Code", "07", "07", "07", "007"], strict=True)
    )
    with pytest.raises(TinQuireError) as caught:
        made(
            tmp_path,
            BASE + f'[pivots.p]\nfrom = "lettings"\n{keys}\n' + DATA,
            rows.replace("£15.00", "-£5.00").replace("£40.00", "£55.00") + "\n",
        )
    assert why in str([fault.why for fault in caught.value.faults])


def test_more_rows_than_a_sheet_shall_have(tmp_path):
    keys = 'rows_per_sheet = 3\ntotals = { Fee = "sum" }\n'
    _, book = made(tmp_path, BASE + SHEET + keys)
    assert [(name, book.sheet(name).tables[0].data.height) for name in book.sheet_names()] == [
        ("All", 3),
        ("All (2)", 1),
    ]
    assert [book.sheet("All (2)").value(3, 1), book.sheet("All (2)").value(3, 5)] == ["Total, rows 4 to 4", 15]
    with pytest.raises(TinQuireError) as caught:
        made(tmp_path, BASE + SHEET + "rows_per_sheet = 1048570\n")
    assert "a sheet has room for 1,048,568" in caught.value.faults[0].why


def test_tables_come_after_those_that_their_formulas_read(tmp_path):
    """Wherever they stand in the docket; a circle through formulas is told."""
    early = '[tables.early]\nfrom = "lettings"\nsteps = [{ derive = "Share of all", as = "[Fee] / SUM(late[Fee])" }]\n'
    late = '[tables.late]\nfrom = "lettings"\nsteps = [{ keep_rows = "[Paid]" }]\n'
    pack, _ = made(tmp_path, BASE + early + late)
    assert pack.results.tables["early"].columns[-1][0] == pytest.approx(120.5 / 110.5)
    circle = late.replace("[Paid]", "ROWS(early) > 0")
    with pytest.raises(TinQuireError, match="the tables early, late are made from each other"):
        made(tmp_path, BASE + early + circle)
    with pytest.raises(TinQuireError) as caught:  # a table that failed is not spoken of again
        made(tmp_path, BASE + early + late.replace("[Paid]", "[Paidd]"))
    assert len(caught.value.faults) == 1
