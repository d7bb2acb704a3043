"""Sheet parts in all plain forms, as strategies, and whether two readings of one are the same."""

from __future__ import annotations

import numpy as np
from hypothesis import strategies as st

from parts import MAIN
from tinquire.cells.address import cell_name
from tinquire.cells.dates import DateSystem
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.sheet_xml.reader import SheetReader

SHARED = ["tin", "quire", "linen"]


def part(rows, before="", after="", head='<?xml version="1.0" encoding="UTF-8"?>'):
    return f'{head}<worksheet xmlns="{MAIN}">{before}<sheetData>{rows}</sheetData>{after}</worksheet>'.encode()


def careful(data):
    return SheetReader("S", SHARED, DateSystem.FROM_1900, "f").read(data)


def formula_at(sheet, row, column):
    """A cell's formula as the cell reads it: several cells may share one that was written in another."""
    formula = sheet.formula(row, column)
    return formula and (text_at(formula, row, column), formula.array, formula.kept)


def same(one, other):
    """Whether two sheets hold the same, cell for cell."""
    if (
        one.columns.keys() != other.columns.keys()
        or one.heights != other.heights
        or one.hidden_rows != other.hidden_rows
    ):
        return False
    for number, cells in one.columns.items():
        twin = other.columns[number]
        if not all(
            np.array_equal(a, b)
            for a, b in ((cells.rows, twin.rows), (cells.kinds, twin.kinds), (cells.styles, twin.styles))
        ):
            return False
        last = int(cells.rows[-1])
        if one.column(number, 1, last).to_list() != other.column(number, 1, last).to_list():
            return False
        if [formula_at(one, int(row), number) for row in cells.rows] != [
            formula_at(other, int(row), number) for row in cells.rows
        ]:
            return False
    return True


numbers = st.one_of(
    st.integers(-(10**16), 10**16).map(str),
    st.floats(allow_nan=False, allow_infinity=False).map(repr),
    st.sampled_from(
        [
            "",
            "0",
            "-0",
            ".5",
            "5.",
            "1e5",
            "1E+300",
            "+3",
            " 7 ",
            "007",
            "0.1",
            "123456789012345",
            "1234567890123456",
            "-",
            "1.2.3",
            "x",
        ]
    ),
)
plain_texts = st.text(st.sampled_from("ab <&>\"'=_x000D_é\n"), max_size=6)


def escaped(text):
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


contents = st.one_of(
    numbers.map(lambda text: ("", f"<v>{text}</v>")),
    st.integers(0, 4).map(lambda code: (' t="s"', f"<v>{code}</v>")),
    plain_texts.map(lambda text: (' t="str"', f"<v>{escaped(text)}</v>")),
    st.sampled_from([(' t="b"', "<v>1</v>"), (' t="e"', "<v>#N/A</v>"), (' t="e"', "<v>#WHO!</v>"), (' t="d"', "<v>2026-10-01</v>"), (' t="str"', "")]),
    plain_texts.map(lambda text: ("", f"<f>{escaped(text)}</f><v>3</v>")),
    st.sampled_from(
        [("", '<f t="shared" ref="A1:A9" si="0">B1+1</f><v>1</v>'), ("", '<f t="shared" si="0"/><v>2</v>'), ("", '<f t="array" ref="A1:B2">B1</f>'),
         (' t="str"', '<f t="shared" si="1"></f><v>x</v>'), ("", '<f ca="1">1&gt;2</f>'), ("", "<f>1+\r\n2*\r3</f><v>7</v>"), (' t="str"', "<f>4&#13;</f><v>a\rb</v>"), ("", ""), (' t="inlineStr"', "<is><t>in</t></is>"), (' t="inlineStr"', '<is><t xml:space="preserve"> a&amp;b_x000D_</t></is>'),
         (' t="inlineStr"', "<is><t/></is>"), (' t="inlineStr"', "<is></is>"), (' t="inlineStr"', "<v>1</v>"), ("", "<is><t>x</t></is>"), (' t="s"', "<is><t>y</t></is>"),
         ("", "<v>1</v><extLst/>")]
    ),
)  # fmt: skip
cells = st.tuples(st.integers(1, 30), st.sampled_from(["", ' s="3"', ' s="12" cm="1"']), contents, st.booleans())
row_marks = st.sampled_from(
    ["", ' spans="1:9"', ' ht="20.5" customHeight="1"', ' hidden="1"', ' ht="15" s="2" customFormat="1"']
)


def markup(rows):
    lines = []
    for number, (mark, entries) in enumerate(rows, start=1):
        done = set()
        line = ""
        for column, style, (form, inner), alone in entries:
            if column in done:
                continue
            done.add(column)
            name = cell_name(number * 7, column)
            line += (
                f'<c r="{name}"{style}{form}/>' if not inner and alone else f'<c r="{name}"{style}{form}>{inner}</c>'
            )
        lines.append(f'<row r="{number * 7}"{mark}>{line}</row>')
    return "".join(lines)
