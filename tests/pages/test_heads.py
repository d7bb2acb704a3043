"""Headers and footers: their codes as parts and runs (18.3.1.46), and where the parts stand."""

from datetime import datetime

import pytest

from tinquire.pages.cell_looks import CellLooks
from tinquire.pages.heads import Facts, head_runs, put_head
from tinquire.pages.primitives import Areas, Box, Picture, Text
from tinquire.pages.typefaces import Typefaces
from tinquire.workbook import Sheet, Workbook

FACTS = Facts(3, 12, datetime(2026, 11, 3, 9, 5), "pack.xlsx", "/jobs/linen", "Charges")
TEXTS = [
    # codes, the texts of the three parts
    ("&LLeft&CCentre&RRight", ("Left", "Centre", "Right")),
    ("no side is the centre", ("", "no side is the centre", "")),
    ("&CPage &P of &N", ("", "Page 3 of 12", "")),
    ("&L&P+2&R&P-1", ("5", "", "2")),
    ("&C&D &T", ("", "3 November 2026 09:05", "")),
    ("&L&F&C&A&R&Z", ("pack.xlsx", "Charges", "/jobs/linen")),
    ("&Ca && b", ("", "a & b", "")),
    ("&Lone\ntwo", ("one\ntwo", "", "")),
    ("&Lone_x000D_\ntwo", ("one\ntwo", "", "")),
    ("&L&Qodd&Rsafe", ("odd", "", "safe")),
    ("", ("", "", "")),
    ("&", ("", "", "")),
]


@pytest.mark.parametrize(("codes", "texts"), TEXTS)
def test_codes_as_texts(codes, texts):
    assert tuple("".join(run.text for run in part) for part in head_runs(codes, FACTS)) == texts


STYLES = [
    # codes, text of the run, what its style is
    ('&L&"Georgia,Bold"x', {"font": "Georgia", "bold": True}),
    ('&L&"-,Italic"x', {"font": "", "italic": True}),
    ("&L&14x", {"size": 14.0}),
    ("&L&Bx", {"bold": True}),
    ("&L&B&Bx", {"bold": False}),
    ("&L&Ix", {"italic": True}),
    ("&L&Ux", {"underline": 1}),
    ("&L&Ex", {"underline": 2}),
    ("&L&Sx", {"strike": True}),
    ("&L&Xx", {"script": "superscript"}),
    ("&L&Yx", {"script": "subscript"}),
    ("&L&KA6402Fx", {"colour": "A6402F"}),
    ("&L&K01+033x", {"colour": "000000"}),
    ("&L&B&Ry&Lx", {"bold": False}),
]


@pytest.mark.parametrize(("codes", "style"), STYLES)
def test_codes_as_styles(codes, style):
    run = head_runs(codes, FACTS)[0][-1]
    assert run.text == "x"
    assert {name: getattr(run.style, name) for name in style} == style


def test_where_the_parts_stand():
    book = Workbook.new("DejaVu Sans", 10)
    book.add_sheet(Sheet("S"))
    looks = CellLooks(book, Typefaces())
    runs = head_runs("&Lleft&Cmiddle&R&Uright", FACTS)
    left, middle, right, line = put_head(runs, looks, 50, 550, 800, 1.0, foot=False)
    assert left.x == 50 and right.x + right.width == pytest.approx(550)
    assert middle.x + middle.width / 2 == pytest.approx(300)
    assert isinstance(line, Areas) and line.boxes[0].x == right.x, "underlined"
    assert left.y < 800, "a header grows downwards"
    (foot,) = put_head(head_runs("&Lfoot", FACTS), looks, 50, 550, 20, 2.0, foot=True)
    assert isinstance(foot, Text) and foot.size == 20.0 and foot.y > 20, "a footer upwards, and as large as the sheet"
    two = put_head(head_runs("&Lone\ntwo", FACTS), looks, 50, 550, 800, 1.0, foot=False)
    assert two[0].y > two[1].y


def test_a_picture_in_a_header():
    book = Workbook.new("DejaVu Sans", 10)
    book.add_sheet(Sheet("S"))
    logo = Picture(Box(0, 0, 60, 20), b"png")
    (placed,) = put_head(
        head_runs("&R&G", FACTS),
        CellLooks(book, Typefaces()),
        50,
        550,
        800,
        1.0,
        foot=False,
        pictures=(None, None, logo),
    )
    assert placed.box == (490, 780, 60, 20)
