"""A docket's steps, pivots and totals read plainly: lists and dictionaries, row by row, nothing shared with the tool.

A table is a `Plain`: headings, rows as lists of values (None, float, str, bool), and the (file, row) of all that each row
was made of.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from statistics import median, stdev, variance


class Stop(Exception):
    """The tool has to stop here."""


@dataclass
class Plain:
    headings: list[str]
    rows: list[list]
    origins: list[frozenset] = field(default_factory=list)

    def at(self, heading):
        return next(n for n, name in enumerate(self.headings) if name.casefold() == heading.casefold())

    def column(self, heading):
        return [row[self.at(heading)] for row in self.rows]

    def pick(self, numbers):
        return Plain(list(self.headings), [list(self.rows[n]) for n in numbers], [self.origins[n] for n in numbers])

    def with_column(self, heading, values):
        names = [name.casefold() for name in self.headings]
        if heading.casefold() in names:
            place, headings = names.index(heading.casefold()), list(self.headings)
            headings[place] = heading
            rows = [[*row[:place], value, *row[place + 1 :]] for row, value in zip(self.rows, values, strict=True)]
            return Plain(headings, rows, self.origins)
        rows = [[*row, value] for row, value in zip(self.rows, values, strict=True)]
        return Plain([*self.headings, heading], rows, self.origins)

    def select(self, headings):
        places = [self.at(heading) for heading in headings]
        return Plain([self.headings[n] for n in places], [[row[n] for n in places] for row in self.rows], self.origins)


def together(origins):
    return frozenset().union(*origins)


# -- values ----------------------------------------------------------------------------------------------


def text(value):
    """A value as General writes it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, float):
        spelled = "0" if value == 0 else f"{value:.15g}"
        return format(Decimal(spelled), "f") if "e-05" in spelled else spelled
    return value


def in_cell(value):
    """A value as a cell shows it in General form: a number in eleven characters."""
    spelled = text(value)
    if not isinstance(value, float) or len(spelled.lstrip("-")) <= 11 or not 1e-4 <= abs(value) < 1e11:
        return spelled
    return text(float(f"{value:.{max(0, 10 - len(str(int(abs(value)))))}f}"))


def day(serial):
    """A day as ISO 8601 writes it."""
    return "" if serial is None else (date(1899, 12, 30) + timedelta(days=int(serial))).isoformat()


def number(value):
    if isinstance(value, str):
        raise Stop(f"'{value}' is not a number")
    return 0.0 if value is None else float(value)


def rank(value):
    """Order of values: numbers, texts, yes/no, blanks."""
    if value is None:
        return (4, 0)
    if isinstance(value, bool):
        return (2, value)
    return (0, value) if isinstance(value, float) else (1, value)


def rounded(value, digits):
    step = Decimal(1).scaleb(-int(digits))
    return float(Decimal(f"{value:.15g}").quantize(step, ROUND_HALF_UP))


class Cell:
    """A value under the operators of formulas (ECMA-376 Part 1, 18.17.2.2)."""

    def __init__(self, value):
        self.value = value

    def __add__(self, other):
        return Cell(number(self.value) + number(other.value))

    def __sub__(self, other):
        return Cell(number(self.value) - number(other.value))

    def __mul__(self, other):
        return Cell(number(self.value) * number(other.value))

    def __truediv__(self, other):
        if number(other.value) == 0:
            raise Stop("division by zero")
        return Cell(number(self.value) / number(other.value))

    def __neg__(self):
        return Cell(-number(self.value))

    def __and__(self, other):
        return Cell(text(self.value) + text(other.value))

    def compared(self, other):
        a, b = self.value, other.value
        fill = {bool: False, float: 0.0, str: "", type(None): None}
        a, b = fill[type(b)] if a is None else a, fill[type(a)] if b is None else b
        a, b = (value.casefold() if isinstance(value, str) else value for value in (a, b))
        return (rank(a) > rank(b)) - (rank(a) < rank(b))

    def __eq__(self, other):
        return Cell(self.compared(other) == 0)

    def __ne__(self, other):
        return Cell(self.compared(other) != 0)

    def __lt__(self, other):
        return Cell(self.compared(other) < 0)

    def __gt__(self, other):
        return Cell(self.compared(other) > 0)

    def __le__(self, other):
        return Cell(self.compared(other) <= 0)

    def __ge__(self, other):
        return Cell(self.compared(other) >= 0)

    __hash__ = None


