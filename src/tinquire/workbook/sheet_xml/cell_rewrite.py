"""Many cells changed in the bytes of a sheet's part at once: the cells are found as arrays, as the fast reader finds
them, and their new markup is built column by column, as the row writer builds it.

What comes of it is byte for byte what `cell_splice` gives, which looks at one cell after the other.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import chain, groupby

import numpy as np

from tinquire.base.parallel import map_in_order
from tinquire.cells.address import MAX_ROW, column_name
from tinquire.cells.column import Booleans, Codes
from tinquire.packages.raw_xml import ATTRIBUTE, Unusual, sheet_data
from tinquire.workbook.grid.cells import Cells
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.sheet_xml.fast_rows import CellPlaces, cell_places
from tinquire.workbook.sheet_xml.row_writer import (
    PlacesOf,
    forms_of,
    formula_texts,
    row_bytes,
    shared_places,
    value_texts,
)

__all__ = ["rewrite_cells"]

#: Rows are looked at in pieces of about this many bytes.
_PIECE = 1 << 20
#: In more columns than these with fewer changed cells each, arrays cost more than they save.
_MANY_COLUMNS, _FEW_EACH = 256, 4
#: A cell's column and row in one number.
_ROW = 1 << 14
#: So many new rows one below the other are written as in a new sheet.
_LONG_RUN = 500
#: What is in a cell's tag for the forms of values (18.18.11), as the row writer numbers them.
_TYPES = (b"", b' t="s"', b' t="str"', b' t="b"', b' t="e"')


@dataclass(frozen=True, slots=True)
class _Change:
    """The changed cells of one column, whether their formulas were set, and the positions of shared texts by code."""

    column: int
    cells: Cells
    rows: Codes
    formulas_set: Booleans
    places: Codes


def rewrite_cells(data: bytes, sheet: Sheet, places_of: PlacesOf) -> Iterator[bytes]:
    """A part's bytes, piece by piece, with the changed cells of its sheet; `places_of` gives texts' places among the
    shared ones.

    Raises Unusual, also on the way, for parts that are not in the plain form, and for rows that would have to be
    opened.
    """
    prefix, element = sheet_data(data)
    if prefix:
        raise Unusual
    changed = sheet.changed.by_column()
    if len(changed) > _MANY_COLUMNS and sum(len(rows) for rows, _ in changed.values()) < _FEW_EACH * len(changed):
        raise Unusual  # cells side by side: one after the other is quicker
    changes = [_change(sheet, column, *marks, places_of) for column, marks in changed.items()]
    changes = [change for change in changes if len(change.rows)]
    start, end = element.inside or (0, 0)
    if start == end:
        rows = _rows({change.column: change.cells for change in changes}, sheet, places_of)
        yield from (data[: element.start], b"<sheetData>", *rows, b"</sheetData>", data[element.end :])
        return
    pieces = list(_pieces(data, start, end))
    rewrite = partial(_rewrite_piece, data, sheet, changes, places_of)
    yield data[:start]
    if len(pieces) == 1:
        yield from rewrite(pieces[0])
    else:
        yield from map_in_order(lambda piece: b"".join(rewrite(piece)), pieces)
    yield data[end:]


def _change(sheet: Sheet, column: int, rows: Codes, formulas: Booleans, places_of: PlacesOf) -> _Change:
    cells = sheet.columns.get(column, Cells.empty(np.zeros(0, np.int32)))
    run = cells.places(int(rows[0]), int(rows[-1])) if len(rows) else slice(0, 0)
    if np.array_equal(cells.rows[run], rows):  # one below the other, as most are: nothing has to be searched
        own = Cells(rows, *(array[run] for array in cells.arrays()))
    else:
        known = np.isin(rows, cells.rows)
        rows, formulas = rows[known], formulas[known]
        own = _pick(cells, np.searchsorted(cells.rows, rows))
    return _Change(column, own, rows, formulas, shared_places(sheet, own, places_of))


def _pick(cells: Cells, at: Codes | slice) -> Cells:
    return Cells(cells.rows[at], *(array[at] for array in cells.arrays()))


def _rows(columns: Mapping[int, Cells], sheet: Sheet, places_of: PlacesOf) -> list[bytes]:
    """The rows of cells of a sheet, each as bytes of its own."""
    fresh = _sheet_of({column: cells for column, cells in columns.items() if len(cells.rows)}, sheet)
    return [row + b"</row>" for row in b"".join(row_bytes(fresh, places_of)).split(b"</row>")[:-1]]


def _sheet_of(columns: dict[int, Cells], sheet: Sheet) -> Sheet:
    """A sheet of these cells alone, with the texts and formulas of another."""
    return Sheet(sheet.name, columns=columns, texts=sheet.texts, formulas=sheet.formulas)


def _columns(changes: Sequence[_Change], rows: Codes) -> dict[int, Cells]:
    """The changed cells in some rows, which rise, by column."""
    return {change.column: _pick(change.cells, _places_in(change, rows)) for change in changes}


def _places_in(change: _Change, rows: Codes) -> Codes:
    """Where those of some rows lie among the changed ones that are there."""
    at = np.minimum(change.rows.searchsorted(rows), len(change.rows) - 1)
    return at[change.rows[at] == rows]


@dataclass(frozen=True, slots=True)
class _Piece:
    """Whole rows of the part, and which rows of the sheet are written there: all up to its last, or to the end."""

    start: int
    end: int
    first: int
    last: int


def _pieces(data: bytes, start: int, end: int) -> Iterator[_Piece]:
    """The part's rows cut into pieces; rows that are missing belong to the piece before which they would stand."""
    first = 1
    while start < end:
        cut = data.find(b"<row ", min(start + _PIECE, end), end)
        stop = end if cut < 0 else cut
        last = MAX_ROW if cut < 0 else _row_number(data, cut) - 1
        yield _Piece(start, stop, first, last)
        start, first = stop, last + 1


