"""What went out wrong once, and must never again: small dockets, each with what it has to come to."""

from __future__ import annotations

import email
from email.policy import default

import pytest

from jobs import reader
from tinquire.base.faults import TinQuireError
from tinquire.docket import load_docket, parse_period
from tinquire.press.make import make
from tinquire.workbook import Sheet, Workbook

HEAD = 'title = "T"\nperiod = "month"\nout = "o"\noutbox = "m"\n'
A = "Item,Depot,Pieces,Rate,Base\nTea,North,2,3,5\nSoap,South,4,2,6\n"
B = "Item,Rate,Charge\nTea,7,100\nSoap,9,200\n"
SOURCES = """[sources.a]
file = "a.csv"
types = { Pieces = "whole", Rate = "number", Base = "number" }
[sources.b]
file = "b.csv"
types = { Rate = "number", Charge = "money" }
"""
BOOK = '[workbooks.w]\nname = "w.xlsx"\n[[workbooks.w.sheets]]\nname = "T"\ntable = "t"\n'


def pack(folder, docket, a=A, b=B):
    (folder / "a.csv").write_text(a, "utf-8")
    (folder / "b.csv").write_text(b, "utf-8")
    (folder / "docket.toml").write_text(docket, "utf-8")
    return make(load_docket(folder / "docket.toml"), parse_period("2026-10"))


#: Steps, the column and its values on the living sheet, and how many of its cells are formulas.
LIVING = [
    ('{ derive = "Charge", as = "[Pieces]*[Rate]" }, { stack = ["b"] }', "Charge", [6, 8, 100, 200], 2),
    ('{ derive = "X", as = "[Pieces]*[Rate]" }, { rename = { Rate = "Old" } }, { match = "b", on = { Item = "Item" }, bring = ["Rate"] }', "X", [6, 8], 2),
    ('{ match = "doubled", on = { Item = "Item" }, bring = { Twice = "R2" } }, { derive = "X", as = "[R2]+[Base]" }', "R2", [14, 18], 0),
    ('{ derive = "X", as = "[Pieces]" }, { derive = "X", as = "[X]+1" }', "X", [3, 5], 0),
    ('{ derive = "X", as = "[Pieces]*2" }, { replace = "Pieces", values = { "2" = 9 } }', "X", [4, 8], 1),
    ('{ derive = "X", as = "[Pieces]*2" }, { replace = "X", values = { "4" = 5 } }', "X", [5, 8], 1),
    ('{ derive = "X", as = "[Pieces]*2" }, { drop = ["Pieces"] }', "X", [4, 8], 0),
    ('{ derive = "X", as = "[Pieces]*2" }, { sort = ["-Pieces"] }', "X", [8, 4], 2),
    ('{ derive = "X", as = "[Pieces]*2" }, { rename = { Pieces = "Driver\'s #" } }', "X", [4, 8], 2),
    ('{ window = "W", as = "running Pieces" }, { derive = "X", as = "[W]*2" }, { sort = ["-W"] }', "X", [12, 4], 2),
    ('{ derive = "X", as = "IF([Item]=\\"Tea\\",[Nothing],1)" }', "X", [None, 1], 1),
]  # fmt: skip


@pytest.mark.parametrize(("steps", "heading", "values", "formulas"), LIVING)
def test_a_living_sheet_shows_what_its_table_holds(tmp_path, steps, heading, values, formulas):
    tables = f'[tables.doubled]\nfrom = "b"\nsteps = [{{ derive = "Twice", as = "[Rate]*2" }}]\n[tables.t]\nfrom = "a"\nsteps = [{steps}]\n'
    a = A.replace("Base\n", "Base,Nothing\n").replace("5\n", "5,\n").replace("6\n", "6,\n")
    docket = HEAD + SOURCES + tables + BOOK + 'formulas = "living"\n'
    made = pack(tmp_path, docket, a)
    (_, cells, living) = next(reader.read(made.outputs[0].data))
    column = next(place[1] for place, value in cells.items() if place[0] == 1 and value == heading)
    assert [cells.get((row, column)) for row in range(2, 2 + len(values))] == values
    assert sum(place[1] == column for place in living) == formulas
    assert made.results.tables["t"].column(heading).to_list() == values
    assert (
        bool(made.warnings) == (heading == "X" and formulas < len(values) and "Nothing" not in steps) or heading != "X"
    )
    if made.warnings:
        with pytest.raises(TinQuireError, match="cannot be a formula"):
            pack(tmp_path, docket.replace('"living"', '"living only"'), a)


