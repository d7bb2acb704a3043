"""Delimited text found with arrays is the same as text read field by field, or is left to that way."""

from __future__ import annotations

import itertools
import tempfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tinquire.base.faults import TinQuireError
from tinquire.cells import Column
from tinquire.sources.delimited import distinct, fields, reader
from tinquire.sources.delimited.reader import read_delimited
from tinquire.tables.inference import infer_type
from tinquire.tables.types import read_column

FIELDS = st.one_of(
    st.sampled_from(["", "Bed", "bed", "Tea towel", "Müller & Söhne", "x" * 9, "x" * 70, " a", "1.5", "-7", "12.34", "+3", "1,5", "-0", "1.234,5", "2,000.75", "(8)", "-", "."]),
    st.integers(-(10**9), 10**9).map(str), st.floats(-1e6, 1e6).map(lambda number: f"{number:.2f}"),
    st.text(st.characters(blacklist_characters=';"\r\n\0', blacklist_categories=["Cs"]), max_size=12),
)  # fmt: skip
#: Fields as they are written in quotes, and as they should not be.
QUOTED = st.text(st.sampled_from('ab;"\n '), max_size=9).map(lambda text: '"' + text.replace('"', '""') + '"')
#: What some words, and some numbers, are said to stand for.
STAND_INS = ({}, {"bed": 7.0, "Tea towel": None}, {"bed": "x"}, {"-7": 70.0, "12.34": None})
ODD = st.sampled_from(['a"b', '"a"b', '"a', 'a"', '""a', '"a""', ' "a"', '"a" ', "a\rb", '"a\r\nb"'])


def made_small(patch, fewest_bits=10, most_bits=20):
    """Files of any size are large; pieces, ends and tables are small."""
    for module, values in {
        reader: {"_LARGE": 0, "_END_LINES": 5},
        fields: {"_PIECE": 64, "_JUDGED": 64, "_FEW": 0},
        distinct: {"_FEWEST_BITS": fewest_bits, "_MOST_BITS": most_bits},
    }.items():
        for name, value in values.items():
            patch.setattr(module, name, value)


@pytest.fixture
def small(monkeypatch):
    made_small(monkeypatch)


def both(path, monkeypatch):
    """A file's columns and dialect, or what is wrong with it: with arrays and without."""

    def read():
        try:
            return read_delimited(path, "a.csv", separator=";")
        except TinQuireError as error:
            return str(error), [fault.where for fault in error.faults]

    quick = read()
    with monkeypatch.context() as patch:
        patch.setattr(reader, "_LARGE", 1 << 60)
        return quick, read()


def rows_of(*kinds):
    """Rows of equal width whose fields are of some kinds."""
    return st.integers(1, 4).flatmap(
        lambda width: st.lists(st.lists(st.one_of(*kinds), min_size=width, max_size=width), min_size=1, max_size=40)
    )


@settings(max_examples=250, deadline=None)
@given(
    st.one_of(rows_of(FIELDS), rows_of(FIELDS, QUOTED), rows_of(QUOTED), rows_of(FIELDS, QUOTED, ODD)),
    st.sampled_from(["\n", "\r\n"]), st.booleans(), st.sampled_from([(2, 3), (3, 20), (10, 20)]),
)  # fmt: skip
def test_arrays_and_one_by_one_give_the_same(rows, ending, mark, bits):
    text = "".join(";".join(row) + ending for row in rows)
    with pytest.MonkeyPatch.context() as patch, tempfile.TemporaryDirectory() as folder:
        made_small(patch, *bits)
        path = Path(folder) / "a.csv"
        path.write_bytes((b"\xef\xbb\xbf" if mark else b"") + text.encode())
        quick, plain = both(path, patch)
    if isinstance(plain[0], str):
        assert quick == plain
        return
    (quick, way), (plain, other) = quick, plain
    assert [column.to_list() for column in quick.columns] == [column.to_list() for column in plain.columns]
    assert (quick.lines.tolist(), way.separator, way.decimal) == (plain.lines.tolist(), other.separator, other.decimal)
    for one, two in zip(quick.columns, plain.columns, strict=True):
        for kind, decimal, stand_ins in itertools.product(("text", "number", "whole"), ".,", STAND_INS):
            a, b = (read_column(column, kind, decimal=decimal, replacements=stand_ins) for column in (one, two))
            assert (a.column.to_list(), a.problems) == (b.column.to_list(), b.problems)


