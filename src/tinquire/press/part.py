"""The part of a pack that a run is asked to make anew: outputs by name, or what belongs to rows of a list."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.display import texts_in
from tinquire.docket.schema.letters import LetterModel
from tinquire.docket.schema.prints import PrintModel
from tinquire.docket.schema.workbooks import WorkbookModel
from tinquire.press.compute.results import Results
from tinquire.press.outputs.kinds import OUTPUTS
from tinquire.press.outputs.output import Making, Piece
from tinquire.tables import Table

__all__ = ["WHOLE", "Part"]


@dataclass(frozen=True)
class Part:
    """Outputs by their names, none for all; and a heading with a value that the rows of `each` must have there."""

    names: tuple[str, ...] = ()
    row: tuple[str, str] | None = None

    @classmethod
    def of(cls, names: Sequence[str], row: str | None) -> Part:
        """From words such as `Number=1042`. Raises UseError for what is not of that form."""
        if row is None:
            return cls(tuple(names))
        heading, mark, value = row.partition("=")
        if not mark or not heading.strip():
            why = f"'{row}' does not name a column and a value"
            raise UseError(Fault("choosing rows", why, "--each-only", 'write it like "Number=1042"'))
        return cls(tuple(names), (heading.strip(), value.strip()))

    @property
    def is_some(self) -> bool:
        """Whether it is not all."""
        return bool(self.names or self.row)

    def require_known(self, results: Results) -> None:
        """Raises UseError for outputs and columns that are not there, DataError when no row has the value."""
        known = [name for kind in OUTPUTS if kind.attachable for name in getattr(results.docket.model, kind.part)]
        for name in self.names:
            if name not in known:
                why = f"there is no output '{name}': {known_names(name, known)}"
                raise UseError(Fault("choosing outputs", why, "--only", "name one of these"))
        if self.row is None:
            return
        heading, value = self.row
        every = [_model_of(results, name).each for name in known if not self.names or name in self.names]
        tables = [results.tables[each] for each in dict.fromkeys(every) if each is not None]
        having = [table for table in tables if table.index_of(heading) is not None]
        if not having:
            headings = list(dict.fromkeys(one for table in tables for one in table.headings))
            why = f"no list that repeats an output has a column '{heading}': {known_names(heading, headings)}"
            raise UseError(Fault("choosing rows", why, "--each-only", "name one of these"))
        if not any(_rows(results, table, heading, value) for table in having):
            names = ", ".join(f"'{table.name}'" for table in having)
            why = f"no row of {names} has '{value}' in its column '{heading}'"
            raise DataError(Fault("choosing rows", why, "--each-only", "compare it with the list"))

    def has(self, making: Making, piece: Piece) -> bool:
        """Whether a piece belongs to it, or is needed for what does."""
        return not self.is_some or self._asks_for(making, piece) or self._needs(making.results, piece)

    def _asks_for(self, making: Making, piece: Piece) -> bool:
        results = making.results
        if self.names and piece.name not in self.names:
            return False
        if self.row is None:
            return True
        each = _model_of(results, piece.name).each
        if each is None or piece.row is None:
            return False
        heading, value = self.row
        rows = making.prepared("rows", each, lambda: _rows(results, results.tables[each], heading, value))
        return piece.row in rows

    def _needs(self, results: Results, piece: Piece) -> bool:
        """Whether an output that is asked for is made from it."""
        for other in OUTPUTS:
            for name in getattr(results.docket.model, other.part):
                if piece.name in other.needs(results, name) and (not self.names or name in self.names):
                    return True
        return False


def _model_of(results: Results, name: str) -> WorkbookModel | LetterModel | PrintModel:
    model = results.docket.model
    kinds: tuple[Mapping[str, WorkbookModel | LetterModel | PrintModel], ...]
    kinds = (model.workbooks, model.letters, model.prints)
    return next(kind[name] for kind in kinds if name in kind)


def _rows(results: Results, table: Table, heading: str, value: str) -> set[int]:
    """The rows that show a value in a column, as a list shows it or as it is."""
    index = table.index_of(heading)
    if index is None:
        return set()
    text = texts_in(results.house.language)
    code = results.house.number_format(table.fields[index].type or "") if table.fields[index].type else "General"
    wanted = value.casefold()
    return {
        row
        for row, held in enumerate(table.columns[index].to_list())
        if wanted in (text(held, "General").casefold(), text(held, code).casefold())
    }


WHOLE = Part()
