"""Formulas that give a column's values from others of the same row: what a person did in the head, or elsewhere."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from itertools import permutations

import numpy as np

from tinquire.base.faults import TinQuireError
from tinquire.cells.column import Column
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import Value
from tinquire.learn.lists import keyed
from tinquire.learn.rows import literal
from tinquire.tables import Field, Table
from tinquire.tables.scope import TableScope, read_formula, table_values

__all__ = ["derived", "rewritten"]

#: Digits after the point that rounding is tried with; columns that are combined by two; different values of a mapping.
_DIGITS, _COMBINED, _MAPPED = range(5), 12, 25
_CLOSE = 1e-9
#: Digits of a factor that a person types.
_TYPED = 4
#: Different values, and rows, without which a formula would be a guess.
_TELLING = (2, 3)
#: Rows that a formula is tried on before it is worked out for all of them.
_SAMPLE = 40


def rewritten(name: str, before: Sequence[Value], after: Sequence[Value], system: DateSystem) -> str | None:
    """A formula of a column's own values that gives the new ones, blanks apart."""
    if len(set(keyed(before))) < _TELLING[0]:  # of one value any formula is true
        return None
    head = f"[{name}]"
    tried: list[str] = []
    if any(isinstance(value, str) for value in before):
        plain = [f"{word}({head})" for word in ("TRIM", "UPPER", "LOWER", "PROPER")]
        tried += [*plain, *(f"{word}(TRIM({head}))" for word in ("UPPER", "LOWER", "PROPER"))]
    tried += _of_numbers(head, before, after)
    return _first_true(tried, {name: before}, after, system, rewriting=True)


def derived(after: Sequence[Value], columns: Mapping[str, Sequence[Value]], system: DateSystem) -> str | None:
    """A formula over other columns that gives a new column's values."""
    if len(after) < _TELLING[1]:
        return None
    return _first_true(_candidates(after, columns), columns, after, system)


def _candidates(after: Sequence[Value], columns: Mapping[str, Sequence[Value]]) -> Iterator[str]:
    usable = [name for name in columns if not set("[]@#:'") & set(name)]
    for name in usable:
        if keyed(columns[name]) == keyed(after):
            yield f"[{name}]"
    if all(isinstance(value, str) for value in after):
        yield from _of_texts([str(value) for value in after], {name: columns[name] for name in usable})
    elif all(isinstance(value, float) for value in after):
        numbers = {name: columns[name] for name in usable if _are_numbers(columns[name])}
        for name in list(numbers)[:_COMBINED]:
            yield from _of_numbers(f"[{name}]", numbers[name], after)
        for one, other in permutations(list(numbers)[:_COMBINED], 2):
            yield from (f"[{one}]{sign}[{other}]" for sign in "*+-/" if one < other or sign in "-/")
        yield from _rounded(numbers, np.array(after, float))
        for name in usable:
            yield from (f"{word}([{name}])" for word in ("YEAR", "MONTH", "DAY", "WEEKDAY", "LEN"))
    yield from _mappings(after, {name: columns[name] for name in usable})


def _of_texts(after: Sequence[str], columns: Mapping[str, Sequence[Value]]) -> Iterator[str]:
    widths = {len(text) for text in after}
    for name, values in columns.items():
        head = f"[{name}]"
        if any(isinstance(value, str) for value in values):
            if len(widths) == 1:
                yield f"LEFT({head}, {min(widths)})"
                yield f"RIGHT({head}, {min(widths)})"
                at = str(values[0]).find(after[0])
                yield f"MID({head}, {at + 1}, {min(widths)})"
            yield from (f"{word}({head})" for word in ("TRIM", "UPPER", "LOWER", "PROPER"))
            yield from _cut_at_a_sign(head, values, after)
        elif _are_numbers(values):
            yield from (f'TEXT({head}, "{code}")' for code in ("yyyy-mm", "mmm", "mmmm", "yyyy", "ddd", "0", "0.00"))
    for one, other in permutations(list(columns)[:_COMBINED], 2):
        first, second = columns[one][0], columns[other][0]
        match = isinstance(first, str) and isinstance(second, str) and first and second and after[0].startswith(first)
        if match and after[0].endswith(str(second)):
            between = after[0][len(str(first)) : len(after[0]) - len(str(second))]
            yield f"[{one}]&{literal(between)}&[{other}]" if between else f"[{one}]&[{other}]"


def _cut_at_a_sign(head: str, values: Sequence[Value], after: Sequence[str]) -> Iterator[str]:
    """What stands before or behind a sign."""
    text, part = str(values[0]), after[0]
    if part and text.startswith(part) and len(text) > len(part):
        sign = literal(re.match(r"\W*|\w", text[len(part) :])[0] or text[len(part)])  # type: ignore[index]
        yield f"TEXTBEFORE({head}, {sign})"
    if part and text.endswith(part) and len(text) > len(part):
        sign = re.search(r"\W*$", text[: -len(part)])[0] or text[-len(part) - 1]  # type: ignore[index]
        yield f"TEXTAFTER({head}, {literal(sign)})"


