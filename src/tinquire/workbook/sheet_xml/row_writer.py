"""Rows of a sheet as bytes, built column by column: a matrix of bytes with a line for each row, its gaps taken out.

Each piece of a cell's markup (its tag, its row's digits, its style, its value) is a matrix with a line for each row,
padded with zero bytes; side by side they are the rows, and one `translate` removes the padding. A sheet's own texts
hold no zero byte, since the standard's escapes stand for them.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from tinquire.base.parallel import map_in_order
from tinquire.cells.address import area_name, column_name
from tinquire.cells.column import Booleans, Codes, Floats, Kind, Kinds, recoded, texts_at, used_codes
from tinquire.cells.values import CellError
from tinquire.formula.language.mentions import can_mislead, down_pattern
from tinquire.packages.xml import escape_formula, escape_text
from tinquire.workbook.grid.cell_formulas import stays, text_at
from tinquire.workbook.grid.cells import NO_FORMULA, Cells
from tinquire.workbook.grid.sheet import Formula, Sheet

__all__ = [
    "PlacesOf",
    "choose",
    "constant",
    "forms_of",
    "formula_texts",
    "joined",
    "number_text",
    "number_texts",
    "numbers",
    "row_bytes",
    "shared_places",
    "value_texts",
    "whole_digits",
]

Bytes: TypeAlias = NDArray[np.uint8]
#: Gives the places of texts among the shared ones.
PlacesOf: TypeAlias = Callable[[Sequence[str]], Sequence[int]]

#: Rows put together at a time: the matrices stay within a few megabytes.
CHUNK = 4096
#: Rows with less than one cell in so many filled are put together cell by cell.
_SPARSE = 16
#: Levels of an outline, the rows without one among them.
_LEVELS = 8
#: Padding is taken out by arrays where at least this share of the letters stays.
_MOSTLY = 0.75
#: Whole numbers beyond this are spelled one by one.
_LARGEST_WHOLE = 1e15
#: And those with more digits than the others, when they are no more than one in so many: totals between rows.
_FEW = 64


def number_text(number: float) -> str:
    """A number with the fewest digits that read back the same; whole numbers without a point."""
    if number == int(number) and abs(number) < _LARGEST_WHOLE:
        return str(int(number))
    return repr(float(number))


def number_texts(numbers: Floats) -> list[str]:
    """Numbers as `number_text` spells them."""
    return [
        str(int(number)) if number.is_integer() and -_LARGEST_WHOLE < number < _LARGEST_WHOLE else repr(number)
        for number in numbers.tolist()
    ]


def row_bytes(sheet: Sheet, places_of: PlacesOf) -> Iterator[bytes]:
    """The `row` elements of a sheet, some thousands at a time. `places_of` gives texts' shared places."""
    columns = [(number, sheet.columns[number]) for number in sorted(sheet.columns)]
    used = [cells.rows for _, cells in columns]
    marks = _RowMarks.of(sheet)
    marked = marks.rows
    if used and not len(marked) and all(np.array_equal(item, used[0]) for item in used):
        rows = used[0]
    else:
        every = [*used, marked]
        here = np.zeros(max((int(item[-1]) for item in every if len(item)), default=0) + 1, np.bool_)
        for item in every:
            here[item] = True
        rows = np.flatnonzero(here)
    positions = {number: shared_places(sheet, cells, places_of) for number, cells in columns}

    def places_in(cells: Cells, chunk: Codes) -> range:
        at = cells.places(int(chunk[0]), int(chunk[-1]))
        return range(at.start, at.stop)

    def chunk_bytes(chunk: Codes) -> bytes:
        digits = whole_digits(chunk.astype(np.int64))
        pieces = [constant(b'<row r="', len(chunk)), digits, marks.of_rows(chunk)]
        here = [(number, cells) for number, cells in columns if len(places_in(cells, chunk))]
        if len(here) * len(chunk) > _SPARSE * sum(len(places_in(cells, chunk)) for _, cells in here):
            return _sparse_rows(sheet, here, chunk, np.concatenate(pieces, axis=1), digits, positions)
        for number, cells in here:
            pieces += _column(sheet, number, cells, chunk, digits, positions[number])
        pieces.append(constant(b"</row>", len(chunk)))
        return joined(pieces)

    yield from map_in_order(chunk_bytes, (rows[start : start + CHUNK] for start in range(0, len(rows), CHUNK)))