def _numbers(cells):
    values = [v for cell in cells for v in (cell.value if isinstance(cell.value, list) else [cell.value])]
    if any(isinstance(v, str) for v in values):
        raise Stop("a text is to be added up")
    return [v for v in values if _is_number(v)]


def _is_number(value):
    return isinstance(value, float) and not isinstance(value, bool)


FUNCTIONS = {
    "ROUND": lambda a, b: Cell(rounded(number(a.value), number(b.value))),
    "IF": lambda c, a, b: a if number(c.value) else b,
    "MAX": lambda *a: Cell(max(_numbers(a), default=0.0)),
    "MIN": lambda *a: Cell(min(_numbers(a), default=0.0)),
    "SUM": lambda *a: Cell(float(sum(_numbers(a)))),
    "UPPER": lambda a: Cell(text(a.value).upper()),
    "LEN": lambda a: Cell(float(len(text(a.value)))),
    "LEFT": lambda a, b: Cell(text(a.value)[: int(number(b.value))]),
    "ABS": lambda a: Cell(abs(number(a.value))),
    "ROWS": lambda a: Cell(float(len(a.value))),
    "COUNTA": lambda a: Cell(float(sum(v is not None for v in a.value))),
    "COUNT": lambda a: Cell(float(sum(map(_is_number, a.value)))),
    "AND": lambda *a: Cell(all(number(one.value) for one in a)),
    "AVERAGE": lambda a: Cell(_divided(sum(_numbers([a])), len(_numbers([a])))),
    "SUMIFS": lambda v, k, w: Cell(float(sum(_numbers([Cell([x for x, key in zip(v.value, k.value, strict=True) if (Cell(key) == w).value and type(key) is type(w.value)])])))),
}  # fmt: skip


def _divided(a, b):
    if not b:
        raise Stop("division by zero")
    return a / b


_TOKENS = re.compile(
    r""""(?P<text>(?:[^"]|"")*)"|(?P<table>\w+)?\[(?:\[#This Row\],)?\[?(?P<heading>(?:'[\[\]#'@]|[^\[\]])+)\]?\]"""
    r"|(?P<number>\d+(?:\.\d+)?)|(?P<name>[A-Za-z_]\w*)|(?P<sign><>|<=|>=|[-+*/&=<>(),])|(?P<space>\s+)"
)


def evaluated(formula, cell, whole=None, names=None):
    """A formula's value: `cell` gives a row's value by heading, `whole` a table's column, `names` other values."""
    parts, values = [], []

    def constant(value):
        values.append(Cell(value))
        parts.append(f"v[{len(values) - 1}]")

    end = 0
    for found in _TOKENS.finditer(formula):
        assert found.start() == end, formula[end:]
        end = found.end()
        if found["text"] is not None:
            constant(found["text"].replace('""', '"'))
        elif found["heading"] is not None:
            heading = re.sub(r"'([\[\]#'@])", r"\1", found["heading"])
            of_row = cell is not None and "#This Row" in found[0]
            constant(whole(found["table"], heading) if found["table"] and not of_row else cell(heading))
        elif found["number"] is not None:
            constant(float(found["number"]))
        elif found["name"] is not None and names and found["name"] in names:
            constant(names[found["name"]])
        elif found["name"] is not None:
            parts.append(f"F['{found['name']}']")
        elif found["sign"] is not None:
            parts.append({"=": "==", "<>": "!="}.get(found["sign"], found["sign"]))
    assert end == len(formula), formula
    return eval("".join(parts), {"F": FUNCTIONS, "v": values}).value


# -- steps -----------------------------------------------------------------------------------------------


def apply_step(table, step, others):
    kind = next(iter(step))
    return STEPS[kind](table, step, others)


def _derive(table, step, others):
    values = []
    for row in table.rows:
        values.append(evaluated(step["as"], lambda heading, row=row: row[table.at(heading)]))
    return table.with_column(step["derive"], values)


def _holds(table, formula):
    return [bool(number(evaluated(formula, lambda heading, row=row: row[table.at(heading)]))) for row in table.rows]


