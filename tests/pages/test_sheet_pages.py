"""Whole sheets on pages: every cell once, nothing outside the margins, texts as displayed and in reading order."""

import io
from datetime import UTC, datetime

import numpy as np
import pypdfium2
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from hardsheet import CELLS, hard_book
from parts import MAIN, TYPE
from pdftree import tree_of
from tinquire.base.faults import DataError
from tinquire.cells import Column
from tinquire.cells.address import Area
from tinquire.cells.display import show
from tinquire.charts import Chart, Series
from tinquire.looks import Appearance, Edge, Edges
from tinquire.pages.document import About, Part, lay_out, sheet_of_file
from tinquire.pages.pdf import pdf_of
from tinquire.pages.primitives import Areas, Bookmark, Box, Lines, Link, Text, Window, all_items
from tinquire.pages.primitives import Chart as DrawnChart
from tinquire.pages.sheet_layout import Asked
from tinquire.pages.typefaces import Typefaces
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.frames import CellLink, CellNote, Frame
from tinquire.workbook.grid.marks import Bars, Mark, Signs, Threshold
from tinquire.workbook.grid.page_setup import PageSetup

NOW = datetime(2026, 11, 3, 9, tzinfo=UTC)
A4 = (595.28, 841.89)


def book_with(fill, name="S", **page):
    """A saved workbook with one sheet, as a file has it."""
    book = Workbook.new("DejaVu Sans", 10)
    sheet = Sheet(name, page=PageSetup(margins=(0.7, 0.7, 0.75, 0.75, 0.3, 0.3), paper=9, **page))
    fill(sheet, book)
    book.add_sheet(sheet)
    return Workbook.from_bytes(book.to_bytes(), "b.xlsx")


def numbers(rows, columns):
    def fill(sheet, book):
        for column in range(1, columns + 1):
            sheet.put(1, column, Column.from_values([float(row * 1000 + column) for row in range(1, rows + 1)]))

    return fill


def layout_of(book, **asked):
    notes = []
    return sheet_of_file(Part(book, (), Asked(**asked)), book.first_sheet(), Typefaces(), NOW, notes.append)


def texts_of(page):
    """Text and place on the page of every text, also of those in windows."""
    found = []
    for item in page.items:
        if isinstance(item, Text):
            found.append((item.text, item.x, item.y, item.width))
        elif isinstance(item, Window):
            (x, y), scale = item.origin, item.scale
            found += [
                (one.text, x + one.x * scale, y + one.y * scale, one.width * scale)
                for one in all_items(item.items)
                if isinstance(one, Text)
            ]
    return found


def words_of(data, page=0):
    document = pypdfium2.PdfDocument(data)
    return document[page].get_textpage().get_text_bounded()


# -- every cell once -------------------------------------------------------------------------------------


@settings(max_examples=40, deadline=None)
@given(
    st.integers(1, 160), st.integers(1, 24), st.sampled_from([None, (1, 0), (0, 1), (1, 1), (2, 2)]), st.sampled_from([40, 100, 150]),
    st.booleans(), st.sets(st.integers(1, 150), max_size=3), st.sampled_from([None, (1, 2)]),
)  # fmt: skip
def test_every_cell_is_on_exactly_one_page(rows, columns, fit, scale, across_first, breaks, repeated):
    def fill(sheet, book):
        numbers(rows, columns)(sheet, book)
        sheet.repeat_rows = repeated
        sheet.widths = {column: 6.0 + column % 5 * 4 for column in range(1, columns + 1)}

    page = {"fit": fit} if fit else {"scale": scale}
    layout = layout_of(book_with(fill, across_first=across_first, row_breaks=tuple(sorted(breaks)), **page))
    pages = list(layout.pages())
    seen = np.zeros((rows + 1, columns + 1), int)
    for one in pages:
        seen[one.area.top : one.area.bottom + 1, one.area.left : one.area.right + 1] += 1
        body = [text for part, clip in one.parts if part == one.area for text in [part]]
        assert len(body) == 1, "the cells of a page are in one window"
    assert (seen[1:, 1:] == 1).all()
    if fit is not None and fit[0]:
        assert len({one.area.left for one in pages}) <= fit[0] or layout.scale == 0.1
    if fit is not None and fit[1] and not breaks:
        assert len({one.area.top for one in pages}) <= fit[1] or layout.scale == 0.1
    order = [(one.area.top, one.area.left) for one in pages]
    assert order == sorted(order, key=None if across_first else lambda place: place[::-1])
    left, right, top, bottom = (inches * 72 for inches in (0.7, 0.7, 0.75, 0.75))
    for one in pages:
        for part, clip in one.parts:
            alone = part.height == 1 or part.width == 1
            assert clip.x >= left - 0.01 and clip.top <= A4[1] - top + 0.01
            assert (clip.right <= A4[0] - right + 0.05 and clip.y >= bottom - 0.05) or alone or layout.scale == 0.1
        for _, x, y, _ in texts_of(one.page):
            assert left - 1 <= x and y <= A4[1] - top + 1
    if repeated and rows > 2:
        later = [one for one in pages if one.area.top > 2]
        assert all(any(part.top == 1 and part.bottom == 2 for part, _ in one.parts) for one in later)


