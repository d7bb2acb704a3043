"""Quick ways of tables against the plain ways that they stand for."""

from __future__ import annotations

import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.cells import Column, ranks
from tinquire.cells import column as columns_module
from tinquire.cells.number_reader import decimals
from tinquire.cells.words import words_of
from tinquire.press.record.packing import pack_origin, unpack_origin
from tinquire.sources.delimited.reader import read_delimited
from tinquire.tables import Members, Origin
from tinquire.tables.keys import dense
from tinquire.tables.matching import clean_keys, match_rows
from tinquire.tables.types import Reading, _one, _reader, read_column
from tinquire.workbook import Sheet
from tinquire.workbook.grid import sheet as sheets


def plainly(column, spec, decimal):
    """Each value read by itself, as `read_column` reads what is not plain."""
    read = _reader(spec, decimal)
    return [_one(value, read, {}) for value in column]


spellings = st.one_of(
    st.integers(-(10**16), 10**16).map(str),
    st.decimals(-(10**6), 10**6, places=2).map(str),
    st.sampled_from(["", " 3", "1,200", "-0", "007", "1e5", "x", "4-", "(5)", "£6", "1.", ".5", "3,5", "٣"]),
)


@pytest.mark.parametrize("spec", ["whole", "number", "money", "text"])
@given(st.lists(spellings, max_size=12), st.sampled_from([".", ","]))
def test_texts_read_at_once_are_what_each_is(spec, texts, decimal):
    column = Column.pooled(texts)
    assert column.to_list() == [text or None for text in texts]
    made = read_column(column, spec, decimal=decimal)
    assert isinstance(made, Reading)
    wrong = {problem.place for problem in made.problems}
    for place, one in enumerate(plainly(column, spec, decimal)):
        if place in wrong:
            assert made.column[place] is None and not isinstance(one, float)
        else:
            assert made.column[place] == one
            assert type(made.column[place]) is type(one)


@given(st.lists(st.one_of(st.integers(0, 30), st.integers(0, 10**12)), max_size=30))
def test_groups_are_numbered_in_their_order(numbers):
    made, count = dense(np.array(numbers, np.int64))
    order = sorted(set(numbers))
    assert (made.tolist(), count) == ([order.index(number) for number in numbers], len(order))


@given(st.lists(st.text("abAZ09-\0é ", max_size=26), min_size=1, max_size=30))
def test_texts_are_ranked_as_words_in_the_order_of_their_letters(texts):
    order = sorted(set(texts))
    with pytest.MonkeyPatch.context() as patch:
        for many in (1, 1000):
            patch.setattr(ranks, "_MANY_TEXTS", many)
            made, distinct = ranks.rank_texts(texts)
            assert (made.tolist(), distinct) == ([order.index(text) for text in texts], order)


@given(
    st.lists(st.one_of(st.none(), st.integers(0, 3).map(float), st.sampled_from("abcde"), st.just(True)), max_size=12)
)
def test_a_compact_column_holds_the_same(values):
    column = Column.concat([Column.of_codes(np.zeros(1, np.int32), [*"abcdefgh"] * 3), Column.from_values(values)])
    column = column.slice(1, len(column))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(columns_module, "_MANY", 1)
        assert (made := column.compact()).to_list() == column.to_list() == values
        assert len(made.texts) <= 4 * len(set(values)) or made is column


@given(st.lists(st.tuples(st.lists(st.sampled_from("abcd"), min_size=1, max_size=4), st.integers(1, 3)), max_size=5))
def test_a_sheets_texts_are_the_same_looked_up_or_not(columns):
    """And zeros that are one seen many times are like any others."""
    for many in (0, 1000):
        sheet, wanted = Sheet("S"), {}
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(sheets, "_MANY_OWN", many)
            patch.setattr(columns_module, "_MANY", many)
            for number, (texts, row) in enumerate(columns, start=1):
                for top, values in ((row, Column.from_values(texts)), (row + 2, Column.of_numbers([0.0, 2.0]))):
                    values = Column.concat([values, values]).take(np.arange(len(values)))
                    sheet.put(top, number % 3, values)
                    wanted |= {(top + place, number % 3): value for place, value in enumerate(values)}
        assert {cell: sheet.value(*cell) for cell in wanted} == wanted


