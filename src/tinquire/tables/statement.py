"""Statements: accounts mapped, many to one, to the lines of a report with its own order, signs and totals."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import isnan

import numpy as np

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError
from tinquire.base.wording import known_names
from tinquire.cells.column import Codes, Column, Floats, Kind
from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.formula import parse
from tinquire.formula.engine.conversions import text_of
from tinquire.formula.language.tree import TableReference, walk
from tinquire.tables.origin import Members, Origin
from tinquire.tables.scope import TableScope, read_formula, scalar_value
from tinquire.tables.table import Field, Table

__all__ = [
    "KINDS", "Amounts", "LineColumns", "Statement", "StatementLine", "StatementRows", "balance", "make_statement",
]  # fmt: skip

#: What a line can be: accounts added up, the sum of a category's lines, the sum of all lines since the last total, a
#: formula over other lines, a heading, or nothing.
KINDS = ("sum", "subtotal", "total", "formula", "heading", "blank")
#: The position of accounts that belong to no line of this statement.
_LEFT_OUT = -1
_SIGNS = {"": 1.0, "+": 1.0, "1": 1.0, "-": -1.0, "-1": -1.0}
#: At most this many accounts are listed one by one.
_LISTED = 8


@dataclass(frozen=True, slots=True)
class LineColumns:
    """The headings under which the table of lines says what each line is; those not there say nothing."""

    line: str = "Line"
    order: str = "Order"
    kind: str = "Kind"
    category: str = "Category"
    sign: str = "Sign"
    formula: str = "Formula"


@dataclass(frozen=True, slots=True)
class Amounts:
    """A column of amounts: its name in the statement, and the table and headings that it is taken from."""

    name: str
    table: Table
    account: str
    amount: str


@dataclass(frozen=True, slots=True)
class StatementLine:
    name: str
    kind: str
    category: Value = None
    sign: float = 1.0
    formula: str | None = None


@dataclass(frozen=True, slots=True)
class StatementRows:
    """The rows of a table of amounts that the lines of one column are made of."""

    table: Table
    lines: Members


@dataclass(frozen=True)
class Statement:
    """A statement calculated: lines in their order, and for each column of amounts a value a line, blank for headings.

    `members` are the lines (by their places) that a subtotal or total adds up. `accounts` lists what was mapped: line,
    account, and the amounts as they are in their tables. `rows` are
    of each column of amounts; `made_of` names for each line the lines of accounts in it.
    """

    name: str
    lines: tuple[StatementLine, ...]
    fields: tuple[Field, ...]
    columns: tuple[Column, ...]
    members: Mapping[int, tuple[int, ...]]
    accounts: Table
    rows: tuple[StatementRows, ...] = ()
    made_of: tuple[frozenset[int], ...] = ()

    def as_table(self) -> Table:
        names = Column.from_values(line.name or None for line in self.lines)
        return Table(self.name, (Field("Line"), *self.fields), (names, *self.columns))

    def amount(self, line: str, column: int = 0) -> Value:
        """A line's amount. Raises KeyError when there is no such line."""
        wanted = line.casefold()
        for index, item in enumerate(self.lines):
            if item.name.casefold() == wanted:
                return self.columns[column][index]
        raise KeyError(line)