def _fill(table, step, others):
    for heading in step["fill"]:
        last, values = None, []
        for value in table.column(heading):
            last = value if value is not None else last
            values.append(step.get("value", last) if value is None else value)
        table = table.with_column(heading, values)
    return table


def _replace(table, step, others):
    values = []
    for value in table.column(step["replace"]):
        if text(value) in step.get("values", {}):
            value = step["values"][text(value)]
        elif isinstance(value, str):
            for old, new in step.get("parts", {}).items():
                value = value.replace(old, new)
            value = value or None
        values.append(value)
    return table.with_column(step["replace"], values)


def _rename(table, step, others):
    names = {old.casefold(): new for old, new in step["rename"].items()}
    return Plain([names.get(name.casefold(), name) for name in table.headings], table.rows, table.origins)


def _keys(table, headings):
    places = [table.at(heading) for heading in headings]
    return [tuple((type(row[n]).__name__, row[n]) for n in places) for row in table.rows]


def _unique(table, step, others):
    found = {}
    for row, key in enumerate(_keys(table, step["unique"])):
        if step.get("keep") == "last" or key not in found:
            found[key] = row
    return table.pick(sorted(found.values()))


def _sort(table, step, others):
    order = list(range(len(table.rows)))
    for name in reversed(step["sort"]):
        down = name.startswith("-")
        values = table.column(name.lstrip("-"))
        order.sort(key=lambda row: rank(values[row]), reverse=down)
    return table.pick(order)


def _group(table, step, others):
    groups = {}
    for row, key in enumerate(_keys(table, step["group"])):
        groups.setdefault(key, []).append(row)
    first = table.pick([rows[0] for rows in groups.values()]).select(step["group"])
    first.origins = [together(table.origins[row] for row in rows) for rows in groups.values()]
    if {name.casefold() for name in step["group"]} & {name.casefold() for name in step["values"]}:
        raise Stop("two columns of one name")
    for name, asked in step["values"].items():
        how, _, column = asked.partition(" ")
        values = table.column(column)
        first = first.with_column(name, [aggregate(how, [values[row] for row in rows]) for rows in groups.values()])
    return first


def _join(table, step, others):
    values = [
        step.get("mark", " ").join(text(v) for v in row if text(v)) or None for row in table.select(step["join"]).rows
    ]
    made = table.with_column(step["into"], values)
    gone = {name.casefold() for name in step["join"]} - {step["into"].casefold()}
    return made.select([name for name in made.headings if name.casefold() not in gone])


def _split(table, step, others):
    into = step["into"]
    pieces = [
        [part.strip() or None for part in text(v).split(step["at"], len(into) - 1)] for v in table.column(step["split"])
    ]
    for place, name in enumerate(into):
        table = table.with_column(name, [parts[place] if place < len(parts) else None for parts in pieces])
    keep = step["split"].casefold() in {name.casefold() for name in into}
    return table.select([name for name in table.headings if keep or name.casefold() != step["split"].casefold()])


def _match(table, step, others):
    right = others[step["match"]]
    ours, theirs = _keys(table, list(step["on"])), _keys(right, list(step["on"].values()))
    rows_of = {}
    for row, key in enumerate(theirs):
        rows_of.setdefault(key, []).append(row)
    how = step.get("repeated", "stop")
    if how == "stop" and any(len(rows_of.get(key, ())) > 1 for key in ours):
        raise Stop("a key repeats")
    unmatched = [key not in rows_of for key in ours]
    if any(unmatched) and step.get("unmatched", "stop") == "stop" and "otherwise" not in step:
        raise Stop("no match")
    bring = step["bring"] if isinstance(step["bring"], dict) else {name: name for name in step["bring"]}
    for old, new in bring.items():
        values, brought = right.column(old), []
        if how == "sum" and any(map(_is_number, values)) and any(isinstance(v, str) for v in values):
            raise Stop("a text is to be added up")
        for key in ours:
            rows = rows_of.get(key)
            if rows is None:
                brought.append(step.get("otherwise", {}).get(new))
            elif how == "sum" and any(_is_number(v) for v in values):
                brought.append(aggregate("sum", [values[row] for row in rows]))
            else:
                brought.append(values[rows[-1 if how == "last" else 0]])
        table = table.with_column(new, brought)
    return table.pick([n for n, miss in enumerate(unmatched) if not (miss and step.get("unmatched") == "drop")])


