"""Sources: clutter told apart, text files understood, files found, types read, totals compared."""

from __future__ import annotations

import hashlib
from dataclasses import replace

import numpy as np
import pytest

from parts import written
from tinquire.base.faults import AccessError, DataError, TinQuireError
from tinquire.cells import Column
from tinquire.larkfold.exports import DIALECTS, export, table_workbook
from tinquire.sources import SourceSpec, gather
from tinquire.sources.delimited.reader import read_delimited
from tinquire.sources.find_files import matching_files
from tinquire.sources.raw_table import Block, table_below_heading
from tinquire.workbook import Sheet, Workbook, edit


def block(*rows, top=1, left=1):
    width = max(len(row) for row in rows)
    columns = [Column.from_values(row[n] if n < len(row) else None for row in rows) for n in range(width)]
    return Block("in.xlsx", "S", top, left, tuple(columns))


TITLED = (
    ["Larkfold pickups"],
    ["Exported today"],
    [],
    ["Item", "Pieces", "Note"],
    ["sheet", 3.0, None],
    ["towel", 5.0, "x"],
)

CLUTTER = [
    # rows, headings found, values of the first column, totals, notes
    (TITLED, ["Item", "Pieces", "Note"], ["sheet", "towel"], None, "2 title rows above"),
    ((*TITLED, ["Totals", 8.0]), ["Item", "Pieces", "Note"], ["sheet", "towel"], {"Item": "Totals", "Pieces": 8.0, "Note": None}, "totals row 7 left out"),
    ((*TITLED, ["GRAND TOTAL", 8.0], ["End of export"]), ["Item", "Pieces", "Note"], ["sheet", "towel"], {"Item": "GRAND TOTAL", "Pieces": 8.0, "Note": None}, "1 row below"),
    ((*TITLED, [], ["Total", 8.0]), ["Item", "Pieces", "Note"], ["sheet", "towel"], {"Item": "Total", "Pieces": 8.0, "Note": None}, "1 blank row"),
    ((*TITLED, ["Total eclipse", None]), ["Item", "Pieces", "Note"], ["sheet", "towel", "Total eclipse"], None, ""),
    ((*TITLED, ["totally", 8.0]), ["Item", "Pieces", "Note"], ["sheet", "towel", "totally"], None, ""),
    ((["Item", None, "Pieces"], ["sheet", "red", 3.0]), ["Item", "Column B", "Pieces"], ["sheet"], None, "without a heading"),
    ((["Item", "Item", "Pieces"], ["a", "b", 3.0]), ["Item", "Item (2)", "Pieces"], ["a"], None, "a repeated heading"),
    ((["Item", "Item", "Pieces"], ["a", "b", "c"], ["c", "d", 3.0]), ["a", "b", "c"], ["c"], None, "1 title row"),
    ((["Item ", " Pieces\n(each)"], ["a", 3.0]), ["Item", "Pieces (each)"], ["a"], None, ""),
    ((["Item", "Pieces"],), ["Item", "Pieces"], [], None, ""),
    ((["a", 1.0], ["b", 2.0]), [], [], None, ""),
]  # fmt: skip


@pytest.mark.parametrize(("rows", "headings", "first", "totals", "note"), CLUTTER)
def test_headings_rows_and_clutter(rows, headings, first, totals, note):
    if not headings:
        with pytest.raises(DataError, match="no heading row"):
            table_below_heading(block(*rows), "find", "agree", frozenset())
        return
    raw = table_below_heading(block(*rows), "find", "agree", frozenset())
    assert raw.headings == headings
    assert raw.columns[0].to_list() == first
    assert (raw.totals or None) == totals
    assert note in "; ".join(map(str, raw.notes))


def test_expected_headings_lead_to_their_row():
    rows = (["Region", "Period", "Owner"], ["North", "October", "Ada"], ["Item", "Pieces"], ["sheet", 2.0])
    assert table_below_heading(block(*rows), "find", "agree", frozenset({"pieces"})).headings[:2] == ["Item", "Pieces"]
    assert table_below_heading(block(*rows), "find", "agree", frozenset()).headings[0] == "Region"


