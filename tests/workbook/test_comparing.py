"""Comparing: each change is one difference, of its kind, at its place."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from richbook import rich_file
from tinquire.cells import Column
from tinquire.looks import Variation
from tinquire.workbook import Sheet, Workbook, edit
from tinquire.workbook.inspect.align import align
from tinquire.workbook.inspect.compare import compare, line_list


def _set(book, sheet, row, column, value, formula=None):
    opened = book.sheet(sheet)
    opened.set(row, column, value, opened.style(row, column), formula)


def _look(book):
    sheet = book.sheet("Data")
    sheet.dress(3, 2, book.styles.vary(0, Variation(bold=True, fill="F4EFE6", format="0.00")))


#: What was done to the workbook, and all differences: `sheet cell kind was > is`, and the other findings.
CASES = {
    "nothing": (lambda book: None, []),
    "a value": (lambda book: _set(book, "Data", 3, 2, 7.0), ["Data B3 value 3 > 7"]),
    "a kind": (lambda book: _set(book, "Data", 3, 2, "3"), ["Data B3 value 3 (number) > 3 (text)"]),
    "a formula": (lambda book: _set(book, "Data", 3, 3, 6.0, "B3*3"), ["Data C3 formula =B3*2 > =B3*3"]),
    "a formula lost": (lambda book: _set(book, "Data", 3, 3, 6.0), ["Data C3 formula =B3*2 > a value"]),
    "a look": (_look, ["Data B3 look format General, bold no, fill none > format 0.00, bold yes, fill F4EFE6"]),
    "rows inserted": (
        lambda book: edit.insert_rows(book, "Data", 3, 2),
        ["Data rows in 3 to 4"],  # its break moved with them
    ),
    "a row gone": (
        lambda book: edit.delete_rows(book, "Data", 3),
        ["Data rows gone 3", "Data also links: 2 before, 1 now", "Data also comments: 1 before, 0 now"],
    ),
    "a column inserted": (
        lambda book: edit.insert_columns(book, "Data", 2),
        ["Data columns in B", "Data also table 'Things': with Column 1"],
    ),
    "a sheet renamed": (lambda book: edit.rename_sheet(book, "Data", "Figures"), ["Figures also its name was 'Data'"]),
    "a sheet gone": (lambda book: edit.delete_sheets(book, ["Pivot"]), ["removed Pivot"]),
    "a sheet inserted": (lambda book: book.add_sheet(Sheet("More")), ["inserted More"]),
    "sheets moved": (
        lambda book: edit.move_sheet(book, "Pivot", 1),
        ["the sheets were in the order Data, Lists, Pivot, and are in Pivot, Data, Lists"],
    ),
    "a sheet hidden": (lambda book: edit.hide_sheet(book, "Lists"), ["Lists also it was visible, and is hidden"]),
    "a name": (lambda book: edit.set_name(book, "Rate", "0.3"), ["Rate was 0.2, and is 0.3"]),
    "a name gone": (lambda book: edit.set_name(book, "Rate", None), ["Rate = 0.2 was removed"]),
    "a name new": (lambda book: edit.set_name(book, "Vat", "1"), ["Vat = 1 is new"]),
}  # fmt: skip


def said(comparison):
    lines = [f"inserted {name}" for name in comparison.inserted] + [f"removed {name}" for name in comparison.removed]
    for sheet in comparison.sheets:
        one = sheet.alignment
        for word, numbers, rows in (("rows in", one.new_rows, True), ("rows gone", one.old_rows, True),
                                    ("columns in", one.new_columns, False), ("columns gone", one.old_columns, False)):  # fmt: skip
            if numbers:
                lines.append(f"{sheet.name} {word} {line_list(numbers, rows=rows)}")
        lines += [f"{sheet.name} {cell.cell} {cell.kind} {cell.was} > {cell.now}" for cell in sheet.cells]
        lines += [f"{sheet.name} also {text}" for text in sheet.structure]
    return lines + comparison.names + comparison.structure


@pytest.mark.parametrize("label", CASES)
def test_each_change_is_one_difference(label, tmp_path):
    change, expected = CASES[label]
    old = rich_file(tmp_path / "old.xlsx")
    book = Workbook.open(old)
    change(book)
    book.save(tmp_path / "new.xlsx")
    found = said(compare(Workbook.open(old), Workbook.open(tmp_path / "new.xlsx")))
    assert sorted(found) == sorted(filter(None, expected))


def sheet_of(rows):
    sheet = Sheet("S")
    for number, column in enumerate(zip(*rows, strict=True), start=1):
        sheet.put(1, number, Column.from_values(column))
    return sheet


row = st.tuples(st.integers(0, 10**6), st.text("abc", max_size=3), st.integers(0, 10**6))


@settings(max_examples=60)
@given(st.lists(row, min_size=3, max_size=20, unique_by=lambda one: one[0]), st.data())
def test_inserted_rows_and_taken_out_are_found(rows, data):
    """The pairs are those that were left, when no two rows are alike."""
    gone = data.draw(st.sets(st.integers(0, len(rows) - 1), max_size=len(rows) - 2))
    fresh = data.draw(
        st.lists(
            st.tuples(st.integers(2 * 10**6, 3 * 10**6), st.just("x"), st.integers(2 * 10**6, 3 * 10**6)), max_size=4
        )
    )
    left = [one for n, one in enumerate(rows) if n not in gone]
    at = data.draw(st.integers(0, len(left)))
    found = align(sheet_of(rows), sheet_of(left[:at] + fresh + left[at:]))
    new = [*range(1, at + 1), *range(at + len(fresh) + 1, len(left) + len(fresh) + 1)]
    old = [n + 1 for n in range(len(rows)) if n not in gone]
    certain = [pair for pair in found.rows if pair[0] in old]
    if len(found.columns) == 3:
        assert set(zip(old, new, strict=True)) >= set(certain) or not fresh or not gone
        assert all(a1 < a2 and b1 < b2 for (a1, b1), (a2, b2) in zip(found.rows, found.rows[1:], strict=False))


def test_a_large_sheet_that_changed_all_over_is_compared_in_order():
    one = sheet_of([(float(n), "same", "also") for n in range(400)])
    other = sheet_of([(n + 0.5, "same", "also") for n in range(400)])
    assert align(one, other).rows == tuple((n, n) for n in range(1, 401))