@settings(max_examples=15, deadline=None)
@given(st.integers(1, 90), st.integers(1, 9), st.randoms())
def test_text_of_the_pdf_is_what_cells_display(rows, columns, chance):
    """In reading order: row by row, and from left to right."""
    formats = ["General", "#,##0.00", "0.0%", "d mmm yyyy", "0.00;[Red]-0.00"]

    def fill(sheet, book):
        styles = [book.styles.number(Appearance(format=code)) for code in formats]
        for column in range(1, columns + 1):
            values = [
                chance.choice([float(chance.randint(-999, 9999)), f"word{chance.randint(0, 99)}"]) for _ in range(rows)
            ]
            sheet.put(
                1,
                column,
                Column.from_values(values),
                np.array([styles[column % 5] if value != "d mmm yyyy" else 0 for value in values], np.int32),
            )
            sheet.widths[column] = 16.0

    book = book_with(fill, fit=(1, 0))
    document = lay_out([Part(book)], NOW, "t")
    pdf = pdf_of(document, NOW)
    found = " ".join(words_of(pdf, number) for number in range(len(document.pages))).split()
    sheet, wanted = book.sheet("S"), []
    for row in range(1, rows + 1):
        for column in range(1, columns + 1):
            code = book.styles.number_format(sheet.style(row, column))
            value = sheet.value(row, column)
            text = show(value, code).text
            wanted += text.split() if set(text) != {"#"} else []
    assert [word for word in found if set(word) != {"#"}] == wanted


def test_same_pages_give_the_same_bytes():
    book = book_with(numbers(60, 5), header="&L&D&R&P of &N")
    assert pdf_of(lay_out([Part(book)], NOW, "t"), NOW) == pdf_of(
        lay_out([Part(Workbook.from_bytes(book.to_bytes(), "b.xlsx"))], NOW, "t"), NOW
    )


# -- what is printed -------------------------------------------------------------------------------------


AREAS = [
    # the name for it, what was asked for, the areas
    (None, (), [(1, 1, 30, 4)]),
    ("S!$B$2:$C$9", (), [(2, 2, 9, 3)]),
    ("S!$A$1:$B$5,S!$D$1:$D$9", (), [(1, 1, 5, 2), (1, 4, 9, 4)]),
    ("S!$B:$C", (), [(1, 2, 30, 3)]),
    ("S!$3:$4", (), [(3, 1, 4, 4)]),
    ("OFFSET(S!$A$1,1,1,COUNT(S!$A:$A)-20,2)", (), [(2, 2, 11, 3)]),
    ("S!$B$2:$C$9", (Area(1, 1, 2, 2),), [(1, 1, 2, 2)]),
    ("S!$A$1:$C$60", (), [(1, 1, 60, 3)]),
]


@pytest.mark.parametrize(("name", "asked", "areas"), AREAS)
def test_what_is_printed(name, asked, areas):
    book = book_with(numbers(30, 4))
    if name is not None:
        set_name(book, "_xlnm.Print_Area", name, "S")
    assert [tuple(area) for area in layout_of(book, areas=asked).areas] == areas


def test_nothing_on_its_sheets():
    with pytest.raises(DataError, match="nothing"):
        lay_out([Part(book_with(lambda sheet, book: None))], NOW, "t")


