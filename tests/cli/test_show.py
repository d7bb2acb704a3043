"""What `show` says of the odd sides of a workbook, and of files that are none."""

from __future__ import annotations

import json
import zipfile

from hypothesis import given
from hypothesis import strategies as st

from parts import written
from tinquire.cli.support.grid import Shown, laid_out
from tinquire.workbook.grid.entry_rules import entry_in_words
from tinquire.workbook.grid.marks import mark_in_words

ROWS = (
    '<row r="1"><c r="A1" t="inlineStr"><is><t>A long heading that goes on and on and on</t></is></c><c r="B1"><v>5</v></c></row>'
    '<row r="2" hidden="1"><c r="B2"><f>1/0</f><v>7</v></c></row><row r="3" hidden="true"><c r="B3"><v>7</v></c></row>'
    '<row r="5" ht="12" hidden="1"/><row r="9"><c r="A9" s="0" t="e"><v>#N/A</v></c><c r="B9" t="e"><v>#DIV/0!</v></c></row>'
)
COLUMNS = '<cols><col min="4" max="5" hidden="1"/><col min="7" max="7" hidden="true"/><col min="9" max="9"/></cols>'
BESIDE = (
    '<autoFilter ref="A1:B9"><filterColumn colId="0"/></autoFilter>'
    '<conditionalFormatting sqref="B2:B9"><cfRule type="top10" rank="3" bottom="1" priority="2"/>'
    '<cfRule type="cellIs" operator="between" priority="1"><formula>5</formula><formula>9</formula></cfRule>'
    '</conditionalFormatting><dataValidations><dataValidation sqref="A2" type="list"><formula1>"a,b"</formula1>'
    "</dataValidation></dataValidations>"
)
BOOK = '<workbookPr date1904="1"/>|<calcPr calcMode="manual"/>'


def test_show_tells_what_is_hidden_odd_and_wrong(tmp_path, tinquire):
    path = written(tmp_path / "odd.xlsx", ROWS, before=COLUMNS, after=BESIDE, workbook=BOOK)
    told = tinquire("show", path, "--rows", "1").out
    for line in (
        "errors    Sheet1: A9, B9",
        "marks     Sheet1: B2:B9 (between 5 and 9; the smallest 3)",
        'entries   Sheet1: A2 (one of "a,b")',
        "hidden    Sheet1: rows 2 to 3, 5, by a filter; columns D to E, G",
        "workbook  recalculates only on request\n          counts days from 1904",
        "1  A long heading that goes on and on and on  5",
    ):
        assert line in told, told
    answer = json.loads(tinquire("show", path, "--rows", "2", "--json").out)
    assert answer["sheets"][0]["in error"] == ["A9", "B9"]
    assert answer["sheets"][0]["first rows"][1] == {"row": 2, "values": {"B": 7.0}, "shown": {"B": "7"}}
    assert answer["notes"] and answer["beside cells"][0]["hidden"]["columns"] == [[4, 5], [7, 7]]
    plain = written(
        tmp_path / "plain.xlsx", '<row r="1"><c r="A1"><v>1</v></c></row>', before='<cols><col min="1" max="1"/></cols>'
    )
    lines = tinquire("show", plain).out.splitlines()
    assert not [line for line in lines if line.startswith(("hidden", "errors", "workbook"))]


def test_a_file_of_another_kind_is_named(tmp_path, tinquire):
    package = written(tmp_path / "a.xlsx", ROWS)
    old = tmp_path / "old.xls"
    old.write_bytes(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600 + package.read_bytes())
    document = tmp_path / "a.ods"
    with zipfile.ZipFile(document, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("META-INF/manifest.xml", "<m/>")
    flat = tmp_path / "a.fods"
    flat.write_text(
        '<?xml version="1.0"?><office:document xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"/>'
    )
    commands = [
        ("show", "--conformance"),
        ("recalc", "--check"),
        ("values", "--out", "x.xlsx"),
        ("split", "--out", "x"),
        ("trace", "A1"),
    ]
    for path, says in (
        (old, "it is a workbook of the old binary kind"),
        (document, "it is an OpenDocument sheet"),
        (flat, "it is an OpenDocument sheet"),
    ):
        for command, *options in commands:
            outcome = tinquire(command, path, *options)
            assert outcome.code == 3 and says in outcome.err, (command, outcome)


MARKS = [
    ("cellIs", ["5"], {"operator": "greaterThan"}, "greater than 5"), ("cellIs", ["1", "2"], {"operator": "notBetween"}, "not between 1 and 2"),
    ("cellIs", [], {}, "equal to ?"), ("expression", ["$A1>2"], {}, "where $A1>2"), ("top10", [], {}, "the largest 10"),
    ("top10", [], {"percent": "1", "rank": "5"}, "the largest 5 %"), ("aboveAverage", [], {}, "above the average"),
    ("aboveAverage", [], {"aboveAverage": "0", "equalAverage": "1", "stdDev": "2"}, "at or below the average by 2 standard deviations"),
    ("containsText", ["x"], {"text": "late"}, "texts with 'late'"), ("timePeriod", [], {"timePeriod": "lastWeek"}, "last week"),
    ("duplicateValues", [], {}, "repeated values"), ("dataBar", [], {}, "bars"), ("odd", [], {}, "odd"),
]  # fmt: skip
ENTRIES = [
    ("whole", "between", ["1", "9"], "whole numbers between 1 and 9"), ("textLength", "lessThanOrEqual", ["8"], "texts of a length at most 8"),
    ("custom", "between", ["A1>B1"], "what makes A1>B1 true"), ("none", "between", [], "anything, with a prompt"), ("list", "between", ["Sizes"], "one of Sizes"),
]  # fmt: skip


def test_rules_are_told_in_words():
    assert [mark_in_words(kind, formulas, settings) for kind, formulas, settings, _ in MARKS] == [
        one[-1] for one in MARKS
    ]
    assert [entry_in_words(kind, operator, formulas) for kind, operator, formulas, _ in ENTRIES] == [
        one[-1] for one in ENTRIES
    ]


CELLS = st.one_of(st.none(), st.integers(3, 45), st.integers(-9, -1))


@given(
    st.integers(1, 6).flatmap(lambda w: st.lists(st.lists(CELLS, min_size=w, max_size=w), min_size=1, max_size=4)),
    st.sampled_from([0, 400]),
)
def test_cells_of_a_column_stand_below_each_other_and_a_pipe_cuts_nothing(rows, width):
    shown = [
        [
            Shown("") if v is None else Shown(f"<{r}{chr(97 + c)}" + "x" * v + ">") if v > 0 else Shown(f"{r}{c}" + "7" * -v, True)
            for c, v in enumerate(row)
        ]
        for r, row in enumerate(rows)
    ]  # fmt: skip
    letters = [chr(65 + n) for n in range(len(rows[0]))]
    _, *lines = laid_out(letters, range(1, len(rows) + 1), shown, width)
    for column in range(len(letters)):
        cells = [(line, row[column]) for line, row in zip(lines, shown, strict=True) if row[column].text]
        assert len({line.index(cell.text[:3]) for line, cell in cells if not cell.right}) < 2
        assert len({line.index(cell.text) + len(cell.text) for line, cell in cells if cell.right}) < 2
        assert width or all(cell.text in line for line, cell in cells)
