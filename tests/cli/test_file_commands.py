"""split, stack and compare from the command line, on the demo's pack and on a file with everything in it."""

from __future__ import annotations

import json
import shutil

import pytest

from parts import OFFICE, members, written, zipped
from richbook import rich_file, rich_parts
from sheetforms import formula_at
from tinquire.cells import CellError
from tinquire.packages.package import Package
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.inspect.contents import BookDetails


@pytest.fixture(scope="module")
def pack(shipped_job, tmp_path_factory):
    """The demo's pack of one month."""
    from tinquire.cli.main import main

    folder = tmp_path_factory.mktemp("pack") / "larkfold"
    shutil.copytree(shipped_job, folder)
    assert main(["run", str(folder / "docket.toml"), "-p", "2026-10"]) == 0
    return next((folder / "out").rglob("Linen*.xlsx"))


def test_split_by_sheet(pack, tmp_path, tinquire):
    """A workbook for each sheet; formulas that read others are values; no text of another sheet is left in it."""
    outcome = tinquire("split", pack, "--out", tmp_path / "a", "--name", "[:number:] [:part:] of [:file:].xlsx")
    assert outcome.code == 0
    files = sorted((tmp_path / "a").iterdir(), key=lambda path: int(path.name.split()[0]))
    assert files[0].name == f"1 Cover of {pack.stem}.xlsx" and len(files) == 15
    whole = Workbook.open(pack)
    for path, name in zip(files, whole.sheet_names(), strict=True):
        assert conformance_findings(Package.open(path)) == []
        book = Workbook.open(path)
        assert book.sheet_names() == [name]
        sheet, before = book.sheet(name), whole.sheet(name)
        rows, columns = before.extent()
        for number in range(1, columns + 1):
            assert sheet.column(number, 1, rows).to_list() == before.column(number, 1, rows).to_list()
            assert (sheet.styles(number, 1, rows) == before.styles(number, 1, rows)).all()
        assert {one.name for one in book.names} == {
            one.name for one in whole.names if one.sheet == name or one.formula.startswith(f"{name}!$B")
        }
    cover = members(files[0].read_bytes())
    assert b"H2610-0001" not in b"".join(cover.values()) and b"Charges[" not in b"".join(cover.values())


def test_split_by_a_column(pack, tmp_path, tinquire):
    """Rows of one customer only, no trace of any other; totals over what is left; as files or as sheets."""
    words = ("split", pack, "--by-column", "Depot", "--sheet", "Charges")
    outcome = tinquire(*words, "--out", tmp_path / "b", "--json")
    pieces = json.loads(outcome.out)
    whole = Workbook.open(pack).sheet("Charges")
    total = whole.value(whole.used.bottom, 10)
    assert outcome.code == 0 and sum(piece["rows"] for piece in pieces) == whole.tables[0].data.height
    sums = 0.0
    for piece in pieces:
        parts = b"".join(members((tmp_path / "b" / f"{piece['part']}.xlsx").read_bytes()).values())
        assert all(other["part"].encode() not in parts for other in pieces if other is not piece)
        book = Workbook.open(tmp_path / "b" / f"{piece['part']}.xlsx")
        sheet = book.sheet("Charges")
        table = sheet.tables[0]
        assert table.data.height == piece["rows"] and set(sheet.column(1, table.data.top, table.data.bottom)) == {
            piece["part"]
        }
        sums += sheet.value(table.area.bottom, 10)
    assert sums == pytest.approx(total)
    sheets = tinquire(*words, "--into", "sheets", "--out", tmp_path / "c")
    assert sheets.code == 0
    made = Workbook.open(next((tmp_path / "c").iterdir()))
    assert made.sheet_names()[1:6] == ["Charges", "Harbour (2)", "Millrace (2)", "Northgate (2)", "Uplands (2)"]
    assert conformance_findings(made.package) == []
    again = tinquire(*words, "--out", tmp_path / "b")
    assert again.code == 2 and "there is such a file already" in again.err


