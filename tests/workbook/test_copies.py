"""A workbook's copy is as the workbook is, and changes by itself; cells are marked as they are set, whatever the order."""

from dataclasses import fields

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from books import full_book
from richbook import rich_file
from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.workbook import Sheet, Workbook, edit
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.edit.propagate import follow
from tinquire.workbook.edit.sample_rows import Grown
from tinquire.workbook.grid.changed_cells import ChangedCells
from tinquire.workbook.grid.sheet import SheetFrame
from tinquire.workbook.sheet_xml import changed_part
from tinquire.workbook.transform.fill_texts import fill_texts

CHANGES = {
    "a text": lambda book: book.sheet("Data").set(2, 1, "new text"),
    "many values": lambda book: book.sheet("Data").put(2, 2, Column.of_numbers([7.0, 8.0, 9.0])),
    "a formula": lambda book: book.sheet("Lists").set(5, 1, None, formula="Data!B2+1"),
    "a width": lambda book: book.sheet("Data").widths.update({1: 33.0}),
    "rows put in": lambda book: edit.insert_rows(book, "Data", 3, 2),
    "rows taken out": lambda book: edit.delete_rows(book, "Data", 3, 1),
    "a sheet renamed": lambda book: edit.rename_sheet(book, "Lists", "Words"),
    "a sheet copied": lambda book: edit.copy_sheet(book, "Data", "Data again"),
    "a name": lambda book: set_name(book, "fresh", "Data!$A$1:$A$2"),
    "results": lambda book: (book.sheet("Data").set(2, 2, 50.0), recalculate(book)),
    "a style": lambda book: book.sheet("Data").set(2, 1, "x", len(book.styles) - 1),
}


@pytest.fixture(scope="module")
def rich(tmp_path_factory):
    path = tmp_path_factory.mktemp("rich") / "rich.xlsx"
    rich_file(path)
    return path.read_bytes()


def opened(data):
    return Workbook.from_bytes(data, "rich.xlsx")


@pytest.mark.parametrize("loaded", [False, True])
@pytest.mark.parametrize("label", CHANGES)
def test_a_copy_changes_by_itself(rich, label, loaded):
    book, alone = opened(rich), opened(rich)
    if loaded:
        list(book.sheets())
    copies = [book.copy(), book.copy()]
    assert all(copy.is_as(book) for copy in copies)
    CHANGES[label](copies[0])
    CHANGES[label](alone)
    assert not copies[0].is_as(book) and copies[1].is_as(book) and book.is_as(copies[1])
    wanted = alone.to_bytes()
    assert copies[0].to_bytes() == wanted
    copies[1].become(copies[0])
    assert copies[1].to_bytes() == wanted
    assert book.to_bytes() == opened(rich).to_bytes()


@pytest.mark.parametrize("first", CHANGES)
def test_a_copy_takes_what_is_not_written_yet(rich, first):
    """Whatever was done before the copy is made, and not written, is in it; and done to it alone afterwards."""
    book, alone = opened(rich), opened(rich)
    for one in (book, alone):
        CHANGES[first](one)
    copy = book.copy()
    for one in (copy, alone):
        one.sheet("Data").set(4, 2, 99.0)
    assert copy.to_bytes() == alone.to_bytes()
    again = opened(rich)
    CHANGES[first](again)
    assert book.to_bytes() == again.to_bytes()


@pytest.mark.parametrize("label", CHANGES)
def test_the_plan_of_a_copy_is_its_own_where_its_formulas_are(rich, label):
    """A plan is kept for copies whose formulas stand as they stood; what comes of others is what comes without it."""
    book, alone = opened(rich), opened(rich)
    for one in (book, alone):
        one.sheet("Lists").set(2, 2, 5.0)  # a formula that reads another workbook
    recalculate(book.copy())
    copy = book.copy()
    for one in (copy, alone):
        CHANGES[label](one)
        recalculate(one)
    assert book.worked_out and copy.to_bytes() == alone.to_bytes()


def test_styles_that_are_not_written_keep_a_copy_from_being_made():
    book = full_book()
    with pytest.raises(ValueError, match="styles were changed"):
        book.copy()


LARGE = {
    "rows put in": lambda book: edit.insert_rows(book, "Data", 3, 2),
    "rows grown": lambda book: follow(book, Grown("Data", Area(2, 1, 4, 3), 9)),
    "a sheet renamed": lambda book: edit.rename_sheet(book, "Data", "Rows"),
    "texts filled": lambda book: fill_texts(book, lambda slot: "filled"),
}