SETUPS = [
    # what was asked for, page size in points
    ({}, A4),
    ({"landscape": True}, A4[::-1]),
    ({"paper": 1}, (612, 792)),
    ({"paper": 8, "landscape": True}, (1190.55, 841.89)),
]


@pytest.mark.parametrize(("asked", "size"), SETUPS)
def test_papers_as_asked(asked, size):
    (page, *_) = layout_of(book_with(numbers(3, 3)), **asked).pages()
    assert (page.page.width, page.page.height) == pytest.approx(size, abs=0.01)


def test_fitted_and_centred():
    wide = book_with(numbers(5, 30))
    assert len(list(layout_of(wide).pages())) > 1
    (page,) = layout_of(wide, fit="wide").pages()
    assert page.parts[0][1].width <= A4[0] - 2 * 0.7 * 72
    (centred,) = layout_of(book_with(numbers(5, 2), centred=(True, True))).pages()
    clip = centred.parts[0][1]
    assert clip.x + clip.width / 2 == pytest.approx(A4[0] / 2, abs=0.1)
    assert clip.y + clip.height / 2 == pytest.approx(A4[1] / 2, abs=0.1)


def test_names_of_lines_and_grid_lines():
    from hardsheet import hard_book

    options = '<printOptions headings="1" gridLines="1"/>'
    book = Workbook.from_bytes(hard_book(after=options), "b.xlsx")
    page = next(iter(layout_of(book).pages()))
    names = {item.text for item in page.page.items if isinstance(item, Text)}
    assert {"A", "B", "1", "22"} <= names
    assert any(isinstance(item, Lines) and len(item.ends) > 20 for item in all_items(page.page.items))


def test_pages_from_right_to_left():
    book = Workbook.from_bytes(hard_book(sheet_view=' rightToLeft="1"'), "b.xlsx")
    page = next(iter(layout_of(book, fit="page").pages()))
    places = {text: x for text, x, _, _ in texts_of(page.page)}
    assert places["hair"] > places["dotted"] > places["dashed"], "column A is at the right"


# -- cells -----------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def hard():
    layout = layout_of(Workbook.from_bytes(hard_book(), "b.xlsx"), fit="page")
    return layout, layout.painter.paint(Area(1, 1, 22, 8))


def of(items, text):
    return next(item for item in items if isinstance(item, Text) and item.text == text)


ALIGNED = [
    # text of the cell, its column, how it stands in it
    ("next", 2, "left"),
    ("centre", 3, "middle"),
    ("TRUE", 5, "middle"),
    ("#N/A", 6, "middle"),
    ("-5.00", 4, "right"),
    ("bold red", 1, "left"),
]


@pytest.mark.parametrize(("text", "column", "side"), ALIGNED)
def test_where_a_text_stands(hard, text, column, side):
    layout, items = hard
    item, grid = of(items, text), layout.grid
    left, right = grid.left(column), grid.left(column + 1)
    gaps = {
        "left": item.x - left,
        "right": right - item.x - item.width,
        "middle": abs(item.x - left - (right - item.x - item.width)),
    }
    assert gaps[side] < 2.5


def test_texts_run_over_blank_neighbours_alone(hard):
    layout, items = hard
    grid = layout.grid
    long = [
        item
        for item in items
        if isinstance(item, Text) and item.text.startswith("A text that is longer than its column is wide")
    ]
    over, cut, from_right, from_middle = sorted((item for item in long if item.size == 11.0), key=lambda item: -item.y)[
        :4
    ]
    assert over.x + over.width > grid.left(2) and (over.clip is None or over.clip.right >= over.x + over.width)
    assert cut.clip is not None and cut.clip.right == pytest.approx(grid.left(2))
    assert from_right.x < grid.left(3) and from_right.x + from_right.width == pytest.approx(grid.left(4), abs=2.5)
    assert from_middle.x + from_middle.width / 2 == pytest.approx((grid.left(3) + grid.left(4)) / 2, abs=1)


TURNED = [("rises", 45), ("up", 90), ("down", -90), ("falls away", -30)]