def _sparse_rows(
    sheet: Sheet, columns: Sequence[tuple[int, Cells]], rows: Codes, heads: Bytes, digits: Bytes,
    positions: Mapping[int, Codes],
) -> bytes:  # fmt: skip
    """Rows of which few cells are filled, put together cell by cell: room for all of them would be mostly padding."""
    lines = [[head.tobytes()] for head in heads]
    for number, cells in columns:
        at = cells.places(int(rows[0]), int(rows[-1]))
        here = np.searchsorted(rows, cells.rows[at])
        pieces = _cell_pieces(sheet, number, cells, at, digits[here], positions[number])
        for place, cell in zip(here.tolist(), np.concatenate(list(pieces), axis=1), strict=True):
            lines[place].append(cell.tobytes())
    return b"".join(b"%s</row>" % b"".join(line) for line in lines).translate(None, b"\x00")


def shared_places(sheet: Sheet, cells: Cells, places_of: PlacesOf) -> Codes:
    """For each text code of a column that stands without a formula, its place among the shared texts."""
    used = used_codes(cells.codes[(cells.kinds == Kind.TEXT) & (cells.formulas == NO_FORMULA)], len(sheet.texts))
    table = np.zeros(int(used.max(initial=0)) + 1, np.int64)
    table[used] = places_of(texts_at(sheet.texts, used))
    return table


# -- pieces ----------------------------------------------------------------------------------------------


def constant(text: bytes, count: int) -> Bytes:
    return np.broadcast_to(np.frombuffer(text, np.uint8), (count, len(text)))


def joined(pieces: Sequence[Bytes]) -> bytes:
    """The lines of matrices side by side, one after the other, without what pads them."""
    letters = np.concatenate(pieces, axis=1).ravel()
    used = letters != 0
    if np.count_nonzero(used) > _MOSTLY * len(letters):  # as fast, and leaves the interpreter to others meanwhile
        return letters[used].tobytes()
    return letters.tobytes().translate(None, b"\x00")


def _texts(texts: Sequence[bytes], count: int) -> Bytes:
    """A matrix of texts of any lengths."""
    width = max(map(len, texts), default=0)
    if width == 0:
        return np.zeros((count, 0), np.uint8)
    return np.array(texts, f"S{width}").view(np.uint8).reshape(count, width)


def choose(choices: Sequence[bytes], picks: NDArray[Any]) -> Bytes:
    """A matrix of texts chosen by number."""
    if len(picks) and (picks == picks[0]).all():
        return constant(choices[int(picks[0])], len(picks))
    return _texts(choices, len(choices)).take(picks, axis=0)


def _table(texts: Iterator[bytes], width: int) -> NDArray[Any]:
    """Short texts of which each is one word, so that many are picked at once."""
    return np.array(list(texts), f"S{width}").view(f"u{width}")


#: All groups of four digits: in full; without leading zeros; and after a point, without the zeros at the end.
_FULL = _table((b"%04d" % number for number in range(10_000)), 4)
_BARE = _table((b"%d" % number for number in range(10_000)), 4)
_BEHIND = _table(((b".%04d" % number).rstrip(b"0").rstrip(b".") for number in range(10_000)), 8)
_GROUP = 10_000


def _lines(words: NDArray[Any]) -> Bytes:
    return words.view(np.uint8).reshape(len(words), words.itemsize)


def whole_digits(values: NDArray[np.int64]) -> Bytes:
    """Digits of whole numbers that are not negative, with padding between groups of four."""
    groups: list[Bytes] = []
    rest = values
    while (most := int(rest.max(initial=0))) >= _GROUP:
        higher = rest // _GROUP
        low = rest - higher * _GROUP
        groups.append(_lines(np.where(rest < _GROUP, _leading(low, first=not groups), _FULL.take(low))))
        rest = higher
    leading = _lines(_leading(rest, first=not groups))
    groups.append(leading[:, : len(str(most))])
    return groups[0] if len(groups) == 1 else np.concatenate(groups[::-1], axis=1)


def _leading(values: NDArray[np.int64], *, first: bool) -> NDArray[Any]:
    """The leading group: zero is written only when it is the whole number."""
    return _BARE.take(values) if first else np.where(values > 0, _BARE.take(values), 0).astype(np.uint32)


