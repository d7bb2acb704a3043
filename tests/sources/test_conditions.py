"""Conditions that a database is asked mean what they mean here: each is tried on the same rows in SQLite and in memory."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import column, create_engine, select, text

from tinquire.cells import Column
from tinquire.formula import FormulaError
from tinquire.sources.databases.conditions import Holds, RefusedError, condition
from tinquire.tables import Field, Table
from tinquire.tables.steps import StepContext
from tinquire.tables.steps.keep_rows import rows_that_hold

VALUES = st.one_of(
    st.none(),
    st.integers(-3, 3),
    st.sampled_from([-0.5, 0.0, 1.5]),
    st.sampled_from(["", "a", "A", "b", "0", "2", "x y"]),
)
LITERALS = ["0", "2", "-1", "1.5", '"a"', '"B"', '""', '"2"', "limit", "word"]
NAMES = {"limit": 1.0, "word": "A"}


def comparisons():
    """Comparisons that are allowed: of numbers in every way, of texts whether they are equal."""

    def text_of(sign, literal, turned):
        is_text = literal.startswith('"') or literal == "word"
        sign = "=" if is_text and sign not in ("=", "<>") else sign
        return f"{literal} {sign} [V]" if turned else f"[V] {sign} {literal}"

    signs = st.sampled_from(["=", "<>", "<", "<=", ">", ">="])
    return st.builds(text_of, signs, st.sampled_from(LITERALS), st.booleans())


CONDITIONS = st.recursive(
    st.one_of(comparisons(), st.just("ISBLANK([V])")),
    lambda inner: st.one_of(
        st.builds(lambda a, b: f"AND({a}, {b})", inner, inner),
        st.builds(lambda a, b: f"OR({a}, {b})", inner, inner),
        st.builds(lambda a: f"NOT({a})", inner),
    ),
    max_leaves=4,
)


def kept_by_sqlite(values, formula):
    """The numbers of the rows that SQLite keeps."""
    engine = create_engine("sqlite://")
    with engine.connect() as connection:
        connection.execute(text("CREATE TABLE t (n INTEGER, v)"))
        for number, value in enumerate(values):
            connection.execute(text("INSERT INTO t VALUES (:n, :v)"), {"n": number, "v": value})
        asked = condition(formula, {"V": (column("v"), Holds.ANY)}, NAMES)
        return [row[0] for row in connection.execute(select(column("n")).select_from(text("t")).where(asked))]


def kept_here(values, formula):
    """The numbers of the rows that we keep, read as a source reads them: an empty text is a blank."""
    held = [None if value == "" else float(value) if isinstance(value, int) else value for value in values]
    table = Table("t", (Field("V"),), (Column.from_values(held),))
    flags = rows_that_hold(formula, table, StepContext({}, NAMES))
    return [number for number, flag in enumerate(flags.tolist()) if flag]


@settings(max_examples=200, deadline=None)
@given(st.lists(VALUES, min_size=1, max_size=12), CONDITIONS)
def test_a_condition_means_the_same_there_and_here(values, formula):
    assert kept_by_sqlite(values, formula) == kept_here(values, formula)


REFUSED = [
    ("LEN([V]) > 2", "something else than a column"),
    ("[V] > [V]", "a column with something else than a value"),
    ("[V] + 1", "more than comparisons of a column with a value"),
    ("[W] = 1", "the query has no column 'W'"),
    ("other[V] = 1", "something else than a column"),
    ('[V] < "m"', "which texts are < another"),
    ('[V] = "É"', "whose case databases see differently"),
    ("[V] = TRUE", "it compares values of any kind with TRUE or FALSE"),
    ("[V]", "more than comparisons"),
    ("[V] = #N/A", "an error or nothing"),
    ("[Day] > 46296", "it compares days; bound them in the query"),
    ("[V] = unknown", "something else than a value"),
]


@pytest.mark.parametrize(("formula", "why"), REFUSED)
def test_what_a_database_is_not_asked(formula, why):
    columns = {"V": (column("v"), Holds.ANY), "Day": (column("day"), Holds.DAYS)}
    with pytest.raises(RefusedError) as caught:
        condition(formula, columns, NAMES)
    assert why in str(caught.value)


def test_text_that_is_no_formula():
    with pytest.raises(FormulaError):
        condition("[V] >", {"V": (column("v"), Holds.ANY)}, NAMES)


@pytest.mark.parametrize(
    ("holds", "formula", "asked"),
    [
        (Holds.NUMBERS, "[V] > 2", "coalesce(v, 0) > 2.0"),
        (Holds.NUMBERS, '[V] = "a"', "1 = 0"),
        (Holds.NUMBERS, '[V] <> "a"', "1 = 1"),
        (Holds.NUMBERS, '[V] = ""', "v IS NULL"),
        (Holds.TEXTS, '[V] = "Bed"', "lower(coalesce(v, '')) = 'bed'"),
        (Holds.TEXTS, "[V] > 5", "NOT (v IS NULL OR v = '') AND 1 = 1"),
        (Holds.TEXTS, "[V] = 0", "v IS NULL OR v = '' OR 1 = 0"),
        (Holds.FLAGS, "[V]", "coalesce(v, false) = true"),
        (Holds.FLAGS, "[V] <> TRUE", "coalesce(v, false) <> true"),
    ],
)
def test_what_is_asked_of_columns_whose_kind_is_known(holds, formula, asked):
    from sqlalchemy.dialects import postgresql

    made = condition(formula, {"V": (column("v"), holds)}, NAMES)
    written = str(made.compile(dialect=postgresql.dialect(), compile_kwargs={"literal_binds": True}))
    assert written.replace("(v IS NULL OR v = '') OR", "v IS NULL OR v = '' OR") == asked
