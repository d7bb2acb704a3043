"""`tinquire print` as people use it: forms, parts, papers, several files, variants of a list."""

import json

import pypdfium2
import pytest
from PIL import Image

from books import book_of
from tinquire.cells import Column
from tinquire.workbook.edit.names import set_name


@pytest.fixture
def pack(tmp_path):
    """Two sheets of some pages, and a cell on which a report hangs."""
    book = book_of(
        {
            "Report": {"A1": "Depot", "B1": "Harbour", "A2": "Says", "B2": '="for "&B1', "A3": "Number", "B3": 7.0},
            "Rows": {},
        }
    )
    for column in range(1, 4):
        book.sheet("Rows").put(1, column, Column.from_values([float(row) for row in range(200)]))
    book.settle()
    set_name(book, "depot", "Report!$B$1")
    path = tmp_path / "pack.xlsx"
    book.save(path)
    return path


def pages(path):
    return pypdfium2.PdfDocument(path)


FORMS = [
    # words, the file, what it says
    (["--to", "out.pdf"], "out.pdf", "wrote"),
    (["--to", "out.png", "--sheet", "Report"], "out.png", "wrote"),
    (["--to", "out.svg", "--sheet", "Report"], "out.svg", "1 page"),
    (["--to", "out.html"], "out.html", "wrote"),
    (["--to", "out.pdf", "--page", "2"], "out.pdf", "1 page"),
    (["--to", "out.pdf", "--sheet", "Rows", "--rows", "20"], "out.pdf", "1 page"),
    (["--to", "out.pdf", "--sheet", "Rows", "--area", "A1:B3", "--area", "C1:C9"], "out.pdf", "2 pages"),
    (["--to", "out.pdf", "--sheet", "Rows", "--fit", "page"], "out.pdf", "1 page"),
]


@pytest.mark.parametrize(("words", "file", "says"), FORMS)
def test_forms_and_parts(pack, tmp_path, tinquire, monkeypatch, words, file, says):
    monkeypatch.chdir(tmp_path)
    said = tinquire("print", pack, *words)
    assert said.code == 0 and says in said.out and (tmp_path / file).stat().st_size > 400
    again = tinquire("print", pack, *words, "--now", "2026-11-03T09:00")
    first = (tmp_path / file).read_bytes()
    tinquire("print", pack, *words, "--now", "2026-11-03T09:00")
    assert again.code == 0 and (tmp_path / file).read_bytes() == first, "the same bytes at the same moment"


def test_papers_and_titles(pack, tmp_path, tinquire):
    out = tmp_path / "out.pdf"
    assert tinquire("print", pack, "--to", out, "--paper", "letter", "--landscape", "--title", "A title").code == 0
    assert pages(out)[0].get_size() == (792, 612) and pages(out).get_metadata_dict()["Title"] == "A title"


def test_pictures_of_several_pages_are_numbered(pack, tmp_path, tinquire):
    assert tinquire("print", pack, "--to", tmp_path / "p.png", "--dpi", "48").code == 0
    found = sorted(path.name for path in tmp_path.glob("p-*.png"))
    assert found[0] == "p-1.png" and len(found) >= 4
    with Image.open(tmp_path / found[0]) as image:
        assert image.size == (397, 562) and round(image.info["dpi"][0]) == 48


def test_several_files_are_one_document(pack, tmp_path, tinquire):
    out = tmp_path / "both.pdf"
    assert tinquire("print", pack, pack, "--sheet", "Report", "--to", out).code == 0
    assert [mark.get_title() for mark in pages(out).get_toc()] == ["pack", "Report", "pack", "Report"]


WRONG = [
    # words, code, what is said
    (["--to", "out.doc"], 2, "does not end in .pdf, .png, .svg or .html"),
    ([], 2, "it does not say where to"),
    (["--to", "pack.xlsx"], 2, "does not end in"),
    (["--to", "out.svg"], 2, "an SVG holds one"),
    (["--to", "out.pdf", "--sheet", "Gone"], 1, "it has no sheet 'Gone'"),
    (["--to", "out.pdf", "--area", "first"], 2, "'first' is not an area"),
    (["--to", "out.pdf", "--paper", "A99"], 2, "there is no paper 'A99'"),
    (["--to", "out.pdf", "--page", "99"], 2, "there is no page 99"),
    (["--to", "out.png", "--dpi", "0"], 2, "0 points an inch cannot be drawn"),
    (["--to", "out.pdf", "--rows", "0"], 2, "0 rows cannot be printed"),
    (["--to", "out.html", "--area", "A1:B2"], 2, "a web page cannot hold areas"),
    (["--each", "list.csv"], 2, "in a folder"),
]


