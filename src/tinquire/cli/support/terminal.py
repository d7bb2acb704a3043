"""What the terminal shows: labelled lines, faults in four parts, tables, progress. Streams are read once, here."""

from __future__ import annotations

import json
import os
import shutil
import sys
import textwrap
import time
from collections.abc import Sequence
from typing import Any, TextIO

from tinquire.base.faults import Fault, TinQuireError

__all__ = ["Terminal"]

#: Labels are in a column of their own, as wide as the longest of the four parts of a fault and a gap.
LABEL_WIDTH = 10
_NARROWEST = 50
#: A table's columns are cut to this width where there is no room for all of them, never further.
_NARROWEST_COLUMN = 16
_WIDEST = 110
#: So many pieces must be done before it is told how long the rest takes.
_TELLING = 3
#: SGR parameters of ECMA-48, 8.3.117.
_BOLD, _DIM, _RED, _YELLOW, _RESET = "\x1b[1m", "\x1b[2m", "\x1b[31m", "\x1b[33m", "\x1b[0m"


class Terminal:
    """Standard output for answers, standard error for faults and progress."""

    def __init__(self, *, as_json: bool = False, out: TextIO | None = None, err: TextIO | None = None) -> None:
        self.out = out or sys.stdout
        self.err = err or sys.stderr
        self.as_json = as_json
        self._busy = False
        self._noted: set[str] = set()
        #: Whether a warning or fault was told, from which the next is set apart.
        self._warned = False
        #: What pieces are counted, since when, and how many were done then.
        self._counting: tuple[str, float, int] | None = None
        plain = "NO_COLOR" in os.environ or os.environ.get("TERM") == "dumb"
        self._out_colour = self.out.isatty() and not plain
        self._err_colour = self.err.isatty() and not plain
        columns = shutil.get_terminal_size((_WIDEST, 24)).columns
        #: Columns of the terminal, 0 in a pipe; running text is set narrower.
        self.room = columns if self.out.isatty() else 0
        self.width = max(_NARROWEST, min(columns, _WIDEST)) if self.out.isatty() else 0

    # -- answers ---------------------------------------------------------------------------------------

    def line(self, label: str, text: str = "", hang: int = 0) -> None:
        """A line with a label; a label that is blank goes on with the one above.

        Where the text is broken, what follows is set in by `hang` more.
        """
        self.close()
        if not self.as_json:
            print(self._labelled(label, text, _DIM if self._out_colour else "", hang), file=self.out)

    def plain(self, text: str = "") -> None:
        self.close()
        if not self.as_json:
            print(text, file=self.out)

    def heading(self, text: str) -> None:
        self.plain(f"{_BOLD}{text}{_RESET}" if self._out_colour else text)

    def answer(self, content: Any) -> None:
        """The answer for programs, when it was asked for."""
        if self.as_json:
            json.dump(content, self.out, indent=2, ensure_ascii=False, default=str)
            self.out.write("\n")

    def table(
        self,
        headings: Sequence[str],
        rows: Sequence[Sequence[str]],
        right: Sequence[int] = (),
        strong: Sequence[int] = (),
    ) -> None:
        """A table of texts, set out to the terminal's width; in a pipe nothing is cut. `right` names columns that stand
        on the right, `strong` rows that stand out."""
        if self.as_json:
            return
        self.close()
        from rich.box import SIMPLE_HEAD
        from rich.cells import cell_len
        from rich.console import Console
        from rich.table import Table
        from rich.text import Text

        shown = Table(box=SIMPLE_HEAD, pad_edge=False, show_edge=False, padding=(0, 1), header_style="bold")
        for index, heading in enumerate(headings):
            longest = max((cell_len(cell) for cell in (heading, *(row[index] for row in rows))), default=0)
            shown.add_column(
                heading, justify="right" if index in right else "left", no_wrap=True, overflow="ellipsis",
                min_width=min(longest, _NARROWEST_COLUMN),
            )  # fmt: skip
        for index, row in enumerate(rows):
            shown.add_row(*(Text(cell) for cell in row), style="bold" if index in strong else None)
        width = self.room or 10 + sum(
            3 + max(cell_len(cell) for cell in (heading, *(row[index] for row in rows)))
            for index, heading in enumerate(headings)
        )
        console = Console(
            file=self.out, width=width, no_color=not self._out_colour, highlight=False, legacy_windows=False,
            force_terminal=self._out_colour,
        )  # fmt: skip
        console.print(shown)

    # -- faults ----------------------------------------------------------------------------------------

    def error(self, error: TinQuireError) -> None:
        """All faults of an error; in JSON too when answers are."""
        self.close()
        if self.as_json:
            faults = [fault.as_dict() for fault in error.faults]
            self.answer({"faults": faults, "exit_code": error.exit_code})
        for fault in error.faults:
            if self._warned:
                print(file=self.err)
            self.fault(fault)

    def fault(self, fault: Fault) -> None:
        """A fault in its four parts, or a warning."""
        self.close()
        colour = (_YELLOW if fault.warning else _RED) if self._err_colour else ""
        self._warned = True
        first = "warning" if fault.warning else "stopped"
        self.out.flush()  # both streams may go to one place: keep the order
        parts = ((first, fault.stopped), ("where", fault.where), ("why", fault.why), ("do", fault.do))
        for label, text in parts:
            if text:
                print(self._labelled(label, text, colour if label == first else ""), file=self.err)

    def _labelled(self, label: str, text: str, colour: str, hang: int = 0) -> str:
        indent = " " * LABEL_WIDTH
        if self.width:
            start = len(text) - len(text.lstrip())
            text = textwrap.fill(
                text,
                self.width,
                initial_indent=indent,
                subsequent_indent=indent + " " * (hang or start),
                break_on_hyphens=False,
                break_long_words=False,
                drop_whitespace=True,
            ).removeprefix(indent)
        shown = f"{label:{LABEL_WIDTH}}" if text else label
        return (f"{colour}{shown}{_RESET}" if colour else shown) + text

    def note_once(self, text: str) -> None:
        """A note that holds for all that a command does, such as a font that stands in for another."""
        if text not in self._noted:
            self._noted.add(text)
            self.line("note", text)

    # -- progress --------------------------------------------------------------------------------------

    def progress(self, text: str, done: int = 0, count: int = 0) -> None:
        """What is being done, on one line that is written over; on a terminal only. With how many of how many pieces
        are done, and how long the rest will take."""
        if count:
            text = f"{text}: {done:,} of {count:,}{self._time_left(text, done, count)}"
        if self.err.isatty() and not self.as_json:
            self.err.write(f"\r\x1b[K{text[: self.width or _WIDEST]} …")
            self.err.flush()
            self._busy = True

    def _time_left(self, text: str, done: int, count: int) -> str:
        """How long the rest of some pieces will take, once that can be told."""
        now = time.monotonic()
        if self._counting is None or self._counting[0] != text:
            self._counting = (text, now, done)
        _, began, first = self._counting
        if done - first < _TELLING or done >= count:
            return ""
        seconds = (now - began) / (done - first) * (count - done)
        return f", {seconds / 60:.0f} min left" if seconds >= 90 else f", {seconds:.0f} s left"

    def close(self) -> None:
        """Take the progress line away."""
        if self._busy:
            self.err.write("\r\x1b[K")
            self.err.flush()
            self._busy = False
