"""Values read into types by stated rules, one case a line."""

from __future__ import annotations

from datetime import date

import pytest

from tinquire.cells import CellError, Column
from tinquire.cells.dates import serial_from_date
from tinquire.tables.types import TYPES, column_type, number_in, read_column


def day(year, month, day_):
    return serial_from_date(date(year, month, day_))


READ = [
    ("text", "tin", "tin"), ("text", 1042.0, "1042"), ("text", 0.5, "0.5"), ("text", True, "TRUE"), ("text", "  ", None),
    ("text", None, None), ("whole", 5.0, 5.0), ("whole", "1,200", 1200.0), ("whole", "12", 12.0), ("number", "1 234.5", 1234.5),
    ("number", "-3", -3.0), ("number", "3-", -3.0), ("number", "(3.5)", -3.5), ("number", "+4", 4.0), ("number", "1e+3", 1000.0), ("number", "1.5E3", 1500.0),
    ("number", "−2", -2.0), ("number", "1'000", 1000.0), ("number", "1\u00a0000", 1000.0), ("number", ".5", 0.5),
    ("money", "£1,234.50", 1234.5), ("money", "-£3", -3.0), ("money", "12.50 EUR", 12.5), ("money", "(£7.00)", -7.0),
    ("percent", "5%", 0.05), ("percent", "7.5 %", 0.075), ("percent", 0.2, 0.2), ("date", "2026-10-03", day(2026, 10, 3)),
    ("date", "2026-10-03T00:00:00", day(2026, 10, 3)), ("date", 46296.0, 46296.0), ("date dmy", "03/10/2026", day(2026, 10, 3)),
    ("date", "2026-10-03T18:00:00", day(2026, 10, 3) + 0.75), ("date", "2026-10-03 06:00", day(2026, 10, 3) + 0.25), ("date dmy", "03.10.2026, 12:00", day(2026, 10, 3) + 0.5),
    ("date mdy", "10/3/2026 12:00 AM", day(2026, 10, 3)), ("date mdy", "10/3/2026 3:00:00.0 p.m.", day(2026, 10, 3) + 0.625), ("date", "2026-10-03 00:00:01,5", day(2026, 10, 3) + 1.5 / 86400),
    ("date dmy", "3.10.26", day(2026, 10, 3)), ("date dmy", "3-10-1999", day(1999, 10, 3)), ("date dmy", 46296.0, 46296.0),
    ("date mdy", "03/10/2026", day(2026, 3, 10)), ("date ymd", "2026/10/03", day(2026, 10, 3)), ("date", "25/10/2026", day(2026, 10, 25)),
    ("date", "10/25/2026", day(2026, 10, 25)), ("date", "05/05/2026", day(2026, 5, 5)), ("date dmy", "03/10/67", day(1967, 10, 3)),
    ("time", "14:30", 14.5 / 24), ("time", "0:00:30", 30 / 86400), ("time", 0.25, 0.25), ("time", "36:00", 1.5),
    ("yes/no", "yes", True), ("yes/no", "N", False), ("yes/no", 1.0, True), ("yes/no", "FALSE", False), ("yes/no", True, True),
]  # fmt: skip

UNREADABLE = [
    ("whole", "none", "'none' is not a number"), ("whole", 2.5, "2.5 is not a whole number"), ("number", "12a", "not a number"),
    ("number", "1,23", "not a number"), ("number", "--5", "not a number"), ("number", True, "not a number"),
    ("number", "1.2.3", "not a number"), ("number", "1e999", "not a number"), ("money", "£", "not a number"), ("number", CellError.NA, "the cell holds an error"),
    ("date", "2026-10-03 24:01", "not a time of a day"), ("date", "2026-10-03 13:00 PM", "not a time of a day"), ("date", "03/04/2026 08:00", "could be"), ("date", "soon 08:00", "not a date"),
    ("date", "soon", "not a date"), ("date", "31/02/2026", "not a date"), ("date dmy", "10/25/2026", "not a date in the stated order"),
    ("date", "2026-13-01", "not a date"), ("date", -5.0, "not the serial of a day"), ("date", 5e6, "not the serial of a day"),
    ("date", True, "not a date"), ("time", "25:61", "not a time"), ("time", "x", "not a time"), ("yes/no", "maybe", "neither yes nor no"),
    ("date", "03/10/2026", "could be 3 October 2026 or 10 March 2026"),
]  # fmt: skip


@pytest.mark.parametrize(("spec", "value", "expected"), READ)
def test_is_read(spec, value, expected):
    reading = read_column(Column.from_values([value]), spec)
    assert reading.problems == ()
    assert reading.column[0] == expected
    assert type(reading.column[0]) is type(expected)


@pytest.mark.parametrize(("spec", "value", "why"), UNREADABLE)
def test_is_not_read(spec, value, why):
    reading = read_column(Column.from_values(["1", value] if spec == "number" else [None, value]), spec)
    assert [problem.place for problem in reading.problems] == [1]
    assert why in reading.problems[0].why
    assert reading.column[1] is None


def test_two_readings_are_both_given():
    problem = read_column(Column.from_values(["03/10/2026"]), "date").problems[0]
    assert problem.readings == ("3 October 2026", "10 March 2026")


def test_stand_ins_come_before_reading():
    reading = read_column(Column.from_values(["none", " NONE ", 3.0]), "whole", replacements={"none": 0.0})
    assert reading.column.to_list() == [0.0, 0.0, 3.0]


@pytest.mark.parametrize(
    ("text", "decimal", "number"),
    [("1.234,50", ",", 1234.5), ("1234,5", ",", 1234.5), ("1,5", ".", None), ("1.5", ",", None), ("1 000,5", ",", 1000.5),
     ("1.000", ",", 1000.0), ("1,000", ".", 1000.0), ("", ".", None), ("-", ".", None), ("5 %", ",", 0.05)],
)  # fmt: skip
def test_decimal_marks(text, decimal, number):
    assert number_in(text, decimal) == number


def test_types_are_named():
    assert [column_type(spec) for spec in TYPES] == [spec.split(" ")[0] for spec in TYPES]
    with pytest.raises(ValueError, match="not a type"):
        read_column(Column.blank(1), "colour")