@pytest.mark.parametrize(("text", "degrees"), TURNED)
def test_turned_texts_lie_in_their_cells(hard, text, degrees):
    layout, items = hard
    item = of(items, text)
    row, column = next((row, column) for row, column, value, _ in CELLS if value == text)
    box = layout.grid.box(Area(row, column, row, column))
    end = (item.x + item.width * np.cos(np.radians(degrees)), item.y + item.width * np.sin(np.radians(degrees)))
    assert item.angle == degrees
    for x, y in ((item.x, item.y), end):
        assert box.x - 1 <= x <= box.right + 1 and box.y - 1 <= y <= box.top + 1


def test_other_ways_of_standing(hard):
    layout, items = hard
    grid = layout.grid
    stacked = [of(items, letter) for letter in "LIFT"]
    assert [item.y for item in stacked] == sorted((item.y for item in stacked), reverse=True)
    assert len({round(item.x + item.width / 2, 2) for item in stacked}) == 1
    shrunk = next(item for item in items if isinstance(item, Text) and item.text.startswith("A text") and item.size < 8)
    assert shrunk.width <= grid.widths[1]
    assert set(of(items, "abababababab").text) == {"a", "b"}, "repeated to fill its cell"
    over = of(items, "over three")
    assert over.x + over.width / 2 == pytest.approx((grid.left(4) + grid.left(7)) / 2, abs=1)
    assert of(items, "indented").x > grid.left(3) + 10
    justified = [
        item for item in items if isinstance(item, Text) and item.text in ("longer", "its") and item.x >= grid.left(5)
    ]
    assert len(justified) == 2, "each word of a justified line by itself"
    merged = of(items, "merged over two by two")
    assert merged.x + merged.width / 2 == pytest.approx((grid.left(3) + grid.left(5)) / 2, abs=1)
    rich = [item for item in items if isinstance(item, Text) and item.text in ("plain ", "bold", "low")]
    assert [item.text for item in rich] == ["plain ", "bold", "low"] and len({item.face for item in rich}) >= 2
    assert rich[1].colour == "2F5D7C" and rich[2].y < rich[0].y


def test_numbers_that_do_not_fit():
    def fill(sheet, book):
        money = book.styles.number(Appearance(format="#,##0.00"))
        sheet.put(1, 1, Column.from_values([123456789.5, 1234567.25, 0.123456789]), np.array([money, 0, 0], np.int32))
        sheet.widths = {1: 6.0}

    items = layout_of(book_with(fill)).painter.paint(Area(1, 1, 3, 1))
    shown = [item.text for item in items if isinstance(item, Text)]
    assert set(shown[0]) == {"#"} and shown[1] in ("1E+06", "1234567") and shown[2].startswith("0.12")


def test_lines_between_cells():
    """The heavier of two lines wins; what goes on is one line; merged cells have none within."""

    def fill(sheet, book):
        thin, thick = Edge("thin"), Edge("thick", "FF0000")
        box = book.styles.number(Appearance(edges=Edges(thin, thin, thin, thin)))
        heavy = book.styles.number(Appearance(edges=Edges(left=thick)))
        for column in (1, 2, 3):
            sheet.put(1, column, Column.from_values([1.0, 2.0]), np.array([box, box], np.int32))
        sheet.set(1, 4, 1.0, heavy)
        sheet.put(4, 1, Column.from_values([None, None]), np.array([box, box], np.int32))
        sheet.put(4, 2, Column.from_values([None, None]), np.array([box, box], np.int32))
        sheet.merged.append(Area(4, 1, 5, 2))

    layout = layout_of(book_with(fill))
    grid = layout.grid
    lines = {item.pen.width: item.ends for item in layout.painter.paint(Area(1, 1, 5, 4)) if isinstance(item, Lines)}
    (thick,) = lines[max(lines)]
    assert thick[0] == thick[2] == grid.left(4) and thick[1] == 0
    thin = lines[min(lines)]
    across = [end for end in thin if end[1] == end[3]]
    assert (0.0, -grid.top(2), grid.left(4), -grid.top(2)) in [(min(a, c), b, max(a, c), d) for a, b, c, d in across]
    inside = [end for end in thin if -grid.top(6) < end[1] < -grid.top(4) and end[1] == end[3]]
    assert not inside, "nothing within merged cells"


