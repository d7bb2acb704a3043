"""What cells show on a page: blanks as wide as a letter, letters that fill, short forms of numbers."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.cells.dates import DateSystem
from tinquire.cells.display import show
from tinquire.cells.values import CellError
from tinquire.pages.shown import Displayed, displayed, shortened

SYSTEM = DateSystem.FROM_1900
ACCOUNTING = '_(* #,##0.00_);_(* (#,##0.00);_(* "-"??_);_(@_)'
SHOWN = [
    # value, format, what is shown
    (1234.5, "#,##0.00", Displayed("1,234.50")),
    (1234.5, ACCOUNTING, Displayed("1,234.50", after=")", fills=(" ", " "))),
    (-1234.5, ACCOUNTING, Displayed("(1,234.50)", fills=(" ", " "))),
    (0.0, ACCOUNTING, Displayed("-  ", after=")", fills=(" ", " "))),
    ("text", ACCOUNTING, Displayed("text", before="(", after=")")),
    (5.0, "#,##0_ ;-#,##0\\ ", Displayed("5", after=" ")),
    (5.0, '"£"* 0', Displayed("5", fills=("£", " "))),
    ("ends", "@*.", Displayed("", fills=("ends", "."))),
    (-3.0, "0;[Red]-0", Displayed("-3", colour="FF0000")),
    (-3.0, "0_);[Red](0)", Displayed("(3)", colour="FF0000")),
    (7.0, '0 "a_b*c"', Displayed("7 a_b*c")),
    (7.0, "0\\_\\*", Displayed("7_*")),
    (None, ACCOUNTING, Displayed("")),
    (True, "0_)", Displayed("TRUE")),
    (CellError.NA, "0_)", Displayed("#N/A")),
    (46322.0, "d mmm yyyy", Displayed("27 Oct 2026")),
]


@pytest.mark.parametrize(("value", "code", "shown"), SHOWN)
def test_what_a_cell_shows(value, code, shown):
    assert displayed(value, code, SYSTEM) == shown


@pytest.mark.parametrize(("how", "text"), [("displayed", "#N/A"), ("blank", ""), ("dash", "--"), ("NA", "#N/A")])
def test_errors_in_print(how, text):
    assert displayed(CellError.NA, "General", SYSTEM, how).text == text
    assert displayed(3.0, "General", SYSTEM, how).text == "3"


@given(
    st.one_of(st.floats(-1e6, 1e6), st.text(max_size=8)),
    st.sampled_from(["General", "0.00", "#,##0;-#,##0", "@", "0.0E+00"]),
)
def test_formats_that_neither_pad_nor_fill_are_shown_as_ever(value, code):
    assert displayed(value, code, SYSTEM) == Displayed(show(value, code).text, colour=show(value, code).colour)


SHORT = [
    # number, at most, the short form
    (1234.56789, 9, "1234.5679"),
    (1234.56789, 5, "1235"),
    (1234.56789, 3, None),
    (123456789012.0, 8, "1.23E+11"),
    (0.000123456, 7, "0.00012"),
    (0.000123456, 5, "1E-04"),
    (-3.14159, 4, "-3.1"),
    (0.0, 1, "0"),
    (99.99, 3, "100"),
    (1e300, 6, "1E+300"),
]


@pytest.mark.parametrize(("number", "most", "text"), SHORT)
def test_a_number_that_must_be_short(number, most, text):
    assert shortened(number, most) == text


@given(st.floats(-1e12, 1e12), st.integers(1, 14))
def test_a_short_number_is_short_and_near(number, most):
    text = shortened(number, most)
    if text is None:
        return
    assert len(text) <= most
    if number and abs(number) >= 1:
        assert float(text) == pytest.approx(number, rel=0.5)
