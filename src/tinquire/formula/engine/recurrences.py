"""Columns whose cells depend on the cells above (or below) them, calculated in one loop.

Balances that begin with the last one's end, subtotals that begin again where a name changes, loans, depreciation: their
columns read themselves or each other a row away, so that no column can be calculated at once, and cell by cell each
costs a hundred times as much as it need. Here all that does not depend on the ring is calculated as columns first; what
is left, a handful of operators over numbers, becomes one loop of plain Python, compiled once.

The loop is exact or absent: wherever a value is not a number, a divisor is zero, a result is out of range or a function
is not known here, `run_recurrence` gives None and the cells are run one by one, in the same order of operations.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from graphlib import CycleError, TopologicalSorter
from itertools import count
from math import isfinite
from typing import Any

import numpy as np

from tinquire.cells.column import Booleans, Column, Floats, Kind
from tinquire.formula.engine.conversions import logicals, numbers
from tinquire.formula.engine.evaluate import evaluate_column
from tinquire.formula.engine.operators import same_to_15_digits
from tinquire.formula.engine.plain_numbers import ADDED_IN_ORDER, NotPlain, singly
from tinquire.formula.engine.registry import Mode, functions
from tinquire.formula.engine.running_totals import restarting_total
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Binary, Call, Literal, Missing, Node, Reference, Unary, walk

__all__ = ["direction", "run_recurrence"]

#: No function is called with more levels of calls around it than this: Python's own parser has a limit.
_DEEPEST = 60


class _NotSuitable(Exception):  # noqa: N818 - a signal, not an error
    """The ring, or a value that it meets, is not one that the loop can handle."""


def run_recurrence(
    ring: Mapping[int, Node], frame: Frame, outside: Callable[[Node, Frame], bool]
) -> list[Column] | None:
    """Results of columns that depend on each other, for the rows of a frame: one for each column of the ring (by its
    number) in the ring's order, or None when they cannot be had this way.

    `outside` says of a node whether it reads no cell of the ring. The cells above and below must be calculated already.
    """
    if len(ring) == 1:
        ((column, tree),) = ring.items()
        total = restarting_total(tree, replace(frame, column=column), outside)
        if total is not None:
            return [total]
    try:
        found = _Loop(ring, frame, outside).run()
    except (_NotSuitable, NotPlain, ZeroDivisionError, OverflowError, CycleError):
        return None
    return [found[column] for column in ring]


def direction(ring: Mapping[int, Node], frame: Frame) -> int:
    """-1 for columns that read themselves or each other from above, 1 from below; 0 for both, or neither."""
    found = set()
    for column, tree in ring.items():
        for node in walk(tree):
            if isinstance(node, Reference) and not node.top.fixed and node.left.at(column) in ring:
                found.add(int(np.sign(node.top.number)))
    found.discard(0)
    return found.pop() if len(found) == 1 else 0


@dataclass
class _Loop:
    """The loop as it is written: what it reads in each turn, what stays the same, and its lines."""

    ring: Mapping[int, Node]
    frame: Frame
    outside: Callable[[Node, Frame], bool]
    #: Arrays of which each turn takes one value, and values that stay, by the names that they have in the loop.
    streams: dict[str, Floats | Booleans] = field(default_factory=dict)
    fixed: dict[str, Any] = field(default_factory=dict)
    #: How far off in rows the ring is read, and which columns are read in their own row, by column.
    offsets: set[int] = field(default_factory=set)
    own_row: dict[int, set[int]] = field(default_factory=dict)
    #: Whether a function is called for which a blank cell is not the same as zero.
    minds_blanks: bool = False
    _names: Iterator[int] = field(default_factory=count)
    _known: dict[tuple[int, Node, bool], str] = field(default_factory=dict)

    def run(self) -> dict[int, Column]:
        texts = {}
        for column, tree in self.ring.items():
            self.own_row[column] = set()
            self._reading = column
            texts[column] = self._number(tree, replace(self.frame, column=column), 0)
        down = max(self.offsets, default=0) < 0
        if not self.offsets or (not down and min(self.offsets) < 0):
            raise _NotSuitable  # a true ring, or one that is read from above and from below
        ordered = {column: texts[column] for column in TopologicalSorter(self.own_row).static_order()}
        return self._looped(ordered, max(map(abs, self.offsets)), down=down)

    def _begun(self, farthest: int, *, down: bool) -> dict[str, float]:
        """What is in the cells before the first turn, by the names that they have in the loop."""
        row = self.frame.row - farthest if down else self.frame.row + self.frame.count
        if row < 1:
            raise _NotSuitable
        begun = {}
        for column in self.ring:
            found = self.frame.scope.column(self.frame.sheet, column, row, row + farthest - 1)
            blank = bool((found.kinds == Kind.BLANK).any())
            if (found.kinds > Kind.NUMBER).any() or (blank and self.minds_blanks):
                raise _NotSuitable
            values = found.numbers.tolist()
            for back, value in enumerate(reversed(values) if down else values, start=1):
                begun[self._before(column, back)] = value
        return begun

    def _written(self, texts: Mapping[int, str], farthest: int, begun: Iterable[str]) -> str:
        """The loop's own text: it gives the values of a row's cells one after the other."""
        names = ", ".join(self.streams)
        lines = [f"def loop({', '.join([*self.streams, *self.fixed, *begun])}):"]
        turns = f"for {names}, in zip({names})" if names else f"for _ in range({self.frame.count})"
        if len(texts) == 1 and farthest == 1:  # the commonest kind, in the form that Python runs fastest
            ((column, text),) = texts.items()
            return f"{lines[0]}\n return [{self._before(column, 1)} := {text} {turns}]"
        lines.append(f" {turns}:")
        for column, text in texts.items():
            lines += [f"  v{column} = {text}", f"  yield v{column}"]
        for column in texts:
            for back in range(farthest, 1, -1):
                lines.append(f"  {self._before(column, back)} = {self._before(column, back - 1)}")
            lines.append(f"  {self._before(column, 1)} = v{column}")
        return "\n".join(lines)

    def _looped(self, texts: Mapping[int, str], farthest: int, *, down: bool) -> dict[int, Column]:
        """Run the loop, and take its results if all are in range."""
        begun = self._begun(farthest, down=down)
        room: dict[str, Any] = dict(_HELPERS)
        # The text is made of this module's own words and of names made here; what cells hold goes in as values.
        exec(self._written(texts, farthest, begun), room)
        streams = {name: _plain_values(values if down else values[::-1]) for name, values in self.streams.items()}
        values = room["loop"](**streams, **self.fixed, **begun)
        count = self.frame.count
        results = np.fromiter(values, np.float64, count * len(texts)).reshape(count, len(texts))
        if not np.isfinite(results).all():
            raise _NotSuitable
        turned = results if down else results[::-1]
        return {column: Column.of_numbers(turned[:, index].copy()) for index, column in enumerate(texts)}

    @staticmethod
    def _before(column: int, back: int) -> str:
        return f"b{column}_{back}"

    # -- expressions -----------------------------------------------------------------------------------

    def _number(self, node: Node, frame: Frame, depth: int) -> str:
        """A node as Python text that gives a number. Raises _Unsuited."""
        if depth > _DEEPEST:
            raise _NotSuitable
        if self.outside(node, frame):
            return self._once(node, frame, self._numbers_outside)
        match node:
            case Reference():
                return self._in_ring(node, frame)
            case Unary(sign="-" | "+" as sign, operand=operand):
                return f"({sign}{self._number(operand, frame, depth + 1)})"
            case Unary(sign="%", operand=operand):
                return f"({self._number(operand, frame, depth + 1)} / 100.0)"
            case Binary(sign="+" | "-" | "*" | "/" as sign, left=left, right=right):
                divisor = self._number(right, frame, depth + 1)
                divisor = _sound(divisor) if sign == "/" else divisor
                return f"({self._number(left, frame, depth + 1)} {sign} {divisor})"
            case Call(function="IF", arguments=(condition, yes, no)):
                chosen = [self._number(item, frame, depth + 1) for item in (yes, no)]
                return f"({chosen[0]} if {self._condition(condition, frame, depth + 1)} else {chosen[1]})"
            case Call(function="MIN" | "MAX" | "SUM" as name, arguments=arguments) if len(arguments) <= ADDED_IN_ORDER:
                self.minds_blanks = True
                return self._of_all(name, [self._counted(argument, frame, depth + 1) for argument in arguments])
            case Call(function=name, arguments=arguments):
                return self._called(name, arguments, frame, depth)
        raise _NotSuitable

    @staticmethod
    def _of_all(name: str, given: list[str]) -> str:
        if name == "SUM":
            return f"({' + '.join(given)})"
        return f"{name.lower()}({', '.join(map(_sound, given))},)" if len(given) > 1 else given[0]

    def _counted(self, node: Node, frame: Frame, depth: int) -> str:
        """An argument of a function that takes ranges and leaves out what is not a number: it must be one."""
        if self.outside(node, frame) and not evaluate_column(node, frame).all_of(Kind.NUMBER):
            raise _NotSuitable
        if isinstance(node, Reference) and (node.top, node.left) != (node.bottom, node.right):
            raise _NotSuitable
        return self._number(node, frame, depth)

    def _called(self, name: str, arguments: tuple[Node, ...], frame: Frame, depth: int) -> str:
        """A function of numbers that gives a number, called for each turn."""
        function = functions().get(name)
        if function is None or function.mode is not Mode.ELEMENTWISE or not function.takes(len(arguments)):
            raise _NotSuitable
        if any(parameter.kind != "number" or parameter.repeats for parameter in function.parameters):
            raise _NotSuitable
        given = [_sound(self._number(argument, frame, depth + 1)) for argument in arguments]
        key = f"f{next(self._names)}"
        self.fixed[key] = singly(function, len(given))
        return f"{key}({', '.join(given)})"

    def _condition(self, node: Node, frame: Frame, depth: int) -> str:
        """A node as Python text that gives yes or no. Raises _Unsuited."""
        if depth > _DEEPEST:
            raise _NotSuitable
        if self.outside(node, frame):
            return self._once(node, frame, self._flags_outside)
        match node:
            case Binary(sign="=" | "<>" | "<" | "<=" | ">" | ">=" as sign, left=left, right=right):
                sides = [_sound(self._compared(item, frame, depth + 1)) for item in (left, right)]
                return f"{_COMPARED[sign]}({sides[0]}, {sides[1]})"
            case Call(function="AND" | "OR" as name, arguments=arguments) if arguments:
                parts = [self._condition(item, frame, depth + 1) for item in arguments]
                return f"({f' {name.lower()} '.join(parts)})"
            case Call(function="NOT", arguments=(argument,)):
                return f"(not {self._condition(argument, frame, depth + 1)})"
        raise _NotSuitable

    def _compared(self, node: Node, frame: Frame, depth: int) -> str:
        """One side of a comparison: texts and blanks have an order of their own, so that both must be numbers."""
        if self.outside(node, frame) and not evaluate_column(node, frame).all_of(Kind.NUMBER):
            raise _NotSuitable
        self.minds_blanks = True
        return self._number(node, frame, depth)

    def _once(self, node: Node, frame: Frame, work: Callable[[Node, Frame], str]) -> str:
        """What is written more than once in a formula is read once."""
        key = (frame.column, node, work == self._flags_outside)
        if key not in self._known:
            self._known[key] = work(node, frame)
        return self._known[key]

    def _flags_outside(self, node: Node, frame: Frame) -> str:
        flags, faults = logicals(evaluate_column(node, frame))
        if faults is not None:
            raise _NotSuitable
        return self._stream(flags)

    def _numbers_outside(self, node: Node, frame: Frame) -> str:
        if isinstance(node, Missing):
            raise _NotSuitable
        if isinstance(node, Literal) and isinstance(node.value, float):
            key = f"c{next(self._names)}"
            self.fixed[key] = node.value
            return key
        column = evaluate_column(node, frame)
        if (column.kinds > Kind.NUMBER).any():
            raise _NotSuitable
        values, _ = numbers(column)
        if (values == values[0]).all():
            key = f"c{next(self._names)}"
            self.fixed[key] = float(values[0])
            return key
        return self._stream(values)

    def _stream(self, values: Floats | Booleans) -> str:
        key = f"s{next(self._names)}"
        self.streams[key] = values
        return key

    def _in_ring(self, node: Reference, frame: Frame) -> str:
        """A cell of the ring: of this turn, or of one before."""
        if (node.top, node.left) != (node.bottom, node.right) or node.top.fixed:
            raise _NotSuitable
        column = node.left.at(frame.column)
        if column not in self.ring:
            raise _NotSuitable
        offset = node.top.number
        if offset == 0:
            self.own_row[self._reading].add(column)
            return f"v{column}"
        if abs(offset) > 50:
            raise _NotSuitable
        self.offsets.add(offset)
        return self._before(column, abs(offset))


def _plain_values(values: Floats | Booleans) -> array[float] | bytes:
    """Values as plain Python takes them fastest, one by one."""
    if values.dtype == np.bool_:
        return values.tobytes()
    taken = array("d")
    taken.frombytes(np.ascontiguousarray(values).tobytes())
    return taken


def _sound(text: str) -> str:
    """A text whose value must be in range where it is not seen in the result."""
    return f"sound({text})" if "*" in text or "/" in text else text


def _in_range(value: float) -> float:
    if not isfinite(value):
        raise _NotSuitable
    return value


def _equal(a: float, b: float) -> bool:
    return a == b or same_to_15_digits(a, b)


_COMPARED = {"=": "equal", "<>": "unlike", "<": "below", "<=": "not above", ">": "above", ">=": "not below"}
_COMPARED = {sign: name.replace(" ", "_") for sign, name in _COMPARED.items()}
_HELPERS: dict[str, Any] = {
    "sound": _in_range,
    "equal": _equal,
    "unlike": lambda a, b: not _equal(a, b),
    "below": lambda a, b: a < b and not same_to_15_digits(a, b),
    "above": lambda a, b: a > b and not same_to_15_digits(a, b),
    "not_above": lambda a, b: a <= b or same_to_15_digits(a, b),
    "not_below": lambda a, b: a >= b or same_to_15_digits(a, b),
    "__builtins__": {"zip": zip, "range": range, "min": min, "max": max},
}
