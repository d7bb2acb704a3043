"""Delimited text (RFC 4180 and its common variants): encoding, separator and decimal mark detected and stated."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from itertools import zip_longest
from pathlib import Path

import numpy as np

from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.cells.column import Codes, Column
from tinquire.sources.delimited.encodings import UTF8_MARK, in_utf8, marked_encoding
from tinquire.sources.delimited.field_bounds import BEHIND
from tinquire.sources.delimited.fields import plain_rows
from tinquire.sources.raw_table import HEADING_SEARCH_ROWS, Block, require_room
from tinquire.tables.marks import decimal_mark, sample_texts

__all__ = ["Dialect", "read_delimited"]

_SEPARATORS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
#: Rows looked at to find the separator out.
_SAMPLE_ROWS = 50
#: Of more rows than this the first ones tell the decimal mark, if they show one.
_LARGE_SAMPLE = 10_000
#: At least this share of them must have as many fields as the first.
_AGREEING_ROWS = 0.5
#: So many title lines may stand above the rows, and this many rows at least show what separates their fields.
_MOST_TITLES, _LEAST_ROWS = 10, 3
_FIELD_LIMIT = 1 << 20
#: Files from this many bytes on are read with arrays where they are plain; this many lines at each end are not.
_LARGE = 1 << 16
_END_LINES = HEADING_SEARCH_ROWS + 1
#: So many bytes of them tell the separator.
_SAMPLE_BYTES = 1 << 15


@dataclass(frozen=True, slots=True)
class Dialect:
    """How a file is written, stated or detected."""

    encoding: str
    separator: str
    #: None where no number shows it.
    decimal: str | None
    #: A word that shows how letters were read, where the encoding is a guess.
    word: str = ""

    def says(self) -> str:
        mark = {",": ", decimal comma", ".": ", decimal point", None: ""}[self.decimal]
        guessed = f" by its letters (as in '{self.word}')" if self.word else ""
        return f"{self.encoding}{guessed}, separated by {_SEPARATORS[self.separator]}{mark}"


def read_delimited(
    path: Path, shown: str, *, separator: str | None = None, decimal: str | None = None, encoding: str | None = None
) -> tuple[Block, Dialect]:
    """The file's fields as texts. Raises AccessError when it cannot be read, DataError when it cannot be understood."""
    try:
        data = path.read_bytes()
    except OSError as error:
        why = "there is no such file" if isinstance(error, FileNotFoundError) else (error.strerror or str(error))
        raise AccessError(Fault("opening a text file", why, shown, "check its name and place")) from None
    if data[:4] == b"PK\x03\x04" or (b"\x00" in data[:2000] and not (encoding or marked_encoding(data))):
        raise AccessError(
            Fault("opening a text file", "it is not text, whatever its name says", shown, "name it as what it is")
        )
    data, encoding, word = in_utf8(data, encoding, shown)
    sample = data[:_SAMPLE_BYTES].rpartition(b"\n")[0] or data
    separator = separator or _separator(sample.removeprefix(UTF8_MARK).decode(), shown)
    block = _plainly(data, separator, shown) if len(data) >= _LARGE else None
    block = block or _carefully(data.removeprefix(UTF8_MARK).decode(), separator, shown)
    return block, Dialect(
        encoding,
        separator,
        decimal or _decimal(block.columns, sample.removeprefix(UTF8_MARK).decode(), separator),
        word,
    )


def _plainly(data: bytes, separator: str, shown: str) -> Block | None:
    """The fields of a large file, read at once; its first and last lines, which may be titles, totals and notes, are
    read one by one. None for files that are not written plainly."""
    begin = len(UTF8_MARK) if data.startswith(UTF8_MARK) else 0
    inner = None if b"\0" in data else _inner(data, begin)
    if inner is None:
        return None
    start, stop = inner
    try:
        heads, above, before = _rows(data[begin:start].decode(), separator)
        tails, below, _ = _rows(data[stop:].decode(), separator)
    except csv.Error:
        return None
    found = plain_rows(data, start, stop, separator, heads, tails)
    if found is None:
        return None
    lines = np.concatenate([above, found.lines + np.int32(before), below + np.int32(before + found.after - 1)])
    return Block(shown, "", 1, 1, tuple(found.columns), lines)


