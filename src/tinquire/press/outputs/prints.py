"""Prints of a run: pages of its workbooks, or of other files, once or for each row of a table."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.file_names import safe_file_name
from tinquire.base.wording import counted, known_names
from tinquire.cells.address import parse_area
from tinquire.cells.dates import serial_from_date
from tinquire.cells.values import Value
from tinquire.docket.schema.base import cell_value
from tinquire.docket.schema.prints import PrintModel
from tinquire.looks.papers import PAPER_NAMES, paper_number
from tinquire.pages.document import About
from tinquire.pages.sheet_layout import Asked
from tinquire.pages.variants import PrintPlan, Setting, Variant, faults_of, find_setting
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope, unfilled_fault
from tinquire.press.outputs.output import Made, Making, OutputKind
from tinquire.press.outputs.own_rows import OwnTables, require_key
from tinquire.press.outputs.variants import Finished, VariantJob, made_variants, plain_pages
from tinquire.slots.slots import Slot, UnfilledSlot, split_slots
from tinquire.tables import Table
from tinquire.workbook import Workbook

__all__ = ["PRINTS", "asked_pages", "listed_pairs", "set_values"]


@dataclass(frozen=True)
class _Source:
    """A file to print: its name and bytes, and what it is cut to, of a split workbook."""

    name: str
    data: bytes
    cut: tuple[str, Value] | None = None


def make_prints(making: Making, name: str) -> Iterator[Made]:
    """The files of one print of the docket. Raises one error with all that is wrong."""
    results = making.results
    model = results.docket.model.prints[name]
    stopped, where = f"print '{name}'", results.docket.where("prints", name)
    about = About(author=model.author, language=results.house.language.tag, cover=model.cover, contents=model.contents)
    plan = PrintPlan(tuple(model.sheets), asked_pages(model, stopped, where), about, model.allow_empty)
    form = model.name.rpartition(".")[2].casefold()
    sources = _sources(making, name, model)
    if model.each is None:
        together = not isinstance(model.from_, str)
        for number, source in enumerate(sources):
            if number == 0 or not together:
                yield from _as_it_is(making, name, model, source, sources[1:] if together else (), plan, form)
        return
    if len(sources) != 1:
        why = f"it is made of {counted(len(sources), 'file')}, and variants of one workbook"
        raise UseError(Fault(stopped, why, where, "take a workbook that is not split"))
    source = sources[0]
    table = results.tables[model.each]
    own = OwnTables(results, table, model.own, stopped, where)
    rows = [own.over(results.slots().at(table, row)) for row in range(table.height)]
    variants = _variants(results, name, model, table, source, making, rows)
    files = [_file(model, scope, stopped, where) for scope in rows]
    titles = [_title(model, scope, file, stopped, where) for scope, file in zip(rows, files, strict=True)]
    job = VariantJob(source.data, source.name, plan, making.moment, form, model.dpi, model.for_mail)
    errors: list[TinQuireError] = []
    made: list[Made] = []
    progress = partial(making.progress, f"printing {name}")
    finished = made_variants(job, variants, titles, making.kept, progress, making.processes)
    for place, one in enumerate(finished):
        if one.error is not None:
            errors.append(one.error)
            continue
        cut = None if model.key is None else (model.key, table.column(model.key)[place])
        made += _files(making, name, files[place], one, cut)
    if errors:
        raise merge_errors(errors)
    yield from made


def _as_it_is(
    making: Making, name: str, model: PrintModel, source: _Source, others: Sequence[_Source], plan: PrintPlan,
    form: str,
) -> Iterator[Made]:  # fmt: skip
    """The pages of a workbook without any cell set, and of others after it."""
    results = making.results
    stopped, where = f"print '{name}'", results.docket.where("prints", name)
    scope = results.slots()
    if source.cut is not None:
        scope = scope.also({source.cut[0]: source.cut[1]})
    file = _file(model, scope, stopped, where)
    notes: list[str] = []
    job = VariantJob(source.data, source.name, plan, making.moment, form, model.dpi, model.for_mail)
    more = [(one.name, one.data) for one in others]
    contents = plain_pages(job, more, _title(model, scope, file, stopped, where), notes)
    yield from _files(making, name, file, Finished(contents, tuple(notes)), source.cut)


def _sources(making: Making, name: str, model: PrintModel) -> list[_Source]:
    """The files that a print is made of. Raises UseError for one that is not there."""
    found: list[_Source] = []
    for wanted in model.sources():
        made = making.made.get(wanted)
        if made is not None:
            found += [_Source(one.path.name, one.data, one.cut) for one in made]
            continue
        results = making.results
        path = results.docket.base / wanted
        if not path.is_file():
            raise _missing(results, name, wanted, list(making.made))
        found.append(_Source(path.name, path.read_bytes()))
    return found


def _missing(results: Results, name: str, wanted: str, known: Sequence[str]) -> UseError:
    where = results.docket.where("prints", name, "from")
    why = f"'{wanted}' is neither a workbook of this docket nor a file: {known_names(wanted, known)}"
    return UseError(Fault(f"print '{name}'", why, where, "put the file there, or fix its name"))


def _file(model: PrintModel, scope: SlotScope, stopped: str, where: str) -> str:
    return safe_file_name(scope.filled(model.name, f"naming {stopped}", where))


def _title(model: PrintModel, scope: SlotScope, file: str, stopped: str, where: str) -> str:
    return scope.filled(model.title, f"the title of {stopped}", where) or Path(file).stem


def _files(making: Making, name: str, file: str, one: Finished, cut: tuple[str, Value] | None) -> Iterator[Made]:
    """The files of a variant: of pictures of several pages each with its number."""
    path = making.out / file
    width = len(str(len(one.contents)))
    notes = tuple(note for note in dict.fromkeys(one.notes) if note not in making.told)
    making.told.update(notes)
    for number, content in enumerate(one.contents, start=1):
        several = len(one.contents) > 1
        own = path.with_name(f"{path.stem}-{number:0{width}}{path.suffix}") if several else path
        yield Made(
            name=name, path=own, content=content, summary="a page" if several else path.suffix[1:].upper(), cut=cut,
            notes=notes if number == 1 else (), again=one.again,
        )  # fmt: skip


def asked_pages(model: PrintModel, stopped: str, where: str) -> Asked:
    """What a print asks for in place of what its sheets say. Raises UseError."""
    areas = []
    for text in model.areas:
        try:
            areas.append(parse_area(text.replace("$", "").upper()))
        except ValueError:
            raise UseError(Fault(stopped, f"'{text}' is not an area", where, "write it like A1:H40")) from None
    paper = None
    if model.paper is not None and (paper := paper_number(model.paper)) is None:
        why = f"there is no paper '{model.paper}': {known_names(model.paper, PAPER_NAMES)}"
        raise UseError(Fault(stopped, why, where, "name one of these"))
    return Asked(tuple(areas), paper, model.landscape, model.fit)


# -- the cells of variants -------------------------------------------------------------------------------


def _variants(
    results: Results, name: str, model: PrintModel, table: Table, source: _Source, making: Making,
    scopes: Sequence[SlotScope],
) -> list[Variant]:  # fmt: skip
    """A variant for each row of the list. Raises one error with all that is wrong in it."""
    stopped, where = f"print '{name}'", results.docket.where("prints", name)
    book = Workbook.from_bytes(source.data, source.name)
    require_key(model.key, table, stopped, where)
    usual = model.sheets[0] if len(model.sheets) == 1 else None
    settings: dict[str, Setting] = {}
    errors: list[TinQuireError] = []
    variants: list[Variant] = []
    for row in range(table.height):
        place = table.where(row)
        try:
            if model.pairs is not None:
                given = listed_pairs(table, row, model.pairs, model.separator, stopped, place)
            else:
                given = set_values(model.set, scopes[row], stopped, where)
            values = []
            for written, value in given:
                if written not in settings:
                    settings[written] = find_setting(book, written, usual)
                meant = model.words.get(value) if isinstance(value, str) else None
                values.append((settings[written], value if meant is None else cell_value(meant)))
            variants.append(Variant(place, tuple(values)))
        except TinQuireError as error:
            errors.append(error)
    now = serial_from_date(making.moment.replace(tzinfo=None), book.date_system)
    if faults := list(faults_of(book, variants, now)):
        errors.append(DataError(*faults))
    if errors:
        raise merge_errors(errors)
    return variants


def set_values(
    given: dict[str, str | bool | int | float], scope: SlotScope, stopped: str, where: str
) -> list[tuple[str, Value]]:
    """Cells and their values: one that is a slot alone keeps its type. Raises UseError for slots that nothing fills."""
    found: list[tuple[str, Value]] = []
    for written, raw in given.items():
        if not isinstance(raw, str):
            found.append((written, cell_value(raw)))
            continue
        pieces = [piece for piece in split_slots(raw) if piece != ""]
        if len(pieces) == 1 and isinstance(pieces[0], Slot) and not pieces[0].format:
            filled = scope.resolve(pieces[0])
            if isinstance(filled, UnfilledSlot):
                raise UseError(unfilled_fault(filled, f"{stopped}, cell '{written}'", where))
            found.append((written, filled.value))
        else:
            found.append((written, scope.filled(raw, f"{stopped}, cell '{written}'", where)))
    return found


def listed_pairs(
    table: Table, row: int, columns: tuple[str, str], separator: str, stopped: str, place: str
) -> list[tuple[str, Value]]:
    """Cells and values that stand as lists in two columns. Raises DataError for lists of different lengths."""
    lists: list[list[Value]] = []
    for column in columns:
        if table.index_of(column) is None:
            why = f"'{table.name}' has no column '{column}': {known_names(column, table.headings)}"
            raise UseError(Fault(stopped, why, place, "name one of these in pairs"))
        held = table.column(column)[row]
        lists.append([part.strip() for part in held.split(separator)] if isinstance(held, str) else [held])
    cells = [str(cell) for cell in lists[0] if cell not in ("", None)]
    if len(cells) != len(lists[1]):
        why = f"'{columns[0]}' lists {counted(len(cells), 'cell')}, '{columns[1]}' {counted(len(lists[1]), 'value')}"
        raise DataError(Fault(stopped, why, place, f"put as many on both sides, with '{separator}' between them"))
    return [(cell, _read(value)) for cell, value in zip(cells, lists[1], strict=True)]


def _read(value: Value) -> Value:
    """A value of a list: what is a number with a point, without any mark, is one."""
    if not isinstance(value, str):
        return value
    plain = value.removeprefix("-")
    digits = plain.replace(".", "", 1)
    usual = digits.isascii() and digits.isdigit() and (plain[:1] != "0" or plain == "0" or plain.startswith("0."))
    return float(value) if usual else value


def _foresee(results: Results, attachable: Sequence[str]) -> Iterator[TinQuireError]:
    """Prints of what is neither a workbook nor a file, and of tables that are not there, whatever the data say."""
    model = results.docket.model
    for name, one in model.prints.items():
        for wanted in one.sources():
            if wanted not in model.workbooks and not (results.docket.base / wanted).is_file():
                yield _missing(results, name, wanted, list(model.workbooks))


def _inputs(results: Results) -> Iterator[Path]:
    for one in results.docket.model.prints.values():
        for wanted in one.sources():
            if wanted not in results.docket.model.workbooks:
                yield results.docket.base / wanted


PRINTS = OutputKind("prints", "print", "printing {}", make_prints, _foresee, _inputs)
