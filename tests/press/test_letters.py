"""Letters of a docket and of `tinquire fill`: one for each row with its own rows, pictures, mails that get their own."""

import email
import email.policy
import json

import pytest

from letterparts import letter_bytes, paragraph, table
from tinquire.base.faults import TinQuireError
from tinquire.docket import load_docket, parse_period
from tinquire.document import Letter
from tinquire.document.story import own_paragraphs, text_of
from tinquire.press.make import make
from tinquire.workbook import Sheet, Workbook

CUSTOMERS = "Number,Name\n7,Quayside\n12,The Ropewalk\n31,Nobody yet\n"
CHARGES = "Customer,Item,Charge\n7,Sheet,4.5\n12,Towel,2\n7,Apron,1.5\n"
DOCKET = """
title = "Letters"
period = "month"
sources.customers.file = "customers.csv"
sources.charges.file = "charges.csv"
sources.charges.types = {{ Charge = "money" }}
[figures]
total = "SUM(charges[Charge])"
[letters.statements]
template = "statement.docx"
{letter}
[mails.customers]
each = "customers"
from = "Desk <desk@larkfold.example>"
to = "[:Name:] <a@b.example>"
subject = "Statement"
body = "Here."
attach = ["statements"]
"""
EACH = 'each = "customers"\nown = { lines = { from = "charges", Customer = "Number" } }\nkey = "Number"\nname = "Statement [:Number:].docx"'
BODY = (
    paragraph("Dear [:Name:],", cut=5)
    + table(
        ["Item", "Charge"], ["[:lines.Item:]", "[:lines.Charge:]"], ["In all", "[:SUM(lines[Charge]) as money:]"], cut=4
    )
    + paragraph("[:only if ROWS(lines) = 0:]Nothing was collected in [:period.long:].")
    + paragraph("All customers: [:total as money:].")
)


def made(folder, letter=EACH, body=BODY, customers=CUSTOMERS, charges=CHARGES, docket=DOCKET):
    for name, text in (
        ("customers.csv", customers),
        ("charges.csv", charges),
        ("docket.toml", docket.format(letter=letter)),
    ):
        (folder / name).write_text(text, "utf-8")
    (folder / "statement.docx").write_bytes(letter_bytes(body))
    return make(load_docket(folder / "docket.toml"), parse_period("2026-10"))


def texts(data):
    return [text_of(one) for one in own_paragraphs(Letter.from_bytes(data, "l.docx").root("word/document.xml"))]


def test_a_letter_for_each_row_with_its_own_rows(tmp_path):
    pack = made(tmp_path)
    assert [one.path.name for one in pack.outputs] == ["Statement 7.docx", "Statement 12.docx", "Statement 31.docx"]
    first, second, third = (texts(one.data) for one in pack.outputs)
    assert first == [
        "Dear Quayside,",
        "Item",
        "Charge",
        "Sheet",
        "4.50",
        "Apron",
        "1.50",
        "In all",
        "6.00",
        "All customers: 8.00.",
    ]
    assert second[3:5] == ["Towel", "2.00"]
    assert third == ["Dear Nobody yet,", "Nothing was collected in October 2026.", "All customers: 8.00."]
    mails = [email.message_from_bytes(mail.data, policy=email.policy.default) for mail in pack.mails]
    assert [[part.get_filename() for part in mail.iter_attachments()] for mail in mails] == [
        ["Statement 7.docx"],
        ["Statement 12.docx"],
        ["Statement 31.docx"],
    ]
    assert [one.data for one in made(tmp_path).outputs] == [one.data for one in pack.outputs], "the same bytes"


def test_a_letter_by_its_path_goes_to_no_other_row(tmp_path):
    path = DOCKET.replace('["statements"]', '["out/2026-10/Statement [:Number:].docx"]')
    assert len(made(tmp_path, docket=path).mails) == 3
    with pytest.raises(TinQuireError, match=r"'Statement 7\.docx' was made for another row"):
        made(tmp_path, docket=path.replace("Statement [:Number:]", "Statement 7"))


def test_a_mail_has_its_own_rows_too(tmp_path):
    text = DOCKET.replace("subject =", 'own = {{ bags = {{ from = "charges", Customer = "Number" }} }}\nsubject =')
    text = text.replace('"Here."', '"[:ROWS(bags):] bags, [:SUM(bags[Charge]) as money:]"')
    pack = made(tmp_path, docket=text)
    bodies = [
        email.message_from_bytes(mail.data, policy=email.policy.default).get_body(("plain",)).get_content().strip()
        for mail in pack.mails
    ]
    assert bodies == ["2 bags, 6.00", "1 bags, 2.00", "0 bags, 0.00"]
    for wrong, why in (
        ("chrges", "mails.customers takes its rows from 'chrges'"),
        ("charges", "'charges' has no column 'Custmer'"),
    ):
        with pytest.raises(TinQuireError, match=why):
            made(
                tmp_path,
                docket=text.replace(
                    'from = "charges", Customer', f'from = "{wrong}", {"Customer" if wrong == "chrges" else "Custmer"}'
                ),
            )