def test_the_heading_row_may_be_given():
    raw = table_below_heading(block(["a", 1.0], ["b", 2.0], top=3), 3, "agree", frozenset())
    assert (raw.headings, raw.rows.tolist()) == (["a", "1"], [4])
    with pytest.raises(DataError, match="row 9 lies outside"):
        table_below_heading(block(["a", 1.0]), 9, "agree", frozenset())


def test_places_are_those_of_the_sheet():
    raw = table_below_heading(block(*TITLED, top=2, left=3), "find", "agree", frozenset())
    assert raw.rows.tolist() == [6, 7]
    assert raw.cells([0], 1) == "in.xlsx, sheet 'S', cell D6"
    assert raw.cells([0, 1], 1) == "in.xlsx, sheet 'S', cells D6, D7"


# -- delimited text --------------------------------------------------------------------------------------

TEXTS = [
    (b"a,b\r\n1,2\r\n", "utf-8, separated by commas", [["a", "1"], ["b", "2"]]),
    (b"\xef\xbb\xbfa;b\n1,5;2\n", "utf-8, separated by semicolons, decimal comma", [["a", "1,5"], ["b", "2"]]),
    (b"a;b\n1.5;2\n", "utf-8, separated by semicolons, decimal point", [["a", "1.5"], ["b", "2"]]),
    (b"a\tb\nx,y\tz\n", "utf-8, separated by tabs", [["a", "x,y"], ["b", "z"]]),
    (b"a|b\n1|2\n", "utf-8, separated by bars", [["a", "1"], ["b", "2"]]),
    ("a,b\né,ö\n".encode("utf-16"), "utf-16, separated by commas", [["a", "é"], ["b", "ö"]]),
    (b'a,b\n"x, ""y""\nz",2\n', "utf-8, separated by commas", [["a", 'x, "y"\nz'], ["b", "2"]]),
    (b"a\n1\n", "utf-8, separated by commas", [["a", "1"]]),
    (b"a,b\n1\n", "utf-8, separated by commas", [["a", "1"], ["b", None]]),
]  # fmt: skip


@pytest.mark.parametrize(("data", "says", "columns"), TEXTS)
def test_delimited_text(tmp_path, data, says, columns):
    path = tmp_path / "in.csv"
    path.write_bytes(data)
    made, dialect = read_delimited(path, "in.csv")
    assert dialect.says() == says
    assert [column.to_list() for column in made.columns] == columns


@pytest.mark.parametrize(
    ("text", "encoding", "word"),
    [
        ("Größe;Straße\nübergroß;Königsallee\nmäßig;Gänsemarkt\n", "cp1252", "Königsallee"),
        ("Almacén;Señora Muñoz\nPeñíscola;Núñez\n", "cp1252", "Peñíscola"),
        ("Beløb;Kunde\n12,5;Søren Ågård\n", "cp1252", "Beløb"),
        ("Name;Amount\nAmy;1\nZoë;2\nCafé;5\n" + "Bob;7\n" * 40, "cp1252", "Café"),
        ("Item – large;€ 1\nItem’s;2\n“Quoted”;3\n", "cp1252", "“Quoted”"),
        ("Zażółć gęślą;Łódź\nŚwiętosław;Źródło\n", "cp1250", "Świętosław"),
        ("Склад;Клиент\nМосква;Иванов\n", "cp1251", "Клиент"),
        ("Αποθήκη;Πελάτης\nΑθήνα;Γιώργος\n", "cp1253", "Αποθήκη"),
        ("倉庫;顧客\n東京;田中\n", "shift_jis", "倉庫"),
        ("仓库;客户\n北京;王先生\n", "gb18030", "王先生"),
        ("Größe;Straße\n", "utf-16", ""),
        ("Größe;Straße\n", "utf-32", ""),
        ("Größe;Straße\n", "utf-16-le", None),
    ],
)
def test_an_old_encoding_is_found_out_and_stated(tmp_path, text, encoding, word):
    path = tmp_path / "in.csv"
    path.write_bytes(text.encode(encoding))
    if word is None:  # nothing tells it: it has to be stated
        with pytest.raises(AccessError, match="it is not text"):
            read_delimited(path, "in.csv")
        assert read_delimited(path, "in.csv", encoding=encoding)[0].columns[0][0] == "Größe"
        return
    made, dialect = read_delimited(path, "in.csv")
    assert (dialect.encoding, dialect.word) == (encoding, word)
    assert made.columns[0][0] == text.partition(";")[0] and made.columns[1][0] == text.split("\n")[0].partition(";")[2]
    if word:
        assert f"{encoding} by its letters (as in '{word}'), separated by semicolons" in dialect.says()
    for stated in ("utf-8", "runes"):
        with pytest.raises(DataError, match=f"it is not {stated}"):
            read_delimited(path, "in.csv", encoding=stated)
    assert read_delimited(path, "in.csv", encoding=encoding)[0].columns[0].to_list() == made.columns[0].to_list()


