"""How sheets are printed: what house and docket ask for, as the file states it, and read back."""

from __future__ import annotations

import pytest

from tinquire.looks.pages import PagePlan
from tinquire.workbook import Workbook
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.inspect.contents import BookDetails

DOCKET = """
title = "Bags"
period = "month"
style = "house.toml"
sources.bags.file = "bags.csv"
[workbooks.bags]
name = "bags.xlsx"
sheets = [{{ name = "Bags & more", table = "bags", page = {{ {page} }} }}]
"""
CASES = [
    ("", 'paper = "A3"\nmargins = [25.4, 25.4, 12.7, 12.7]\nfooter = ["", "[:period.long:]"]',
     PageSetup(paper=8, fit=(1, 0), margins=(1.0, 1.0, 0.5, 0.5, 0.3, 0.3), footer="&COctober 2026")),
    ('paper = "letter", landscape = true, scale = 80, centre = "both"', "fit = [1, 1]",
     PageSetup("landscape", 1, 80, None, (0.5, 0.5, 0.6, 0.6, 0.3, 0.3), "", "&L&A&R&P / &N", centred=(True, True))),
    ('fit = [2, 3], order = "across first", grid_lines = true, header = ["R&D [:sheet:]", "[:page:] of [:pages:]"], footer = []', "",
     PageSetup(paper=9, fit=(2, 3), margins=(0.5, 0.5, 0.6, 0.6, 0.3, 0.3), header="&LR&&D &A&C&P of &N", gridlines=True, across_first=True)),
    ('breaks = "Depot", repeat_columns = 1', "",
     PageSetup(paper=9, fit=(1, 0), margins=(0.5, 0.5, 0.6, 0.6, 0.3, 0.3), footer="&L&A&R&P / &N", row_breaks=(3, 4))),
]  # fmt: skip


def made(folder, tinquire, page, house):
    (folder / "bags.csv").write_text("Depot,Bags\nHarbour,3\nHarbour,9\nMillrace,12\nUplands,2\n")
    (folder / "docket.toml").write_text(DOCKET.format(page=page))
    (folder / "house.toml").write_text(f"[page]\n{house}\n")
    return tinquire("run", folder / "docket.toml", "-p", "2026-10")


@pytest.mark.parametrize(("page", "house", "wanted"), CASES)
def test_pages_are_as_house_and_docket_say(tmp_path, tinquire, page, house, wanted):
    done = made(tmp_path, tinquire, page, house)
    assert done.code == 0, done.err
    path = next(tmp_path.rglob("bags.xlsx"))
    assert tinquire("show", path, "--conformance").code == 0
    book = Workbook.open(path)
    found = BookDetails(book).sheet("Bags & more").page
    assert [round(side, 5) for side in found.margins] == list(wanted.margins)
    assert {**{name: getattr(found, name) for name in PageSetup.__slots__}, "margins": wanted.margins} == {
        name: getattr(wanted, name) for name in PageSetup.__slots__
    }
    titles = next(name.formula for name in book.names if name.name == "_xlnm.Print_Titles")
    assert titles == ("'Bags & more'!$A:$A,'Bags & more'!$1:$1" if "repeat" in page else "'Bags & more'!$1:$1")


WRONG = [
    ('breaks = "Depo"', "", "there is no column 'Depo': the nearest is 'Depot'"), ('header = ["[:gone:]"]', "", "gone"),
    (f'header = ["{"x" * 300}"]', "", "the header has 302 characters"), ("scale = 50, fit = [1, 1]", "", "is scaled, or made to fit"),
    ("margins = [1, 2, 3, 400]", "", "margins are millimetres"), ("", 'paper = "B9"', "A4"),
]  # fmt: skip


@pytest.mark.parametrize(("page", "house", "why"), WRONG)
def test_what_is_wrong_with_pages_is_said(tmp_path, tinquire, page, house, why):
    done = made(tmp_path, tinquire, page, house)
    assert done.code in (1, 2) and why in done.err + done.out, done.err
    assert not list(tmp_path.rglob("*.xlsx"))


def test_a_scale_takes_the_place_of_a_fit():
    house = PagePlan(fit=[1, 0], paper="A3", header=["x"])
    assert PagePlan(scale=50).over(house) == PagePlan(scale=50, paper="A3", header=["x"])
    assert PagePlan(paper="A5", header=[]).over(house) == PagePlan(fit=[1, 0], paper="A5", header=[])
