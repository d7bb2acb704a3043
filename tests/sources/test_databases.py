"""Queries on SQLite and on a real PostgreSQL server, and records in JSON."""

from __future__ import annotations

import os
import sqlite3
from datetime import date

import pytest

from postgres import served
from tinquire.base.faults import AccessError, DataError, TinQuireError, UseError
from tinquire.docket import load_docket, parse_period
from tinquire.press.make import make
from tinquire.sources.databases.query import read_query
from tinquire.sources.readers.json_records import read_records
from tinquire.sources.spec import Password

TILL = Password("TILL_PASSWORD", "harbour")
OCTOBER = {"period": "2026-10", "period_first": date(2026, 10, 1), "period_last": date(2026, 10, 31)}
ROWS = [("North", "2026-09-30", 1, 9.5), ("North", "2026-10-01", 4, 10.5), ("South", "2026-10-31", None, 20.25)]
QUERY = "SELECT depot, day, pieces, charge FROM sales WHERE day BETWEEN :period_first AND :period_last ORDER BY day"


def sqlite_file(folder):
    with sqlite3.connect(folder / "till.sqlite") as till:
        till.execute("CREATE TABLE sales (depot TEXT, day TEXT, pieces INTEGER, charge REAL)")
        till.executemany("INSERT INTO sales VALUES (?, ?, ?, ?)", ROWS)
    return "sqlite:///till.sqlite"


@pytest.fixture(scope="module")
def postgres(tmp_path_factory):
    """A server of the tests' own; its URL."""
    with served(tmp_path_factory.mktemp("postgres")) as url:
        if url is None:
            pytest.skip("PostgreSQL is not installed")
        yield url


@pytest.fixture
def till(postgres, monkeypatch):
    """The server's URL, its password in the environment, and a fresh table of sales."""
    import psycopg

    monkeypatch.setenv("TILL_PASSWORD", "harbour")
    plain = postgres.replace("+psycopg", "").replace("till@", "till:harbour@")
    with psycopg.connect(plain) as connection:
        connection.execute("DROP TABLE IF EXISTS sales")
        connection.execute(
            "CREATE TABLE sales (depot text, day date, pieces int, charge numeric(9,2), at time, moment timestamptz, raw bytea)"
        )
        for row in ROWS:
            connection.execute("INSERT INTO sales VALUES (%s, %s, %s, %s, '18:30', '2026-10-01 12:00+00', 'x')", row)
    return postgres


def test_a_query_of_postgresql(till, tmp_path):
    raw = read_query(till, QUERY, OCTOBER, tmp_path, password=TILL)
    assert (raw.headings, raw.moments) == (["depot", "day", "pieces", "charge"], ["", "date", "", ""])
    assert [column.to_list() for column in raw.columns] == [
        ["North", "South"], [46296, 46326], [4, None], [10.5, 20.25]
    ]  # fmt: skip
    other = read_query(till, "SELECT at, moment, charge > 10 AS large FROM sales LIMIT 1", {}, tmp_path, password=TILL)
    assert other.columns[0].to_list() == [0.770833333333333 + 1 / 3e15] or abs(other.columns[0][0] - 18.5 / 24) < 1e-12
    assert other.columns[2].to_list() == [False]
    assert "harbour" not in raw.file
    again = read_query(till, QUERY, OCTOBER, tmp_path, password=TILL)
    assert raw.digest.text == again.digest.text != other.digest.text


@pytest.mark.parametrize(
    ("query", "kind", "why"),
    [
        ("DELETE FROM sales", DataError, "read-only"),
        ("SELECT * FROM sale", DataError, 'relation "sale" does not exist'),
        ("SELECT raw FROM sales", DataError, "holds a bytes"),
        ("SELECT :month", UseError, "nothing is known as ':month'"),
    ],
)
def test_queries_of_postgresql_that_stop(query, kind, why, till, tmp_path):
    with pytest.raises(kind) as caught:
        read_query(till, query, OCTOBER, tmp_path, password=TILL)
    assert why in caught.value.faults[0].why
    assert "harbour" not in str(caught.value)


def test_a_database_that_is_not_reached(till, tmp_path, monkeypatch):
    with pytest.raises(AccessError, match="failed"):
        read_query(till.rpartition(":")[0] + ":1/postgres", "SELECT 1", {}, tmp_path)
    with pytest.raises(AccessError) as caught:
        read_query(till, "SELECT 1", {}, tmp_path, password=Password("TILL_PASSWORD", "wrong"))
    assert "password" in caught.value.faults[0].why and "wrong" not in str(caught.value)