def test_grounds_bars_and_signs():
    def fill(sheet, book):
        style = book.styles.number(Appearance(fill="F2E2BC"))
        sheet.put(1, 1, Column.from_values([1.0, 2.0, 3.0]), style)
        sheet.put(1, 2, Column.from_values([1.0, 2.0, 4.0]))
        sheet.put(1, 3, Column.from_values([1.0, 2.0, 3.0]))
        bars = Bars(Threshold("num", "0"), Threshold("num", "4"), "2F5D7C", 0, 100)
        signs = Signs("3Arrows", (Threshold("percent", "0"), Threshold("percent", "33"), Threshold("percent", "67")))
        sheet.marks = [
            Mark((Area(1, 2, 3, 2),), "dataBar", priority=1, bars=bars),
            Mark((Area(1, 3, 3, 3),), "iconSet", priority=2, signs=signs),
        ]

    layout = layout_of(book_with(fill))
    items = layout.painter.paint(Area(1, 1, 3, 3))
    grounds = {item.colour: item.boxes for item in items if isinstance(item, Areas)}
    assert grounds["F2E2BC"] == [Box(0.0, -layout.grid.top(4), layout.grid.widths[1], layout.grid.top(4))], (
        "one area without seams"
    )
    wide = [box.width for box in grounds["2F5D7C"]]
    assert wide[2] == pytest.approx(4 * wide[0]) and wide[1] == pytest.approx(2 * wide[0])
    assert [item.text for item in items if isinstance(item, Text) and item.text in "▲▼▶"] == ["▼", "▶", "▲"]


# -- documents -------------------------------------------------------------------------------------------


def test_pages_are_numbered_through_with_bookmarks_and_links():
    def fill(sheet, book):
        numbers(100, 3)(sheet, book)
        sheet.links = [
            CellLink(1, 1, "S!B80"),
            CellLink(2, 1, "https://larkfold.example/", outside=True),
            CellLink(3, 1, "Gone!A1"),
        ]

    first, second = book_with(fill, footer="&C&P / &N"), book_with(numbers(3, 3), name="T", footer="&C&P / &N")
    document = lay_out([Part(first, title="first"), Part(second, title="second")], NOW, About("Both", "The linen desk"))
    count = len(document.pages)
    feet = [text for page in document.pages for text, _, y, _ in texts_of(page) if "/" in text]
    assert feet == [f"{number} / {count}" for number in range(1, count + 1)]
    marks = [
        (item.title, item.level)
        for page in document.pages
        for item in page.items
        if isinstance(item, Bookmark) and item.title
    ]
    assert marks == [("first", 0), ("S", 1), ("second", 0), ("T", 1)]
    links = [item for page in document.pages for item in all_items(page.items) if isinstance(item, Link)]
    keys = {item.key for page in document.pages for item in page.items if isinstance(item, Bookmark)}
    assert [link.outside for link in links] == [False, True] and links[0].target in keys
    pdf = pypdfium2.PdfDocument(pdf_of(document, NOW))
    assert [mark.get_title() for mark in pdf.get_toc()] == ["first", "S", "second", "T"]
    told = pdf.get_metadata_dict()
    assert (told["Title"], told["Author"]) == ("Both", "The linen desk") and told["CreationDate"].startswith(
        "D:20261103090000"
    )


def test_first_and_even_pages_have_their_own():
    heads = '<headerFooter differentFirst="1" differentOddEven="1"><oddHeader>&amp;Codd</oddHeader><evenHeader>&amp;Ceven</evenHeader><firstHeader>&amp;Cfirst</firstHeader></headerFooter>'
    book = Workbook.from_bytes(
        hard_book(
            after=f'{heads}<rowBreaks count="3"><brk id="4" man="1"/><brk id="8" man="1"/><brk id="12" man="1"/></rowBreaks>'
        ),
        "b.xlsx",
    )
    document = lay_out([Part(book, (), Asked(areas=(Area(1, 1, 20, 2),)))], NOW, "t")
    assert [text for page in document.pages for text, *_ in texts_of(page) if text in ("odd", "even", "first")] == [
        "first",
        "even",
        "odd",
        "even",
    ]


def noted(fill, where):
    """A book whose sheet prints its notes somewhere, and the sheet's part."""
    book = book_with(fill)
    part = book.entry("S").part
    book.package.put(part, book.package.read(part).replace(b"<pageSetup ", b'<pageSetup cellComments="%s" ' % where))
    return book, part


