"""A template filled many times: what is the same each time is done once, and kept."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from contextlib import suppress
from dataclasses import dataclass

from tinquire.workbook.workbook import Workbook

__all__ = ["Prepared", "Template"]

#: Larger workbooks, in bytes as they are packed, are read anew each time: to copy their cells saves little, and fills
#: memory.
_SMALL = 1 << 20
#: So many workbooks with room for rows are kept, of so many cells at most: the files of one list have about the same
#: number of rows.
_KEPT, _CELLS = 16, 20_000


@dataclass(slots=True)
class Prepared:
    """A template to which something was done, and what came of it beside."""

    book: Workbook
    besides: object
    #: What its files are made by once it was used again, as the only item, if they can be.
    again: tuple[object | None] | None = None


class Template:
    """A workbook opened once, of which each file is a copy."""

    def __init__(self, opened: Callable[[], Workbook]) -> None:
        """`opened` opens the workbook, and raises AccessError."""
        self._opened = opened
        self._whole = opened()
        package = self._whole.package
        self._is_small = sum(map(package.packed_size, package.names())) <= _SMALL
        self._prepared: dict[Hashable, Prepared] = {}

    def book(self) -> Workbook:
        """The workbook, to be changed. Raises AccessError."""
        return self._whole.copy() if self._is_small else self._opened()

    def is_untouched(self, book: Workbook) -> bool:
        """Whether a workbook is as it came from here, and small enough to be kept."""
        return book.is_as(self._whole)

    def prepared(self, step: Hashable) -> Prepared | None:
        """A workbook to which a step was done before; who uses it takes a copy."""
        return self._prepared.get(step)

    def keep(self, step: Hashable, book: Workbook, besides: object) -> None:
        """Keep what a step made of the workbook."""
        sheets = list(book.sheets())  # so that copies need not read them
        if sum(len(cells.rows) for sheet in sheets for cells in sheet.columns.values()) > _CELLS:
            return
        for sheet in sheets:
            sheet.formula_count()  # where formulas stand is known to all copies
        while len(self._prepared) >= _KEPT:
            del self._prepared[next(iter(self._prepared))]
        with suppress(ValueError):  # whoever recalculates says what is wrong
            _ = book.iteration
        kept = book.copy()
        kept.worked_out = dict(kept.worked_out)  # what its files share is not what those of another step do
        kept.settle()  # what is written now need not be written with each copy
        self._prepared[step] = Prepared(kept, besides)