def make_statement(
    name: str, lines: Table, columns: LineColumns, mapping: Table, account: str, line: str,
    amounts: Sequence[Amounts], *, difference: str | None = None, percent: str | None = None, where: str = "",
) -> Statement:  # fmt: skip
    """Work a statement out. `mapping` gives under the headings `account` and `line` the line of each account.

    Raises DataError for accounts without a line (with their amounts), accounts with two, and lines that are not there;
    UseError for kinds and formulas that cannot be read.
    """
    stopped = f"statement '{name}'"
    known = _lines(lines, columns, stopped)
    positions = {item.name.casefold(): index for index, item in enumerate(known) if item.kind == "sum"}
    line_of = _line_of(mapping, account, line, positions, stopped)
    keys = [_keys(amount.table.column(amount.account, stopped)) for amount in amounts]
    _all_mapped(amounts, keys, line_of, mapping, stopped)
    added = [_line_sums(amount, own, line_of, known, stopped) for amount, own in zip(amounts, keys, strict=True)]
    members = _members(known)
    made_of = _made_of(known, members)
    columns_made = [_line_values(values, known, members, stopped, where) for values in added]
    fields = [Field(amount.name, amount.table.field(amount.amount, stopped).type) for amount in amounts]
    if len(columns_made) > 1:
        first, second = columns_made[:2]
        if difference is not None:
            columns_made.append(first - second)
            fields.append(Field(difference, fields[0].type))
        if percent is not None:
            with np.errstate(all="ignore"):
                columns_made.append(np.where(second == 0, np.nan, (first - second) / np.abs(second)))
            fields.append(Field(percent, "percent"))
    return Statement(
        name, tuple(known), tuple(fields), tuple(_column(values) for values in columns_made), members,
        _accounts(name, amounts, keys, line_of, known),
        tuple(_rows(amount, own, line_of, made_of) for amount, own in zip(amounts, keys, strict=True)),
        tuple(frozenset(item) for item in made_of),
    )  # fmt: skip


def _lines(table: Table, columns: LineColumns, stopped: str) -> list[StatementLine]:
    """The lines in their order. Raises UseError for unknown kinds and signs, DataError for names that repeat."""

    def of(heading: str) -> list[Value]:
        index = table.index_of(heading)
        return [None] * table.height if index is None else table.columns[index].to_list()

    names = table.column(columns.line, stopped).to_list()
    orders = of(columns.order)
    read = zip(names, of(columns.kind), of(columns.category), of(columns.sign), of(columns.formula), strict=True)
    found = []
    for row, (name, kind, category, sign, formula) in enumerate(read):
        word = str(kind or ("sum" if name is not None else "blank")).strip().casefold()
        if word not in KINDS:
            why = f"a line cannot be '{kind}': {known_names(word, list(KINDS))}"
            raise UseError(Fault(stopped, why, table.where(row), "fix its kind"))
        factor = _SIGNS.get("" if sign is None else str(text_of(sign)).strip())
        if factor is None or (word == "formula" and not formula):
            why = f"'{text_of(sign)}' is not a sign" if factor is None else f"line '{name}' has no formula"
            raise UseError(Fault(stopped, why, table.where(row), "write 1 or -1, or the formula of the line"))
        text = "" if name is None else str(text_of(name)).strip()
        found.append(StatementLine(text, word, category, factor, None if formula is None else str(formula)))
    if any(order is not None for order in orders):
        ranks = [order if isinstance(order, float) else np.inf for order in orders]
        found = [found[index] for index in np.argsort(np.array(ranks), kind="stable").tolist()]
    seen: set[str] = set()
    for item in found:
        folded = item.name.casefold()
        if folded and folded in seen:
            raise DataError(Fault(stopped, f"two lines are called '{item.name}'", do="give one another name"))
        seen.add(folded)
    return found


def _keys(column: Column) -> list[str]:
    """Accounts as texts, numbers as they are written."""
    return [str(text_of(value)).strip() for value in column]


def _line_of(mapping: Table, account: str, line: str, places: Mapping[str, int], stopped: str) -> dict[str, int]:
    """The position of each account's line; an account with a blank one is left out on purpose."""
    found: dict[str, int] = {}
    accounts, lines = _keys(mapping.column(account, stopped)), mapping.column(line, stopped).to_list()
    for row, (key, value) in enumerate(zip(accounts, lines, strict=True)):
        if value is None:
            if key:
                found.setdefault(key, _LEFT_OUT)
            continue
        position = places.get(str(text_of(value)).strip().casefold())
        if position is None:
            why = f"account {key} is mapped to '{value}', which is no line that adds accounts up: "
            why += known_names(str(value), list(places))
            raise DataError(Fault(stopped, why, mapping.where(row), "fix the line's name"))
        if found.setdefault(key, position) != position:
            why = f"account {key} is mapped to two lines"
            raise DataError(Fault(stopped, why, mapping.where(row), "keep one of them"))
    return found


