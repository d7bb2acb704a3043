"""Letters of a run: word-processing documents filled, once or for each row of a table with its own rows of others."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import overload

from tinquire.base.faults import AccessError, DataError, Fault, TinQuireError
from tinquire.base.noted_reads import note_read
from tinquire.base.wording import counted
from tinquire.charts.chart import Chart
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.letters import LetterModel
from tinquire.document import Letter
from tinquire.document.filling import Filled, Scope
from tinquire.document.forms import Forms, SlotGroup
from tinquire.document.laid_tables import LaidTable
from tinquire.pages.laid_before import LaidBefore
from tinquire.pages.letter_pages import lay_out_letter
from tinquire.pages.pdf import pdf_of
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_reader import SlotReader
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.each_row import EachRow, row_pieces
from tinquire.press.outputs.letter_tables import laid_table
from tinquire.press.outputs.output import Made, Making, OutputKind, Piece
from tinquire.press.outputs.own_rows import error_of_row
from tinquire.press.outputs.template_pictures import chart_of_results, picture_source
from tinquire.press.record.kept import key_of
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

    def texts(self, group: SlotGroup) -> Sequence[str | None]:
        """The texts of slots; None for those that are to be resolved."""
        reader = group.known
        if not isinstance(reader, SlotReader) or not reader.reads(self.slots, self.slots.row):
            slots = group.slots if self._own is None else [_own_slot(slot, self._own) for slot in group.slots]
            group.known = reader = SlotReader.of(self.slots, slots, None)
        return reader.texts(self.slots)

    def columns(self, group: SlotGroup, table: str) -> Sequence[Sequence[str] | None]:
        """The texts of slots in all rows of a table; None for those that each row is to be asked for."""
        rows = self.rows(table)
        return rows.columns(group) if isinstance(rows, _Rows) else [None] * len(group.slots)

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

    def columns(self, group: SlotGroup) -> Sequence[Sequence[str] | None]:
        """What slots that name columns give in all rows."""
        reader = group.known
        if not isinstance(reader, SlotReader) or not reader.reads(self._slots, self._table):
            slots = [_own_slot(slot, self._name) for slot in group.slots]
            group.known = reader = SlotReader.of(self._slots, slots, self._table)
        return reader.columns(self._table)


@lru_cache(maxsize=4096)
def _own_slot(slot: Slot, table: str) -> Slot:
    """A slot without the name of the table before its column."""
    match = re.match(rf"\s*{re.escape(table)}\s*\.\s*", slot.inside, re.IGNORECASE)
    return slot if match is None else replace(slot, inside=slot.inside[match.end() :])


@dataclass(frozen=True)
class _Ready:
    """What all letters of one name share: the template, what makes them of it, and the rows that repeat them."""

    template: Path
    content: bytes
    forms: Forms
    rows: EachRow
    laid: LaidBefore = field(default_factory=LaidBefore)


def _ready(making: Making, name: str) -> _Ready:
    """Raises UseError, DataError and AccessError for what is wrong with all of them."""
    results = making.results
    model = results.docket.model.letters[name]
    template = _template(results, model, name)
    content = template.read_bytes()
    forms = Forms(Letter.from_bytes(content, template.name), model.pictures)
    rows = EachRow(results, model, f"letter '{name}'", results.docket.where("letters", name))
    return _Ready(template, content, forms, rows)


def plan_letters(making: Making, name: str) -> Iterator[Piece]:
    """The pieces of one letter of the docket. Raises one error with all that is wrong."""
    model = making.results.docket.model.letters[name]
    ready = making.prepared("letters", name, lambda: _ready(making, name))
    key = key_of(making.stamp, "letters", name, model.model_dump_json(), hashlib.sha256(ready.content).hexdigest())
    yield from row_pieces(making, name, ready.rows, model.name, f"naming letter '{name}'", key)


def make_letter(making: Making, piece: Piece) -> Iterator[Made]:
    """The files of one letter: the document, and its pages."""
    name, cut = piece.name, piece.cut
    stopped = f"letter '{name}'"
    results = making.results
    model = results.docket.model.letters[name]
    ready = making.prepared("letters", name, lambda: _ready(making, name))
    note_read(ready.template, ready.content)
    forms, scope, place = ready.forms, ready.rows.scope(piece.row), ready.rows.where(piece.row)
    try:

        def laid(name: str, own: SlotScope) -> LaidTable | str | None:
            return laid_table(results, name, own, making.moment, place)

        def charts(asked: ChartModel) -> Chart:
            return chart_of_results(results, asked, scope, () if cut is None else (cut,), place)

        own = LetterScope(scope, laid=laid)
        letter, done = filled_letter(forms, own, model.pictures, results.docket.base, stopped, place, charts)
    except DataError as error:
        raise (error if cut is None else error_of_row(error, place)) from None
    path = piece.path
    if "docx" in model.to:
        summary = counted(done.slots, "slot")
        yield Made(name=name, path=path, content=letter.to_bytes(), summary=summary, cut=cut, notes=tuple(done.notes))
    if "pdf" in model.to:
        notes: list[str] = []
        pages = lay_out_letter(letter, path.stem, notes.append, ready.laid)
        summary, content = counted(len(pages.pages), "page"), pdf_of(pages, making.moment)
        told = tuple(dict.fromkeys(notes))
        yield Made(name=name, path=path.with_suffix(".pdf"), content=content, summary=summary, cut=cut, notes=told)


def _names(making: Making, name: str) -> Iterator[str]:
    model = making.results.docket.model.letters[name]
    for piece in plan_letters(making, name):
        for form in model.to:
            yield piece.path.with_suffix(f".{form}").relative_to(making.out).as_posix()


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


LETTERS = OutputKind("letters", "letter", "writing {}", plan_letters, make_letter, _foresee, _names, _inputs)