def test_split_leaves_nothing_behind(tmp_path, tinquire):
    """Charts keep what they were drawn with, pivots become cells, rules and names that pointed elsewhere go."""
    parts = rich_parts()
    cache = "<c:numCache><c:ptCount val='1'/><c:pt idx='0'><c:v>2</c:v></c:pt></c:numCache></c:numRef>"
    parts["xl/charts/chart1.xml"] = (
        parts["xl/charts/chart1.xml"].replace("Data!$B$2:$B$4", "Lists!$A$1").replace("</c:numRef>", cache)
    )
    titles = "<TitlesOfParts>Data Lists Pivot</TitlesOfParts><Company>Larkfold</Company>"
    parts["docProps/app.xml"] = (
        f'<Properties xmlns="{OFFICE[: -len("relationships")]}extended-properties">{titles}</Properties>'
    )
    parts["_rels/.rels"] = parts["_rels/.rels"].replace(
        "</Relationships>",
        f'<Relationship Id="rId2" Type="{OFFICE}/extended-properties" Target="docProps/app.xml"/></Relationships>',
    )
    store = f'<Relationship Id="rId81" Type="{OFFICE}/customXml" Target="../customXml/item1.xml"/></Relationships>'
    parts["xl/_rels/workbook.xml.rels"] = parts["xl/_rels/workbook.xml.rels"].replace("</Relationships>", store)
    parts["customXml/item1.xml"] = "<rows>Lists of others</rows>"
    source = tmp_path / "rich.xlsx"
    source.write_bytes(zipped(parts))
    outcome = tinquire("split", source, "--out", tmp_path / "out")
    assert outcome.code == 0 and "pivot 'Pivot: P' became plain cells" in outcome.out
    data = members((tmp_path / "out" / "Data.xlsx").read_bytes())
    assert b"Larkfold" in data["docProps/app.xml"] and "customXml/item1.xml" not in data
    assert b"<c:numLit" in data["xl/charts/chart1.xml"] and b"<c:f>" not in data["xl/charts/chart1.xml"]
    assert b"dataValidation" not in data["xl/worksheets/sheet1.xml"] and b"Lists" not in b"".join(data.values())
    assert "xl/pivotCache/pivotCacheDefinition1.xml" not in members((tmp_path / "out" / "Pivot.xlsx").read_bytes())
    lists = Workbook.open(tmp_path / "out" / "Lists.xlsx")
    assert (lists.sheet("Lists").value(1, 2), lists.sheet("Lists").formula(1, 2)) == (18.0, None)
    details = BookDetails(Workbook.open(tmp_path / "out" / "Data.xlsx")).sheet("Data")
    assert (
        [link.target for link in details.links] == ["Data!B4"]
        and len(details.marks) == 1
        and len(details.comments) == 1
    )
    assert tinquire("split", source, "--by-column", "Item", "--out", tmp_path / "items").code == 0
    drawn = members((tmp_path / "items" / "Towel.xlsx").read_bytes())["xl/charts/chart1.xml"]
    assert b"<c:v>" not in drawn, "a chart keeps no values of rows that are gone"
    wrong = tinquire("split", source, "--out", tmp_path / "d", "--name", "[:customer:].xlsx")
    assert wrong.code == 2 and "known are part, file and number" in wrong.err
    assert "the nearest is 'Pieces'" in tinquire("split", source, "--by-column", "Piece", "--out", tmp_path / "e").err


def test_stack_into_a_table(job, tmp_path, tinquire):
    folder = job / "sources" / "2026-10"
    outcome = tinquire("stack", folder, "--type", "Collected=date dmy", "--out", tmp_path / "all.xlsx", "--json")
    assert outcome.code == 0
    answer = json.loads(outcome.out)
    assert answer["columns"][-3:] == ["File", "Sheet", "Row"] and len(answer["read"]) == 4
    sheet = Workbook.open(tmp_path / "all.xlsx").sheet("Rows")
    assert sheet.used.height - 1 == answer["rows"] == sum(one["rows"] for one in answer["read"])
    assert [sheet.value(2, column) for column in (9, 10, 11)] == ["pickups-harbour.xlsx", "Pickups", 5.0]
    assert all(isinstance(value, float) for value in sheet.column(2, 2, sheet.used.bottom)), "all days are days"
    plain = tinquire(
        "stack",
        folder / "pickups-harbour.xlsx",
        folder / "ledger-2026-10.csv",
        "--no-origin",
        "--out",
        tmp_path / "b.xlsx",
    )
    assert plain.code == 0 and "no column 'Account', 'Name', 'Balance': left blank" in plain.out
    for words, says in (
        (("--type", "Collected=day"), "there is no type 'day'"),
        (("--differing", "stop"), "it has no column"),
    ):
        wrong = tinquire(
            "stack",
            folder / "pickups-harbour.xlsx",
            folder / "ledger-2026-10.csv",
            *words,
            "--out",
            tmp_path / "c.xlsx",
        )
        assert wrong.code in (1, 2) and says in wrong.err
    assert "such a file already" in tinquire("stack", folder, "--out", tmp_path / "all.xlsx").err