def _inner(data: bytes, begin: int) -> tuple[int, int] | None:
    """Where the rows between the first and the last lines begin and end, neither of them inside of quotes."""
    start, stop = begin, len(data)
    for _ in range(_END_LINES):
        start = data.find(b"\n", start) + 1
        stop = data.rfind(b"\n", 0, stop - 1) + 1
        if not begin < start < stop:
            return None
    odd_above, odd_below = data.count(b'"', begin, start) % 2, data.count(b'"', stop) % 2
    for _ in range(_END_LINES):
        if odd_above:
            last, start = start, data.find(b"\n", start) + 1
            odd_above = (odd_above + data.count(b'"', last, start)) % 2
        if odd_below:
            last, stop = stop, data.rfind(b"\n", 0, stop - 1) + 1
            odd_below = (odd_below + data.count(b'"', stop, last)) % 2
    plain = 0 < start < stop <= len(data) - BEHIND and not odd_above and not odd_below
    return (start, stop) if plain else None


def _carefully(text: str, separator: str, shown: str) -> Block:
    """Fields row by row. Raises DataError for quoting that is broken."""
    try:
        rows, lines, _ = _rows(text, separator)
    except csv.Error as error:
        why, where = str(error.args[0]), f"{shown}, line {error.args[1]}"
        raise DataError(
            Fault("reading delimited text", f"its quoting is broken ({why})", where, "fix the line")
        ) from None
    lengths = [len(row) for row in rows]
    widest = max(range(len(rows)), key=lengths.__getitem__, default=0)
    if rows:
        where = f"{shown}, line {lines[widest]}"
        require_room(len(rows), lengths[widest], sum(lengths), "reading delimited text", where)
    columns = tuple(Column.pooled(texts) for texts in zip_longest(*rows, fillvalue=""))
    return Block(shown, "", 1, 1, columns, lines)


def _rows(text: str, separator: str) -> tuple[list[list[str]], Codes, int]:
    """Rows, the line on which each begins, and how many lines there are. Raises csv.Error, with what is wrong and the
    line, for quoting that is broken."""
    # Strict reading makes a quote that is never closed an error instead of swallowing the rest of the file.
    csv.field_size_limit(_FIELD_LIMIT)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    rows: list[list[str]] = []
    lines: list[int] = []
    line = 1
    try:
        if '"' not in text:  # a row is a line
            rows = list(reader)
            lines = list(range(1, len(rows) + 1))
        for row in reader:
            rows.append(row)
            lines.append(line)
            line = reader.line_num + 1
    except csv.Error as error:
        raise csv.Error(str(error), reader.line_num) from None
    return rows, np.array(lines, np.int32), reader.line_num


def _separator(text: str, shown: str) -> str:
    """The mark that cuts most of the first rows into as many fields as the first one, two or more; where titles stand
    above the rows, as the first one after them.

    Raises: DataError when no mark does, or two do equally well.
    """
    csv.field_size_limit(_FIELD_LIMIT)
    sample = text.splitlines()[:_SAMPLE_ROWS]
    if not any(mark in line for line in sample for mark in _SEPARATORS):
        return ","  # one column: there is nothing to separate
    marks = _cutting(sample)
    for titles in range(1, min(_MOST_TITLES, len(sample) - _LEAST_ROWS) + 1):
        marks = marks or _cutting(sample[titles:])
    if len(marks) == 1:
        return marks[0]
    why = "no separator cuts its lines into equal fields"
    if marks:
        why = f"it could be separated by {' or '.join(_SEPARATORS[mark] for mark in marks)}"
    raise DataError(
        Fault("reading delimited text", why, shown, 'state it: separator = ";"', option="state it: --separator ';'")
    )


def _cutting(sample: Sequence[str]) -> list[str]:
    """The marks that cut lines best into as many fields as the first of them."""
    scores: dict[str, tuple[float, int]] = {}
    for mark in _SEPARATORS:
        try:
            counts = [len(row) for row in csv.reader(sample, delimiter=mark) if row]
        except csv.Error:
            continue  # it is no quoting with this mark
        if counts and counts[0] > 1:
            scores[mark] = (counts.count(counts[0]) / len(counts), counts[0])
    best = max(scores.values(), default=(0.0, 0))
    return [mark for mark, score in scores.items() if score == best] if best[0] >= _AGREEING_ROWS else []


def _decimal(columns: tuple[Column, ...], sample: str, separator: str) -> str | None:
    """The decimal mark that most numbers of the first rows show; where none of these does, those from all over."""
    with suppress(csv.Error):
        first = decimal_mark(text for row in csv.reader(io.StringIO(sample), delimiter=separator) for text in row)
        if first is not None and len(columns[0]) > _LARGE_SAMPLE:
            return first
    return decimal_mark(text for column in columns for text in sample_texts(column))