def _row_number(data: bytes, tag: int) -> int:
    match = ATTRIBUTE.match(data, tag + 5)
    if match is None or match[1] != b"r" or not match[2][1:-1].isdigit():
        raise Unusual
    return int(match[2][1:-1])


def _rewrite_piece(
    data: bytes, sheet: Sheet, changes: Sequence[_Change], places_of: PlacesOf, piece: _Piece
) -> Iterator[bytes]:
    """A piece with its changed cells."""
    own = _within(changes, piece.first, piece.last)
    body = data[piece.start : piece.end]
    if not own:
        yield body
        return
    found = cell_places(body, [change.column for change in own])
    fresh_rows = _missing(own, found.row_numbers)
    edits = _Edits(body, found)
    whole_rows = edits.whole_rows(own)
    in_place = np.setdiff1d(found.row_numbers, whole_rows, assume_unique=True)
    for change in own:
        edits.add(sheet, change, _places_in(change, in_place))
    if len(fresh_rows):
        edits.add_rows(sheet, own, fresh_rows, places_of)
    if len(whole_rows):
        edits.set_rows(sheet, own, whole_rows, places_of)
    yield from edits.apply()


def _missing(changes: Sequence[_Change], known: Codes) -> Codes:
    """The rows of changed cells that are not among those known, rising."""
    first = min(int(change.rows[0]) for change in changes)
    wanted = np.zeros(max(int(change.rows[-1]) for change in changes) - first + 1, bool)
    for rows in {id(change.rows): change.rows for change in changes}.values():  # columns set together share them
        wanted[rows - first] = True
    there = known - first
    wanted[there[(there >= 0) & (there < len(wanted))]] = False
    return (np.flatnonzero(wanted) + first).astype(np.int32)


def _within(changes: Sequence[_Change], top: int, bottom: int) -> list[_Change]:
    """The changed cells between two rows, of columns that have any; columns that share their rows share these, too."""
    cuts: dict[int, tuple[slice, Codes]] = {}
    found = []
    for change in changes:
        rows = change.rows
        if id(rows) not in cuts:
            first, last = rows.searchsorted(np.array((top, bottom + 1), rows.dtype)).tolist()
            cuts[id(rows)] = slice(first, last), rows[first:last]
        at, inside = cuts[id(rows)]
        if len(inside):
            cells = Cells(inside, *(array[at] for array in change.cells.arrays()))
            found.append(_Change(change.column, cells, inside, change.formulas_set[at], change.places))
    return found


