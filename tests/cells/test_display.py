"""Number formats: what a reader sees (ECMA-376 Part 1, 18.8.30 and 18.8.31)."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.cells import CellError, Column
from tinquire.cells.dates import DateSystem
from tinquire.cells.display import general, show, show_column
from tinquire.cells.numberformat import BUILT_IN_FORMATS, parse_format

CASES = [
    # value, code, text
    (1234.5, "#,##0.00", "1,234.50"),
    (1234567, "#,##0", "1,234,567"),
    (0, "#,##0", "0"),
    (0, "#", ""),
    (0.5, "#.##", ".5"),
    (0.5, "0.##", "0.5"),
    (5, "0.##", "5."),
    (5.005, "0.00", "5.01"),
    (2.5, "0", "3"),
    (-2.5, "0", "-3"),
    (1.005, "0.00", "1.01"),
    (-0.001, "0.00", "0.00"),
    (-5, "0.0", "-5.0"),
    (-5, "0.0;(0.0)", "(5.0)"),
    (0, "0.00;(0.00)", "0.00"),
    (-0.004, "0.00;(0.00)", "(0.00)"),
    (3.25, '"about "# ?/?', "about 3 1/4"),
    (-3.25, '"about "# ?/?', "-about 3 1/4"),
    (3.25, '# ?/?" kg"', "3 1/4 kg"),
    (3, '# ??/??" kg"', "3       kg"),
    (0.375, '"x"0/8', "x3/8"),
    (2.5, "_(# ?/16_)", " 2 8/16 "),
    (-5, '#,##0.00;[Red]-#,##0.00;"nil"', "-5.00"),
    (0, '0;-0;"nil"', "nil"),
    (5, "0;;;", "5"),
    (-5, "0;;;", ""),
    (12, '0" bags"', "12 bags"),
    (12, "0\\x", "12x"),
    (12, "_(0_)", " 12 "),
    (12, "* 0", "12"),
    (1234.5, '"£"#,##0.00', "£1,234.50"),
    (-1234.5, '"£"#,##0.00', "-£1,234.50"),
    (1234.5, "[$€-407] #,##0.00", "€ 1,234.50"),
    (0.256, "0%", "26%"),
    (0.256, "0.0%", "25.6%"),
    (12345678, "0.0,,", "12.3"),
    (12345, "#,##0,", "12"),
    (1234.567, "0000.0", "1234.6"),
    (7, "000", "007"),
    (7, "??0", "  7"),
    (123456789, "000-00-0000", "123-45-6789"),
    (1234567, "0.00E+00", "1.23E+06"),
    (0.00012, "0.0E+0", "1.2E-4"),
    (12345, "##0.0E+0", "12.3E+3"),
    (99999, "0.0E+0", "1.0E+5"),
    (0, "0.00E+00", "0.00E+00"),
    (3.25, "# ?/?", "3 1/4"),
    (3.14159, "# ??/??", "3 14/99"),
    (0.5, "?/?", "1/2"),
    (4, "# ?/?", "4    "),
    (1.5, "# ?/8", "1 4/8"),
    (7, '[<5]"low";[>=5]"high"', "high"),
    (3, '[<5]"low";[>=5]"high"', "low"),
    (1500, '[>=1000]0.0,"k";0', "1.5k"),
    (46296, "d mmmm yyyy", "1 October 2026"),
    (46296, "dd/mm/yy", "01/10/26"),
    (46296, "yyyy-mm-dd", "2026-10-01"),
    (46296, "ddd d mmm", "Thu 1 Oct"),
    (46296, "dddd", "Thursday"),
    (46296, "mmmmm", "O"),
    (46296.75, "h:mm AM/PM", "6:00 PM"),
    (46296.25, "h:mm a/p", "6:00 a"),
    (0.5, "hh:mm:ss", "12:00:00"),
    (0.000011574, "ss.000", "01.000"),
    (1.5, "[h]:mm:ss", "36:00:00"),
    (1.5, "[mm]", "2160"),
    (0.0208333333, "[m]:ss", "30:00"),
    (60, "d/m/yyyy", "29/2/1900"),
    (59, "d/m/yyyy", "28/2/1900"),
    (61, "d/m/yyyy", "1/3/1900"),
    (1, "dddd", "Sunday"),
    (-1, "d/m/yyyy", "########"),
    (3_000_000, "d/m/yyyy", "########"),
    (45000.999999, "hh:mm", "00:00"),
    ("tin", "@", "tin"),
    ("tin", '"<"@">"', "<tin>"),
    ("tin", "0.00", "tin"),
    ("tin", '0;0;0;"text: "@', "text: tin"),
    ("tin", "0;0;0;", ""),
    (5, "@", "5"),
    (True, "0", "TRUE"),
    (None, "0.00", ""),
    (CellError.DIV0, "0.00", "#DIV/0!"),
    (0.1, "General", "0.1"),
    (1e21, "General", "1E+21"),
    (1 / 3, "General", "0.333333333"),
    (123456789012, "General", "1.23457E+11"),
    (0.0001, "General", "0.0001"),
    (12, 'General" kg"', "12 kg"),
    (12, "", "12"),
    (1.5, "0." + "0" * 250, "1.5" + "0" * 249),
    (1.5, "0." + "0" * 300, "1.5"),
    (1e300, "%" * 200 + "0", None),
]


@pytest.mark.parametrize(("value", "code", "text"), CASES)
def test_value_shows_as(value, code, text):
    shown = show(value, code).text
    assert shown == text if text is not None else len(shown) > 700


@pytest.mark.parametrize(
    ("value", "code", "colour"),
    [(-5, "0;[Red]0", "FF0000"), (5, "0;[Red]0", None), (5, "[Blue]0", "0000FF"), ("x", "0;0;0;[Green]@", "00FF00")],
)
def test_colour_of_section(value, code, colour):
    assert show(value, code).colour == colour


@pytest.mark.parametrize(
    ("code", "is_date"),
    [("d mmm", True), ("0.00", False), ('"day" 0', False), ("[h]:mm", True), ("General", False), ("[Red]0", False)],
)
def test_date_formats_are_known(code, is_date):
    assert parse_format(code).is_date is is_date


def test_1904_system_counts_from_another_day():
    assert show(0, "yyyy-mm-dd", DateSystem.FROM_1904).text == "1904-01-01"
    assert show(44834, "dddd d mmmm yyyy", DateSystem.FROM_1904).text == "Thursday 1 October 2026"


@pytest.mark.parametrize(
    ("number", "text"),
    [(0.1 + 0.2, "0.3"), (1e15, "1000000000000000"), (123456789012345680, "123456789012346000"), (1e-5, "0.00001"),
     (1.5e-7, "1.5E-07"), (-42.0, "-42"), (1e300, "1E+300"), (0.0, "0")],
)  # fmt: skip
def test_general_keeps_fifteen_digits(number, text):
    assert general(number) == text


@given(st.floats(allow_nan=False, allow_infinity=False), st.sampled_from(sorted(set(BUILT_IN_FORMATS.values()))))
def test_every_number_shows_under_every_built_in_format(number, code):
    assert isinstance(show(number, code).text, str)


@given(st.text(max_size=20), st.floats(-1e9, 1e9))
def test_any_text_can_stand_as_a_format(code, number):
    assert isinstance(show(number, code).text, str)


def test_columns_show_value_by_value():
    column = Column.from_values([1.0, "1", None, True, 1.0])
    assert show_column(column, "0.0") == ["1.0", "1", "", "TRUE", "1.0"]


NAMES = [
    ("[$-407]d. mmmm yyyy", "2. März 2026"), ("[$-40C]dddd d mmmm", "lundi 2 mars"), ("[$-415]d mmmm", "2 marca"),
    ("[$-415]mmmm yyyy", "marzec 2026"), ("[$-407]ddd mmm", "Mo Mär"), ("[$-409]dddd d mmm", "Monday 2 Mar"),
    ("[$-F800]d mmmm", "2 March"), ("[$-1010407]mmmmm", "M"), ("[$€-407] d mmm", "€ 2 Mär"), ("mmmm", "March"),
]  # fmt: skip


@pytest.mark.parametrize(("code", "text"), NAMES)
def test_months_and_weekdays_are_named_in_the_language_of_the_format(code, text):
    assert show(46083.0, code).text == text