def numbers(values: Floats) -> Bytes:
    """Numbers as `number_text` spells them, one a line."""
    size = np.abs(values)
    scaled = np.rint(np.minimum(size, _LARGEST_WHOLE) * _GROUP)  # larger ones are spelled alone, and must not overflow
    plain = (scaled / _GROUP == size) & (scaled < _LARGEST_WHOLE)
    large = scaled >= _GROUP * _GROUP
    if 0 < np.count_nonzero(large) <= len(values) // _FEW:
        plain &= ~large
    every = bool(plain.all())
    units = scaled.astype(np.int64) if every else np.where(plain, scaled, 0).astype(np.int64)
    whole = units // _GROUP
    pieces = [whole_digits(whole)]
    if ((values < 0) & plain).any():
        pieces.insert(0, np.where((values < 0) & plain, 45, 0).astype(np.uint8)[:, None])
    part = units - whole * _GROUP
    if part.any():
        pieces.append(_lines(_BEHIND.take(part))[:, : 3 if not (part % 100).any() else 5])
    if not every:
        odd = np.flatnonzero(~plain)
        spelled = _texts([number_text(number).encode() for number in values[odd].tolist()], len(odd))
        width = sum(piece.shape[1] for piece in pieces)
        lines = np.zeros((len(values), max(width, spelled.shape[1])), np.uint8)
        np.concatenate(pieces, axis=1, out=lines[:, :width])
        lines[odd] = 0
        lines[odd, : spelled.shape[1]] = spelled
        return lines
    return pieces[0] if len(pieces) == 1 else np.concatenate(pieces, axis=1)


@dataclass(frozen=True)
class _RowMarks:
    """What is in the tags of rows after their numbers: of each of `rows` one of the texts, of all others the first."""

    rows: Codes
    picks: Codes
    texts: tuple[bytes, ...]

    @classmethod
    def of(cls, sheet: Sheet) -> _RowMarks:
        """The marks of rows that have a height or a level, are hidden, or stand for folded groups (18.3.1.73)."""
        sources: tuple[Collection[int], ...] = (
            sheet.heights, sheet.outline_rows, sheet.hidden_rows, sheet.collapsed_rows,
        )  # fmt: skip
        high, outlined, hidden, collapsed = (np.fromiter(some, np.int32, len(some)) for some in sources)
        every = np.concatenate((high, outlined, hidden, collapsed))
        # A code for each row that there could be: faster than to look for the place of each.
        codes = np.zeros(int(every.max(initial=0)) + 1, np.int32)
        given = np.zeros(len(codes), np.bool_)
        given[every] = True
        heights = np.unique(np.fromiter(sheet.heights.values(), float, len(sheet.heights)))
        codes[high] = 1 + heights.searchsorted(np.fromiter(sheet.heights.values(), float))
        codes *= 2 * 2 * _LEVELS
        codes[outlined] += np.fromiter(sheet.outline_rows.values(), np.int32) * 4
        codes[hidden] += 2
        codes[collapsed] += 1
        rows = np.flatnonzero(given).astype(np.int32)
        codes = codes[rows]
        count = (len(heights) + 1) * 2 * 2 * _LEVELS
        used = used_codes(codes, count)
        picks = recoded(codes, used, range(1, len(used) + 1), count)
        return cls(rows, picks, (b'">', *(_row_mark(code, heights) for code in used.tolist())))

    def of_rows(self, rows: Codes) -> Bytes:
        """The marks of some rows, one a line."""
        here = slice(*self.rows.searchsorted((rows[0], rows[-1] + 1)).tolist())
        if here.start == here.stop:
            return constant(self.texts[0], len(rows))
        picks = np.zeros(len(rows), np.int64)
        picks[rows.searchsorted(self.rows[here])] = self.picks[here]
        return choose(self.texts, picks)


def _row_mark(code: int, heights: Floats) -> bytes:
    rest, code = divmod(code, 4 * _LEVELS)
    level, hidden, collapsed = code // 4, code // 2 % 2, code % 2
    text = '"' if not rest else f'" ht="{heights[rest - 1]:g}" customHeight="1"'
    text += ' hidden="1"' if hidden else ""
    text += f' outlineLevel="{level}"' if level else ""
    return (text + (' collapsed="1">' if collapsed else ">")).encode()