@pytest.mark.parametrize(
    ("url", "query", "kind", "why"),
    [
        ("sqlite:///till.sqlite", "DELETE FROM sales", DataError, "readonly database"),
        ("sqlite:///till.sqlite", "PRAGMA user_version = 3", DataError, "readonly database"),
        ("sqlite:///till.sqlite", "BEGIN", UseError, "gives no rows"),
        ("sqlite:///till.sqlite", "SELEC 1", DataError, "syntax error"),
        ("sqlite:///till.sqlite", "SELECT x'00' AS b", DataError, "holds a bytes"),
        ("sqlite:///other.sqlite", "SELECT 1", AccessError, "there is no file 'other.sqlite'"),
        ("till.sqlite", "SELECT 1", UseError, "it is no database URL"),
        ("nosuch://x", "SELECT 1", UseError, "nosuch"),
    ],
)
def test_queries_that_stop(url, query, kind, why, tmp_path):
    sqlite_file(tmp_path)
    with pytest.raises(kind) as caught:
        read_query(url, query, OCTOBER, tmp_path)
    assert why in caught.value.faults[0].why
    assert not (tmp_path / "other.sqlite").exists()


def test_a_password_that_is_not_set(tmp_path, monkeypatch):
    monkeypatch.delenv("NO_SUCH", raising=False)
    with pytest.raises(UseError, match="NO_SUCH, which holds the password, is not set"):
        read_query("postgresql+psycopg://x@h/d", "SELECT 1", {}, tmp_path, password=Password("NO_SUCH", None))


def test_a_job_reads_its_database(tmp_path):
    url = sqlite_file(tmp_path)
    (tmp_path / "docket.toml").write_text(
        f'title = "Till"\nperiod = "month"\n[sources.sales]\ndatabase = "{url}"\nquery = """{QUERY}"""\n'
        'types = { day = "date", charge = "money" }\n[figures]\nsum = "SUM(sales[charge])"\n'
        '[checks.c]\nfresh = { source = "sales" }\n', "utf-8",
    )  # fmt: skip
    pack = make(load_docket(tmp_path / "docket.toml"), parse_period("2026-10"))
    assert pack.results.figures == {"sum": 30.75}
    assert pack.results.tables["sales"].where(1) == "sqlite:///till.sqlite, row 2"
    for wrong, why in (('query = "x"', "needs a query"), ("", "either file, files or database")):
        (tmp_path / "docket.toml").write_text(f'title = "T"\nperiod = "month"\n[sources.s]\n{wrong}\n', "utf-8")
        with pytest.raises(TinQuireError) as caught:
            load_docket(tmp_path / "docket.toml")
        assert why in str(caught.value) or "either file" in str(caught.value)


# -- rows that stay ----------------------------------------------------------------------------------------

STAY = [
    ("North", "2026-09-30", 1, 9.5), ("north", "2026-10-01", 4, 10.5), ("South", "2026-10-31", None, 20.25), ("North", "2026-10-01", 0, -3.25),
    (None, "2026-10-31", 7, 2.0), ("", "2026-11-02", 7, None), ("South", "2026-12-24", 2, 0.75), ("O'Hara", None, 3, 100.0),
]  # fmt: skip
FIELDS = ['rows = ["depot"]', 'rows = ["depot", { field = "day", by = "month" }]\nsubtotals = {}\nempty = 0', 'rows = ["pieces"]\ncolumns = ["depot"]\ntotals_across = "all"',
          'rows = [{ field = "depot", top = 2, rest = "others" }]']  # fmt: skip
VALUES = '[{ sum = "charge" }, { average = "charge", as = "mean" }, { count = "depot", as = "n" }, { smallest = "pieces", as = "least" }, { largest = "charge", as = "most" }, { numbers = "pieces", as = "m" }]'
WHERE = [
    None, '[charge] > 1', '[charge] <= 0', '[pieces] = 0', 'AND([depot] = "NORTH", NOT([pieces] <> 4))', 'OR([depot] = "", [charge] > period_month)',
    '[depot] <> "south"', 'ISBLANK([pieces])', '[depot] > 5', '[depot] = 0', '5 >= [pieces]', '[pieces] = "4"', '[charge] < -1', '[depot] < 5',
]  # fmt: skip


