"""The columns of a file as a source would read them, with the types that their values have."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import TinQuireError
from tinquire.base.wording import counted
from tinquire.cli.support.rows import PLAIN
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.cells.values import Value
    from tinquire.sources import SourceSpec

__all__ = ["tell_columns"]

_HEADINGS = ["column", "type", "filled", "blank", "different", "from", "to", "first"]
#: A longer value is cut here; the whole of it is in the file.
_LONGEST = 24


def tell_columns(path: Path, sheets: Sequence[str], terminal: Terminal) -> list[dict[str, Any]]:
    """Tell the columns of each sheet, or of a file that has none, and give them for programs. A sheet that is no table
    is told as such; raises what stops the only one."""
    from tinquire.sources import SourceSpec

    answers: list[dict[str, Any]] = []
    names: Sequence[str | None] = sheets or [None]
    for sheet in names:
        spec = SourceSpec("columns", Path(), paths=[path], sheet=sheet, infer=True, same_file="keep")
        try:
            answers.append(_tell(spec, sheet, terminal))
        except TinQuireError as error:
            if len(sheets) < 2:
                raise
            terminal.heading(str(sheet))
            terminal.line("is", f"no table: {error.faults[0].why}")
            answers.append({"sheet": sheet, "why": error.faults[0].why})
    return answers


def _tell(spec: SourceSpec, sheet: str | None, terminal: Terminal) -> dict[str, Any]:
    from tinquire.sources import gather
    from tinquire.tables.column_facts import column_facts

    gathered = gather(spec)
    table, notes = gathered.table, gathered.files[0].notes
    facts = list(column_facts(table))
    if sheet is not None:
        terminal.heading(sheet)
    rows = [
        [fact.heading, fact.type, f"{fact.filled:,}", f"{fact.blank:,}", f"{fact.different:,}"]
        + [_displayed(value, fact.type) for value in (fact.smallest, fact.largest, fact.first)]
        for fact in facts
    ]
    terminal.table(_HEADINGS, rows, right=[2, 3, 4])
    for number, note in enumerate([counted(table.height, "row"), *map(str, notes)]):
        terminal.line("read" if number == 0 else "", note)
    terminal.plain()
    columns = [
        {
            "column": fact.heading, "type": fact.type, "filled": fact.filled, "blank": fact.blank,
            "different": fact.different, "from": fact.smallest, "to": fact.largest, "first": fact.first,
        }
        for fact in facts
    ]  # fmt: skip
    return {"sheet": sheet, "rows": table.height, "columns": columns, "notes": list(map(str, notes))}


def _displayed(value: Value, kind: str) -> str:
    from tinquire.cells.display import show
    from tinquire.looks import House

    text = " ".join(show(value, House(formats=PLAIN).number_format(kind)).text.split())
    return text if len(text) <= _LONGEST else text[: _LONGEST - 1] + "…"