WORKBOOKS = """
[workbooks.bags]
template = "bags.xlsx"
each = "customers"
own = { mine = { from = "charges", Customer = "Number" } }
key = "Number"
name = "Bags of [:Name:].xlsx"
rows = { Data = { table = "mine", at = "A2", by_position = true } }
sheets = [{ name = "All of [:Name:]", table = "mine" }]
"""


def test_a_workbook_for_each_row_with_its_own_rows(tmp_path):
    book, sheet = Workbook.new(), Sheet("Data")
    for column, value in enumerate(("Customer", "Item", "Charge"), start=1):
        sheet.set(1, column, value)
        sheet.set(2, column, 1.0)
    sheet.set(1, 5, "[:Name:]: [:ROWS(mine):]")
    book.add_sheet(sheet)
    book.save(tmp_path / "bags.xlsx")
    text = DOCKET.replace("[mails", WORKBOOKS.replace("{", "{{").replace("}", "}}") + "[mails").replace(
        '["statements"]', '["bags"]'
    )
    pack = made(tmp_path, docket=text, customers=CUSTOMERS.partition("31")[0])
    books = {one.path.name: Workbook.from_bytes(one.data, "b") for one in pack.outputs if one.name == "bags"}
    assert list(books) == ["Bags of Quayside.xlsx", "Bags of The Ropewalk.xlsx"]
    first = books["Bags of Quayside.xlsx"]
    assert [first.sheet("Data").value(row, 2) for row in (2, 3)] == ["Sheet", "Apron"]
    assert first.sheet("Data").value(1, 5) == "Quayside: 2"
    assert [one.name for one in first.sheets()] == ["Data", "All of Quayside"]
    mails = [email.message_from_bytes(mail.data, policy=email.policy.default) for mail in pack.mails]
    assert [[part.get_filename() for part in mail.iter_attachments()] for mail in mails] == [[name] for name in books]


def test_one_letter_for_the_period(tmp_path):
    (one,) = made_once(tmp_path)
    assert texts(one.data) == ["8.00 in October 2026"]


def made_once(folder):
    for name, text in (("customers.csv", CUSTOMERS), ("charges.csv", CHARGES)):
        (folder / name).write_text(text, "utf-8")
    docket = DOCKET.format(letter='name = "Board.docx"').partition("[mails")[0]
    (folder / "docket.toml").write_text(docket, "utf-8")
    letter = Letter.from_bytes(letter_bytes(paragraph("[:total as money:] in [:period.long:]")), "l.docx")
    letter.package.put("docProps/core.xml", letter.package.read("docProps/core.xml").replace(b"For [:Name:]", b"Board"))
    (folder / "statement.docx").write_bytes(letter.to_bytes())
    return make(load_docket(folder / "docket.toml"), parse_period("2026-10")).outputs


WRONG = [
    # the letter's part of the docket, the body, what is said
    (EACH.replace('each = "customers"', 'each = "custmers"'), BODY, "letters.statements takes its rows from 'custmers'"),
    (EACH.replace('from = "charges"', 'from = "chrges"'), BODY, "letters.statements takes its rows from 'chrges'"),
    (EACH.replace("Customer = ", "Custmer = "), BODY, "'charges' has no column 'Custmer'"),
    (EACH.replace('"Number" }', '"Nmber" }'), BODY, "'customers' has no column 'Nmber'"),
    (EACH.replace('key = "Number"', 'key = "Nmber"'), BODY, "'customers' has no column 'Nmber'"),
    (EACH.replace('key = "Number"\n', ""), BODY, "it is not said which of them belongs to a mail"),
    (EACH.replace(".docx", ".doc"), BODY, "the name ends in .docx"),
    (EACH.replace('each = "customers"\n', ""), BODY, "own and key need each"),
    (EACH.replace(", Customer = \"Number\"", ""), BODY, "it says by which columns rows belong"),
    (EACH.replace("[:Number:]", "all"), BODY, "is the name of letter 'statements' too"),
    (EACH, paragraph("[:Nmae:]"), "no value for [:Nmae:]"),
]  # fmt: skip


@pytest.mark.parametrize(("letter", "body", "why"), WRONG)
def test_what_is_wrong_is_said(tmp_path, letter, body, why):
    with pytest.raises(TinQuireError) as stopped:
        made(tmp_path, letter, body)
    assert why in " | ".join(fault.why for fault in stopped.value.faults)


def test_keys_of_other_kinds_stop_the_run(tmp_path):
    """A number and a text are never the same: no statement goes out empty because of that."""
    with pytest.raises(TinQuireError, match="have no value in common"):
        made(tmp_path, charges=CHARGES.replace("\n7,", "\nc7,").replace("\n12,", "\nc12,"))


def test_a_fault_says_for_which_row(tmp_path):
    with pytest.raises(TinQuireError) as stopped:
        made(tmp_path, body=paragraph("[:Nmae:]"))
    assert stopped.value.faults[0].where.startswith("statement.docx, the text: '[:Nmae:]'; for customers.csv, row 2")