@pytest.mark.parametrize(("words", "code", "why"), WRONG)
def test_what_is_wrong_is_said(pack, tmp_path, tinquire, monkeypatch, words, code, why):
    monkeypatch.chdir(tmp_path)
    before = pack.read_bytes()
    said = tinquire("print", pack, *words)
    assert said.code == code and why in said.err and pack.read_bytes() == before
    assert not list(tmp_path.glob("out.*"))


# -- a list ----------------------------------------------------------------------------------------------


def printed(tinquire, pack, tmp_path, rows, *words):
    (tmp_path / "list.csv").write_text(rows, "utf-8")
    return tinquire(
        "print", pack, "--sheet", "Report", "--each", tmp_path / "list.csv", "--out", tmp_path / "views", *words
    )


def test_a_print_for_each_line(pack, tmp_path, tinquire):
    said = printed(tinquire, pack, tmp_path, "depot,File\nHarbour,one\nUplands,two\n", "--name", "[:File:].pdf")
    assert said.code == 0 and "2 prints" in said.out
    texts = [pages(tmp_path / f"views/{name}.pdf")[0].get_textpage().get_text_bounded() for name in ("one", "two")]
    assert "for Harbour" in texts[0] and "for Uplands" in texts[1]
    record = json.loads((tmp_path / "views/prints.json").read_text("utf-8"))
    assert sorted(name for own in record.values() for name in own) == ["one.pdf", "two.pdf"]


def test_what_is_there_is_not_made_again(pack, tmp_path, tinquire):
    rows = "depot\nHarbour\nUplands\n"
    printed(tinquire, pack, tmp_path, rows)
    first = (tmp_path / "views/Uplands.pdf").stat().st_mtime_ns
    said = printed(tinquire, pack, tmp_path, rows + "Millrace\n")
    assert "1 print in" in said.out and "2 were there as they are" in said.out
    assert (tmp_path / "views/Uplands.pdf").stat().st_mtime_ns == first
    (tmp_path / "views/Uplands.pdf").unlink()
    assert "1 print in" in printed(tinquire, pack, tmp_path, rows).out


def test_a_file_that_somebody_changed_is_not_written_over(pack, tmp_path, tinquire):
    printed(tinquire, pack, tmp_path, "depot\nHarbour\n")
    (tmp_path / "views/Harbour.pdf").write_bytes(b"mine")
    said = printed(tinquire, pack, tmp_path, "depot\nHarbour\n")
    assert (
        said.code == 2 and "was changed since" in said.err and (tmp_path / "views/Harbour.pdf").read_bytes() == b"mine"
    )


LISTS = [
    # the list, further words, code, what is said
    ("depot\nHarbour\n", ["--set", "nowhere=[:depot:]"], 2, "it is no cell, name or heading"),
    ("nothing\nHarbour\n", [], 2, "none of the headings of list.csv is a cell"),
    ("depot\nHarbour\nHarbour\n", [], 2, "both give the name 'Harbour.pdf'"),
    ("depot\nHarbour\n", ["--name", "[:depot:].doc"], 2, "does not end in .pdf, .png or .html"),
    ("depot\nHarbour\n", ["--name", "[:depo:].pdf"], 2, "there is no name 'depo'"),
    ("Report!B3\nx\n", ["--name", "a.pdf"], 0, "1 print"),
    ("Cells,Values\ndepot;Report!B3,Uplands;5\n", ["--pairs", "Cells", "Values", "--name", "a.pdf"], 0, "1 print"),
    (
        "Cells,Values\ndepot|Report!B3,Uplands\n",
        ["--pairs", "Cells", "Values", "--separator", "|", "--name", "a.pdf"],
        1,
        "'Cells' lists 2 cells",
    ),
    ("depot\n*\n", ["--word", "*=Every depot", "--name", "a.pdf"], 0, "1 print"),
]


@pytest.mark.parametrize(("rows", "words", "code", "why"), LISTS)
def test_what_a_list_says(pack, tmp_path, tinquire, rows, words, code, why):
    said = printed(tinquire, pack, tmp_path, rows, *words)
    assert said.code == code and why in said.err + said.out
