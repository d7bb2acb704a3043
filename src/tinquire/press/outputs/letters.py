"""Letters of a run: word-processing documents filled, once or for each row of a table with its own rows of others."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from tinquire.base.faults import AccessError, DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.file_names import safe_file_name
from tinquire.base.wording import counted, known_names
from tinquire.cells.values import Value
from tinquire.charts.chart import Chart
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.letters import LetterModel
from tinquire.document import Letter
from tinquire.document.filling import Scope, fill_letter
from tinquire.document.laid_tables import LaidTable
from tinquire.document.pictures import fill_letter_pictures
from tinquire.pages.letter_pages import lay_out_letter
from tinquire.pages.pdf import pdf_of
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.letter_tables import laid_table
from tinquire.press.outputs.output import Made, Making, OutputKind
from tinquire.press.outputs.own_rows import OwnTables
from tinquire.press.outputs.template_pictures import chart_of_results, picture_source
from tinquire.slots.slots import FilledSlot, Slot, UnfilledSlot, slot_name

__all__ = ["LETTERS", "LetterScope", "put_letter_pictures"]


Laid = Callable[[str, SlotScope], LaidTable | str | None]


class LetterScope:
    """Slots, rows and conditions of a letter, by those of a run; `own` is the table whose row is at hand."""

    def __init__(self, slots: SlotScope, own: str | None = None, laid: Laid | None = None) -> None:
        """`laid` makes a whole table of a name, with what the scope knows."""
        self._slots, self._own, self._laid = slots, own, laid
        self._rows: dict[str, list[Scope]] = {}

    def resolve(self, slot: Slot) -> FilledSlot | UnfilledSlot:
        if self._own is not None:
            prefix = re.compile(rf"\s*{re.escape(self._own)}\s*\.\s*", re.IGNORECASE)
            if match := prefix.match(slot.inside):
                slot = replace(slot, inside=slot.inside[match.end() :])
        return self._slots.resolve(slot)

    def rows(self, table: str) -> Sequence[Scope] | None:
        wanted = slot_name(table)
        if wanted not in self._rows:
            known = next((name for name in self._slots.tables if slot_name(name) == wanted), None)
            if known is None:
                return None
            rows = self._slots.tables[known]
            self._rows[wanted] = [
                LetterScope(self._slots.at(rows, row), known, self._laid) for row in range(rows.height)
            ]
        return self._rows[wanted]

    def laid_table(self, name: str) -> LaidTable | str | None:
        if self._laid is None:
            return "whole tables are put in by a docket"
        return self._laid(name, self._slots)

    def holds(self, condition: str) -> bool | str:
        found = self.resolve(Slot(f"[:only if {condition}:]", condition))
        if isinstance(found, UnfilledSlot):
            return found.why
        return found.value if isinstance(found.value, bool) else "it is no yes or no"


def make_letters(making: Making, name: str) -> Iterator[Made]:
    """The files of one letter of the docket. Raises one error with all that is wrong."""
    results = making.results
    model = results.docket.model.letters[name]
    stopped, where = f"letter '{name}'", results.docket.where("letters", name)
    template = _template(results, model, name).read_bytes()
    if model.each is None:
        yield from _one(making, name, model, template, results.slots(), where, None)
        return
    table = results.tables[model.each]
    if model.key is not None and table.index_of(model.key) is None:
        why = f"'{table.name}' has no column '{model.key}': {known_names(model.key, table.headings)}"
        raise UseError(Fault(stopped, why, where, "name one of these in key"))
    own = OwnTables(results, table, model.own, stopped, where)
    errors: list[TinQuireError] = []
    made: list[Made] = []
    for row in range(table.height):
        making.progress(f"writing {name}", row + 1, table.height)
        try:
            scope = own.over(results.slots().at(table, row))
            cut = None if model.key is None else (model.key, table.column(model.key)[row])
            made += _one(making, name, model, template, scope, table.where(row), cut)
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merge_errors(errors)
    yield from made


def _one(
    making: Making, name: str, model: LetterModel, template: bytes, scope: SlotScope, place: str,
    cut: tuple[str, Value] | None,
) -> Iterator[Made]:  # fmt: skip
    """The files of one letter: the document, and its pages."""
    stopped = f"letter '{name}'"
    letter = Letter.from_bytes(template, Path(model.template).name)
    try:
        results = making.results

        def laid(name: str, own: SlotScope) -> LaidTable | str | None:
            return laid_table(results, name, own, making.moment, place)

        done = fill_letter(letter, LetterScope(scope, laid=laid), stopped)

        def charts(asked: ChartModel) -> Chart:
            return chart_of_results(results, asked, scope, () if cut is None else (cut,), place)

        put_letter_pictures(letter, model.pictures, scope, results.docket.base, stopped, place, charts)
    except DataError as error:
        # Which row it was is as much part of the place as where in the letter.
        faults = [replace(fault, where=f"{fault.where}; for {place}") if cut else fault for fault in error.faults]
        raise DataError(*faults) from None
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


def put_letter_pictures(
    letter: Letter, asked: Mapping[str, str | ChartModel], scope: SlotScope, base: Path, stopped: str, where: str,
    charts: Callable[[ChartModel], Chart] | None = None,
) -> None:  # fmt: skip
    """Replace the pictures of a letter that ask for one. `asked` are files and charts by the slot's name, and `charts`
    makes the latter. Raises one error with all that cannot be."""
    faults: list[Fault] = []
    source = picture_source(asked, scope, base, stopped, where, charts, faults)
    fill_letter_pictures(letter, lambda found: source(found.slot, found.place, found.size))
    if faults:
        raise DataError(*faults)


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