class _Edits:
    """What to put where in a piece: where each edit begins and ends, and the bytes instead."""

    def __init__(self, body: bytes, found: CellPlaces) -> None:
        self.body = body
        self.found = found
        self.keys = found.rows.astype(np.int64) * _ROW + found.columns
        self.starts: list[Codes] = []
        self.ends: list[Codes] = []
        self.order: list[Codes] = []
        self.texts: list[bytes | Iterator[bytes]] = []
        self.opened: set[int] = set()
        #: The text after a cell's address, by the text that stands there, its new style and its new form.
        self.tails: dict[tuple[bytes, int, int], bytes] = {}

    def whole_rows(self, changes: Sequence[_Change]) -> Codes:
        """Rows of which every cell changed, and nothing of it is kept: they are written from memory."""
        found = self.found
        bare = np.array([not self._kept(text) for text in found.tail_texts] or [True])[found.tail_numbers]
        has_formula = found.formula_starts < found.formula_ends
        in_file = np.bincount(np.searchsorted(found.row_numbers, found.rows), minlength=len(found.row_numbers))
        left = in_file.copy()
        touched, spread = np.zeros(len(left), bool), np.zeros(len(left), bool)
        for change in changes:
            at = np.minimum(np.searchsorted(change.rows, found.row_numbers), len(change.rows) - 1)
            rows = np.flatnonzero(change.rows[at] == found.row_numbers)
            at = at[rows]
            positions, known = self._places(change.rows[at], change.column)
            mine = positions[known]
            good = bare[mine] & (change.formulas_set[at[known]] | ~has_formula[mine])
            touched[rows] = True
            spread[rows[~known]] = True
            left -= np.bincount(rows[known][good], minlength=len(left))
        whole = touched & (left == 0) & found.row_open
        if b" spans=" in self.body:  # a hint that may be wrong then
            whole &= ~spread
        return found.row_numbers[whole]

    def _places(self, rows: Codes, column: int) -> tuple[Codes, Booleans]:
        """Where cells of a column are among those of the piece, or would be, and whether they are there."""
        keys = rows.astype(np.int64) * _ROW + column
        indexes = np.searchsorted(self.keys, keys)
        known = indexes < len(self.keys)
        known[known] = self.keys[indexes[known]] == keys[known]
        return indexes, known

    def add(self, sheet: Sheet, change: _Change, at: Codes) -> None:
        """The changed cells of one column, by their places, in rows that are there."""
        if not len(at):
            return
        cells, formulas_set = _pick(change.cells, at), change.formulas_set[at]
        positions, known = self._places(cells.rows, change.column)
        forms = forms_of(cells)
        values = value_texts(sheet, cells, change.places)
        written = [b""] * len(at)
        ours = np.flatnonzero(formulas_set | ~known)  # the other formulas are those that stand there
        for index, text in zip(ours.tolist(), formula_texts(sheet, change.column, _pick(cells, ours)), strict=True):
            written[index] = text
        self._known(positions, np.flatnonzero(known), cells, forms, formulas_set, written, values)
        self._fresh(change.column, positions, np.flatnonzero(~known), cells, forms, written, values)

    def _known(
        self, places: Codes, at: Codes, cells: Cells, forms: Codes, formulas_set: Booleans, written: list[bytes],
        values: list[bytes],
    ) -> None:  # fmt: skip
        """Cells that are there: what stands after their address is exchanged."""
        if not len(at):
            return
        found, body = self.found, self.body
        mine = places[at]
        keys = (found.tail_numbers[mine] << 40) | (cells.styles[at].astype(np.int64) << 3) | forms[at]
        distinct, picks = np.unique(keys, return_inverse=True)
        tails = [
            self._tail(found.tail_texts[key >> 40], (key >> 3) & ((1 << 37) - 1), key & 7) for key in distinct.tolist()
        ]
        formulas = [written[index] for index in at.tolist()]
        kept = np.flatnonzero(~formulas_set[at])
        starts, ends = found.formula_starts[mine[kept]].tolist(), found.formula_ends[mine[kept]].tolist()
        for index, start, end in zip(kept.tolist(), starts, ends, strict=True):
            formulas[index] = body[start:end]
        self.texts += [
            b"".join((tails[pick], b">", formula, values[index], b"</c>"))
            if formula or values[index]
            else tails[pick] + b"/>"
            for pick, formula, index in zip(picks.tolist(), formulas, at.tolist(), strict=True)
        ]
        self.starts.append(found.tails[mine])
        self.ends.append(found.ends[mine])
        self.order.append(cells.rows[at].astype(np.int64) * _ROW)

    def _fresh(
        self, column: int, places: Codes, at: Codes, cells: Cells, forms: Codes, written: list[bytes],
        values: list[bytes],
    ) -> None:  # fmt: skip
        """Cells that are not there, put before the next cell of their row, or at its end."""
        if not len(at):
            return
        found = self.found
        rows = cells.rows[at]
        in_rows = np.searchsorted(found.row_numbers, rows)
        if not found.row_open[in_rows].all():
            raise Unusual  # a row that closes itself: it needs another tag
        self.opened.update(in_rows.tolist())
        after = np.minimum(places[at], max(len(self.keys) - 1, 0))
        followed = places[at] < len(self.keys)
        followed[followed] = found.rows[after[followed]] == rows[followed]
        starts = np.where(followed, found.starts[after] if len(found.starts) else 0, found.row_ends[in_rows])
        name = column_name(column).encode()
        for item, row in zip(at.tolist(), rows.tolist(), strict=True):
            tail = self._tail(b"", int(cells.styles[item]), int(forms[item]))
            head = b'<c r="%s%d"' % (name, row) + tail
            # What is in a cell that was not there is all from here, its formula too.
            inside = written[item] + values[item]
            self.texts.append(head + b">" + inside + b"</c>" if inside else head + b"/>")
        self.starts.append(starts)
        self.ends.append(starts)
        self.order.append(rows.astype(np.int64) * _ROW + column)

    def _tail(self, old: bytes, style: int, form: int) -> bytes:
        key = (old, style, form)
        tail = self.tails.get(key)
        if tail is None:
            tail = self.tails[key] = (b' s="%d"' % style if style else b"") + _TYPES[form] + self._kept(old)
        return tail

    @staticmethod
    def _kept(tail: bytes) -> bytes:
        """What of a cell's attributes stays whatever it holds."""
        return b"".join([b" %s=%s" % pair for pair in ATTRIBUTE.findall(tail) if pair[0] not in (b"r", b"s", b"t")])

    def add_rows(self, sheet: Sheet, changes: Sequence[_Change], rows: Codes, places_of: PlacesOf) -> None:
        """Rows that are not there, each before the next one."""
        before = np.searchsorted(self.found.row_numbers, rows)
        firsts = np.flatnonzero(np.diff(before, prepend=-1))
        lengths = np.diff(np.append(firsts, len(rows)))
        apart = np.repeat(lengths < _LONG_RUN, lengths)
        for first, length in zip(firsts.tolist(), lengths.tolist(), strict=True):
            if length >= _LONG_RUN:  # no row is there between them: they are written as they are packed
                own = _within(changes, int(rows[first]), int(rows[first + length - 1]))
                columns = {change.column: change.cells for change in own}
                self.texts.append(row_bytes(_sheet_of(columns, sheet), places_of))
        if apart.any():
            self.texts += _rows(_columns(changes, rows[apart]), sheet, places_of)
        each = np.concatenate([firsts[lengths >= _LONG_RUN], np.flatnonzero(apart)])
        positions = np.append(self.found.row_starts, len(self.body))[before[each]]
        self.starts.append(positions)
        self.ends.append(positions)
        self.order.append(rows[each].astype(np.int64) * _ROW - 1)

    def set_rows(self, sheet: Sheet, changes: Sequence[_Change], rows: Codes, places_of: PlacesOf) -> None:
        """The cells of rows that are there, all at once."""
        at = np.searchsorted(self.found.row_numbers, rows)
        body = self.body
        starts = np.array([body.index(b">", start) + 1 for start in self.found.row_starts[at].tolist()])
        self.texts += [row[row.index(b">") + 1 : -6] for row in _rows(_columns(changes, rows), sheet, places_of)]
        self.starts.append(starts)
        self.ends.append(self.found.row_ends[at])
        self.order.append(rows.astype(np.int64) * _ROW)

    def apply(self) -> Iterator[bytes]:
        """The piece with all edits."""
        if self.opened:
            self._forget_spans()
        starts, ends = np.concatenate(self.starts), np.concatenate(self.ends)
        order = np.lexsort((np.concatenate(self.order), starts))
        texts = self.texts
        kept_from = np.append(0, ends[order]).tolist()
        kept_to = np.append(starts[order], len(self.body)).tolist()
        body = self.body
        pieces: list[bytes | Iterator[bytes]] = [b""] * (2 * len(order) + 1)
        pieces[0::2] = [body[a:b] for a, b in zip(kept_from, kept_to, strict=True)]
        pieces[1::2] = [texts[index] for index in order.tolist()]
        for ready, some in groupby(pieces, lambda piece: isinstance(piece, bytes)):
            if ready:
                yield b"".join(some)  # type: ignore[arg-type]
            else:
                yield from chain.from_iterable(some)

    def _forget_spans(self) -> None:
        """A row that gets cells may span other columns than its tag hints (18.3.1.73)."""
        for row in sorted(self.opened):
            start = int(self.found.row_starts[row])
            end = self.body.index(b">", start)
            tag = self.body[start:end]
            if b" spans=" not in tag:
                continue
            kept = b"".join(b" %s=%s" % pair for pair in ATTRIBUTE.findall(tag) if pair[0] != b"spans")
            self.texts.append(b"<row" + kept)
            self.starts.append(np.array([start]))
            self.ends.append(np.array([end]))
            self.order.append(np.array([int(self.found.row_numbers[row]) * _ROW - 1]))
