"""What slots mean in a run: names of the run, columns of the current row, and formulas over both."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from tinquire.base.faults import Fault, TinQuireError, UseError
from tinquire.base.wording import known_names
from tinquire.cells.values import Value
from tinquire.formula.engine.conversions import text_of
from tinquire.formula.language.tree import Name, TableReference
from tinquire.looks import House
from tinquire.slots.slots import FilledSlot, Slot, UnfilledSlot, cut_text, fill_text, slot_name
from tinquire.tables import Table
from tinquire.tables.scope import TableScope, read_formula, scalar_value, table_values

__all__ = ["SlotScope", "differ", "unfilled_fault"]


@dataclass(frozen=True)
class SlotScope:
    """The names a slot may use, the tables its formulas may read, and the row of a table, if one is at hand.

    `types` gives the column type of named values, whose house format texts use.
    """

    house: House
    names: Mapping[str, Value]
    types: Mapping[str, str] = field(default_factory=dict)
    tables: Mapping[str, Table] = field(default_factory=dict)
    row: Table | None = None

    def at(self, table: Table, row: int) -> SlotScope:
        """The scope with one row of a table at hand."""
        fresh = replace(self, row=table.take(np.array([row])))
        fresh.__dict__["_by_name"] = self._by_name  # they have the same names
        return fresh

    def also(self, names: Mapping[str, Value]) -> SlotScope:
        """The scope with more names, which hide others of the same name."""
        return replace(self, names={**self.names, **names})

    @cached_property
    def _by_name(self) -> dict[str, str]:
        """Names by how slots spell them; of two that are spelled alike the first."""
        return {slot_name(name): name for name in reversed(list(self.names))}

    def named(self, slot: Slot) -> str | None:
        """The name that a slot spells, if there is one."""
        return self._by_name.get(slot_name(slot.inside))

    def code(self, slot: Slot, kind: str | None) -> str:
        """The format in which a slot shows a value of a column type."""
        if slot.format and not slot.word:
            return self.format_of(slot.format)
        return self.house.number_format(kind) if kind and kind != "text" else "General"

    def format_of(self, text: str) -> str:
        """The number format that the text after `as` means: that of a column type, or the text itself."""
        return self.house.code(text)

    def filled(self, text: str, stopped: str, where: str) -> str:
        """A text with its slots filled. Raises UseError, with what nothing fills."""
        result, unfilled = fill_text(text, self.resolve)
        if unfilled:
            raise UseError(*(unfilled_fault(item, stopped, where) for item in unfilled))
        return result

    def resolve(self, slot: Slot) -> FilledSlot | UnfilledSlot:
        """A slot's value and the format in which texts show it."""
        found = self._value(slot)
        if isinstance(found, UnfilledSlot):
            return found
        value, kind = found
        if slot.cuts:
            text = cut_text(str(text_of(value)), slot)
            if text is None:
                return UnfilledSlot(slot, f"'{text_of(value)}' does not hold '{slot.cuts[-1][1]}'")
            value, kind = text, "text"
        return FilledSlot(value, self.code(slot, kind), self.house.language)

    def _value(self, slot: Slot) -> tuple[Value, str | None] | UnfilledSlot:
        named = self.named(slot)
        index = None if self.row is None else self.row.index_of(slot.inside)
        if self.row is not None and index is not None:
            own, one = self.row.columns[index][0], self.row.fields[index]
            if named is not None and differ(self.names[named], own):
                why = f"'{named}' is a name of the run, and '{one.name}' is a column of the row, with another value"
                return UnfilledSlot(slot, why, f"write [:[{one.name}]:] for the row's own, or rename one of them")
            return own, one.type
        if named is not None:
            return self.names[named], self.types.get(named)
        return self._formula(slot)

    def _formula(self, slot: Slot) -> tuple[Value, str | None] | UnfilledSlot:
        plain = {slot_name(name): value for name, value in self.names.items() if "." not in name}
        scope = TableScope(self.tables, plain, self.row)
        try:
            tree = read_formula(slot.inside, scope, "a slot")
            if isinstance(tree, Name) and scope.find_table(tree.name) is not None:
                return UnfilledSlot(slot, f"'{slot.inside}' is a table; a slot needs one value")
            if self.row is None:
                return scalar_value(tree, scope), None
            value = table_values(tree, scope, self.row)[0]
            column = isinstance(tree, TableReference) and tree.table is None and tree.first == tree.last
            return value, self.row.field(tree.first or "").type if column and isinstance(tree, TableReference) else None
        except UseError as error:
            if all(character.isalnum() or character in " _." for character in slot.inside):
                return UnfilledSlot(
                    slot, f"there is no name '{slot.inside}': {known_names(slot.inside, self._known())}"
                )
            return UnfilledSlot(slot, error.faults[0].why)
        except TinQuireError as error:
            return UnfilledSlot(slot, error.faults[0].why)

    def _known(self) -> list[str]:
        """What a slot might have meant: the row's columns and the run's own names; the period's come last."""
        own = [name for name in self.names if not name.startswith("period")]
        return [*(self.row.headings if self.row else ()), *own, *(name for name in self.names if name not in own)]


def differ(a: Value, b: Value) -> bool:
    return type(a) is not type(b) or a != b


def unfilled_fault(unfilled: UnfilledSlot, stopped: str, where: str) -> Fault:
    """What to say of a slot that nothing fills."""
    why = f"no value for {unfilled.slot.written}: {unfilled.why}"
    return Fault(stopped, why, where, unfilled.do or "fix the slot's name, or add a figure of that name")