# -- cells -----------------------------------------------------------------------------------------------


def _column(sheet: Sheet, number: int, cells: Cells, rows: Codes, digits: Bytes, places: Codes) -> Iterator[Bytes]:
    """The pieces of one column's cells in the given rows; rows without a cell get padding alone."""
    at = cells.places(int(rows[0]), int(rows[-1]))
    if at.start == at.stop:
        return
    if np.array_equal(cells.rows[at], rows):
        yield from _cell_pieces(sheet, number, cells, at, digits, places)
        return
    here = np.searchsorted(rows, cells.rows[at])
    for piece in _cell_pieces(sheet, number, cells, at, digits[here], places):
        spread = np.zeros((len(rows), piece.shape[1]), np.uint8)
        spread[here] = piece
        yield spread


def _cell_pieces(sheet: Sheet, number: int, cells: Cells, at: slice, digits: Bytes, places: Codes) -> Iterator[Bytes]:
    kinds, values, codes = cells.kinds[at], cells.numbers[at], cells.codes[at]
    formulas, count = cells.formulas[at], len(cells.kinds[at])
    has_formula = formulas != NO_FORMULA
    has_value = kinds != Kind.BLANK
    yield constant(f'<c r="{column_name(number)}'.encode(), count)
    yield digits
    if not has_formula.any() and (kinds == kinds[0]).all() and kinds[0] in (Kind.NUMBER, Kind.TEXT):
        text = kinds[0] == Kind.TEXT
        yield _style_pieces(cells.styles[at], b' t="s"><v>' if text else b"><v>")
        yield whole_digits(places[codes]) if text else numbers(values)
        yield constant(b"</v></c>", count)
        return
    yield _style_pieces(cells.styles[at], b"")
    shared = (kinds == Kind.TEXT) & ~has_formula
    yield choose([b"", b' t="s"', b' t="str"', b' t="b"', b' t="e"'], _forms(kinds, shared))
    yield choose([b"/>", b">"], (has_formula | has_value).astype(np.int64))
    if has_formula.any():
        yield _formulas(sheet, number, formulas, cells.rows[at])
    if not has_value.any():
        yield choose([b"", b"</c>"], has_formula.astype(np.int64))
        return
    yield choose([b"", b"<v>"], has_value.astype(np.int64))
    yield _values(sheet, kinds, values, codes, shared, places)
    yield choose([b"", b"</v></c>", b"</c>"], np.where(has_value, 1, np.where(has_formula, 2, 0)))


def _forms(kinds: Kinds, shared: Booleans) -> NDArray[np.int64]:
    """The forms of values (18.18.11): 0 for numbers and blanks, 1 shared texts, 2 results that are texts, 3 yes/no,
    4 errors."""
    return np.select([shared, kinds == Kind.TEXT, kinds == Kind.BOOL, kinds == Kind.ERROR], [1, 2, 3, 4], 0)


def forms_of(cells: Cells) -> NDArray[np.int64]:
    """The form of each cell's value, as `_forms` numbers them."""
    return _forms(cells.kinds, (cells.kinds == Kind.TEXT) & (cells.formulas == NO_FORMULA))


#: Stands in no text of a sheet, whose control characters are escaped.
_BREAK = b"\x01"


def value_texts(sheet: Sheet, cells: Cells, places: Codes) -> list[bytes]:
    """The value element of each cell of a column, nothing for blank ones."""
    count = len(cells.rows)
    has_value = cells.kinds != Kind.BLANK
    if not has_value.any():
        return [b""] * count
    shared = (cells.kinds == Kind.TEXT) & (cells.formulas == NO_FORMULA)
    return _split([
        choose([b"", b"<v>"], has_value.astype(np.int64)),
        _values(sheet, cells.kinds, cells.numbers, cells.codes, shared, places),
        choose([b"", b"</v>"], has_value.astype(np.int64)),
    ])  # fmt: skip


def formula_texts(sheet: Sheet, column: int, cells: Cells) -> list[bytes]:
    """The formula element of each cell of a column, nothing for those without one."""
    if (cells.formulas == NO_FORMULA).all():
        return [b""] * len(cells.rows)
    return _split([_formulas(sheet, column, cells.formulas, cells.rows)])