def test_stack_into_sheets(pack, tmp_path, tinquire):
    """Each sheet looks as it did; tables keep apart; what a formula cannot take along becomes its result."""
    rich = rich_file(tmp_path / "rich.xlsx")
    outcome = tinquire("stack", rich, rich, pack, pack, "--into", "sheets", "--out", tmp_path / "all.xlsx")
    assert outcome.code == 0
    book = Workbook.open(tmp_path / "all.xlsx")
    assert conformance_findings(book.package) == []
    assert len(book.sheet_names()) == 18, "a file named twice is one"
    whole = Workbook.open(pack)
    for name in whole.sheet_names():
        before, after = whole.sheet(name), book.sheet(f"{pack.stem} {name}"[:31].strip())
        for number in before.columns:
            last = before.extent()[0]
            assert after.column(number, 1, last).to_list() == before.column(number, 1, last).to_list()
            looks = [whole.styles.appearance(style) for style in before.styles(number, 1, last)]
            assert looks == [book.styles.appearance(style) for style in after.styles(number, 1, last)]
        assert after.widths == before.widths and after.merged == before.merged
    data = book.sheet("rich Data")
    assert formula_at(data, 3, 3)[0] == "B3*2" and data.value(6, 2) == 18.0
    assert formula_at(data, 6, 2)[0] == "SUM(B2:B4)+SUM($B$2:$B$4)"
    lists = book.sheet("rich Lists")
    assert lists.formula(1, 2) is None and lists.value(1, 2) == 18.0


def test_compare(pack, tmp_path, tinquire):
    same = tinquire("compare", pack, pack, "--check")
    assert same.code == 0 and "nothing differs" in same.out
    assert tinquire("amend", pack, "--at", "Cover!E14", "--value", "1", "--recalc", "--out", tmp_path / "new").code == 0
    new = tmp_path / "new" / pack.name
    outcome = tinquire("compare", pack, new, "--check", "--to", tmp_path / "page.html")
    assert outcome.code == 1 and "1 value, 1 result" in outcome.out and "E14" in outcome.out
    page = (tmp_path / "page.html").read_text("utf-8")
    assert '<td class="c">E14</td>' in page and "What differs" in page and "<script" not in page
    answer = json.loads(tinquire("compare", pack, new, "--json").out)
    assert [(cell["kind"], cell["cell"]) for cell in answer["sheets"][0]["cells"]] == [
        ("value", "E14"),
        ("result", "E15"),
    ]
    assert "nothing differs" in tinquire("compare", pack, new, "--sheet", "Charges").out
    few = tinquire("compare", pack, new, "--rows", "1").out
    assert "and 1 more cells" in few
    assert tinquire("compare", pack, new, "--to", tmp_path / "page.pdf").code == 2
    assert CellError.REF.text not in page


