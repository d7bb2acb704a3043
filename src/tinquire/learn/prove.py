"""Steps replayed on the state before: do they give the state after, cell for cell and look for look?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice, product

import numpy as np

from tinquire.amend.change import NotAsExpectedError, apply_amendments
from tinquire.cells.address import cell_name, column_name
from tinquire.cells.values import Value
from tinquire.formula.language.mentions import change_mentions, relative_form
from tinquire.learn.details import other_details
from tinquire.learn.edges import Seen, without_edges
from tinquire.learn.session import Session
from tinquire.learn.steps import Learned, Step, bound
from tinquire.looks import Edges
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.inspect.contents import BookDetails

__all__ = [
    "best_readings",
    "changed_cells",
    "differences",
    "has_formulas",
    "prove",
    "replayed",
    "reread",
    "same_formula",
]

#: More differences than these are counted.
_TOLD = 40
#: More are not even looked for.
_MANY = 20_000
#: Readings of all steps together that are tried.
_TRIED = 60
_CLOSE = 1e-12
_NO_EDGES = Edges()


def replayed(data: bytes, name: str, steps: Sequence[Step], home: str | None = None) -> Workbook:
    """A workbook with steps done to it. Raises NotAsExpectedError for one that finds something else."""
    book = Workbook.from_bytes(data, name)
    apply_amendments(book, bound([step.amendment for step in steps], _home(book, home)))
    return reread(book)


def reread(book: Workbook) -> Workbook:
    """A workbook as it will be read: what was set in memory is written and read again."""
    return Workbook.from_bytes(book.to_bytes(), book.name)


def _home(book: Workbook, home: str | None) -> str | None:
    """The sheet that steps are about which do not name one: the one of that name, or the only one."""
    if home is None or home in book.sheet_names():
        return home
    return book.sheet_names()[0] if len(book.sheet_names()) == 1 else None


def prove(done: Workbook, after: Workbook, learned: Learned) -> None:
    """Note in `learned` where a workbook with its steps done is not the state after."""
    found = [
        f"sheet '{sheet}' is {'new' if sheet in after.sheet_names() else 'gone'}"
        for sheet in sorted({*done.sheet_names()} ^ {*after.sheet_names()})
    ]
    details = BookDetails(done), BookDetails(after)
    for sheet in after.sheet_names():
        if sheet in done.sheet_names():
            found += differences(done, after, sheet, sheet, _MANY)
            found += [f"sheet '{sheet}', {words}" for words in other_details(*details, sheet)]
    learned.unexplained += found[:_TOLD]
    if len(found) > _TOLD:
        learned.unexplained.append(f"and {len(found) - _TOLD:,} cells more")


def differences(one: Workbook, other: Workbook, old: str, new: str, most: int = 1 << 30) -> Iterator[str]:
    """What differs between a sheet of one workbook and one of another: values, formulas, looks, widths, panes. After
    `most` of them no further column is looked at."""
    was, now = one.sheet(old), other.sheet(new)
    for row, column, words in changed_cells(one, other, was, now, most):
        yield f"sheet '{new}', {cell_name(row, column)} {words}"
    for column in sorted(({*was.widths} | {*now.widths}) - now.hidden_columns):
        if abs(was.widths.get(column, 0) - now.widths.get(column, 0)) > 0.01:
            yield f"sheet '{new}', the width of column {column_name(column)}"
    # Those that somebody set; others follow what the rows hold.
    for row in sorted({*was.heights} | {*now.heights}):
        if abs(was.heights.get(row, 0) - now.heights.get(row, 0)) > 0.01:
            yield f"sheet '{new}', the height of row {row}"
    for part, words in _SETTINGS.items():
        if getattr(was, part) != getattr(now, part):
            yield f"sheet '{new}', {words}"
    if sorted(was.merged) != sorted(now.merged):
        yield f"sheet '{new}', merged cells"
    if [(table.name, table.area) for table in was.tables] != [(table.name, table.area) for table in now.tables]:
        yield f"sheet '{new}', its tables"


#: Cells of a column that are so many rows from each other are looked at apart.
_APART = 64
#: What is set of a sheet as a whole, in words.
_SETTINGS = {
    "frozen": "what is frozen", "gridlines": "whether the grid is shown", "hidden_columns": "hidden columns",
    "hidden_rows": "hidden rows", "state": "whether it is hidden",
}  # fmt: skip


def changed_cells(
    one: Workbook, other: Workbook, was: Sheet, now: Sheet, most: int = 1 << 30
) -> list[tuple[int, int, str]]:  # fmt: skip
    """Row, column and what differs of each cell that holds something else, or looks different."""
    areas = [area for area in (was.used, now.used) if area is not None]
    bottom, right = (max((getattr(area, side) for area in areas), default=0) for side in ("bottom", "right"))
    told: list[tuple[int, int, str]] = []
    lines = Seen()
    held = {*was.columns, *now.columns}
    for column in sorted({near for one in held for near in (one - 1, one, one + 1) if 1 <= near <= right}):
        lined = _is_lined((one, was), column, bottom) or _is_lined((other, now), column, bottom)
        for run in _runs((was, now), column, bottom):
            told += islice(_in_run((one, other), (was, now), column, run, lines if lined else None), most + 1)
        if len(told) > most:
            break
    return sorted(told)


def _runs(sheets: tuple[Sheet, Sheet], column: int, bottom: int) -> list[tuple[int, int]]:
    """First and last of rows in which a column or one beside it has cells in either sheet, with a row above and below
    them: its cells may show the lines of those around. Cells far from each other are in runs of their own."""
    found: list[tuple[int, int]] = []
    for cells in (sheet.columns.get(near) for sheet in sheets for near in (column - 1, column, column + 1)):
        if cells is not None and len(cells.rows):
            rows = cells.rows
            has_gaps = int(rows[-1]) - int(rows[0]) >= len(rows)
            cuts = np.flatnonzero(np.diff(rows) > _APART) if has_gaps else np.zeros(0, np.int64)
            firsts, lasts = rows[np.append(0, cuts + 1)], rows[np.append(cuts, len(rows) - 1)]
            found += zip((firsts - 1).tolist(), (lasts + 1).tolist(), strict=True)
    runs: list[tuple[int, int]] = []
    for first, last in sorted(found):
        if runs and first <= runs[-1][1] + 1:
            runs[-1] = (runs[-1][0], max(runs[-1][1], last))
        else:
            runs.append((first, last))
    return [(max(first, 1), min(last, bottom)) for first, last in runs if first <= bottom]


def _is_lined(one: tuple[Workbook, Sheet], column: int, bottom: int) -> bool:
    """Whether any cell of a column has lines of its own."""
    book, sheet = one
    cells = sheet.columns.get(column)
    if cells is None:
        return False
    used = np.unique(cells.styles[cells.places(1, bottom)])
    return any(book.styles.appearance(int(style)).edges != _NO_EDGES for style in used)


def _in_run(
    books: tuple[Workbook, Workbook], sheets: tuple[Sheet, Sheet], column: int, run: tuple[int, int],
    lines: Seen | None,
) -> Iterator[tuple[int, int, str]]:  # fmt: skip
    was, now = sheets
    rows = set()
    for row in _other_values(was, now, column, run):
        words = None if row in rows else _cell(was, now, row, column)
        rows.add(row)
        if words is not None:
            yield row, column, words
    for row in _other_looks(books, sheets, column, run, lines):
        if row not in rows or _cell(was, now, row, column) is None:
            yield row, column, "looks different"


def _other_values(was: Sheet, now: Sheet, column: int, run: tuple[int, int]) -> Iterator[int]:
    """Rows in which a column's cells hold something else, or a formula in either that the other has not."""
    values = [sheet.column(column, *run).to_list() for sheet in (was, now)]
    if values[0] != values[1] or bool in set(map(type, values[0])):
        pairs = enumerate(zip(*values, strict=True), run[0])
        yield from (row for row, (a, b) in pairs if a != b or type(a) is not type(b))
    if has_formulas(was, column) or has_formulas(now, column):
        forms = _forms((was, now), column, run)
        yield from (np.flatnonzero(forms[0] != forms[1]) + run[0]).tolist()