@given(st.lists(st.tuples(st.integers(0, 1), st.integers(0, 2), st.integers(1, 6)), max_size=20))
def test_runs_of_origins_tell_every_row(rows):
    file, sheet, row = (np.array([one[n] for one in rows], np.int32) for n in range(3))
    origin = Origin(("a.xlsx", "b.xlsx"), ("S", "T", ""), file, sheet, row)
    told = {}
    for start, count, name, place, first in origin.runs():
        assert count > 0
        told |= {start + n: (name, place, first + n) for n in range(count)}
    assert told == {n: (origin.files[f], origin.sheets[s], r) for n, (f, s, r) in enumerate(rows)}
    assert told == dict(enumerate(unpack_origin(*pack_origin(origin)).listed()))
    for groups in (Members.of_groups(np.arange(len(rows)) % 3 - 1, 2), Members.of_lists([np.arange(len(rows))] * 2)):
        together = unpack_origin(*pack_origin(origin.brought_together(groups))).take(np.array([1, 0, 1]))
        for place, group in enumerate((1, 0, 1)):
            wanted = {told[int(n)] for n in groups.of(group)}
            assert set(together.of(np.array([place])).listed()) == wanted
        twice = together.brought_together(Members.of_lists([np.array([0, 1])]))
        assert set(twice.listed()) == {told[int(n)] for group in (0, 1) for n in groups.of(group)}


numbers = st.one_of(st.none(), st.integers(0, 9).map(float), st.just("x"))


@given(
    st.lists(st.tuples(st.sampled_from("ab"), numbers), max_size=8),
    st.lists(st.tuples(st.sampled_from("ab"), numbers), max_size=8),
)
def test_the_nearest_below_is_what_a_search_finds(left, right):
    ours = [Column.from_values(one[n] for one in left) for n in (0, 1)]
    theirs = [Column.from_values(one[n] for one in right) for n in (0, 1)]
    found = match_rows(ours, theirs, nearest=True).rows.tolist()
    for place, (key, value) in enumerate(left):
        below = [v for k, v in right if k == key and isinstance(v, float) and isinstance(value, float) and v <= value]
        if not below:
            assert found[place] == -1
        else:
            assert found[place] == next(n for n, (k, v) in enumerate(right) if (k, v) == (key, max(below)))


@pytest.mark.parametrize(
    ("ways", "keys"),
    [
        ([], [" A  b ", "007", 7.0, None, True]), (["spaces"], ["A b", "007", 7.0, None, True]),
        (["case"], [" a  b ", "007", 7.0, None, True]), (["zeros"], [" A  b ", "7", 7.0, None, True]),
        (["kind", "zeros"], [" A  b ", "7", "7", None, True]), (["spaces", "case"], ["a b", "007", 7.0, None, True]),
    ],
)  # fmt: skip
def test_keys_are_cleaned_as_asked(ways, keys):
    column = Column.from_values([" A  b ", "007", 7.0, None, True])
    assert clean_keys(column, ways).to_list() == keys
    assert clean_keys(Column.from_values(["1008", "000", "0"]), ways).to_list() == [
        "1008",
        "0" if "zeros" in ways else "000",
        "0",
    ]


@given(st.lists(st.lists(st.sampled_from(["", "a", "b c", "1.5"]), max_size=4), max_size=8))
def test_lines_without_quotes_are_what_the_standard_reader_gives(tmp_path_factory, rows):
    path = tmp_path_factory.mktemp("lines") / "in.csv"
    path.write_text("h1;h2\n" + "".join(";".join(row) + "\n" for row in rows), "utf-8")
    block, _ = read_delimited(path, "in.csv", separator=";")
    width = max([2, *(len(row) for row in rows if any(row) or len(row) > 1)])
    assert len(block.columns) == width
    for place, row in enumerate(rows, start=1):
        assert block.lines[place] == place + 1
        for number in range(width):
            assert block.columns[number][place] == ((row[number] or None) if number < len(row) else None)


@given(
    st.lists(st.from_regex(r"-?[0-9]{0,9}[.,]?[0-9]{0,6}|[0-9]{1,4}[.][0-9]{2}|x", fullmatch=True), min_size=1, max_size=9),
    st.sampled_from(".,"), st.booleans(),
)  # fmt: skip
def test_numbers_read_from_bytes_are_those_of_their_texts(texts, point, alike):
    texts = texts[:1] * 3 if alike else texts
    array = np.frombuffer(("|".join(texts) + "|" + " " * 16).encode(), np.uint8)
    ends = np.flatnonzero(array == ord("|"))
    values, plain = decimals(words_of(array), np.concatenate([[0], ends[:-1] + 1]), ends, ord(point))
    for text, value, is_plain in zip(texts, values.tolist(), plain.tolist(), strict=True):
        spells = re.fullmatch(rf"-?(\d+(\{point}\d*)?|\{point}\d+)", text)
        assert is_plain == bool(spells and sum(sign.isdigit() for sign in text) <= 15)
        assert not is_plain or value == float(text.replace(point, "."))