def _all_mapped(
    amounts: Sequence[Amounts], keys: Sequence[list[str]], line_of: Mapping[str, int], mapping: Table, stopped: str
) -> None:
    faults: dict[str, Fault] = {}
    for item, own in zip(amounts, keys, strict=True):
        values = item.table.column(item.amount, stopped)
        for row, key in enumerate(own):
            if key not in line_of and key not in faults:
                shown = values[row]
                amount = f"{shown:,.2f}" if isinstance(shown, float) else str(shown)
                why = f"account {key or '(blank)'} with {amount} has no line in {mapping.name}"
                faults[key] = Fault(stopped, why, item.table.where(row), "give it one there")
    if faults:
        listed = list(faults.values())
        more = len(listed) - _LISTED
        rest = [Fault(stopped, f"{more:,} more accounts have no line")] if more > 0 else []
        raise DataError(*listed[:_LISTED], *rest)


def _line_sums(
    one: Amounts, keys: list[str], line_of: Mapping[str, int], lines: Sequence[StatementLine], stopped: str
) -> Floats:
    """The accounts of each line added up, with the line's sign; lines without accounts are zero."""
    column = one.table.column(one.amount, stopped)
    wrong = np.flatnonzero((column.kinds != Kind.NUMBER) & (column.kinds != Kind.BLANK))
    if len(wrong):
        row = int(wrong[0])
        why = f"'{column[row]}' in column '{one.amount}' is not an amount"
        raise DataError(Fault(stopped, why, one.table.where(row), "give the column the type money, or fix the value"))
    positions: Codes = np.array([line_of[key] for key in keys], np.int64)
    used = positions != _LEFT_OUT
    sums = np.bincount(positions[used], weights=column.numbers[used], minlength=len(lines)).astype(np.float64)
    return sums * np.array([line.sign for line in lines])


def _members(lines: Sequence[StatementLine]) -> dict[int, tuple[int, ...]]:
    """Which lines each subtotal and total adds up."""
    found: dict[int, tuple[int, ...]] = {}
    since: list[int] = []
    for index, line in enumerate(lines):
        if line.kind == "sum":
            since.append(index)
        elif line.kind == "subtotal":
            own = [n for n, item in enumerate(lines) if item.kind == "sum" and item.category == line.category]
            found[index] = tuple(own)
        elif line.kind == "total":
            found[index], since = tuple(since), []
    return found


def _made_of(lines: Sequence[StatementLine], members: Mapping[int, tuple[int, ...]]) -> list[set[int]]:
    """For each line the lines of accounts that its number is made of."""
    made: list[set[int]] = [
        {index} if line.kind == "sum" else set(members.get(index, ())) for index, line in enumerate(lines)
    ]
    names = {line.name.casefold(): index for index, line in enumerate(lines) if line.name}
    for index, line in enumerate(lines):
        if line.kind == "formula":
            read = {
                (node.first or "").casefold()
                for node in walk(parse(line.formula or ""))
                if isinstance(node, TableReference)
            }
            made[index] = set().union(*(made[names[name]] for name in read if name in names))
    return made


def _rows(one: Amounts, keys: Sequence[str], line_of: Mapping[str, int], made_of: Sequence[set[int]]) -> StatementRows:
    """The rows of each line of a column."""
    own = Members.of_groups(np.array([line_of[key] for key in keys], np.int64), len(made_of))
    lists = [np.concatenate([own.of(n) for n in sorted(lines)]) if lines else own.places[:0] for lines in made_of]
    return StatementRows(one.table, Members.of_lists(lists))


