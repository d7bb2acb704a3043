"""Letters of a run: word-processing documents filled, once or for each row of a table with its own rows of others."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import overload

from tinquire.base.faults import AccessError, DataError, Fault, TinQuireError, merge_errors
from tinquire.base.file_names import safe_file_name
from tinquire.base.wording import counted
from tinquire.cells.values import Value
from tinquire.charts.chart import Chart
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.letters import LetterModel
from tinquire.document import Letter
from tinquire.document.filling import Filled, Scope
from tinquire.document.forms import Forms
from tinquire.document.laid_tables import LaidTable
from tinquire.pages.letter_pages import lay_out_letter
from tinquire.pages.pdf import pdf_of
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.letter_tables import laid_table
from tinquire.press.outputs.output import Made, Making, OutputKind
from tinquire.press.outputs.own_rows import OwnTables, error_of_row, require_key
from tinquire.press.outputs.template_pictures import chart_of_results, picture_source
from tinquire.slots.slots import FilledSlot, Slot, UnfilledSlot, slot_name

__all__ = ["LETTERS", "LetterScope", "filled_letter"]


Laid = Callable[[str, SlotScope], LaidTable | str | None]


class LetterScope:
    """Slots, rows and conditions of a letter, by those of a run; `own` is the table whose row is at hand."""

    def __init__(self, slots: SlotScope, own: str | None = None, laid: Laid | None = None) -> None:
        """`laid` makes a whole table of a name, with what the scope knows."""
        self.slots, self._own, self._laid = slots, own, laid
        self._rows: dict[str, _Rows] = {}

    def resolve(self, slot: Slot) -> FilledSlot | UnfilledSlot:
        return self.slots.resolve(slot if self._own is None else _own_slot(slot, self._own))

    def rows(self, table: str) -> Sequence[Scope] | None:
        wanted = slot_name(table)
        if wanted not in self._rows:
            known = next((name for name in self.slots.tables if slot_name(name) == wanted), None)
            if known is None:
                return None
            self._rows[wanted] = _Rows(self.slots, known, self._laid)
        return self._rows[wanted]

    def texts_of(self, table: str, slot: Slot) -> Sequence[str] | None:
        """The texts of a slot in all rows of a table; None when each row is to be asked."""
        rows = self.rows(table)
        return rows.texts(slot) if isinstance(rows, _Rows) else None

    def laid_table(self, name: str) -> LaidTable | str | None:
        if self._laid is None:
            return "whole tables are put in by a docket"
        return self._laid(name, self.slots)

    def holds(self, condition: str) -> bool | str:
        found = self.resolve(Slot(f"[:only if {condition}:]", condition))
        if isinstance(found, UnfilledSlot):
            return found.why
        return found.value if isinstance(found.value, bool) else "it is no yes or no"


class _Rows(Sequence[Scope]):
    """The rows of a table, each with a scope that is made when it is asked for."""

    def __init__(self, slots: SlotScope, name: str, laid: Laid | None) -> None:
        self._slots, self._name, self._laid = slots, name, laid
        self._table = slots.tables[name]
        self._made: dict[int, Scope] = {}

    def __len__(self) -> int:
        return self._table.height

    @overload
    def __getitem__(self, row: int) -> Scope: ...
    @overload
    def __getitem__(self, row: slice) -> Sequence[Scope]: ...
    def __getitem__(self, row: int | slice) -> Scope | Sequence[Scope]:
        if isinstance(row, slice):
            return [self[one] for one in range(*row.indices(len(self)))]
        if not 0 <= row < len(self):
            raise IndexError(row)
        if row not in self._made:
            self._made[row] = LetterScope(self._slots.at(self._table, row), self._name, self._laid)
        return self._made[row]

    def texts(self, slot: Slot) -> Sequence[str] | None:
        """What a slot that names a column gives in all rows."""
        return self._slots.column_texts(self._table, _own_slot(slot, self._name))


@lru_cache(maxsize=4096)
def _own_slot(slot: Slot, table: str) -> Slot:
    """A slot without the name of the table before its column."""
    match = re.match(rf"\s*{re.escape(table)}\s*\.\s*", slot.inside, re.IGNORECASE)
    return slot if match is None else replace(slot, inside=slot.inside[match.end() :])


def make_letters(making: Making, name: str) -> Iterator[Made]:
    """The files of one letter of the docket. Raises one error with all that is wrong."""
    results = making.results
    model = results.docket.model.letters[name]
    stopped, where = f"letter '{name}'", results.docket.where("letters", name)
    template = _template(results, model, name)
    forms = Forms(Letter.from_bytes(template.read_bytes(), template.name), model.pictures)
    if model.each is None:
        yield from _one(making, name, model, forms, results.slots(), where, None)
        return
    table = results.tables[model.each]
    require_key(model.key, table, stopped, where)
    own = OwnTables(results, table, model.own, stopped, where)
    errors: list[TinQuireError] = []
    made: list[Made] = []
    for row in range(table.height):
        making.progress(f"writing {name}", row + 1, table.height)
        try:
            scope = own.over(results.slots().at(table, row))
            cut = None if model.key is None else (model.key, table.column(model.key)[row])
            made += _one(making, name, model, forms, scope, table.where(row), cut)
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merge_errors(errors)
    yield from made


def _one(
    making: Making, name: str, model: LetterModel, forms: Forms, scope: SlotScope, place: str,
    cut: tuple[str, Value] | None,
) -> Iterator[Made]:  # fmt: skip
    """The files of one letter: the document, and its pages."""
    stopped = f"letter '{name}'"
    results = making.results
    try:

        def laid(name: str, own: SlotScope) -> LaidTable | str | None:
            return laid_table(results, name, own, making.moment, place)

        def charts(asked: ChartModel) -> Chart:
            return chart_of_results(results, asked, scope, () if cut is None else (cut,), place)

        own = LetterScope(scope, laid=laid)
        letter, done = filled_letter(forms, own, model.pictures, results.docket.base, stopped, place, charts)
    except DataError as error:
        raise (error if cut is None else error_of_row(error, place)) from None
    path = making.out / safe_file_name(scope.filled(model.name, f"naming {stopped}", place))
    if "docx" in model.to:
        summary = counted(done.slots, "slot")
        yield Made(name=name, path=path, content=letter.to_bytes(), summary=summary, cut=cut, notes=tuple(done.notes))
    if "pdf" in model.to:
        notes: list[str] = []
        pages = lay_out_letter(letter, path.stem, notes.append)
        told = tuple(note for note in notes if note not in making.told)
        making.told.update(told)
        summary, content = counted(len(pages.pages), "page"), pdf_of(pages, making.moment)
        yield Made(name=name, path=path.with_suffix(".pdf"), content=content, summary=summary, cut=cut, notes=told)


def filled_letter(
    forms: Forms, scope: LetterScope, asked: Mapping[str, str | ChartModel], base: Path, stopped: str, where: str,
    charts: Callable[[ChartModel], Chart] | None = None,
) -> tuple[Letter, Filled]:  # fmt: skip
    """A letter with its slots filled and its pictures replaced. `asked` are files and charts by the slot's name, and
    `charts` makes the latter. Raises one error with all that nothing fills, or with all pictures that cannot be."""
    faults: list[Fault] = []
    source = picture_source(asked, scope.slots, base, stopped, where, charts, faults)
    made = forms.fill(scope, lambda found: source(found.slot, found.place, found.size), stopped)
    if faults:
        raise DataError(*faults)
    return made


def _template(results: Results, model: LetterModel, name: str) -> Path:
    """Raises AccessError for one that is not there."""
    path = results.docket.base / model.template
    if not path.is_file():
        where = results.docket.where("letters", name, "template")
        why = f"there is no file '{model.template}'"
        raise AccessError(Fault(f"letter '{name}'", why, where, "put the template there, or fix its name"))
    return path


def _foresee(results: Results, attachable: Sequence[str]) -> Iterator[TinQuireError]:
    for name, model in results.docket.model.letters.items():
        try:
            _template(results, model, name)
        except TinQuireError as error:
            yield error


def _inputs(results: Results) -> Iterator[Path]:
    return (results.docket.base / model.template for model in results.docket.model.letters.values())


LETTERS = OutputKind("letters", "letter", "writing {}", make_letters, _foresee, _inputs)