def _stack(table, step, others):
    tables = [table, *(others[name] for name in step["stack"])]
    names = {}
    for one in tables:
        for name in one.headings:
            names.setdefault(name.casefold(), name)
    rows = [
        [row[one.at(name)] if name in {h.casefold() for h in one.headings} else None for name in names]
        for one in tables for row in one.rows
    ]  # fmt: skip
    return Plain(list(names.values()), rows, [origin for one in tables for origin in one.origins])


def _subtract(table, step, others):
    theirs = set(_keys(others[step["subtract"]], list(step["on"].values())))
    both = step.get("keep") == "both"
    return table.pick([n for n, key in enumerate(_keys(table, list(step["on"]))) if (key in theirs) == both])


def _move(table, step, others):
    rest = [name for name in table.headings if name not in step["move"]]
    at = {"front": 0, "end": len(rest)}[step["to"]] if "to" in step else rest.index(step["after"]) + 1
    return table.select([*rest[:at], *step["move"], *rest[at:]])


def _type(table, step, others):
    for heading in step["type"]:
        table = table.with_column(
            heading, [text(value) if text(value).strip() else None for value in table.column(heading)]
        )
    return table


def _unpivot(table, step, others):
    kept = [name for name in table.headings if name not in step["unpivot"]]
    rows, origins = [], []
    for row, origin in zip(table.rows, table.origins, strict=True):
        for name in step["unpivot"]:
            if row[table.at(name)] is not None or step.get("blanks"):
                rows.append([*(row[table.at(one)] for one in kept), name, row[table.at(name)]])
                origins.append(origin)
    return Plain([*kept, step["names"], step["values"]], rows, origins)


def _window(table, step, others):
    way, _, column = step["as"].partition(" ")
    groups = {}
    for row, key in enumerate(_keys(table, step.get("within", []))):
        groups.setdefault(key, []).append(row)
    values = table.column(column) if column else [None] * len(table.rows)
    made = [None] * len(table.rows)
    for rows in groups.values():
        own = [values[row] for row in rows]
        if way not in ("number", "previous") and any(v is not None and not _is_number(v) for v in own):
            raise Stop("no number")
        total = 0.0
        for n, row in enumerate(rows):
            before, value = own[n - 1] if n else None, own[n]
            total += value or 0.0 if way in ("running", "share") else 0.0
            if way == "number":
                made[row] = n + 1.0
            elif way == "previous":
                made[row] = before
            elif way == "running":
                made[row] = total
            elif way == "difference" and n and None not in (before, value):
                made[row] = value - before
            elif way == "rank" and value is not None:
                made[row] = 1.0 + sum(v is not None and v > value for v in own)
        for row in rows if way == "share" and total else ():
            made[row] = None if values[row] is None else values[row] / total
    return table.with_column(step["window"], made)


STEPS = {
    "derive": _derive, "fill": _fill, "replace": _replace, "rename": _rename, "unique": _unique, "sort": _sort,
    "group": _group, "join": _join, "split": _split, "match": _match, "stack": _stack, "subtract": _subtract,
    "move": _move, "type": _type, "unpivot": _unpivot, "window": _window,
    "drop": lambda table, step, others: table.select([n for n in table.headings if n not in step["drop"]]),
    "keep": lambda table, step, others: table.select(step["keep"]),
    "keep_rows": lambda table, step, others: table.pick([n for n, yes in enumerate(_holds(table, step["keep_rows"])) if yes]),
    "drop_rows": lambda table, step, others: table.pick([n for n, yes in enumerate(_holds(table, step["drop_rows"])) if not yes]),
    "limit": lambda table, step, others: table.pick(range(min(step["limit"], len(table.rows)))),
    "sample": lambda table, step, others: table.pick(range(len(table.rows))) if step["sample"] else table.pick([]),
}  # fmt: skip


# -- summaries -------------------------------------------------------------------------------------------