def _split(pieces: list[Bytes]) -> list[bytes]:
    """The lines of matrices side by side, each as bytes of its own."""
    lines = np.concatenate([*pieces, constant(_BREAK, len(pieces[0]))], axis=1)
    return lines.tobytes().translate(None, b"\x00").split(_BREAK)[:-1]


def _style_pieces(styles: Codes, behind: bytes) -> Bytes:
    """The end of an address, its cell's style, and what stands after it in each."""
    if (styles == styles[0]).all():
        return constant(_style(int(styles[0])) + behind, len(styles))
    used = used_codes(styles, int(styles.max()) + 1)
    picks = recoded(styles, used, range(len(used)), int(used[-1]) + 1)
    return choose([_style(style) + behind for style in used.tolist()], picks)


def _style(number: int) -> bytes:
    return f'" s="{number}"'.encode() if number else b'"'


def _values(
    sheet: Sheet, kinds: NDArray[np.uint8], values: Floats, codes: Codes, shared: NDArray[np.bool_], places: Codes
) -> Bytes:
    """The insides of the value elements; numbers, places of texts, yes/no side by side, of which one is there."""
    count = len(kinds)
    pieces: list[Bytes] = []
    numeric = (kinds == Kind.NUMBER) | (kinds == Kind.BOOL)
    if numeric.any():
        pieces.append(np.where(numeric[:, None], numbers(np.where(numeric, values, 0.0)), 0).astype(np.uint8))
    if shared.any():
        found = whole_digits(places[np.where(shared, codes, 0)])
        pieces.append(np.where(shared[:, None], found, 0).astype(np.uint8))
    rest = ~numeric & ~shared & (kinds != Kind.BLANK)
    if rest.any():
        texts = [b""] * count
        for index in np.flatnonzero(rest).tolist():
            text = kinds[index] == Kind.TEXT
            texts[index] = escape_text(
                sheet.texts[codes[index]] if text else CellError.from_code(int(values[index])).text
            ).encode()
        pieces.append(_texts(texts, count))
    return np.concatenate(pieces, axis=1)


def _formulas(sheet: Sheet, number: int, formulas: Codes, rows: Codes) -> Bytes:
    """The formula elements; one that reads the same in every cell is written once."""
    pool = len(sheet.formulas) + 1  # the first place is for none
    used = used_codes(formulas - NO_FORMULA, pool)
    picks = recoded(formulas - NO_FORMULA, used, range(len(used)), pool)
    known = [None if item == 0 else sheet.formulas[item + NO_FORMULA] for item in used.tolist()]
    if all(formula is None or (formula.array is None and stays(formula)) for formula in known):
        return choose([b"" if formula is None else _formula(formula, 0, 0) for formula in known], picks)
    texts = [b""] * len(rows)
    for pick, formula in enumerate(known):
        if formula is None:
            continue
        indexes = np.flatnonzero(picks == pick)
        for run in np.split(indexes, np.flatnonzero(np.diff(rows[indexes]) != 1) + 1):
            for index, text in zip(run.tolist(), _fill_down(formula, rows[run], number), strict=True):
                texts[index] = text
    return _texts(texts, len(texts))


def _fill_down(formula: Formula, rows: Codes, column: int) -> list[bytes]:
    """A formula's elements in cells right below each other: by its pattern, where that gives the last one too."""
    first, last = int(rows[0]), int(rows[-1])
    begun, ended = _formula(formula, first, column), _formula(formula, last, column)
    inside = begun.removeprefix(b"<f>").removesuffix(b"</f>").decode()
    pattern = None if formula.array is not None or can_mislead(inside) else down_pattern(inside, first)
    if pattern is not None:
        texts = [b"<f>" + text + b"</f>" for text in pattern.texts(first, len(rows)).split(b"\n")[:-1]]
        if texts[-1] == ended:
            return texts
    return [_formula(formula, row, column) for row in rows.tolist()]


def _formula(formula: Formula, row: int, column: int) -> bytes:
    """A formula as the cell at (row, column) writes it: its own text, moved there when another cell wrote it."""
    if formula.array is not None:
        return f'<f t="array" ref="{area_name(formula.array)}">{escape_formula(formula.text)}</f>'.encode()
    return f"<f>{escape_formula(text_at(formula, row, column))}</f>".encode()
