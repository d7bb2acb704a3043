"""What is wrong with a run's outputs whatever the data say, for when the data could not be read.

A run that stops at its sources makes no outputs, so their faults would come to light one run later. These can be told
without any rows: templates and attachments that are missing, slots whose names nothing will ever fill.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from tinquire.base.faults import DataError, Fault, TinQuireError, known_names
from tinquire.docket.schema.workbooks import WorkbookModel
from tinquire.press.compute.compute import Reckoning, unfilled_fault
from tinquire.press.outputs.mails import missing_attachment
from tinquire.press.outputs.workbooks import start_workbook
from tinquire.slots.slots import Slot, Unfilled, slot_name, split_slots
from tinquire.workbook.transform.fill_slots import slotted_cells

__all__ = ["foreseen"]

#: A slot's inside that is a name and nothing else; formulas need their tables to be judged.
_NAME = re.compile(r"[\w. ]+\Z")


def foreseen(work: Reckoning) -> list[TinQuireError]:
    """Errors that do not hang on rows."""
    errors: list[TinQuireError] = []
    for name, model in work.docket.model.workbooks.items():
        try:
            errors += _template(work, name, model)
        except TinQuireError as error:
            errors.append(error)
    for name, mail in work.docket.model.mails.items():
        for number, entry in enumerate(mail.attach):
            if (
                entry not in work.docket.model.workbooks
                and "[:" not in entry
                and not (work.docket.base / entry).is_file()
            ):
                errors.append(missing_attachment(work, name, number, entry))
    return errors


def _template(work: Reckoning, name: str, model: WorkbookModel) -> Iterator[TinQuireError]:
    """Slots of a template whose names no figure and nothing of the run has."""
    if model.template is None:
        return
    known = [*work.docket.model.figures, *work.names]
    book = start_workbook(work, name, model)
    for sheet, cell, text in slotted_cells(book):
        for piece in split_slots(text):
            if isinstance(piece, Slot) and _NAME.match(piece.inside) and not _known(piece.inside, known):
                why = f"nothing is called '{piece.inside}': {known_names(piece.inside, known)}"
                place = f"{book.name}, sheet '{sheet}', cell {cell}"
                fault: Fault = unfilled_fault(Unfilled(piece, why), f"filling workbook '{name}'", place)
                yield DataError(fault)


def _known(name: str, names: list[str]) -> bool:
    return slot_name(name) in {slot_name(known) for known in names}