def stay(folder, url, keys):
    """The same docket with rows that travel and with rows that stay."""
    made = []
    for rows in ("travel", "stay"):
        text = f'title = "T"\nperiod = "month"\n[sources.sales]\ndatabase = "{url}"\nquery = "SELECT depot, day, pieces, charge FROM sales;"\n'
        text += f'rows = "{rows}"\ntypes = {{ day = "date" }}\n' + (
            'password_from = "TILL_PASSWORD"\n' if "postgres" in url else ""
        )
        (folder / "docket.toml").write_text(text + keys, "utf-8")
        work = make(load_docket(folder / "docket.toml"), parse_period("2026-10"), environment=os.environ).results
        assert ("sales" in work.tables) == (rows == "travel")
        made.append(work)
    return made


def alike(one, other, *, types=True):
    assert one.headings == other.headings
    assert not types or [field.type for field in one.fields] == [field.type for field in other.fields]
    for a, b in zip(one.columns, other.columns, strict=True):
        assert [value if not isinstance(value, float) else pytest.approx(value) for value in a] == b.to_list()


@pytest.fixture(params=["sqlite", "postgresql"])
def stocked(request, tmp_path):
    """A database of each kind with the rows above; its URL."""
    if request.param == "sqlite":
        url = sqlite_file(tmp_path)
        with sqlite3.connect(tmp_path / "till.sqlite") as base:
            base.execute("DELETE FROM sales")
            base.executemany("INSERT INTO sales VALUES (?, ?, ?, ?)", STAY)
        return url
    import psycopg

    url = request.getfixturevalue("till")
    with psycopg.connect(url.replace("+psycopg", "").replace("till@", "till:harbour@")) as base:
        base.execute("DELETE FROM sales")
        for row in STAY:
            base.execute("INSERT INTO sales (depot, day, pieces, charge) VALUES (%s, %s, %s, %s)", row)
    return url


def test_pivots_of_rows_that_stay_are_those_of_rows_that_travel(stocked, tmp_path):
    pivots = ""
    for number, where in enumerate(WHERE):
        for field, fields in enumerate(FIELDS if number < 2 else FIELDS[:1]):
            pivots += f'[pivots.p{number}_{field}]\nfrom = "sales"\n{fields}\nvalues = {VALUES}\ntotals = "All"\n'
            pivots += "" if where is None else f"where = '''{where}'''\n"
    travelled, stayed = stay(tmp_path, stocked, pivots)
    assert len(stayed.pivots) == 20
    for name, pivot in travelled.pivots.items():
        # SQLite types values, not columns: where conditions leave none of them, it cannot be known what they were.
        alike(pivot.as_table(), stayed.pivots[name].as_table(), types=name < "p1")
    assert "8 rows stay in the database; " in stayed.sources["sales"].files[0].notes[0]


def test_tables_of_rows_that_stay_are_grouped_there(stocked, tmp_path):
    steps = """[tables.some]
from = "sales"
steps = [{ keep_rows = "[charge] > 0" }, { drop_rows = '[depot] = "South"' }]
[tables.sums]
from = "some"
steps = [{ group = ["depot"], values = { Charged = "sum charge", Tickets = "count depot" } }, { sort = ["depot"] }, { derive = "Twice", as = "[Charged]*2" }]
[tables.all]
from = "sales"
steps = [{ group = [], values = { Charged = "sum charge" } }]
[figures]
it = "SUM(sums[Twice])"
"""
    travelled, stayed = stay(tmp_path, stocked, steps)
    for name in ("sums", "all"):
        alike(travelled.tables[name], stayed.tables[name])
    assert stayed.figures["it"] == 244 and stayed.tables["sums"].headings == ["depot", "Charged", "Tickets", "Twice"]


def test_groups_are_told_apart_to_the_letter_whatever_a_column_says(tmp_path):
    """A column of SQLite may hold texts for equal whose case differs."""
    url = sqlite_file(tmp_path)
    with sqlite3.connect(tmp_path / "till.sqlite") as base:
        base.execute("ALTER TABLE sales RENAME TO old")
        base.execute("CREATE TABLE sales (depot TEXT COLLATE NOCASE, day TEXT, pieces INTEGER, charge REAL)")
        base.executemany("INSERT INTO sales VALUES (?, ?, ?, ?)", STAY)
    travelled, stayed = stay(
        tmp_path, url, '[pivots.p]\nfrom = "sales"\nrows = ["depot"]\nvalues = [{ sum = "charge" }]\n'
    )
    alike(travelled.pivots["p"].as_table(), stayed.pivots["p"].as_table())