@pytest.mark.parametrize(
    ("data", "why"),
    [(b'a,b\n"open,2\n', "quoting is broken"), (b"PK\x03\x04rest", "it is not text"), (b"a\x00b", "it is not text"), (None, "no such file"),
     ("a;b\nä;ö\nü;ß\né;à\n".encode()[:-2], "UTF-8 up to byte 20, where it is broken"), (b"\xef\xbb\xbfa;b\n1;\xfc\n", "UTF-8 up to byte 10"),
     (b"a;b,c\nd,e;f\ng\n", "by commas or semicolons"), (b"a,b\n1\n2\n3\n", "no separator")],
)  # fmt: skip
def test_text_that_cannot_be_understood(tmp_path, data, why):
    path = tmp_path / "in.csv"
    if data is not None:
        path.write_bytes(data)
    with pytest.raises(TinQuireError, match=why):
        read_delimited(path, "in.csv")


def test_lines_are_counted_past_quoted_breaks(tmp_path):
    path = tmp_path / "in.csv"
    path.write_bytes(b'Item,Pieces\n"a\nb",1\nc,x\n')
    with pytest.raises(DataError) as caught:
        gather(SourceSpec("s", tmp_path, file="in.csv", types={"Pieces": "whole"}))
    assert caught.value.faults[0].where == "in.csv, column 'Pieces', line 4"


# -- files and whole sources -----------------------------------------------------------------------------


def test_files_come_in_natural_order_without_lock_files(tmp_path):
    for name in ("p 10.xlsx", "p 2.xlsx", "p ².xlsx", "~$p 2.xlsx", "q.xlsx"):
        (tmp_path / name).write_bytes(b"")
    files, notes = matching_files("*p *.xlsx", tmp_path, "source 's'")
    assert [path.name for path in files] == ["p 2.xlsx", "p 10.xlsx", "p ².xlsx"]
    assert notes == ["~$p 2.xlsx passed over: a program's lock file"]


def export_at(folder, name, *rows, dialect="northgate"):
    (folder / name).write_bytes(export(rows, "S", DIALECTS[dialect]))


HEAD = ["Item", "Pieces", "Day"]
DATES = {"Day": "date dmy", "Pieces": "whole"}


@pytest.mark.parametrize("dialect", DIALECTS)
def test_every_dialect_reads_the_same(tmp_path, dialect):
    export_at(
        tmp_path,
        "a.xlsx",
        ["Title"],
        [],
        HEAD,
        ["sheet", 3.0, "03/10/2026"],
        ["towel", 5.0, None],
        ["Total", 8.0, None],
        dialect=dialect,
    )
    made = gather(SourceSpec("s", tmp_path, files="*.xlsx", types=DATES))
    assert [column.to_list() for column in made.table.columns] == [["sheet", "towel"], [3, 5], [46298, None]]
    assert made.table.where(1) == "a.xlsx, sheet 'S', row 5"
    assert tuple(map(str, made.files[0].notes)) == (
        "1 title row above the headings left out",
        "totals row 6 left out",
        "its sums agree with the rows",
    )


def test_files_are_stacked_by_heading_and_stamped(tmp_path):
    export_at(tmp_path, "p-a.xlsx", HEAD, ["sheet", 3.0, None])
    export_at(tmp_path, "p-b.xlsx", ["Day", "pieces", "Item"], [None, 5.0, "towel"])
    made = gather(SourceSpec("s", tmp_path, files="p-*.xlsx", stamps={"Depot": lambda path, _: path.stem[2:]})).table
    assert made.headings == ["Item", "Pieces", "Day", "Depot"]
    assert made.column("Depot").to_list() == ["a", "b"]
    assert made.column("Item").to_list() == ["sheet", "towel"]