def test_notes_at_the_end():
    def fill(sheet, book):
        numbers(3, 3)(sheet, book)
        sheet.notes = [
            CellNote(2, 2, "looked at twice", "Ada"),
            CellNote(1, 1, "the first"),
            CellNote(90, 1, "not printed"),
        ]

    book, _ = noted(fill, b"atEnd")
    document = lay_out([Part(book, (), Asked(areas=(Area(1, 1, 5, 5),)))], NOW, "t")
    last = [text for text, *_ in texts_of(document.pages[-1])]
    assert last == ["A1", "the first", "B2", "Ada", "looked at twice"]


def test_notes_that_are_always_seen_are_drawn_where_they_stand():
    def fill(sheet, styles):
        sheet.set(2, 2, "two", 0)
        sheet.notes = [
            CellNote(2, 2, "counted twice;\nask", "Ada"),
            CellNote(4, 1, "hidden"),
            CellNote(9, 9, "seen, elsewhere"),
        ]

    book, part = noted(fill, b"asDisplayed")
    (shapes,) = (one.target for one in book.package.relations(part) if one.kind == "vmlDrawing")
    seen = (
        book.package.read(shapes)
        .replace(b"<x:Row>1<", b"<x:Visible/><x:Row>1<")
        .replace(b"<x:Row>8<", b"<x:Visible>False</x:Visible><x:Row>8<")
    )
    book.package.put(shapes, seen)
    told = []
    document = lay_out([Part(book, (), Asked(areas=(Area(1, 1, 9, 9),)))], NOW, "t", told.append)
    said = [text for text, *_ in texts_of(document.pages[0])]
    assert said[:1] == ["two"] and [text for text in said if text in ("counted twice;", "ask")] == [
        "counted twice;",
        "ask",
    ]
    assert "hidden" not in said and "seen, elsewhere" not in said and not any("font ''" in note for note in told)


def test_pictures_patterns_and_gradients_are_in_the_pdf():
    book = Workbook.from_bytes(hard_book(), "b.xlsx")
    pdf = pdf_of(lay_out([Part(book, (), Asked(fit="page"))], NOW, "t"), NOW)
    page = pypdfium2.PdfDocument(pdf)[0]
    image = page.render(scale=2).to_pil().convert("RGB")
    colours = {colour for _, colour in image.getcolors(1 << 24)}
    assert {(242, 226, 188), (228, 233, 236)} <= colours, "the plain ground and that of a pattern"
    assert sum(1 for red, green, blue in colours if blue > red + 20) > 30, "a run of colours"
    stream = io.BytesIO()
    image.save(stream, "PNG")
    assert len(stream.getvalue()) > 10_000


def test_pages_are_tagged_for_programs_that_read_them_aloud():
    def fill(sheet, book):
        numbers(3, 2)(sheet, book)
        sheet.frames.append(
            Frame(6, 1, 200.0, 120.0, Chart((Series("a", (1.0, 2.0), ("x", "y")),)), "one", "What was charged")
        )

    pdf = pdf_of(lay_out([Part(book_with(fill, footer="&Cfoot"))], NOW, "t"), NOW)
    ((kind, _, parts),) = tree_of(pdf)
    assert kind == "Document" and [part[0] for part in parts] == ["Table", "Figure"]
    rows = [[cell[0] for cell in row[2]] for row in parts[0][2] if row[2]]
    assert rows == [["TD", "TD"]] * 3, "the footer is no part of what is read"
    assert parts[1][1] == "What was charged"
    assert b"/Lang" in pdf and b"/MarkInfo" in pdf


def test_a_long_document_is_not_tagged():
    assert b"StructTreeRoot" not in pdf_of(lay_out([Part(book_with(numbers(2_500, 5)))], NOW, "t"), NOW)


