"""Options that sum rows up: their values and the settings of their fields, as pivots take them."""

from __future__ import annotations

import argparse
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cli.support import options as shared

if TYPE_CHECKING:
    from tinquire.tables.pivots.compute import PivotField, PivotValue

__all__ = ["AGGREGATIONS", "Value", "field_settings", "pivot_field", "pivot_values", "with_types"]

#: Ways of summing up that have an option of their own name.
AGGREGATIONS = {
    "sum": "add up", "average": "average", "count": "count values of", "numbers": "count numbers of",
    "distinct": "count different values of", "smallest": "take the smallest of", "largest": "take the largest of",
    "median": "take the median of", "product": "multiply", "deviation": "take the standard deviation of",
    "variance": "take the variance of", "first": "take the first of", "last": "take the last of",
}  # fmt: skip


class Value(argparse.Action):
    """Values of several options in the order in which they are written."""

    def __call__(
        self, parser: argparse.ArgumentParser, namespace: argparse.Namespace, values: Any, option: str | None = None
    ) -> None:
        namespace.values = [*namespace.values, *((self.dest, str(value)) for value in values)]


def field_settings(
    options: argparse.Namespace, rows: Sequence[str], columns: Sequence[str]
) -> dict[str, dict[str, Any]]:
    """Settings of fields, by their names without regard to case. Raises UseError."""
    found: dict[str, dict[str, Any]] = {name.casefold(): {} for name in (*rows, *columns)}
    for key in ("by", "bands", "order", "sort", "top"):
        for text in getattr(options, key, []):
            name, sign, value = text.partition("=")
            if not sign or not value or name.casefold() not in found:
                fields = [*rows, *columns]
                why = (
                    f"'{text}' gives no setting" if not sign or not value else f"'{name}' is not a row or column field"
                )
                why += "" if not sign or not value else f": {known_names(name, fields)}"
                raise UseError(Fault(f"reading --{key}", why, do=f"write it like '{fields[0]}=...'"))
            found[name.casefold()][key] = _setting(key, text, value)
    return found


def _setting(key: str, text: str, value: str) -> Any:
    from tinquire.cells.periods import KINDS

    try:
        if key == "bands":
            return tuple(float(item) for item in value.split(","))
        if key == "order":
            return tuple(with_types(item) for item in value.split(","))
        if key == "top":
            return _at_least_one(value)
    except ValueError:
        raise UseError(Fault(f"reading --{key}", f"'{text}' gives no number", do="write it in digits")) from None
    if key == "by" and value not in KINDS:
        raise UseError(Fault("reading --by", f"'{value}' is not a calendar unit", do=f"one of {', '.join(KINDS)}"))
    return value


def _at_least_one(text: str) -> int:
    number = int(text)
    if number < 1:
        raise ValueError
    return number


def with_types(text: str) -> str | float | bool:
    value = shared.typed_value(text)
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else text


def pivot_field(name: str, settings: dict[str, dict[str, Any]], rest: str | None) -> PivotField:
    from tinquire.tables.pivots.compute import PivotField

    given = settings[name.casefold()]
    return PivotField(name, **given, rest=rest if "top" in given else None)


def pivot_values(options: argparse.Namespace) -> Iterator[PivotValue]:
    """The values in the order in which they were asked for."""
    from tinquire.tables.aggregation import Aggregation
    from tinquire.tables.pivots.compute import PivotValue

    ways = dict(text.rpartition("=")[::2] for text in getattr(options, "show", []))
    several = [text.partition("=")[0].casefold() for word, text in options.values if word != "formula"]
    for word, text in options.values:
        left, sign, right = text.partition("=")
        if word == "formula":
            if not sign:
                raise UseError(Fault("reading --formula", f"'{text}' has no name", do="write it like 'Mean=...'"))
            yield PivotValue("", None, left, right, ways.pop(left, None))
            continue
        name = right or (left if several.count(left.casefold()) == 1 else f"{left} ({word})")
        yield PivotValue(left, Aggregation(word), name, None, ways.pop(name, None))
    if ways:
        name = next(iter(ways))
        raise UseError(Fault("reading --show", f"there is no value '{name}'", do="write it like 'Charge=share'"))