#: A column of a, its type, what it is read as or why not.
READ = [
    ("1.000\n2.500 €", "money", "'1.000' could be 1 or 1000"),
    ("1.000\n2,50", "money", [1000, 2.5]),
    ('€ 24,00\n"1.205,71 €"', "money", [24, 1205.71]),
    ("CHF 1'204.50\n3.25", "money", [1204.5, 3.25]),
    ("E1\n.E2", "text", ["E1", ".E2"]),
    ("2E3\n1", "number", "'2E3' is not a number"),
    ("1.5E3\n2e+3", "number", [1500, 2000]),
    ("7:30\n38:45", "duration", [7.5 / 24, 38.75 / 24]),
    ("7:30\n38:45", "time", [7.5 / 24, 38.75 / 24]),
    ("12\n13", "", "has its numbers as text"),
    ("12\nnone", "", "'none' in it is not a number"),
]


@pytest.mark.parametrize("as_workbook", [False, True])
@pytest.mark.parametrize(("texts", "kind", "expected"), READ)
def test_numbers_are_read_as_people_wrote_them(tmp_path, texts, kind, expected, as_workbook):
    lines = texts.split("\n")
    if as_workbook:
        book, sheet = Workbook.new(), Sheet("A")
        for row, text in enumerate(["Value", *(line.strip('"') for line in lines)], start=1):
            sheet.set(row, 1, text)
            sheet.set(row, 2, f"k{row}")
        book.add_sheet(sheet)
        book.save(tmp_path / "a.xlsx")
    types = f'types = {{ Value = "{kind}" }}\n' if kind else ""
    source = f'[sources.t]\nfile = "{"a.xlsx" if as_workbook else "a.csv"}"\n{types}' + (
        "" if as_workbook else 'separator = ";"\n'
    )
    figure = '[figures]\nsum = "SUM(t[Value])"\n' if not kind else ""
    a = "Value;K\n" + "\n".join(f"{line};k" for line in lines) + "\n"
    if isinstance(expected, str):
        with pytest.raises(TinQuireError) as caught:
            pack(tmp_path, HEAD + source + figure, a)
        assert expected in str(caught.value)
        return
    made = pack(tmp_path, HEAD + source + figure, a)
    assert made.results.tables["t"].columns[0].to_list() == pytest.approx(expected)
    assert made.results.tables["t"].fields[0].type == ("duration" if kind == "time" else kind)


SLOTS = [
    ("[:title", "it is not closed"), ("Total [:x", "it is not closed"), ("[:a[Item]:]", "gives 2 values"),
    ("[:SORT(a[Item]):]", "gives 2 values"), ("[:LET(p, SUM(a[Pieces]), p*2):]", 12.0), ("[:=SORT(UNIQUE(T[Item])):]", "Soap"),
]  # fmt: skip


@pytest.mark.parametrize(("slot", "expected"), SLOTS)
def test_slots_have_one_value_or_stop(tmp_path, slot, expected):
    book, sheet = Workbook.new(), Sheet("Cover")
    sheet.set(2, 2, slot)
    book.add_sheet(sheet)
    book.save(tmp_path / "t.xlsx")
    docket = (
        HEAD
        + SOURCES
        + '[tables.t]\nfrom = "a"\n'
        + BOOK.replace("w.xlsx", "w.xlsx", 1).replace('"\n', '"\ntemplate = "t.xlsx"\n', 1)
    )
    if isinstance(expected, str) and " " in expected:
        with pytest.raises(TinQuireError, match=expected):
            pack(tmp_path, docket)
        return
    _, cells, _ = next(reader.read(pack(tmp_path, docket).outputs[0].data))
    assert cells[2, 2] == expected
    assert cells.get((3, 2)) == ("Tea" if "UNIQUE" in slot else None)