def aggregate(how, values):
    numbers = [value for value in values if _is_number(value)]
    if how not in ("count", "numbers", "distinct", "first", "last") and any(isinstance(value, str) for value in values):
        raise Stop("a text is to be added up")
    filled = [value for value in values if value is not None]
    if how in ("count", "numbers", "distinct"):
        return float(
            {"count": len(filled), "numbers": len(numbers), "distinct": len({(type(v), v) for v in filled})}[how]
        )
    if how in ("first", "last"):
        return (filled[0] if how == "first" else filled[-1]) if filled else None
    if not numbers or (how in ("deviation", "variance") and len(numbers) < 2):
        return None
    work = {"sum": sum, "smallest": min, "largest": max, "median": median, "deviation": stdev, "variance": variance,
            "average": lambda own: sum(own) / len(own)}  # fmt: skip
    if how == "product":
        made = 1.0
        for value in numbers:
            made *= value
        return made
    return float(work[how](numbers))


def pivot(table, asked, days=()):
    """The cells of a pivot's sheet below its headings, line by line; and the rows in each, None for labels. `days` are
    the headings of columns of days."""
    if "where" in asked:
        table = table.pick([n for n, yes in enumerate(_holds(table, asked["where"])) if yes])
    down, across = asked["rows"], asked.get("columns", [])
    down_keys = _keys(table, down)
    side_keys = _keys(table, across)
    order = {key: [rank(v) for _, v in key] for key in (*down_keys, *side_keys)}
    lines, sides = (sorted(set(keys), key=order.get) for keys in (down_keys, side_keys))
    sides = sides or [()] * (not across)
    values = [next((how, column) for how, column in value.items() if how != "as") for value in asked["values"]]

    def line_of(label, fits, is_total=False):
        cells, made_of = [], []
        for side in [*sides, *([None] if "totals_across" in asked else [])]:
            rows = [n for n in range(len(table.rows)) if fits(down_keys[n]) and side in (None, side_keys[n])]
            for how, column in values:
                made_of.append(together(table.origins[n] for n in rows))
                value = aggregate(how, [table.rows[n][table.at(column)] for n in rows])
                crossed = side is not None and not is_total
                cells.append(asked.get("empty") if value is None and not rows and crossed else value)
        origins.append([*([None] * len(label)), *made_of])
        return [*label, *cells]

    origins: list = []
    made = []
    for place, line in enumerate(lines):
        made.append(line_of([v for _, v in line], lambda key, line=line: key == line))
        last = place + 1 == len(lines) or lines[place + 1][0] != line[0]
        if "subtotals" in asked and len(down) == 2 and last:
            shown = day(line[0][1]) if down[0] in days else in_cell(line[0][1])
            name = f"{'(blank)' if line[0][1] is None else shown} total"
            made.append(line_of((name, None), lambda key, line=line: key[0] == line[0]))
    if "totals" in asked:
        made.append(line_of((asked["totals"], *([None] * (len(down) - 1))), lambda key: True, is_total=True))
    return made, origins


def statement(rows, lines, mapping, amount):
    """Name and amount of each line, and the rows in it: accounts by the mapping and the line's sign; subtotals by
    category, totals of all lines since the last one."""
    line_of = dict(mapping.rows)
    sums, of, made, since, passed = {}, {}, [], 0.0, []
    for item, value, origin in zip(rows.column("Item"), rows.column(amount), rows.origins, strict=True):
        sums[line_of[item]] = sums.get(line_of[item], 0.0) + (value or 0.0)
        of[line_of[item]] = of.get(line_of[item], frozenset()) | origin
    signed = {
        name: sums.get(name, 0.0) * (float(sign) if sign else 1.0)
        for name, kind, _, sign in lines.rows
        if kind == "sum"
    }
    for name, kind, category, _ in lines.rows:
        if kind == "sum":
            since += signed[name]
            passed.append(name)
            made.append([name, signed[name], of.get(name, frozenset())])
        elif kind == "subtotal":
            own = [n for n, k, c, _ in lines.rows if k == "sum" and c == category]
            made.append([name, sum((signed[n] for n in own), 0.0), together(of.get(n, ()) for n in own)])
        elif kind == "total":
            made.append([name, since, together(of.get(n, ()) for n in passed)])
            since, passed = 0.0, []
        else:
            made.append([name, None, frozenset()])
    return made


def total(kind, values):
    value = aggregate(kind, values)
    return 0.0 if kind == "sum" and value is None else value