def test_columns_that_some_files_lack_stop_or_are_blank(tmp_path):
    export_at(tmp_path, "a.xlsx", HEAD, ["sheet", 3.0, None])
    export_at(tmp_path, "b.xlsx", ["Item", "Peices", "Day"], ["towel", 5.0, None])
    spec = SourceSpec("s", tmp_path, files="*.xlsx")
    with pytest.raises(DataError) as caught:
        gather(spec)
    assert [(fault.where, fault.why.split(":")[1].strip()) for fault in caught.value.faults] == [
        ("a.xlsx", "the nearest is 'Pieces'"), ("b.xlsx", "the nearest is 'Peices'"),
    ]  # fmt: skip
    from dataclasses import replace

    made = gather(replace(spec, differing="blank")).table
    assert made.column("Peices").to_list() == [None, 5]


FAULTS = [
    (dict(types={"Peices": "whole"}), "no file has a column 'Peices': the nearest is 'Pieces'", "a.xlsx"),
    (dict(types={"Item": "whole"}), "'sheet' is not a number", "a.xlsx, sheet 'S', cell A2"),
    (dict(types={"Day": "date"}), "'03/04/2026' could be 3 April 2026 or 4 March 2026 (2 values in all)", "a.xlsx, sheet 'S', cells C2, C3"),
    (dict(sheet="T"), "it has no sheet 'T'", "a.xlsx"),
    (dict(table="T"), "it has no table 'T': there is none", "a.xlsx"),
    (dict(), "the totals row says 9 Pieces, the rows read add up to 8", "a.xlsx, sheet 'S', row 4"),
]  # fmt: skip


@pytest.mark.parametrize(("more", "why", "where"), FAULTS)
def test_faults_of_a_source_name_their_place(tmp_path, more, why, where):
    export_at(
        tmp_path, "a.xlsx", HEAD, ["sheet", 3.0, "03/04/2026"], ["towel", 5.0, "05/06/2026"], ["Total", 9.0, None]
    )
    with pytest.raises(TinQuireError) as caught:
        gather(SourceSpec("s", tmp_path, **{"files": "*.xlsx", **more}))
    assert (caught.value.faults[0].why.startswith(why), caught.value.faults[0].where) == (True, where)
    assert caught.value.faults[0].do


@pytest.mark.parametrize(
    ("unreadable", "pieces"),
    [("blank", [3, None, None]), ({"pieces": 1.0}, [3, 1, 1]), ({"Pieces": ""}, [3, None, None]), ({"Item": 1.0}, "'many' is not a number")],
)  # fmt: skip
def test_what_cannot_be_read_may_stand_for_something(tmp_path, unreadable, pieces):
    export_at(tmp_path, "a.xlsx", HEAD, ["sheet", 3.0, None], ["towel", "many", None], ["mat", "many", None])
    spec = SourceSpec("s", tmp_path, file="a.xlsx", types={"Pieces": "whole"}, unreadable=unreadable)
    if isinstance(pieces, str):
        with pytest.raises(DataError, match=pieces):
            gather(spec)
        return
    made = gather(spec)
    assert made.table.column("Pieces").to_list() == pieces
    assert (
        made.files[0].notes[0].startswith("column 'Pieces': 2 values that cannot be read are ")
        and "cell B3" in made.files[0].notes[0]
    )
    with pytest.raises(DataError, match="could be"):
        export_at(tmp_path, "b.xlsx", HEAD, ["sheet", 3.0, "03/04/2026"])
        gather(SourceSpec("s", tmp_path, file="b.xlsx", types={"Day": "date"}, unreadable="blank"))