def test_each_recipient_gets_the_file_of_its_own_row(tmp_path):
    mails = '[mails.m]\neach = "a"\nfrom = "us@larkfold.example"\nto = "[:Depot:]@larkfold.example"\nsubject = "S"\nbody = "B"\nattach = ["w", "notes [:Depot:].txt"]\n'
    docket = HEAD + SOURCES + '[tables.t]\nfrom = "a"\n' + BOOK.replace("w.xlsx", "Part [:Depot:].xlsx").replace(".xlsx\"\n", ".xlsx\"\nsplit = \"Depot\"\n", 1) + mails  # fmt: skip
    for depot in ("North", "South"):
        (tmp_path / f"notes {depot}.txt").write_text(depot, "utf-8")
    made = pack(tmp_path, docket)
    assert [output.path.name for output in made.outputs] == ["Part North.xlsx", "Part South.xlsx"]
    for mail, depot, other in zip(made.mails, ("North", "South"), ("South", "North"), strict=True):
        files = {
            part.get_filename(): part.get_content()
            for part in email.message_from_bytes(mail.data, policy=default).iter_attachments()
        }
        assert set(files) == {f"Part {depot}.xlsx", f"notes {depot}.txt"}
        _, cells, _ = next(reader.read(files[f"Part {depot}.xlsx"]))
        assert depot in cells.values() and other not in cells.values()
    with pytest.raises(TinQuireError, match="has no file of 'West'"):
        pack(
            tmp_path,
            docket.replace('from = "a"\n', 'from = "a"\nsteps = [{ keep_rows = "[Depot]<>\\"West\\"" }]\n', 1),
            A + "Mop,West,1,1,1\n",
        )
    with pytest.raises(TinQuireError, match="neither an output of this docket nor a file"):
        pack(tmp_path, docket.replace("[:Depot:]@", "x@"), A.replace("South", "../South"))


@pytest.mark.parametrize(
    ("slot", "expected"),
    [("[:Pieces:]", None), ("[:[Pieces]:]", ["2", "4"]), ("[:Rate:]", ["3.00", "2.00"]), ("[:pieces in all:]", ["6.00"] * 2)],
)  # fmt: skip
def test_a_name_of_the_run_never_stands_in_for_the_column_of_a_row(tmp_path, slot, expected):
    figures = '[figures]\npieces = "SUM(a[Pieces])"\npieces_in_all = { is = "pieces", type = "number" }\n'
    mail = '[mails.m]\neach = "a"\nto = "[:Item:]@example.org"\nfrom = "b@example.org"\nsubject = "x"\nbody = "%s"\n'
    docket = HEAD + SOURCES + figures + mail % slot
    if expected is None:
        with pytest.raises(TinQuireError) as caught:
            pack(tmp_path, docket)
        assert "'Pieces' is a column of the row" in str(caught.value) and "[:[Pieces]:]" in caught.value.faults[0].do
        return
    bodies = [
        email.message_from_bytes(one.data, policy=default).get_body(("plain",)) for one in pack(tmp_path, docket).mails
    ]
    assert [body.get_content().strip() for body in bodies] == expected


@pytest.mark.parametrize(
    ("kind", "value", "says"),
    [("yes/no", 'average = "Paid"', "neither numbers nor blanks"), ("text", 'count = "Paid"', "'FALSE', which conditional")],
)  # fmt: skip
def test_a_living_pivot_that_conditional_sums_would_get_wrong_stops(tmp_path, kind, value, says):
    """Averages over yes and no are errors, and a text that reads as TRUE is not met, where the pivot has blanks."""
    a = "Item,Paid\nTea,TRUE\nTea,FALSE\n"
    source = f'[sources.a]\nfile = "a.csv"\ntypes = {{ Paid = "{kind}" }}\n'
    pivot = f'[pivots.p]\nfrom = "a"\nrows = ["{"Paid" if kind == "text" else "Item"}"]\nvalues = [{{ {value} }}]\n'
    sheets = BOOK.replace('"t"', '"a"') + '[[workbooks.w.sheets]]\nname = "P"\npivot = "p"\nformulas = "%s"\n'
    with pytest.raises(TinQuireError, match=says):
        pack(tmp_path, HEAD + source + pivot + sheets % "living", a)
    assert pack(tmp_path, HEAD + source + pivot + sheets % "values", a).outputs