def test_what_the_commands_say_along_the_way(job, tmp_path, tinquire):
    """Lock files passed over, columns of mixed kinds, one amendment's reason, a pattern of sheets."""
    folder = job / "sources" / "2026-10"
    (folder / "~$pickups-harbour.xlsx").write_bytes(b"lock")
    stacked = tinquire("stack", folder, "--out", tmp_path / "a.xlsx")
    assert stacked.code == 0 and "a program's lock file, passed over" in stacked.out
    assert (
        "column 'Collected' holds 543 texts and" in stacked.out and "--type 'Collected=...' settles it" in stacked.out
    )
    listed = tinquire("amend", folder, "--with", job / "amendments.toml", "--list")
    assert listed.code == 1 and "no 1      an empty bag has no pieces" in listed.out
    assert (
        "cell G4 holds 'Pieces', not 'Driver'" in listed.out
        and "3 files would change, 13 cells; 1 left alone" in listed.out
    )
    alone = tmp_path / "one.toml"
    alone.write_text('[[amend]]\nsay = "because"\nsheet = "P*"\nheading = "Pieces"\nmatching = "none"\nvalue = 0\n')
    said = tinquire("amend", folder / "pickups-millrace.xlsx", "--with", alone, "--list")
    assert said.code == 0 and "why       because" in said.out and "Pickups!E177" in said.out
    split = tinquire("split", folder / "pickups-millrace.xlsx", "--by", "sheet", "--out", tmp_path / "split")
    assert split.code == 0 and (tmp_path / "split" / "Pickups.xlsx").exists()
    for words, says in (
        (("split", folder / "pickups-millrace.xlsx", "--into", "sheets", "--out", tmp_path / "x"), "it has sheets already"),
        (("split", folder / "pickups-millrace.xlsx", "--by-column", "Item", "--sheet", "A", "--sheet", "B", "--out", tmp_path / "x"), "only one sheet can be split"),
        (("stack", tmp_path / "nothing", "--out", tmp_path / "y.xlsx"), "there is no file"),
        (("stack", folder, "--type", "Collected", "--out", tmp_path / "y.xlsx"), "gives no type"),
        (("compare", folder / "pickups-millrace.xlsx", tmp_path / "none.xlsx"), "there is no such file"),
        (("amend", folder, "--at", "A1", "--value", "1", "--out", folder), "there is such a file already"),
    ):  # fmt: skip
        wrong = tinquire(*words)
        assert wrong.code in (2, 3) and says in wrong.err, words


def test_numbers_of_every_length_are_read_alike(tmp_path):
    """Long, short and odd numbers among plain ones: the quick reader and the careful one agree to the last bit."""
    texts = [
        "1",
        "-2.5",
        "0.1234567890123456",
        "123456789012345678",
        "1E-7",
        "-1.5e+10",
        ".5",
        "5.",
        "+7",
        "1e400",
        "0.30000000000000004",
    ]
    rows = "".join(f'<row r="{n}"><c r="A{n}"><v>{text}</v></c></row>' for n, text in enumerate(texts * 3, 1))
    sheet = Workbook.open(written(tmp_path / "a.xlsx", rows)).sheet("Sheet1")
    for n, text in enumerate(texts * 3, 1):
        value = sheet.value(n, 1)
        assert value == (CellError.NUM if text == "1e400" else float(text)), text


def test_show_columns_as_a_source_would_read_them(pack, tmp_path, tinquire):
    (tmp_path / "a.csv").write_text("Code;Day;Fee\n007;13.10.2026;1,50\n008;14.10.2026;\n", "utf-8")
    said = tinquire("show", tmp_path / "a.csv")
    assert said.code == 0 and "read Day as date dmy, Fee as number" in said.out
    (answer,) = json.loads(tinquire("show", tmp_path / "a.csv", "--json").out)
    facts = {one.pop("column"): one for one in answer["columns"]}
    assert facts["Code"] == {
        "type": "text",
        "filled": 2,
        "blank": 0,
        "different": 2,
        "from": "007",
        "to": "008",
        "first": "007",
    }
    assert facts["Fee"] == {
        "type": "number",
        "filled": 1,
        "blank": 1,
        "different": 1,
        "from": 1.5,
        "to": 1.5,
        "first": 1.5,
    }
    answers = json.loads(tinquire("show", pack, "--columns", "--json").out)
    assert [one["rows"] for one in answers if one["sheet"] == "Charges"] == [2516]
    pivot = next(one for one in answers if one["sheet"] == "By depot and band")
    assert "a repeated heading is called 'Pickups (2)'" in pivot["notes"]
