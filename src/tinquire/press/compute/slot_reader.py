"""The same slots read in scope after scope: what they name is looked up once, and only values are fetched."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from tinquire.cells.display import texts_in
from tinquire.cells.values import CellError, Value
from tinquire.press.compute.slot_scope import SlotScope, differ
from tinquire.slots.slots import Slot
from tinquire.tables import Field, Table

__all__ = ["SlotReader"]

#: The name of a run and the column that a slot means, either of which may be missing, and the format of its texts.
_Place: TypeAlias = tuple[str | None, int | None, str]


@dataclass(frozen=True)
class SlotReader:
    """Where slots' values are in all scopes that are like one: of the same house, types of names, names, and columns.

    `places` has None for slots that are to be asked themselves: formulas, and cut or changed texts.
    """

    like: SlotScope
    fields: tuple[Field, ...] | None
    places: tuple[_Place | None, ...]
    text: Callable[[Value, str], str]

    @classmethod
    def of(cls, scope: SlotScope, slots: Sequence[Slot], table: Table | None) -> SlotReader:
        """A reader of slots in a scope's row, or in all rows of a table."""
        columns = scope.row if table is None else table
        places = tuple(_place(scope, slot, columns, whole=table is not None) for slot in slots)
        fields = None if columns is None else columns.fields
        return cls(scope, fields, places, texts_in(scope.house.language))

    def reads(self, scope: SlotScope, columns: Table | None) -> bool:
        """Whether the slots mean the same in another scope, whose columns are those of its row or of a table."""
        return (
            self.like.house is scope.house
            and self.like.types is scope.types
            and self.fields is (None if columns is None else columns.fields)
            and (self.like.names is scope.names or list(self.like.names) == list(scope.names))
        )

    def texts(self, scope: SlotScope) -> list[str | None]:
        """What each slot gives in a scope that this reads; None for those that are to be asked."""
        names, columns, text = scope.names, () if scope.row is None else scope.row.columns, self.text
        found: list[str | None] = []
        for place in self.places:
            if place is None:
                found.append(None)
                continue
            name, index, code = place
            value = names[name] if index is None else columns[index][0]  # type: ignore[index]  # one of them is there
            unclear = index is not None and name is not None and differ(names[name], value)
            found.append(None if unclear or value.__class__ is CellError else text(value, code))
        return found

    def columns(self, table: Table) -> list[list[str] | None]:
        """What each slot gives in all rows of a table whose columns this reads."""
        found: list[list[str] | None] = []
        for place in self.places:
            values = [] if place is None or place[1] is None else table.columns[place[1]].to_list()
            if place is None or CellError in map(type, values):
                found.append(None)
            else:
                text, code = self.text, place[2]
                found.append([text(value, code) for value in values])
        return found


def _place(scope: SlotScope, slot: Slot, columns: Table | None, *, whole: bool) -> _Place | None:
    if slot.cuts or slot.word or slot.unclosed:
        return None
    name = scope.named(slot)
    index = None if columns is None else columns.index_of(slot.inside)
    if (name is None and index is None) or (whole and (name is not None or index is None)):
        return None
    kind = scope.types.get(name or "") if index is None or columns is None else columns.fields[index].type
    return name, index, scope.code(slot, kind)
