"""A sheet's pages: what a house and a docket ask for, as the sheet states it (ECMA-376 Part 1, 18.3.1.62 to .64)."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.layout.plans import BlockPlan, SheetPlan
from tinquire.looks.pages import PAPERS
from tinquire.tables import Table
from tinquire.workbook import Sheet
from tinquire.workbook.grid.page_setup import PageSetup

__all__ = ["break_rows", "page_setup", "set_pages"]

_INCH = 25.4
#: Pages where neither house nor docket says otherwise: the whole width on one, the sheet's name and page number below.
_USUAL = PageSetup(paper=PAPERS["A4"], fit=(1, 0), margins=(0.5, 0.5, 0.6, 0.6, 0.3, 0.3), footer="&L&A&R&P / &N")
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
    sheet.landscape = plan.landscape if asked.landscape is None else asked.landscape
    sheet.repeat_columns = asked.repeat_columns or 0
    sheet.zoom, sheet.tab = plan.zoom, plan.tab
    sheet.state = "veryHidden" if plan.hidden == "deep" else "hidden" if plan.hidden else "visible"
    sheet.protected = plan.protect
    sheet.page = page_setup(plan, row_breaks, _USUAL)


def page_setup(plan: SheetPlan, row_breaks: Sequence[int], before: PageSetup) -> PageSetup:
    """The pages of a plan; what it does not say is as it was before. Raises UseError as `set_pages`."""
    asked = plan.page
    margins = [millimetres / _INCH for millimetres in asked.margins or ()]
    fit = before.fit if asked.fit is None else (asked.fit[0], asked.fit[1])
    centred = before.centred
    if asked.centre is not None:
        centred = (asked.centre in ("across", "both"), asked.centre in ("down", "both"))
    orientation = before.orientation
    if asked.landscape is not None:
        orientation = "landscape" if asked.landscape else "portrait"
    return replace(
        before,
        orientation=orientation,
        paper=before.paper if asked.paper is None else PAPERS[asked.paper],
        scale=before.scale if asked.scale is None else asked.scale,
        fit=None if asked.scale is not None else fit,
        margins=(*margins, *(before.margins or _USUAL.margins)[len(margins) :]),
        header=before.header if asked.header is None else _in_parts("header", asked.header, plan),
        footer=before.footer if asked.footer is None else _in_parts("footer", asked.footer, plan),
        row_breaks=tuple(row_breaks) or before.row_breaks,
        centred=centred,
        gridlines=before.gridlines if asked.grid_lines is None else asked.grid_lines,
        across_first=before.across_first if asked.order is None else asked.order == "across first",
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