def _forms(sheets: tuple[Sheet, Sheet], column: int, run: tuple[int, int]) -> np.ndarray:
    """A number for the formula of each of a column's cells in two sheets, seen from the cell; 0 without one."""
    known: dict[tuple[object, ...], int] = {}
    top, bottom = run
    found = np.zeros((2, bottom - top + 1), np.int64)
    for line, sheet in zip(found, sheets, strict=True):
        cells = sheet.columns.get(column)
        for first, last, number in cells.formula_runs() if cells is not None else ():
            if last >= top and first <= bottom:
                formula = sheet.formulas[number]
                form = relative_form(text_at(formula, first, column), first, column)
                line[max(first - top, 0) : last - top + 1] = known.setdefault(form, len(known) + 1)
    return found


def same_formula(sheet: Sheet, column: int, rows: Sequence[int]) -> str | None:
    """The formula of a column's cells in some rows, as the first of them reads it; None where they have not all the
    same, or one is an array formula."""
    wanted, form, covered = set(rows), None, 0
    cells = sheet.columns.get(column)
    for first, last, number in cells.formula_runs() if cells is not None else ():
        inside = sum(1 for row in range(first, last + 1) if row in wanted)
        formula = sheet.formulas[number]
        if not inside:
            continue
        own = relative_form(text_at(formula, first, column), first, column)
        if formula.array is not None or (form is not None and form != own):
            return None
        form, covered = own, covered + inside
    one = sheet.formula(rows[0], column)
    return text_at(one, rows[0], column) if covered == len(rows) and one is not None else None