def _of_numbers(head: str, before: Sequence[Value], after: Sequence[Value]) -> Iterator[str]:
    pairs = [
        (a, b) for a, b in zip(before, after, strict=True) if isinstance(a, float) and isinstance(b, float) and a != 0
    ]
    if not pairs or len(pairs) < sum(isinstance(value, float) and value != 0 for value in before):
        return
    a, b = np.array(pairs, float).T
    with np.errstate(all="ignore"):
        ratio, difference = b / a, b - a
    factor = float(f"{ratio[0]:.10g}")
    # A factor that nobody would type is a part of something else that happens to be the same in all rows.
    if (
        _same(ratio)
        and abs(factor - 1) > _CLOSE
        and min(_digits(factor), _digits(1 / factor if factor else 0)) <= _TYPED
    ):
        if factor == -1:
            yield f"-{head}"
        elif 0 < abs(factor) < 0.1:
            yield f"{head}/{1 / factor:.10g}"
        yield f"{head}*{factor:.10g}"
    if _same(difference) and difference[0]:
        yield f"{head}{difference[0]:+.10g}"
    if bool(np.all(np.abs(np.abs(a) - b) <= _CLOSE)) and not _same(ratio):
        yield f"ABS({head})"
    if float(np.max(np.abs(difference))) <= 0.5 + _CLOSE:
        yield from (f"ROUND({head}, {digits})" for digits in _DIGITS)
        yield f"INT({head})"
    elif float(np.max(np.abs(difference))) < 1:
        yield f"INT({head})"
        yield f"ROUNDUP({head}, 0)"


def _rounded(numbers: Mapping[str, Sequence[Value]], after: np.ndarray) -> Iterator[str]:
    """Products of two columns or three, a rate or a discount among them, and quotients, rounded as the values are."""
    digits = next((n for n in range(5) if np.allclose(after, np.round(after, n), rtol=0, atol=_CLOSE)), None)
    if digits is None:
        return
    columns = {name: np.array([value or 0 for value in numbers[name]], float) for name in list(numbers)[:_COMBINED]}
    within = 0.5 * 10.0**-digits + 1e-6
    with np.errstate(all="ignore"):
        for one, other in permutations(columns, 2):
            a, b = columns[one], columns[other]
            forms = {f"[{one}]/[{other}]": a / b}
            if one < other:
                forms |= {f"[{one}]*[{other}]": a * b}
            forms |= {f"[{one}]*(1-[{other}])": a * (1 - b), f"[{one}]*(1+[{other}])": a * (1 + b)}
            for third, c in columns.items():
                if third not in (one, other) and one < third:
                    forms |= {
                        f"[{one}]*[{third}]*(1-[{other}])": a * c * (1 - b),
                        f"[{one}]*[{third}]*(1+[{other}])": a * c * (1 + b),
                    }
                    forms |= {f"[{one}]*[{third}]*[{other}]": a * c * b} if other < one else {}
            for text, found in forms.items():
                if np.all(np.abs(found - after) <= within):
                    yield text
                    yield f"ROUND({text}, {digits})"


def _mappings(after: Sequence[Value], columns: Mapping[str, Sequence[Value]]) -> Iterator[str]:
    """A value for each value of another column, the one with the fewest."""
    found: list[tuple[int, str]] = []
    for name, values in columns.items():
        known: dict[tuple[type, Value], tuple[type, Value]] = {}
        for old, new in zip(keyed(values), keyed(after), strict=True):
            if known.setdefault(old, new) != new or len(known) > _MAPPED:
                break
        else:
            # One row for each value says nothing.
            if len(set(known.values())) > 1 and len(known) * 2 <= len(after) and None not in [key[1] for key in known]:
                pairs = ", ".join(f"{literal(old)}, {literal(new)}" for (_, old), (_, new) in known.items())
                found.append((len(known), f"SWITCH([{name}], {pairs})"))
    yield from (text for _, text in sorted(found, key=lambda item: item[0]))


def _are_numbers(values: Sequence[Value]) -> bool:
    return any(isinstance(value, float) for value in values) and all(
        value is None or isinstance(value, float) for value in values
    )


def _digits(number: float) -> int:
    """How many digits a number is written with, zeros at its ends apart."""
    return len(f"{abs(number):.10g}".split("e")[0].replace(".", "").strip("0"))


def _same(numbers: np.ndarray) -> bool:
    if not np.all(np.isfinite(numbers)):
        return False
    return bool(np.all(np.abs(numbers - numbers[0]) <= _CLOSE * max(1, abs(numbers[0]))))


def _first_true(
    tried: Iterator[str] | Sequence[str], columns: Mapping[str, Sequence[Value]], after: Sequence[Value],
    system: DateSystem, *, rewriting: bool = False,
) -> str | None:  # fmt: skip
    """The first formula that gives all values, on some rows first."""
    some = min(len(after), _SAMPLE)
    for text in dict.fromkeys(tried):
        for count in dict.fromkeys((some, len(after))):
            cut = {name: values[:count] for name, values in columns.items() if f"[{name}]" in text}
            if not _gives(text, cut, after[:count], system, rewriting=rewriting):
                break
        else:
            return text
    return None


def _gives(
    text: str, columns: Mapping[str, Sequence[Value]], after: Sequence[Value], system: DateSystem, *, rewriting: bool
) -> bool:  # fmt: skip
    made = {name: Column.from_values(values) for name, values in columns.items()}
    fields = tuple(Field(name, "number" if _are_numbers(columns[name]) else "text") for name in made)
    table = Table("rows", fields, tuple(made.values()))
    scope = TableScope({}, {}, table, system)
    try:
        found = table_values(read_formula(text, scope, "learning"), scope, table).to_list()
    except TinQuireError:
        return False
    own = next(iter(columns.values()))
    kept = [rewriting and old is None and other is None for old, other in zip(own, after, strict=True)]
    return all(_is(one, other) or stays for one, other, stays in zip(found, after, kept, strict=True))


def _is(one: Value, other: Value) -> bool:
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= _CLOSE * max(1.0, abs(other))
    if other is None:
        return one in (None, "")
    return type(one) is type(other) and one == other
