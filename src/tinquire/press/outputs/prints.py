"""Prints of a run: pages of its workbooks, or of other files, once or for each row of a table."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.noted_reads import note_read
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
from tinquire.press.outputs.each_row import EachRow, row_pieces
from tinquire.press.outputs.output import Made, Making, OutputKind, Piece
from tinquire.press.outputs.paths import output_path
from tinquire.press.outputs.variants import VariantDigests, VariantJob, made_variant, plain_pages
from tinquire.press.outputs.workbooks import cuts_of
from tinquire.press.record.kept import key_of
from tinquire.slots.slots import Slot, UnfilledSlot, split_slots
from tinquire.tables import Table
from tinquire.workbook import Workbook

__all__ = ["PRINTS", "asked_pages", "listed_pairs", "set_values"]


@dataclass(frozen=True)
class _Source:
    """A file to print: its name, what gives its bytes, and what it is cut to, of a split workbook."""

    name: str
    content: bytes | Callable[[], Sequence[bytes]]
    cut: tuple[str, Value] | None = None

    @property
    def data(self) -> bytes:
        return self.content if isinstance(self.content, bytes) else b"".join(self.content())


@dataclass(frozen=True)
class _Pages:
    """The task of one piece: files that are printed as they are, or a variant of the only one."""

    sources: tuple[_Source, ...]
    plan: PrintPlan
    title: str
    variant: Variant | None = None


def plan_prints(making: Making, name: str) -> Iterator[Piece]:
    """The pieces of one print of the docket, once the files that it is made of are there. Raises one error with all
    that is wrong."""
    results = making.results
    model = results.docket.model.prints[name]
    stopped, where = f"print '{name}'", results.docket.where("prints", name)
    about = About(author=model.author, language=results.house.language.tag, cover=model.cover, contents=model.contents)
    plan = PrintPlan(tuple(model.sheets), asked_pages(model, stopped, where), about, model.allow_empty)
    sources = _sources(making, name, model)
    if not all(making.made.get(wanted, True) for wanted in model.sources()):
        return  # what it is made of failed, which is said there, or is left out of a part
    if model.each is None:
        groups = [sources] if not isinstance(model.from_, str) else [[source] for source in sources]
        for place, group in enumerate(groups):
            scope = _cut_scope(results.slots(), group[0].cut)
            path = output_path(making.out, model.name, scope, f"naming {stopped}", where)
            task = _Pages(tuple(group), plan, _title(model, scope, path.name, stopped, where))
            as_it_is = Variant("", ())
            of_files = (VariantDigests(_job(making, model, one, plan)).of(as_it_is, task.title) for one in group)
            key = key_of("print", name, path.name, *of_files)
            yield Piece(name=name, place=place, path=path, cut=group[0].cut, key=key, task=task)
        return
    if len(sources) != 1:
        why = f"it is made of {counted(len(sources), 'file')}, and variants of one workbook"
        raise UseError(Fault(stopped, why, where, "take a workbook that is not split"))
    rows = EachRow(results, model, stopped, where)
    variants = _variants(results, name, model, rows, sources[0], making)
    digests = VariantDigests(_job(making, model, sources[0], plan))
    pieces = row_pieces(making, name, rows, model.name, f"naming {stopped}", "")
    for piece, variant in zip(pieces, variants, strict=True):
        title = _title(model, rows.scope(piece.row), piece.path.name, stopped, where)
        key = key_of(digests.of(variant, title), piece.path.name, name)
        yield replace(piece, key=key, task=_Pages((sources[0],), plan, title, variant))


def make_print(making: Making, piece: Piece) -> Iterator[Made]:
    """The files of one piece: of pictures of several pages each with its number."""
    model, task = making.results.docket.model.prints[piece.name], piece.task
    first, *others = task.sources
    if task.variant is None:
        notes: list[str] = []
        more = [(one.name, one.data) for one in others]
        contents = plain_pages(_job(making, model, first, task.plan), more, task.title, notes)
    else:
        # Variants of one workbook share what is read of it once.
        job = making.prepared("prints", piece.name, lambda: _job(making, model, first, task.plan))
        done = made_variant(job, task.variant, task.title)
        if done.error is not None:
            raise done.error
        contents, notes = done.contents, list(done.notes)
    width = len(str(len(contents)))
    for number, content in enumerate(contents, start=1):
        several, path = len(contents) > 1, piece.path
        own = path.with_name(f"{path.stem}-{number:0{width}}{path.suffix}") if several else path
        yield Made(
            name=piece.name, path=own, content=content, summary="a page" if several else path.suffix[1:].upper(),
            cut=piece.cut, notes=tuple(dict.fromkeys(notes)) if number == 1 else (),
        )  # fmt: skip


def _job(making: Making, model: PrintModel, source: _Source, plan: PrintPlan) -> VariantJob:
    form = model.name.rpartition(".")[2].casefold()
    return VariantJob(source.data, source.name, plan, making.moment, form, model.dpi, model.for_mail)


def _cut_scope(scope: SlotScope, cut: tuple[str, Value] | None) -> SlotScope:
    return scope if cut is None else scope.also({cut[0]: cut[1]})


def _names(making: Making, name: str) -> Iterator[str]:
    """The names of the files, as they are before pictures of several pages get numbers."""
    results = making.results
    model = results.docket.model.prints[name]
    stopped, where = f"naming print '{name}'", results.docket.where("prints", name)
    rows = EachRow(results, model, stopped, where)
    scopes = [rows.scope(row) for row in rows.all()]
    split = model.from_ if model.each is None and isinstance(model.from_, str) else ""
    if split in results.docket.model.workbooks:
        cuts = cuts_of(results, split, results.docket.model.workbooks[split])
        scopes = [_cut_scope(results.slots(), cut) for _, cut in cuts]
    for scope in scopes:
        yield output_path(making.out, model.name, scope, stopped, where).relative_to(making.out).as_posix()


def _needs(results: Results, name: str) -> Iterator[str]:
    return (one for one in results.docket.model.prints[name].sources() if one in results.docket.model.workbooks)


def _sources(making: Making, name: str, model: PrintModel) -> list[_Source]:
    """The files that a print is made of. Raises UseError for one that is not there."""
    found: list[_Source] = []
    for wanted in model.sources():
        made = making.made.get(wanted)
        if made is not None:
            found += [_Source(one.path.name, one.content, one.cut) for one in made]
            continue
        results = making.results
        path = results.docket.base / wanted
        if not path.is_file():
            raise _missing(results, name, wanted, list(making.made))
        found.append(_Source(path.name, note_read(path, path.read_bytes())))
    return found


def _missing(results: Results, name: str, wanted: str, known: Sequence[str]) -> UseError:
    where = results.docket.where("prints", name, "from")
    why = f"'{wanted}' is neither a workbook of this docket nor a file: {known_names(wanted, known)}"
    return UseError(Fault(f"print '{name}'", why, where, "put the file there, or fix its name"))


def _title(model: PrintModel, scope: SlotScope, file: str, stopped: str, where: str) -> str:
    return scope.filled(model.title, f"the title of {stopped}", where) or Path(file).stem


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
    results: Results, name: str, model: PrintModel, rows: EachRow, source: _Source, making: Making
) -> list[Variant]:
    """A variant for each row of the list. Raises one error with all that is wrong in it."""
    stopped, where = f"print '{name}'", results.docket.where("prints", name)
    book = Workbook.from_bytes(source.data, source.name)
    table = rows.table
    assert table is not None
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
                given = set_values(model.set, rows.scope(row), stopped, where)
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


PRINTS = OutputKind("prints", "print", "printing {}", plan_prints, make_print, _foresee, _names, _inputs, _needs)
