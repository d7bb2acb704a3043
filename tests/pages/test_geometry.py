"""Where lines lie, in points: what a file states, what it leaves out, hidden ones, and sheets from right to left."""

import numpy as np
import pytest

from tinquire.cells.address import Area
from tinquire.looks.known_fonts import digit_of, kind_of, known_widths
from tinquire.looks.papers import PAPER_NAMES, paper_number, paper_size
from tinquire.pages.geometry import Grid, column_width, digit_pixels, line_height, usual_width
from tinquire.workbook import Sheet
from tinquire.workbook.inspect.printed import ColumnSpan, PrintedSheet

DIGITS = [
    ("Calibri", 11, 7),
    ("Arial", 10, 7),
    ("Verdana", 10, 8),
    ("Times New Roman", 12, 8),
    ("Calibri", 16, 11),
    ("Courier New", 10, 8),
]


@pytest.mark.parametrize(("font", "size", "pixels"), DIGITS)
def test_a_digit_in_pixels(font, size, pixels):
    """The examples of 18.3.1.13, and others that can be worked out by hand."""
    assert digit_pixels(digit_of(font), size) == pixels


WIDTHS = [
    # stated, digit in pixels, points
    (9.140625, 7, 48.0),
    (8.7109375, 7, 45.75),
    (0.0, 7, 0.0),
    (10.7109375, 7, 56.25),
    (1.0, 7, 5.25),
    (255.0, 7, 1338.75),
    (900.0, 7, 1338.75),
    (-3.0, 7, 0.0),
    (12.0, 8, 72.0),
]


@pytest.mark.parametrize(("stated", "digit", "points"), WIDTHS)
def test_a_column_in_points(stated, digit, points):
    assert column_width(stated, digit) == pytest.approx(points)


def test_lines_that_nothing_is_stated_of():
    assert usual_width(8, 7) == 48.0  # 8 digits of 7 pixels and 5 for padding, up to the next eight pixels
    assert usual_width(10, 8) == 66.0
    assert line_height(1.22, 11) == 15.0
    assert line_height(1.15, 10) == 12.75


def grid(printed=None, sheet=None, last=(10, 6), fitted=None):
    return Grid(
        sheet or Sheet("S"), printed or PrintedSheet(), last, 7, 15.0, fitted or (lambda rows: np.zeros(len(rows)))
    )


def test_lines_of_their_own_hidden_and_usual():
    spans = (
        ColumnSpan(2, 3, 20.7109375, 0, False),
        ColumnSpan(4, 4, None, 0, True),
        ColumnSpan(6, 16384, 10.0, 0, False),
    )
    sheet = Sheet("S", heights={2: 30.0, 5: 0.0}, hidden_rows={3})
    made = grid(PrintedSheet(columns=spans), sheet)
    assert made.widths[1:7] == [48.0, 108.75, 108.75, 0.0, 48.0, 52.5]
    assert made.heights[1:7] == [15.0, 30.0, 0.0, 15.0, 0.0, 15.0]
    assert [made.left(n) for n in (1, 2, 3, 5)] == [0.0, 48.0, 156.75, 265.5]
    assert [made.top(n) for n in (1, 2, 3, 4, 6)] == [0.0, 15.0, 45.0, 45.0, 60.0]
    assert made.top(14) == made.top(11) + 3 * 15.0, "beyond the last row that matters they are usual"
    assert made.box(Area(1, 2, 2, 3)) == (48.0, -45.0, 217.5, 45.0)


def test_rows_as_high_as_what_they_hold():
    made = grid(fitted=lambda rows: np.where(rows == 4, 40.0, 3.0), sheet=Sheet("S", heights={4: 20.0, 5: 500.0}))
    assert made.heights[3:6] == [15.0, 20.0, 409.5], (
        "a stated height is kept, and none is higher than the format allows"
    )
    assert grid(fitted=lambda rows: np.full(len(rows), 40.0)).heights[1] == 40.0


def test_rows_that_do_not_show_unless_they_say_so():
    assert grid(PrintedSheet(zero=True), Sheet("S", heights={2: 12.0})).heights[1:4] == [0.0, 12.0, 0.0]


def test_from_right_to_left():
    """The first column is at the right: places count to the left from there."""
    made = grid(PrintedSheet(right_to_left=True))
    assert (made.left(1), made.left(2)) == (-48.0, -96.0)
    assert (made.edge(0), made.edge(1)) == (0.0, -48.0)
    assert made.box(Area(1, 1, 1, 2)) == (-96.0, -15.0, 96.0, 15.0)


PAPERS = [
    (9, (210, 297)),
    (8, (297, 420)),
    (11, (148, 210)),
    (1, (215.9, 279.4)),
    (5, (215.9, 355.6)),
    (3, (279.4, 431.8)),
    (0, (210, 297)),
    (4711, (210, 297)),
]


@pytest.mark.parametrize(("number", "millimetres"), PAPERS)
def test_papers_to_the_millimetre(number, millimetres):
    assert [side / 72 * 25.4 for side in paper_size(number)] == pytest.approx(millimetres)


def test_papers_by_name():
    assert [paper_number(name) for name in ("A4", "letter", " Legal ", "B7")] == [9, 1, 5, None]
    assert all(paper_number(name) for name in PAPER_NAMES)


KINDS = [
    ("Cambria", "serif"),
    ("Courier New", "mono"),
    ("Source Sans", "sans"),
    ("Bookman Old Style", "serif"),
    ("Consolas", "mono"),
    ("Calibri", "sans"),
    ("PT Sans Serif", "sans"),
]


@pytest.mark.parametrize(("family", "kind"), KINDS)
def test_kinds_of_fonts(family, kind):
    assert kind_of(family) == kind


def test_widths_that_are_known():
    calibri, bold = known_widths("Calibri", False), known_widths("calibri", True)
    assert {calibri[code] for code in range(48, 58)} == {1038 / 2048} and len(calibri) == 95
    assert bold[ord("m")] > calibri[ord("m")] and bold[ord(" ")] == calibri[ord(" ")]
    assert known_widths("Arial", False)[ord("W")] == 0.944 and known_widths("Times New Roman", True)[ord("a")] == 0.5
    assert known_widths("Some Font", False) == {}
