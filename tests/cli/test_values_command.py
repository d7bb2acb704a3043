"""tinquire values: results in place of formulas, all else as it was."""

from __future__ import annotations

import pytest

from parts import members
from tinquire.packages.package import Package
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import conformance_findings


@pytest.fixture(scope="module")
def pack(tmp_path_factory, shipped_job):
    from tinquire.docket import load_docket, parse_period
    from tinquire.press.make import make

    path = tmp_path_factory.mktemp("pack") / "pack.xlsx"
    path.write_bytes(make(load_docket(shipped_job / "docket.toml"), parse_period("2026-10")).outputs[0].data)
    return path


def cells(path):
    book = Workbook.open(path)
    return {
        (sheet.name, number): (
            sheet.column(number, 1, sheet.extent()[0]).to_list(),
            sheet.styles(number, 1, sheet.extent()[0]).tolist(),
        )
        for sheet in book.sheets()
        for number in sheet.columns
    }


@pytest.mark.parametrize("sheets", [[], ["Cover"], ["Charges", "Harbour"]])
def test_values_keep_everything_but_the_formulas(pack, tmp_path, tinquire, sheets):
    out = tmp_path / "values.xlsx"
    words = [word for name in sheets for word in ("--sheet", name)]
    assert tinquire("values", pack, "--out", out, *words).code == 0
    assert cells(out) == cells(pack)
    before, after = Workbook.open(pack), Workbook.open(out)
    for sheet in before.sheets():
        left = after.sheet(sheet.name).formula_count()
        assert left == (0 if not sheets or sheet.name in sheets else sheet.formula_count())
    assert conformance_findings(Package.open(out)) == []
    old, new = members(pack.read_bytes()), members(out.read_bytes())
    untouched = {"Cover": "xl/worksheets/sheet1.xml", "Charges": "xl/worksheets/sheet2.xml"}
    for name, part in untouched.items():
        assert (old[part] == new[part]) is bool(sheets and name not in sheets)
    if not sheets:
        assert b"calculatedColumnFormula" not in new["xl/tables/table1.xml"]


def test_in_place_keeps_the_original(pack, tmp_path, tinquire):
    path = tmp_path / "pack.xlsx"
    path.write_bytes(pack.read_bytes())
    said = tinquire("values", path, "--in-place")
    assert "5,178 formulas replaced" in said.out
    assert next((tmp_path / "originals").rglob("pack.xlsx")).read_bytes() == pack.read_bytes()
    again = tinquire("values", path, "--in-place")
    assert (again.code, "0 formulas" in again.out, len(list(tmp_path.iterdir()))) == (0, True, 2)
    path.write_bytes(pack.read_bytes())
    tinquire("values", path, "--in-place")
    assert next((tmp_path / "originals").rglob("pack (2).xlsx"))


@pytest.mark.parametrize(
    ("words", "code", "text"),
    [
        ([], 2, "required"),
        (["--out", "SELF"], 2, "it is the input file"),
        (["--out", "OTHER"], 2, "such a file already"),
        (["--out", "NEW", "--sheet", "No"], 1, "it has no sheet 'No'"),
    ],
)
def test_nothing_is_written_over(pack, tmp_path, tinquire, words, code, text):
    (tmp_path / "other.xlsx").write_bytes(b"x")
    names = {"SELF": pack, "OTHER": tmp_path / "other.xlsx", "NEW": tmp_path / "new.xlsx"}
    before = pack.read_bytes()
    said = tinquire("values", pack, *(names.get(word, word) for word in words))
    assert (said.code, text in said.err) == (code, True)
    assert (pack.read_bytes() == before, (tmp_path / "new.xlsx").exists()) == (True, False)


def test_formulas_without_results_are_not_made_blank(tmp_path, tinquire):
    from parts import written

    path = written(
        tmp_path / "w.xlsx", '<row r="1"><c r="A1"><f>1+1</f></c><c r="B1" t="str"><f>""</f><v></v></c></row>'
    )
    said = tinquire("values", path, "--out", tmp_path / "out.xlsx")
    assert (said.code, "1 formulas have no stored result: Sheet1!A1" in said.err) == (1, True)
    assert not (tmp_path / "out.xlsx").exists()