WHOLE = [
    # what is put in, the texts of its cells for the first customer and for the one without rows
    ("lines", ["Customer", "Item", "Charge", "7", "Sheet", "4.50", "7", "Apron", "1.50"], None),
    ("customers", ["Number", "Name", "7", "Quayside", "12", "The Ropewalk", "31", "Nobody yet"], ...),
    ("by item", ["Item", "Charge", "Apron", "1.50", "Sheet", "4.50", "Towel", "2.00", "Total", "8.00"], ...),
]  # fmt: skip


@pytest.mark.parametrize(("name", "first", "last"), WHOLE)
def test_a_whole_table_or_pivot_in_the_place_of_a_paragraph(tmp_path, name, first, last):
    pivots = '\n[pivots.by_item]\nfrom = "charges"\nrows = ["Item"]\nvalues = [{ sum = "Charge" }]\ntotals = "Total"\n'
    pack = made(tmp_path, letter=EACH + pivots, body=paragraph("Before") + paragraph(f"[:table {name}:]", cut=6))
    for number, cells in ((0, first), (2, first if last is ... else last or [])):
        assert [text for text in texts(pack.outputs[number].data) if text] == ["Before", *cells]
    root = Letter.from_bytes(pack.outputs[0].data, "l").root("word/document.xml")
    (grid,) = (one for one in root.iter() if one.tag.endswith("}tbl"))
    assert grid.getnext().tag.endswith("}p"), "text after a table is a paragraph"
    heads = [one for one in grid.iter() if one.tag.endswith("}tblHeader")]
    assert len(heads) == 1 and any(one.tag.endswith("}b") for one in heads[0].getparent().getparent().iter())


def test_no_such_whole_table(tmp_path):
    with pytest.raises(TinQuireError, match="there is no table, pivot or statement 'lnes'"):
        made(tmp_path, body=paragraph("[:table lnes:]"))


# -- without a docket ------------------------------------------------------------------------------------


def test_fill_and_show(tmp_path, tinquire):
    (tmp_path / "customers.csv").write_text("Customer,Name\n7,Quayside\n12,The Ropewalk\n", "utf-8")
    (tmp_path / "charges.csv").write_text(CHARGES, "utf-8")
    body = BODY.partition('<w:p><w:r><w:t xml:space="preserve">All')[0].replace(" in [:period.long:]", "")
    (tmp_path / "l.docx").write_bytes(letter_bytes(body))
    said = tinquire("fill", tmp_path / "l.docx", "--rows", f"lines={tmp_path / 'charges.csv'}", "--own", "Customer", "--each", tmp_path / "customers.csv",
                    "--name", "[:Name:].docx", "--out", tmp_path / "letters")  # fmt: skip
    assert said.code == 0 and "2 files" in said.out
    assert texts((tmp_path / "letters/Quayside.docx").read_bytes())[3:7] == ["Sheet", "4.50", "Apron", "1.50"]
    said = tinquire("fill", tmp_path / "l.docx", "--rows", f"lines={tmp_path / 'charges.csv'}", "--own", "Customer", "--each", tmp_path / "customers.csv",
                    "--to", "docx", "pdf", "--out", tmp_path / "both")  # fmt: skip
    assert said.code == 0 and sorted(path.name for path in (tmp_path / "both").iterdir()) == [
        "l 12.docx",
        "l 12.pdf",
        "l 7.docx",
        "l 7.pdf",
    ]
    shown = tinquire("show", tmp_path / "l.docx", "--json")
    found = json.loads(shown.out)
    assert (
        found["slots"]["[:lines.Item:]"] == 1
        and found["conditions"] == ["ROWS(lines) = 0"]
        and found["others"] == {"section": 1, "table": 1}
    )
    assert "[:lines.Item:]" in tinquire("show", tmp_path / "l.docx").out


PRINTS = [
    # the words after `print l.docx`, and what is said
    (("--to", "o.pdf"), "1 page"), (("--to", "o.png"), "wrote"), (("--to", "o.svg"), "1 page"), (("--to", "o.pdf", "--page", "2"), "there is no page 2"),
    (("--to", "o.html"), "its pages are no HTML"), (("--each", "list.csv", "--out", "o"), "fill letter.docx"), (("--to", "o.pdf", "--cover"), "are for workbooks"),
    (("l.docx", "--to", "o.pdf"), "several files"), (("--to", "l.docx"), "does not end in"),
]  # fmt: skip


@pytest.mark.parametrize(("words", "says"), PRINTS)
def test_printing_a_letter(tmp_path, tinquire, monkeypatch, words, says):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "l.docx").write_bytes(letter_bytes(paragraph("text")))
    said = tinquire("print", "l.docx", *words)
    assert says in said.out + said.err
    assert (said.code == 0) == any(path.name.startswith("o.") for path in tmp_path.iterdir())


def test_a_workbook_is_no_letter(tmp_path, tinquire):
    (tmp_path / "l.docx").write_bytes(b"PK\x03\x04nothing")
    said = tinquire("fill", tmp_path / "l.docx", "--set", "a=1", "--out", tmp_path / "o.docx")
    assert said.code == 3 and not (tmp_path / "o.docx").exists()
