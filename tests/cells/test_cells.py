"""Addresses, dates and columns."""

from __future__ import annotations

from datetime import date, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.cells import Area, CellError, Column, area_name, column_name, column_number, parse_area
from tinquire.cells.address import cell_name, parse_cell, quoted_sheet
from tinquire.cells.column import numbered
from tinquire.cells.dates import DateSystem, date_from_serial, date_parts, serial_from_date, serials_from_parts

values = st.one_of(
    st.none(),
    st.booleans(),
    st.floats(allow_nan=False, allow_infinity=False),
    st.text(max_size=5),
    st.sampled_from(CellError),
)


@given(st.integers(1, 16_384))
def test_column_names_and_numbers_are_inverse(number):
    assert column_number(column_name(number)) == number


@pytest.mark.parametrize(
    ("number", "name"), [(1, "A"), (26, "Z"), (27, "AA"), (702, "ZZ"), (703, "AAA"), (16384, "XFD")]
)
def test_column_names(number, name):
    assert column_name(number) == name


@pytest.mark.parametrize("bad", ["", "A0", "0A", "XFE1", "A1048577", "AAAA1", "A", "1", "A-1", "A1:B2"])
def test_what_is_no_address(bad):
    with pytest.raises(ValueError, match="not a"):
        parse_cell(bad)


@pytest.mark.parametrize(
    ("text", "area"),
    [
        ("B4", Area(4, 2, 4, 2)),
        ("$B$4:F20", Area(4, 2, 20, 6)),
        ("F20:B4", Area(4, 2, 20, 6)),
        ("b20:F4", Area(4, 2, 20, 6)),
    ],
)
def test_areas(text, area):
    assert parse_area(text) == area
    assert parse_area(area_name(area)) == area


@pytest.mark.parametrize(
    ("name", "quoted"),
    [("Charges", "Charges"), ("By depot", "'By depot'"), ("O'Neil", "'O''Neil'"), ("A1", "'A1'"), ("2026", "'2026'"),
     ("R1C1", "'R1C1'"), ("Übersicht", "Übersicht"), ("TRUE", "'TRUE'"), ("a.b", "a.b")],
)  # fmt: skip
def test_sheet_names_are_quoted_when_they_must_be(name, quoted):
    assert quoted_sheet(name) == quoted


def test_areas_overlap_hold_and_are_cropped():
    area = Area(2, 2, 10, 4)
    assert area.overlaps(Area(10, 4, 20, 20))
    assert not area.overlaps(Area(11, 4, 20, 20))
    assert area.holds(2, 4)
    assert not area.holds(2, 5)
    assert area.cropped(5, 3) == Area(2, 2, 5, 3)
    assert area.cropped(1, 1) == Area(2, 2, 2, 2)
    assert (area.height, area.width) == (9, 3)
    assert cell_name(7, 28) == "AB7"


@pytest.mark.parametrize(
    ("serial", "day"),
    [(1, date(1900, 1, 1)), (59, date(1900, 2, 28)), (61, date(1900, 3, 1)), (46296, date(2026, 10, 1)),
     (2_958_465, date(9999, 12, 31))],
)  # fmt: skip
def test_serials_of_the_1900_system(serial, day):
    assert date_from_serial(serial) == day
    assert serial_from_date(day) == serial


@pytest.mark.parametrize("serial", [60, 0, -1, 2_958_466])
def test_serials_that_are_no_day(serial):
    with pytest.raises(ValueError):
        date_from_serial(serial)


@given(st.dates(date(1904, 1, 1), date(9999, 12, 31)))
def test_serials_of_the_1904_system_come_back(day):
    serial = serial_from_date(day, DateSystem.FROM_1904)
    assert date_from_serial(serial, DateSystem.FROM_1904) == day


# The 1900 system has a day more than the calendar before March: parts that run back over it are another matter.
@given(st.dates(date(1900, 4, 10), date(9990, 1, 1)), st.integers(-40, 40))
def test_parts_run_over_into_the_next_month(day, more):
    parts = (np.array([float(part)]) for part in (day.year, day.month, day.day + more))
    assert date_from_serial(serials_from_parts(*parts)[0]) == day + timedelta(days=more)


def test_a_moment_has_its_time_as_fraction():
    assert serial_from_date(datetime(2026, 10, 1, 18)) == 46296.75


def test_parts_of_many_days_at_once():
    parts = date_parts(np.array([46296.5, 60.0, -1.0]))
    assert [int(part) for part in (parts.year[0], parts.month[0], parts.day[0])] == [2026, 10, 1]
    assert (parts.month[1], parts.day[1]) == (2, 29)
    assert np.isnan(parts.year[2])


@given(st.lists(values))
def test_a_column_gives_back_its_values(items):
    column = Column.from_values(items)
    assert column.to_list() == items
    assert [column[place] for place in range(len(column))] == items


@given(st.lists(st.lists(values, max_size=4), min_size=1, max_size=4))
def test_columns_one_after_the_other(parts):
    together = Column.concat([Column.from_values(part) for part in parts])
    assert together.to_list() == [value for part in parts for value in part]


@given(st.lists(st.tuples(st.booleans(), values, values)))
def test_where_picks_from_two(triples):
    mask = np.array([triple[0] for triple in triples], bool)
    yes, no = (Column.from_values(triple[place] for triple in triples) for place in (1, 2))
    assert Column.where(mask, yes, no).to_list() == [a if flag else b for flag, a, b in triples]


@given(st.lists(values))
def test_groups_tell_values_apart_and_keep_their_order(items):
    groups, distinct = Column.from_values(items).groups()
    assert distinct.take(groups).to_list() == items
    assert len({(type(item), item) for item in items}) == len(distinct)
    numbers = [item for item in distinct if isinstance(item, float) and not isinstance(item, bool)]
    assert numbers == sorted(numbers)


def test_slices_share_their_pool():
    column = Column.from_values(["a", "b", "c"])
    cut = column.slice(1, 3)
    assert cut.texts is column.texts
    assert Column.concat([cut, column]).texts is column.texts
    assert cut.to_list() == ["b", "c"]
    assert repr(column) == "Column('a', 'b', 'c'; 3 values)"


@given(st.lists(st.sampled_from([None, 1.0, "x", True, CellError.NA]), max_size=9), st.integers(0, 4))
def test_kinds_are_told_by_their_bytes(values, kind):
    column = Column.from_values(values)
    assert column.all_of(kind) == all(column.kinds == kind) and column.holds(kind) == any(column.kinds == kind)


@given(st.lists(st.sampled_from("abcd")), st.lists(st.sampled_from("abcdefg")))
def test_texts_are_numbered_as_they_come(known, texts):
    places, pool = {}, list(known)  # a pool may hold a text twice
    for place, text in enumerate(pool):
        places.setdefault(text, place)
    found = numbered(texts, places, pool)
    assert [pool[place] for place in found] == texts and pool[: len(known)] == known
    fresh = list(dict.fromkeys(text for text in texts if text not in known))
    assert pool[len(known) :] == fresh and all(places[text] == place for text, place in zip(texts, found, strict=True))


@pytest.mark.parametrize(
    "values", [[1.0, float("inf")], [float("nan")], [1e308] * 9, [-float("inf")] * 70, [2.0] * 65, []]
)
def test_numbers_that_are_not_finite_are_errors(values):
    wanted = [value if abs(value) < float("inf") else CellError.NUM for value in values]
    assert Column.of_numbers(values).to_list() == Column.from_values(values).to_list() == wanted
    assert [Column.full(value, 1)[0] for value in values] == wanted
