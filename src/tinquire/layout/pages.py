"""A sheet's pages: what a house and a docket ask for, as the sheet states it (ECMA-376 Part 1, 18.3.1.62 to .64)."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.layout.plans import BlockPlan, SheetPlan
from tinquire.looks.pages import PAPERS
from tinquire.tables import Table
from tinquire.workbook import Sheet
from tinquire.workbook.grid.page_setup import PageSetup

__all__ = ["break_rows", "set_pages"]

_INCH = 25.4
#: Where neither house nor docket says so, margins in millimetres; the last two are those of header and footer.
_MARGINS = (12.7, 12.7, 15.24, 15.24, 7.62, 7.62)
_FOOTER = ("[:sheet:]", "", "[:page:] / [:pages:]")
#: What is known on paper only (18.3.1.46), and what stands for it while slots are filled.
_CODES = {"page": "&P", "pages": "&N", "sheet": "&A"}
_CODE = re.compile(r"\[:\s*(page|pages|sheet)\s*:\]")
#: A header or footer may be so long (18.3.1.39).
_LONGEST = 255
_SIGNS = {name: chr(0xE000 + number) for number, name in enumerate(_CODES)}


def set_pages(sheet: Sheet, plan: SheetPlan, row_breaks: Sequence[int] = ()) -> None:
    """Give a sheet the pages of its plan; pages end after some rows.

    Raises UseError for a header or footer that is too long, and for slots that nothing fills.
    """
    asked = plan.page
    margins = [*(asked.margins or ()), *_MARGINS[len(asked.margins or ()) :]]
    fit = (1, 0) if asked.fit is None else (asked.fit[0], asked.fit[1])
    centre = asked.centre or "no"
    sheet.landscape = plan.landscape if asked.landscape is None else asked.landscape
    sheet.repeat_columns = asked.repeat_columns or 0
    sheet.zoom, sheet.tab = plan.zoom, plan.tab
    sheet.state = "veryHidden" if plan.hidden == "deep" else "hidden" if plan.hidden else "visible"
    sheet.protected = plan.protect
    sheet.page = PageSetup(
        paper=PAPERS[asked.paper or "A4"],
        scale=asked.scale or 100,
        fit=None if asked.scale is not None else fit,
        margins=tuple(millimetres / _INCH for millimetres in margins),
        header=_in_parts("header", asked.header or (), plan),
        footer=_in_parts("footer", _FOOTER if asked.footer is None else asked.footer, plan),
        row_breaks=tuple(row_breaks),
        centred=(centre in ("across", "both"), centre in ("down", "both")),
        gridlines=bool(asked.grid_lines),
        across_first=asked.order == "across first",
    )


def _in_parts(what: str, parts: Sequence[str], plan: SheetPlan) -> str:
    """A header or footer of up to three parts. Raises UseError."""
    text = "".join(
        f"&{sign}{_coded(part, plan.filled)}" for sign, part in zip("LCR", parts, strict=False) if part.strip()
    )
    if len(text) > _LONGEST:
        why = f"the {what} has {len(text)} characters with its codes, and a page holds {_LONGEST}"
        raise UseError(Fault(f"sheet '{plan.name}', page", why, plan.where, "shorten it"))
    return text


def _coded(part: str, filled: Callable[[str], str]) -> str:
    """A part with its slots filled, in the codes of headers and footers: what comes out of a slot is no code."""
    text = filled(_CODE.sub(lambda found: _SIGNS[found[1]], part)).replace("&", "&&")
    for name, sign in _SIGNS.items():
        text = text.replace(sign, _CODES[name])
    return text


def break_rows(table: Table, top: int, plan: BlockPlan) -> list[int]:
    """The rows of a sheet after which a page ends, where the value of the column that the plan names changes; the
    table's rows begin at `top`. Raises UseError for a column that is not there."""
    heading, stopped = plan.breaks, f"{plan.stopped}, page"
    if heading is None:
        return []
    if table.index_of(heading) is None:
        why = f"there is no column '{heading}': {known_names(heading, table.headings)}"
        raise UseError(Fault(stopped, why, plan.where, "name a column that the sheet shows"))
    groups, _ = table.column(heading, stopped).groups()
    rows: list[int] = (np.flatnonzero(np.diff(groups) != 0) + top).tolist()
    return rows
