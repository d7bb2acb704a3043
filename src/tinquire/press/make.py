"""A run made in memory: everything or nothing. A pack is whole, or there is none."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, time, timedelta
from pathlib import Path

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merged
from tinquire.base.file_names import safe_file_name
from tinquire.cells.values import Value
from tinquire.docket import Docket, Period
from tinquire.docket.house import load_house
from tinquire.docket.schema.workbooks import WorkbookModel
from tinquire.press.compute.compute import Reckoning, reckon, unfilled_fault
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.foresight import foreseen
from tinquire.press.outputs.mails import MadeMail, filled_path, make_mails
from tinquire.press.outputs.output import Made
from tinquire.press.outputs.workbooks import cuts_of, make_workbook
from tinquire.slots.slots import filled_text

__all__ = ["Pack", "make"]


@dataclass
class Pack:
    """All that a run made, not yet written. `warnings` stop nothing."""

    work: Reckoning
    outputs: list[Made] = field(default_factory=list)
    mails: list[MadeMail] = field(default_factory=list)
    out: Path = Path()
    outbox: Path = Path()

    @property
    def warnings(self) -> list[Fault]:
        return self.work.warnings

    @property
    def first_to_open(self) -> Path | None:
        return self.outputs[0].path if self.outputs else None


def make(
    docket: Docket, period: Period, *, now: datetime | None = None, said: Callable[[str], None] = lambda _: None
) -> Pack:
    """Make a period's pack without writing anything.

    `now` dates the mails, and is NOW in workbooks; without it that is eight o'clock (UTC) on the day after the period,
    so that the same sources give the same bytes. Raises: one error with all that is wrong.
    """
    house = load_house(docket.base / docket.model.style if docket.model.style else None)
    work = reckon(docket, period, house, said)
    if work.errors:
        raise merged([*work.errors, *foreseen(work)])
    for gathered in work.sources.values():
        for file in gathered.files:
            file.digest.begin()  # beside the making of workbooks, since only the record needs it
    pack = Pack(work)
    pack.out = docket.base / filled_path(work, docket.model.out, "out")
    pack.outbox = docket.base / filled_path(work, docket.model.outbox, "outbox")
    date = now or datetime.combine(period.last + timedelta(days=1), time(8), tzinfo=UTC)
    errors: list[TinQuireError] = []
    _make_workbooks(pack, errors, date, said)
    _make_mails(pack, errors, date, said)
    errors += _collisions(pack)
    if errors:
        raise merged(errors)
    return pack


def _make_workbooks(pack: Pack, errors: list[TinQuireError], date: datetime, said: Callable[[str], None]) -> None:
    work = pack.work
    for name, model in work.docket.model.workbooks.items():
        said(f"making {name}")
        try:
            for scope, cut in cuts_of(work, name, model):
                pack.outputs.append(_made(pack, name, model, scope, date, cut))
        except TinQuireError as error:
            errors.append(error)


def _made(
    pack: Pack, name: str, model: WorkbookModel, scope: SlotScope, date: datetime, cut: tuple[str, Value] | None
) -> Made:
    """One file of a workbook of the docket. Raises one error with all that is wrong."""
    work = pack.work
    file, unfilled = filled_text(model.name, scope.resolve)
    if unfilled:
        where = work.docket.where("workbooks", name, "name")
        raise UseError(*(unfilled_fault(one, f"naming workbook '{name}'", where) for one in unfilled))
    book, sourced = make_workbook(work, name, model, scope, date, cut)
    formulas = sum(sheet.formula_count() for sheet in book.sheets())
    says = f"{len(book.entries)} sheets, {formulas:,} formulas"
    return Made(name, pack.out / safe_file_name(file), book.to_bytes(), says, tuple(sourced), cut)


def _make_mails(pack: Pack, errors: list[TinQuireError], date: datetime, said: Callable[[str], None]) -> None:
    work = pack.work
    # Outputs that failed are known by name, so that a mail does not call them missing as well.
    files: dict[str, list[Made]] = {name: [] for name in work.docket.model.workbooks}
    for output in pack.outputs:
        files[output.name].append(output)
    for name, model in work.docket.model.mails.items():
        said(f"writing mails {name}")
        try:
            pack.mails += make_mails(work, name, model, files, date)
        except TinQuireError as error:
            errors.append(error)


def _collisions(pack: Pack) -> list[TinQuireError]:
    """Outputs with one name, or with the name of an input."""
    base = pack.work.docket.base
    inputs = {file.path.resolve() for gathered in pack.work.sources.values() for file in gathered.files}
    inputs |= {
        (base / model.template).resolve() for model in pack.work.docket.model.workbooks.values() if model.template
    }
    errors: list[TinQuireError] = []
    seen: dict[str, str] = {}
    for output in pack.outputs:
        where = pack.work.docket.where("workbooks", output.name, "name")
        key = str(output.path.resolve()).casefold()
        if output.path.resolve() in inputs:
            why = f"'{output.path.name}' would be written over one of its own inputs"
            errors.append(UseError(Fault(f"workbook '{output.name}'", why, where, "give it another name or folder")))
        if key in seen:
            why = f"'{output.path.name}' is the name of workbook '{seen[key]}' too"
            errors.append(UseError(Fault(f"workbook '{output.name}'", why, where, "give it another name")))
        seen[key] = output.name
    names: set[str] = set()
    for mail in pack.mails:
        if mail.file.casefold() in names:
            fault = Fault("writing mails", f"two mails would be written to '{mail.file}'", do="rename one of them")
            errors.append(DataError(fault))
        names.add(mail.file.casefold())
    return errors