def test_a_cover_and_contents_lead_to_the_sheets():
    def fill(sheet, book):
        numbers(90, 3)(sheet, book)
        sheet.set(1, 1, "Harbour")
        sheet.set(41, 1, "Uplands")

    book = book_with(fill, row_breaks=(40,), footer="&C&P / &N")
    document = lay_out([Part(book)], NOW, About("Charges", "The linen desk", cover=True, contents=True))
    cover, contents, *rest = [[text for text, *_ in texts_of(page)] for page in document.pages]
    assert cover == ["Charges", "The linen desk", "3 November 2026"]
    assert contents == ["Contents", "S", "3", "Harbour", "3", "Uplands", "4", "2"]
    assert rest[0][-1] == f"3 / {len(document.pages)}"
    links = {item.target for item in document.pages[1].items if isinstance(item, Link)}
    keys = {item.key for page in document.pages for item in page.items if isinstance(item, Bookmark)}
    assert len(links) == 3 and links <= keys
    assert [mark.get_title() for mark in pypdfium2.PdfDocument(pdf_of(document, NOW)).get_toc()] == [
        "S",
        "Harbour",
        "Uplands",
    ]


def test_a_drawing_stays_on_one_page():
    """A page ends before a chart that would not fit, and not within it."""

    def fill(sheet, book):
        numbers(45, 2)(sheet, book)
        sheet.frames.append(Frame(44, 1, 200.0, 160.0, Chart((Series("a", (1.0, 2.0), ("x", "y")),)), "one", "one"))

    first, second = layout_of(book_with(fill)).pages()
    assert first.area.bottom < 44 <= second.area.top


def test_long_texts_run_over_behind_the_last_column():
    def fill(sheet, book):
        sheet.set(1, 1, "A heading that is much wider than the only column of the sheet")
        sheet.set(2, 1, 5.0)

    (page,) = layout_of(book_with(fill)).pages()
    (window,) = page.windows
    (text,) = [item for item in window.items if isinstance(item, Text) and item.text.startswith("A heading")]
    assert text.clip is None or text.clip.right >= text.x + text.width
    assert window.clip.right > page.parts[0][1].right + 100
    (asked,) = layout_of(book_with(fill), areas=(Area(1, 1, 2, 1),)).pages()
    assert asked.windows[0].clip.right == pytest.approx(asked.parts[0][1].right, abs=2)


def test_a_sheet_that_is_one_chart():
    def fill(sheet, book):
        sheet.set(1, 1, 1.0)
        sheet.frames.append(
            Frame(6, 1, 200.0, 120.0, Chart((Series("a", (1.0, 2.0), ("x", "y")),), "Charged"), "one", "one")
        )

    package = book_with(fill).package
    part, space = "xl/chartsheets/sheet1.xml", "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    package.put(
        part,
        f'<chartsheet xmlns="{MAIN}" xmlns:r="{space}"><sheetViews><sheetView workbookViewId="0"/></sheetViews><drawing r:id="rId1"/></chartsheet>'.encode(),
    )
    package.set_type(part, f"{TYPE}.chartsheet+xml")
    package.relate(part, f"{space}/drawing", "xl/drawings/drawing1.xml")
    identity = package.relate("xl/workbook.xml", f"{space}/chartsheet", part)
    main = package.read("xl/workbook.xml").decode()
    package.put(
        "xl/workbook.xml",
        main.replace("</sheets>", f'<sheet name="Alone" sheetId="9" r:id="{identity}"/></sheets>').encode(),
    )
    book = Workbook.from_bytes(package.to_bytes(), "b.xlsx")
    document = lay_out([Part(book, ("Alone",))], NOW, "t")
    assert [sum(isinstance(item, DrawnChart) for item in all_items(page.items)) for page in document.pages] == [1]
    assert "Charged" in words_of(pdf_of(document, NOW))


LINES_OF_FONTS = [("Calibri", 11.0, 15.0), ("Arial", 10.0, 12.75), ("Verdana", 10.0, 13.5), ("Cambria", 12.0, 15.75)]


@pytest.mark.parametrize(("font", "size", "height"), LINES_OF_FONTS)
def test_rows_are_as_high_as_their_font_asks(font, size, height):
    """Also where another font stands in for it."""
    book = Workbook.new(font, size)
    sheet = Sheet("S", page=PageSetup(margins=(0.5,) * 6))
    sheet.set(1, 1, "text")
    book.add_sheet(sheet)
    read = Workbook.from_bytes(book.to_bytes(), "b.xlsx")
    assert layout_of(read).looks.of(0).letters.line == height