@pytest.mark.parametrize(
    ("text", "is_quick"),
    [
        ("a;b\n" + "1;2\n" * 30, True), ("title\n\na;b\n" + "1;2\n" * 30 + "sum;9\nnote\n\n", True), ("a;b\n" + "1;2\n" * 30 + "3;4", True),
        ("a;b\n" + "1;2\n" * 5 + "\n" + "1;2\n" * 5, False), ("a;b\n" + "1;2\n" * 5 + '"1;\n";2\n' * 15, True), ("a;b\n" + '1;"2""\n3"\n' * 30, True), ("a;b\r\n" + '1;"2\r\n3"\r\n' * 30, True), ("a;b\n" + '"1\r";2\n' * 15, False), ("a;b\n" + '"1" ;2\n' * 15, False), ("a;b\n" + '1"";2\n' * 15, False), ("a;b\n" + "1;2;3\n" * 9 + "1;2;3;4\n", False),
        ("\ufeffa;b\n" + "1;2\n" * 30, True), ("ä;b\n" + "ö;2\n" * 30, True), ("a;b\n" + "1;2\r" * 9, False), ("a;b\n" + "1;\0\n" * 9, False), ("a;b\n1;2\n", False), (("a;b\n" + "ä;2\n" * 9).encode("latin-1"), False),
    ],
)  # fmt: skip
def test_what_is_read_with_arrays(tmp_path, monkeypatch, small, text, is_quick):
    path = tmp_path / "a.csv"
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    used = []
    monkeypatch.setattr(reader, "plain_rows", lambda *given: used.append(fields.plain_rows(*given)) or used[-1])
    (quick, _), (plain, _) = both(path, monkeypatch)
    if isinstance(plain, str):
        assert quick == plain and not is_quick
        return
    assert [column.to_list() for column in quick.columns] == [column.to_list() for column in plain.columns]
    assert (bool(used) and used[-1] is not None) == is_quick


def test_numbers_that_are_not_plain_are_read_one_by_one(tmp_path, small):
    path = tmp_path / "a.csv"
    numbers = [f"{n}.5" for n in range(1, 400)]
    path.write_text("Fee;x\n" + "".join(f"{text};\n" for text in [*numbers, "1,234.5", "(7)"]))
    block, _ = read_delimited(path, "a.csv", separator=";", decimal=".")
    column = block.columns[0].slice(1, 402)
    assert isinstance(column.texts, fields.FieldTexts) and column.texts.sample(5)[0] == "Fee"
    assert np.array_equal(read_column(column, "number").column.numbers, [*(n + 0.5 for n in range(1, 400)), 1234.5, -7])


@pytest.mark.parametrize(
    "odd", ["", "2.5", "1,200", "£3", "£3.50", "007", "0.5", "-01", "x", "5%", "(3)", "1" * 17, "3 Oct", "08:30"]
)
def test_types_are_found_of_large_columns_as_of_small_ones(tmp_path, small, odd):
    """Whether one value that is unlike the others comes early or late, and in which file."""
    texts = [[str(row) for row in range(1, 701)], [*map(str, range(701, 1300)), odd, *map(str, range(1300, 1400))]]
    columns = []
    for number, part in enumerate(texts):
        path = tmp_path / f"{number}.csv"
        path.write_text("Fee;x\n" + "".join(f"{text};\n" for text in part), "utf-8")
        columns.append(
            read_delimited(path, path.name, separator=";", decimal=".")[0].columns[0].slice(1, len(part) + 1)
        )
    assert all(isinstance(column.texts, fields.FieldTexts) for column in columns)
    assert infer_type(columns) == infer_type([Column.of_texts([*texts[0], *texts[1]])])