@pytest.mark.parametrize(
    ("label", "total", "left_out"),
    [
        ("Summe", "1.203,50 €", True), ("Gesamtsumme:", "1.203,50-", False), ("Total général", "1 203,50", True), ("Итого", "1203,5", True),
        ("合計", "1.203,50", True), ("Razem", "1.204,50 €", False), ("Sommer", "1.203,50", None), ("Suma Wholefoods", "1.203,50", None), ("Summe (EUR)", "1.203,50", True), ("Total", "", None),
    ],
)  # fmt: skip
def test_totals_of_delimited_text(tmp_path, label, total, left_out):
    """Left out when they agree, a fault when they do not; None: no row of totals at all."""
    (tmp_path / "a.csv").write_text(f"Artikel;Betrag\nBett;1.200,00 €\nTuch;3,50 €\n{label};{total}\n", "utf-8")
    spec = SourceSpec("s", tmp_path, file="a.csv", types={"Betrag": "money"})
    if left_out is False:
        with pytest.raises(DataError, match=r"the rows read add up to 1203\.5"):
            gather(spec)
        return
    made = gather(spec)
    assert made.table.height == (2 if left_out else 3)
    assert ("totals row 4 left out" in map(str, made.files[0].notes)) == bool(left_out)
    assert sum(made.table.column("Betrag").numbers[:2]) == 1203.5


def test_a_totals_row_may_be_dropped_or_be_data(tmp_path):
    export_at(tmp_path, "a.xlsx", HEAD, ["sheet", 3.0, None], ["Total", 9.0, None])
    heights = [
        gather(SourceSpec("s", tmp_path, files="*.xlsx", totals_row=how)).table.height for how in ("drop", "none")
    ]
    assert heights == [1, 2]


def test_every_bad_file_is_named_at_once(tmp_path):
    (tmp_path / "a.xlsx").write_bytes(b"no workbook")
    (tmp_path / "b.xlsx").write_bytes(b"")
    with pytest.raises(TinQuireError) as caught:
        gather(SourceSpec("s", tmp_path, files="*.xlsx"))
    assert [fault.where for fault in caught.value.faults] == ["a.xlsx", "b.xlsx"]
    assert caught.value.exit_code == 3


def test_tables_of_workbooks_are_read_by_name(tmp_path):
    (tmp_path / "c.xlsx").write_bytes(
        table_workbook([["Number", "Total"], [1001.0, 5.0], [1002.0, 6.0]], "Any", "Customers")
    )
    made = gather(SourceSpec("s", tmp_path, file="c.xlsx", table="customers", types={"Number": "text"})).table
    assert made.column("Number").to_list() == ["1001", "1002"]
    assert made.field("Total").type == "number"


def test_dates_of_1904_workbooks_count_as_others(tmp_path):
    styles = (
        '<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><cellXfs count="2"><xf/><xf numFmtId="14"/>'
        "</cellXfs></styleSheet>"
    )
    rows = (
        '<row r="1"><c r="A1" t="inlineStr"><is><t>Day</t></is></c><c r="B1" t="inlineStr"><is><t>N</t></is></c></row>'
        '<row r="2"><c r="A2" s="1"><v>44834</v></c><c r="B2"><v>44834</v></c></row>'
    )
    written(tmp_path / "w.xlsx", rows, styles=styles, workbook='<workbookPr date1904="true"/>|')
    made = gather(SourceSpec("s", tmp_path, file="w.xlsx", types={"Day": "date"})).table
    assert (made.column("Day")[0], made.column("N")[0]) == (46296, 44834)
    untold = gather(SourceSpec("s", tmp_path, file="w.xlsx")).table
    assert [(one.name, one.type) for one in untold.fields] == [("Day", "date"), ("N", "number")]
    assert untold.column("Day")[0] == 46296
    assert np.array_equal(made.origin.row, [2])


@pytest.mark.parametrize(
    ("more", "headings", "height", "note"),
    [
        ({"differing": "keep"}, ["Item"], 4, "column 'Pcs' is not in all files: left out"),
        ({"known_as": {"Pieces": ["Pcs", "Qty"]}}, ["Item", "Pieces"], 4, "'Pcs' is read as 'Pieces'"),
        ({"differing": "blank"}, ["Item", "Pieces", "Pcs"], 4, "no column 'Pcs': left blank"),
        ({"files": "[ac].csv", "same_file": "once"}, ["Item", "Pieces"], 2, "c.csv is the same file, and left out"),
        ({"files": "[ac].csv", "same_file": "keep"}, ["Item", "Pieces"], 4, ""),
    ],
)
def test_files_that_differ_or_are_the_same(more, headings, height, note, tmp_path):
    (tmp_path / "a.csv").write_text("Item,Pieces\nsheet,3\ntowel,4\n", "utf-8")
    (tmp_path / "b.csv").write_text("Pcs,Item\n3,sheet\n4,towel\n", "utf-8")
    (tmp_path / "c.csv").write_bytes((tmp_path / "a.csv").read_bytes())
    made = gather(SourceSpec("s", tmp_path, **{"files": "[ab].csv", **more}))
    assert (made.table.headings, made.table.height) == (headings, height)
    assert note in " ".join(str(note) for file in made.files for note in file.notes)
    with pytest.raises(DataError, match=r"it is the same as a\.csv, byte for byte"):
        gather(SourceSpec("s", tmp_path, files="*.csv", same_file="stop"))