@pytest.mark.parametrize(
    ("keys", "why"),
    [
        ('[checks]\nc = { complete = { table = "sales", columns = ["depot"] } }', "checks.c needs the rows of 'sales'"),
        ('[figures]\nit = "SUM(sales[charge])"', "a formula needs the rows of 'sales', which stay in the database"),
        ('[tables.t]\nfrom = "sales"\nsteps = [{ sort = ["day"] }]', "step 1, which is not keep_rows, drop_rows or group, needs the rows of 'sales'"),
        ('[workbooks.w]\nname = "w.xlsx"\nsheets = [{ name = "S", table = "sales" }]', "a sheet needs the rows of 'sales'"),
        ('[pivots.p]\nfrom = "sales"\nrows = ["depot"]\nvalues = [{ median = "charge" }]', "'charge' is median, which is not worked out in the database"),
        ('[pivots.p]\nfrom = "sales"\nrows = ["depot"]\nvalues = [{ sum = "charg" }]', "the query has no column 'charg': the nearest is 'charge'"),
        ('[pivots.p]\nfrom = "sales"\nrows = ["depot"]\nvalues = [{ sum = "charge" }]\nwhere = "LEN([depot]) > 2"', "it compares something else than a column"),
        ('[pivots.p]\nfrom = "sales"\nrows = ["depot"]\nvalues = [{ sum = "charge" }]\nwhere = \'[depot] > "m"\'', "it asks which texts are > another"),
        ('[pivots.p]\nfrom = "sales"\nrows = ["depot"]\nvalues = [{ sum = "charge" }]\nwhere = \'[depot] = "Köln"\'', "whose case databases see differently"),
    ],
)  # fmt: skip
def test_what_rows_that_stay_cannot_give(tmp_path, keys, why):
    url = sqlite_file(tmp_path)
    with pytest.raises(TinQuireError) as caught:
        text = f'title = "T"\nperiod = "month"\n[sources.sales]\ndatabase = "{url}"\nquery = "SELECT * FROM sales"\nrows = "stay"\n{keys}\n'
        (tmp_path / "docket.toml").write_text(text, "utf-8")
        make(load_docket(tmp_path / "docket.toml"), parse_period("2026-10"))
    assert why in str([fault.why for fault in caught.value.faults])


# -- records ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "headings", "columns", "rows"),
    [
        (
            '{"a": 1, "b": "x"}\n\n{"b": "y", "c": true}\n',
            ["a", "b", "c"],
            [[1, None], ["x", "y"], [None, True]],
            [1, 3],
        ),
        (
            '[{"a": {"b": 2, "c": [1, "ü"]}, "d": ""}, {"a": {"b": null}}]',
            ["a.b", "a.c", "d"],
            [[2, None], ['[1, "ü"]', None], [None, None]],
            [1, 2],
        ),
        ("\ufeff{}\n", [], [], [1]),
        ("", [], [], []),
    ],
)
def test_records(text, headings, columns, rows, tmp_path):
    (tmp_path / "r.jsonl").write_text(text, "utf-8")
    raw = read_records(tmp_path / "r.jsonl", "r.jsonl")
    assert (raw.headings, [column.to_list() for column in raw.columns], raw.rows.tolist()) == (headings, columns, rows)


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b'{"a": 1}\n{"a": }\n', "it is not JSON (Expecting value)"), (b'{"a": NaN}', "NaN is no number of JSON"),
        (b'{"a": 1, "a": 2}', "a name stands twice"), (b'[{"a": 1}, 7]', "7 is no record"), (b"\xff{}", "it is not UTF-8"),
        (b"[" * 100_000, "it is not JSON"),
    ],
)  # fmt: skip
def test_what_is_no_record_is_told(content, why, tmp_path):
    (tmp_path / "r.jsonl").write_bytes(content)
    with pytest.raises(DataError) as caught:
        read_records(tmp_path / "r.jsonl", "r.jsonl")
    assert why in caught.value.faults[0].why


def test_records_are_summed_up(tmp_path, tinquire):
    (tmp_path / "r.jsonl").write_text('{"depot": "North", "fee": "1.5"}\n{"depot": "North", "fee": "2"}\n', "utf-8")
    assert "Total   3.50" in tinquire("pivot", tmp_path / "r.jsonl", "--rows", "depot", "--sum", "fee").out