@pytest.mark.parametrize("formula", [None, "Data!B2*2"])
@pytest.mark.parametrize("label", LARGE)
def test_what_is_known_of_a_packed_part_is_what_is_in_it(rich, label, formula):
    """A part that was put packed tells what stands around its cells: what follows a change is the same without it."""
    made = []
    for large in (0, 1 << 30):
        book = opened(rich)
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(changed_part, "LARGE_PART", large)
            for name in ("Data", "Lists"):
                sheet = book.sheet(name)
                sheet.put(20, 7, Column.from_values(["[:slot:]", 1.0, 2.0]))
                if formula is not None:
                    sheet.set(21, 8, None, formula=formula)
            book.settle()
            outlines = [book.package.outline(entry.part) for entry in book.entries[:2]]
            assert all((one is None) == (large > 0) for one in outlines)
            LARGE[label](book)
            made.append({name: book.package.read(name) for name in book.package.names()})
    assert made[0] == made[1]


MARKS = st.lists(
    st.tuples(
        st.integers(1, 3),
        st.one_of(
            st.tuples(st.integers(1, 60), st.integers(1, 30)).map(lambda run: list(range(run[0], sum(run)))),
            st.lists(st.integers(1, 1 << 20), min_size=1, max_size=6, unique=True).map(sorted),
        ),
        st.booleans(),
    ),
    max_size=7,
)


@settings(max_examples=150, deadline=None)
@given(MARKS, st.integers(0, 7))
def test_changed_cells_are_those_that_were_marked(marks, asked_after):
    cells: dict[int, dict[int, bool]] = {}
    changed = ChangedCells()
    for number, (column, rows, formulas) in enumerate(marks):
        changed.add(column, rows, formulas=formulas)
        for row in rows:
            cells.setdefault(column, {})[row] = cells.get(column, {}).get(row, False) or formulas
        if number == asked_after:
            len(changed)
            changed = changed.copy()
    found = {
        column: dict(zip(rows.tolist(), fresh.tolist(), strict=True))
        for column, (rows, fresh) in changed.by_column().items()
    }
    assert found == cells and bool(changed) == bool(cells)
    assert all(list(rows) == sorted(rows) for rows in found.values())
    assert list(changed) == sorted(
        (row, column, fresh) for column, rows in cells.items() for row, fresh in rows.items()
    )


AROUND = {
    "merged": lambda sheet: sheet.merged.append(Area(1, 1, 2, 2)),
    "widths": lambda sheet: sheet.widths.update({3: 12.0}),
    "heights": lambda sheet: sheet.heights.update({3: 12.0}),
    "hidden_rows": lambda sheet: sheet.hidden_rows.add(4),
    "hidden_columns": lambda sheet: sheet.hidden_columns.add(4),
    "frozen": lambda sheet: setattr(sheet, "frozen", (1, 3)),
    "gridlines": lambda sheet: setattr(sheet, "gridlines", not sheet.gridlines),
    "landscape": lambda sheet: setattr(sheet, "landscape", not sheet.landscape),
    "repeat_rows": lambda sheet: setattr(sheet, "repeat_rows", (1, 7)),
}


def test_a_sheet_stands_in_its_frame_until_one_part_of_that_changes(rich):
    assert set(AROUND) == {item.name for item in fields(SheetFrame)}
    for change in AROUND.values():
        sheet = opened(rich).sheet("Data")
        frame = sheet.frame()
        assert sheet.stands_in(frame) and not sheet.stands_in(None)
        change(sheet)
        assert not sheet.stands_in(frame) and sheet.frame() != frame and sheet.stands_in(sheet.frame())


@settings(max_examples=60, deadline=None)
@given(st.lists(st.lists(st.sampled_from([None, 1.5, -0.0, "tea", "", True]), min_size=3, max_size=3), min_size=1, max_size=4), st.booleans(), st.integers(1, 5))  # fmt: skip
def test_columns_set_together_are_set_one_by_one(values, loaded, row):
    made = []
    for together in (True, False):
        sheet = Sheet("S", loaded=loaded)
        sheet.put(1, 1, Column.from_values(["a", 2.0, None, "b"]), 4)
        columns = {number: Column.from_values(listed) for number, listed in enumerate(values, start=1)}
        if together:
            sheet.store_beside(row, columns)
        else:
            for number, column in columns.items():
                sheet.store(row, number, column)
        cells = {number: sheet.column(number, 1, 9).to_list() for number in sheet.columns}
        made.append((cells, list(sheet.changed), {number: sheet.styles(number, 1, 9).tolist() for number in cells}))
    assert made[0] == made[1]