def test_ranges_names_and_joined_headings(tmp_path):
    book, sheet = Workbook.new(), Sheet("Two rows")
    for row, values in enumerate([["List", None, None, None, "aside"], [None, "North", None, "South"], ["Item", "Pieces", "Fee", "Pieces"],
                                  ["sheet", 1.0, 2.5, 3.0], ["towel", 4.0, 5.5, 6.0], ["mat", 7.0, 8.5, 9.0]], start=1):  # fmt: skip
        for column, value in enumerate(values, start=1):
            sheet.set(row, column, value)
    book.add_sheet(sheet)
    edit.set_name(book, "Items", "'Two rows'!$A$2:$D$5")
    book.save(tmp_path / "w.xlsx")
    spec = SourceSpec("s", tmp_path, file="w.xlsx", header=[2, 3])
    for area, height in (("items", 2), ("A2:D6", 3), ("'Two rows'!A2:B5", 2)):
        made = gather(replace(spec, area=area)).table
        assert made.headings == ["Item", "North Pieces", "North Fee", "South Pieces"][: len(made.headings)]
        assert made.height == height
    assert made.where(1) == "w.xlsx, sheet 'Two rows', row 5"
    for wrong, why in (({"area": "itms"}, "the nearest is 'Items'"), ({"header": [7, 8]}, "lie outside")):
        with pytest.raises(DataError, match=why):
            gather(replace(spec, **wrong))


def test_sheets_by_a_pattern(tmp_path):
    book = Workbook.new()
    for name, rows in {
        "Week 1": [["Item", "Pieces"], ["sheet", 3.0]],
        "Notes": [["x"]],
        "week 2": [["pieces", "Item"], [5.0, "towel"]],
    }.items():
        sheet = Sheet(name)
        for number in range(1, len(rows[0]) + 1):
            sheet.put(1, number, Column.from_values([row[number - 1] for row in rows]))
        book.add_sheet(sheet)
    book.add_sheet(Sheet("Week 3"))
    book.save(tmp_path / "a.xlsx")
    made = gather(
        SourceSpec(
            "s", tmp_path, file="a.xlsx", sheet="Week ?", same_file="stop", stamps={"Week": lambda _, sheet: sheet}
        )
    )
    assert [column.to_list() for column in made.table.columns] == [["sheet", "towel"], [3, 5], ["Week 1", "week 2"]]
    assert [(one.rows, one.notes) for one in made.files] == [(2, ("sheets 'Week 1', 'week 2'",))]
    assert made.table.where(1) == "a.xlsx, sheet 'week 2', row 2"
    with pytest.raises(DataError) as caught:
        gather(SourceSpec("s", tmp_path, file="a.xlsx", sheet="Day *"))
    assert "no visible sheet 'Day *'" in caught.value.faults[0].why


@pytest.mark.parametrize("change", [lambda path: path.write_text("a,b\n1,3\n4,5\n"), lambda path: path.unlink()])
def test_a_file_that_changes_after_it_was_read_has_no_digest(tmp_path, change):
    path = tmp_path / "a.csv"
    path.write_text("a,b\n1,2\n")
    read, kept = (gather(SourceSpec("s", tmp_path, file="a.csv")).files[0].digest for _ in range(2))
    read.begin()
    assert read.text == hashlib.sha256(b"a,b\n1,2\n").hexdigest()
    change(path)
    with pytest.raises(AccessError, match="it was changed while the run went on"):
        _ = kept.text
    assert read.text