def has_formulas(sheet: Sheet, column: int) -> bool:
    cells = sheet.columns.get(column)
    return cells is not None and bool((cells.formulas != NO_FORMULA).any())


def _other_looks(
    books: tuple[Workbook, Workbook], sheets: tuple[Sheet, Sheet], column: int, run: tuple[int, int],
    lines: Seen | None,
) -> list[int]:  # fmt: skip
    """Rows in which a column's cells look different: each pair of styles is compared once, lines as they are seen,
    where the column has any."""
    pairs = np.stack([sheet.styles(column, *run) for sheet in sheets])
    kinds, places = np.unique(pairs, axis=1, return_inverse=True)
    looks = [
        (books[0].styles.appearance(int(a)), books[1].styles.appearance(int(b))) for a, b in kinds.T
    ]  # fmt: skip
    places = places.reshape(-1)
    differ = np.array([without_edges(a) != without_edges(b) for a, b in looks], bool)[places]
    if lines is not None:
        seen = [lines.around(book, sheet, column, *run) for book, sheet in zip(books, sheets, strict=True)]
        differ = differ | (seen[0] != seen[1]).any(axis=0)
    return [int(row) + run[0] for row in np.flatnonzero(differ)]


def _cell(was: Sheet, now: Sheet, row: int, column: int) -> str | None:
    """What differs in what a cell holds, in words; None where nothing does. Results of one formula are not compared:
    they are worked out anew. Dollar signs make no other formula: the same cells are read."""
    formulas = [sheet.formula(row, column) for sheet in (was, now)]
    texts = [None if one is None else text_at(one, row, column) for one in formulas]
    if texts[0] != texts[1] and (None in texts or _plain(texts[0]) != _plain(texts[1])):
        return f"holds {_shown(texts[1], now.value(row, column))}, not {_shown(texts[0], was.value(row, column))}"
    a, b = was.value(row, column), now.value(row, column)
    if texts[0] is None and not _same(a, b):
        return f"holds {_shown(None, b)}, not {_shown(None, a)}"
    return None


def _same(one: Value, other: Value) -> bool:
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= _CLOSE * max(1.0, abs(other))
    return (type(one), one) == (type(other), other) or (one in (None, "") and other in (None, ""))


def _plain(text: str | None) -> str:
    """A formula's text without the dollar signs of its references, and without spaces after commas."""
    return change_mentions(text or "", lambda mention: mention.text().replace("$", "")).replace(", ", ",")


def _shown(formula: str | None, value: Value) -> str:
    return f"={formula}" if formula is not None else "nothing" if value is None else repr(value)


def best_readings(session: Session, also: Sequence[tuple[bytes, Workbook]]) -> Learned:
    """The steps of a session, proved: done to the state before they give the state after. Of steps that can be read in
    several ways the readings are taken that explain further pairs, too, the plainest where several do. What is not
    explained is noted."""
    learned = session.learned
    prove(reread(session.work), session.after, learned)
    if not also:
        return learned
    best: Learned | None = None
    for tried, steps in enumerate(product(*(step.readings() for step in learned.steps))):
        if tried >= _TRIED:
            break
        found = Learned(list(steps), home=learned.home)
        # The first readings were proved on their own pair while they were found.
        own = [(session.data, session.after)] if tried else []
        for content, wanted in (*own, *also):
            try:
                prove(replayed(content, session.name, steps, learned.home), wanted, found)
            except NotAsExpectedError as error:
                found.unexplained.append(f"the steps cannot be replayed: {error}")
            if best is not None and len(found.unexplained) >= len(best.unexplained):
                break
        if not tried:
            found.unexplained += learned.unexplained
        if best is None or len(found.unexplained) < len(best.unexplained):
            best = found
        if best.is_whole:
            break
    assert best is not None
    return best
