"""The rows that repeat an output: for each its slots, with its own rows of other tables, and the piece it becomes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Protocol

from tinquire.base.faults import TinQuireError, merge_errors
from tinquire.cells.values import Value
from tinquire.docket.schema.own import OwnModel
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.output import Making, Piece
from tinquire.press.outputs.own_rows import OwnTables, require_key
from tinquire.press.outputs.paths import output_path
from tinquire.press.record.kept import key_of

__all__ = ["EachRow", "row_pieces"]


class Repeated(Protocol):
    """What the docket says of an output that rows repeat."""

    @property
    def each(self) -> str | None: ...
    @property
    def key(self) -> str | None: ...
    @property
    def own(self) -> Mapping[str, OwnModel]: ...


class EachRow:
    """The rows of the table that repeats an output, or the output itself where nothing does: then the row is None."""

    def __init__(self, results: Results, model: Repeated, stopped: str, where: str) -> None:
        """Raises UseError for a key and own rows that are not there, DataError when no row has any."""
        self._results, self._key, self._where = results, model.key, where
        self.table = None if model.each is None else results.tables[model.each]
        self._own: OwnTables | None = None
        if self.table is not None:
            require_key(model.key, self.table, stopped, where)
            self._own = OwnTables(results, self.table, model.own, stopped, where)

    def all(self) -> Iterator[int | None]:
        if self.table is None:
            yield None
        else:
            yield from range(self.table.height)

    def scope(self, row: int | None) -> SlotScope:
        """The slots of a row, with its own rows."""
        if self.table is None or row is None or self._own is None:
            return self._slots
        return self._own.over(self._slots.at(self.table, row))

    @cached_property
    def _slots(self) -> SlotScope:
        """The slots that all rows share: one object, by which what they mean is known again."""
        return self._results.slots()

    def where(self, row: int | None) -> str:
        """The row's place in its file, for messages."""
        return self._where if self.table is None or row is None else self.table.where(row)

    def cut(self, row: int | None) -> tuple[str, Value] | None:
        """The column and value by which a mail knows that a row's files are its own."""
        if self.table is None or row is None or self._key is None:
            return None
        return self._key, self.table.column(self._key)[row]


def row_pieces(
    making: Making, name: str, rows: EachRow, pattern: str, stopped: str, key: str
) -> Iterator[Piece]:  # fmt: skip
    """A piece for each row, at the path that the docket's pattern gives. `key` is of what they all share. Raises one
    error with all that is wrong."""
    errors: list[TinQuireError] = []
    for row in rows.all():
        try:
            path = output_path(making.out, pattern, rows.scope(row), stopped, rows.where(row))
        except TinQuireError as error:
            errors.append(error)
            continue
        place = row or 0
        yield Piece(name=name, place=place, path=path, key=key_of(key, place), cut=rows.cut(row), row=row)
    if errors:
        raise merge_errors(errors)