def _line_values(
    values: Floats, lines: Sequence[StatementLine], members: Mapping[int, tuple[int, ...]], stopped: str, where: str
) -> Floats:
    """A value for each line, NaN for headings and blanks; formulas may read only amounts, and formulas above."""
    result = np.full(len(lines), np.nan)
    for index, line in enumerate(lines):
        if line.kind == "sum":
            result[index] = values[index] + 0.0
        elif index in members:
            result[index] = values[list(members[index])].sum()
    for index, line in enumerate(lines):
        if line.kind == "formula":
            result[index] = _formula(line, lines, result, stopped, where)
    return result


def _formula(line: StatementLine, lines: Sequence[StatementLine], values: Floats, stopped: str, where: str) -> float:
    known = [
        (item.name, value) for item, value in zip(lines, values.tolist(), strict=True) if item.name and not isnan(value)
    ]
    row = Table(
        "lines", tuple(Field(name, "number") for name, _ in known), tuple(Column.of_numbers([v]) for _, v in known)
    )
    scope = TableScope({}, {}, row)
    text = line.formula or ""
    try:
        found = scalar_value(read_formula(text, scope, f"{stopped}, line '{line.name}'", where), scope)
    except TinQuireError as error:
        raise UseError(*error.faults) from None
    if not isinstance(found, float) or isinstance(found, bool | CellError):
        raise DataError(Fault(f"{stopped}, line '{line.name}'", f"{text} gives {found}", where, "fix the formula"))
    return found


def _column(values: Floats) -> Column:
    missing = np.isnan(values)
    return Column.where(missing, Column.blank(1), Column.of_numbers(np.where(missing, 0.0, values)))


def _accounts(
    name: str, amounts: Sequence[Amounts], keys: Sequence[list[str]], line_of: Mapping[str, int],
    lines: Sequence[StatementLine],
) -> Table:  # fmt: skip
    """What each line is made of: its accounts in the order of the lines, with the amounts of every column."""
    used = dict.fromkeys(key for own in keys for key in own if line_of[key] != _LEFT_OUT)
    accounts = sorted(used, key=lambda key: (line_of[key], key))
    columns = [
        Column.from_values(lines[line_of[key]].name for key in accounts), Column.from_values(accounts)
    ]  # fmt: skip
    fields = [Field("Line"), Field("Account")]
    for amount, own in zip(amounts, keys, strict=True):
        sums: dict[str, float] = {}
        for key, value in zip(own, amount.table.column(amount.amount).numbers.tolist(), strict=True):
            sums[key] = sums.get(key, 0.0) + value
        columns.append(Column.from_values(sums.get(key) for key in accounts))
        fields.append(Field(amount.name, amount.table.field(amount.amount).type))
    return Table(f"{name}_accounts", tuple(fields), tuple(columns), _origin_of_accounts(amounts, keys, accounts))


def _origin_of_accounts(
    amounts: Sequence[Amounts], keys: Sequence[list[str]], accounts: Sequence[str]
) -> Origin | None:
    """The rows of all tables of amounts that are of each account."""
    origins = [amount.table.origin for amount in amounts if amount.table.origin is not None]
    if len(origins) < len(amounts):
        return None
    positions = {account: index for index, account in enumerate(accounts)}
    groups = np.array([positions.get(key, -1) for own in keys for key in own], np.int64)
    return Origin.concat(origins).brought_together(Members.of_groups(groups, len(accounts)))


def balance(statement: Statement, first: str, second: str) -> tuple[str, str]:
    """Whether two lines are equal to the cent: what is asked, and what was found where they are not."""
    asked = f"{first} and {second} of {statement.name} are equal"
    a, b = statement.amount(first), statement.amount(second)
    if not isinstance(a, float) or not isinstance(b, float):
        return asked, f"{first} or {second} has no amount"
    return asked, "" if abs(a - b) < 0.005 else f"{first} is {general(round(a, 2))}, {second} is {general(round(b, 2))}"
