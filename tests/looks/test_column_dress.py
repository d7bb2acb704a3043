"""Single columns dressed, and what a sheet says of itself: tab, zoom, frozen columns, hidden."""

from __future__ import annotations

import pytest

from tinquire.workbook import Workbook

DOCKET = """
title = "Bags"
period = "month"
style = "house.toml"
sources.bags.file = "bags.csv"
sources.bags.types = {{ Bags = "whole", Paid = "money" }}
[workbooks.bags]
name = "bags.xlsx"
sheets = [{{ name = "Plain", table = "bags" }}, {{ name = "Bags", table = "bags", totals = {{ Paid = "sum" }}, {more} }}]
"""
HOUSE = '[colours]\ntin = "#808080"\n[looks.loud]\nbold = true\nfill = "tin"\nalign = "center"\n[looks.rows]\non = "body"\noutside = "thin tin"\n'


def made(folder, tinquire, more):
    (folder / "bags.csv").write_text("Depot,Bags,Paid\nHarbour,3,1.5\nMillrace,12,2.25\n")
    (folder / "docket.toml").write_text(DOCKET.format(more=more))
    (folder / "house.toml").write_text(HOUSE)
    return tinquire("run", folder / "docket.toml", "-p", "2026-10")


def test_columns_look_as_they_are_dressed(tmp_path, tinquire):
    dress = 'Depot = { look = "loud", width = 30 }, bags = { hidden = true, align = "left" }, Paid = { format = "0.0", wrap = true }'
    done = made(tmp_path, tinquire, f'dress = {{ {dress} }}, zoom = 80, tab = "tin", freeze_columns = 1, hidden = true')
    assert done.code == 0, done.err
    path = next(tmp_path.rglob("bags.xlsx"))
    assert tinquire("show", path, "--conformance").code == 0
    book = Workbook.open(path)
    sheet = book.sheet("Bags")
    looks = {
        cell: book.styles.appearance(sheet.style(*cell)) for cell in [(1, 1), (2, 1), (3, 1), (2, 2), (2, 3), (4, 3)]
    }
    assert (looks[2, 1].bold, looks[2, 1].fill, looks[2, 1].align) == (True, "808080", "center")
    assert looks[2, 1].edges.top and looks[2, 1].edges.left and not looks[3, 1].edges.top
    assert not looks[1, 1].fill and looks[2, 2].align == "left"
    assert (looks[2, 3].format, looks[2, 3].wrap, looks[4, 3].format) == ("0.0", True, "0.0")
    assert (sheet.widths[1], sheet.hidden_columns, sheet.frozen) == (30.0, {2}, (1, 1))
    assert book.entry("Bags").state == "hidden" and book.entry("Plain").state == "visible"
    part = book.package.read(book.entry("Bags").part)
    assert b'<tabColor rgb="FF808080"/>' in part and b'zoomScale="80"' in part


WRONG = [
    ('dress = { Bag = { width = 3 } }', "there is no column 'Bag' to dress"), ('dress = { Bags = { look = "lowd" } }', "'lowd'"),
    ('tab = "tinn"', "'tinn' is not a colour"), ("zoom = 5", "10"),
]  # fmt: skip


@pytest.mark.parametrize(("more", "why"), WRONG)
def test_dress_that_cannot_be_is_told(tmp_path, tinquire, more, why):
    done = made(tmp_path, tinquire, more)
    assert done.code == 2 and why in done.err + done.out
