"""Letters on paper: what stands where, in lists, tables, sections, headers; and letters that mean harm."""

from datetime import UTC, datetime

import pytest

from letterparts import BOX, EXTRA, PAGE, letter_bytes, p, paragraph
from pdftree import tree_of
from tinquire.document import Letter
from tinquire.pages.laid_before import LaidBefore
from tinquire.pages.letter_pages import lay_out_letter
from tinquire.pages.numerals import numeral
from tinquire.pages.pdf import pdf_of
from tinquire.pages.primitives import Areas, Bookmark, Lines, Link, Text

MOMENT = datetime(2026, 11, 3, tzinfo=UTC)
#: What all letters of these tests share: each must be the same without it.
BEFORE = LaidBefore()


def pages(body, *, told=None, settings=PAGE, **more):
    letter = Letter.from_bytes(
        letter_bytes(body, settings=settings, extra=EXTRA | more.pop("extra", {}), **more), "l.docx"
    )
    notes, again = [], []
    made = lay_out_letter(letter, "l", notes.append)
    assert pdf_of(made, MOMENT) == pdf_of(lay_out_letter(letter, "l", again.append, BEFORE), MOMENT)
    assert notes == again
    if told is not None:
        told += notes
    return made.pages


def words(page):
    return [item.text for item in page.items if isinstance(item, Text)]


def text_at(page, text):
    return next(item for item in page.items if isinstance(item, Text) and item.text == text)


def item(text, level=0):
    return p(text, f'<w:numPr><w:ilvl w:val="{level}"/><w:numId w:val="1"/></w:numPr>')


def grid(rows, *, widths, look="", head=False):
    cells = "".join(
        f"<w:tr>{'<w:trPr><w:tblHeader/></w:trPr>' if head and number == 0 else ''}{''.join(row)}</w:tr>"
        for number, row in enumerate(rows)
    )
    columns = "".join(f'<w:gridCol w:w="{width}"/>' for width in widths)
    return f'<w:tbl><w:tblPr><w:tblInd w:w="0" w:type="dxa"/><w:tblBorders><w:top w:val="single" w:sz="8" w:color="FF0000"/>{look}</w:tblBorders></w:tblPr><w:tblGrid>{columns}</w:tblGrid>{cells}</w:tbl>'


def cell(text, settings=""):
    return f"<w:tc><w:tcPr>{settings}</w:tcPr>{p(text)}</w:tc>"


# -- paragraphs --------------------------------------------------------------------------------------------

ALIGNED = [
    # settings of a paragraph of one short word, and where on the page it begins or ends, in points from the left
    ("", "left", 50.0), ('<w:ind w:left="400" w:firstLine="200"/>', "left", 80.0), ('<w:ind w:left="400" w:hanging="200"/>', "left", 60.0),
    ('<w:jc w:val="right"/>', "right", 545.3), ('<w:jc w:val="end"/><w:ind w:right="200"/>', "right", 535.3),
    ('<w:jc w:val="center"/>', "middle", 297.65), ('<w:jc w:val="both"/>', "left", 50.0),
]  # fmt: skip


@pytest.mark.parametrize(("settings", "side", "place"), ALIGNED)
def test_where_a_paragraph_stands(settings, side, place):
    found = text_at(pages(p("word", settings))[0], "word")
    at = {"left": found.x, "right": found.x + found.width, "middle": found.x + found.width / 2}[side]
    assert at == pytest.approx(place, abs=0.05)


RUNS = [
    # the properties of a run, and what its text has
    ("<w:b/>", {"bold": True}), ('<w:b w:val="0"/>', {"bold": False}), ('<w:sz w:val="31"/>', {"size": 15.5}), ("<w:caps/>", {"text": "WORD"}),
    ('<w:color w:val="2f5d7c"/>', {"colour": "2F5D7C"}), ('<w:color w:val="zzzzzz"/>', {"colour": "000000"}), ("<w:vanish/>", None),
    ('<w:sz w:val="nan"/>', {"size": 10.0}), ('<w:sz w:val="1e99"/>', {"size": 10.0}),
]  # fmt: skip


@pytest.mark.parametrize(("run", "has"), RUNS)
def test_how_a_run_looks(run, has):
    found = [one for one in pages(p("word", run=run))[0].items if isinstance(one, Text)]
    assert (has is None) == (found == [])
    for name, wanted in (has or {}).items():
        assert (("Bold" in str(found[0].face.face.path)) if name == "bold" else getattr(found[0], name)) == wanted


def test_long_text_is_broken_into_lines_that_fit_and_spread():
    text = " ".join(f"word{number}" for number in range(60))
    for align in ("left", "both"):
        found = [one for one in pages(p(text, f'<w:jc w:val="{align}"/>'))[0].items if isinstance(one, Text)]
        assert " ".join(one.text.strip() for one in found).split() == text.split()
        lines = {one.y: max(other.x + other.width for other in found if other.y == one.y) for one in found}
        assert len(lines) > 4 and all(end <= 545.35 for end in lines.values())
        assert (align == "both") == all(
            end == pytest.approx(545.3, abs=0.1) for y, end in lines.items() if y != min(lines)
        )


def test_tabs_lists_and_bookmarks():
    stops = '<w:tabs><w:tab w:val="right" w:pos="6000" w:leader="dot"/></w:tabs>'
    body = (
        paragraph("Contents", style="Heading1") + f'<w:p><w:pPr>{stops}</w:pPr><w:r><w:t>Total</w:t><w:tab/><w:t>12.50</w:t></w:r></w:p>'
        + item("one") + item("under", 1) + item("also", 1) + item("deep", 2) + item("two") + item("again", 1)
    )  # fmt: skip
    (page,) = pages(body)
    amount = text_at(page, "12.50")
    assert amount.x + amount.width == pytest.approx(350.0, abs=0.05)
    assert any(set(text) == {"."} and len(text) > 20 for text in words(page))
    labels = [text for text in words(page) if text in ("1.", "2.", "1c)", "1d)", "2c)", "I")]
    assert labels == ["1.", "1c)", "1d)", "I", "2.", "2c)"]
    assert [(mark.title, mark.level) for mark in page.items if isinstance(mark, Bookmark)] == [("Contents", 0)]


NUMERALS = [(1, "decimal", "1"), (4, "lowerRoman", "iv"), (1999, "upperRoman", "MCMXCIX"), (27, "upperLetter", "AA"), (3, "decimalZero", "03"),
            (22, "ordinal", "22nd"), (112, "ordinal", "112th"), (5, "none", ""), (7, "unheardOf", "7"), (10**9, "lowerLetter", "l" * 40)]  # fmt: skip


@pytest.mark.parametrize(("number", "form", "text"), NUMERALS)
def test_numerals(number, form, text):
    assert numeral(number, form) == text


# -- tables ------------------------------------------------------------------------------------------------


def test_a_table_with_merged_cells_and_lines():
    rows = [
        [cell("wide", '<w:gridSpan w:val="2"/><w:shd w:fill="F4EFE6"/>'), cell("tall", '<w:vMerge w:val="restart"/>')],
        [cell("a"), cell("b"), cell("", "<w:vMerge/>")],
    ]
    (page,) = pages(grid(rows, widths=(2000, 1000, 3000), look='<w:insideV w:val="single" w:sz="4"/>'))
    assert words(page) == ["wide", "tall", "a", "b"]
    assert [round(text_at(page, text).x, 1) for text in ("wide", "tall", "a", "b")] == [55.4, 205.4, 55.4, 155.4]
    (ground,) = [one for one in page.items if isinstance(one, Areas)]
    assert (ground.colour, ground.boxes[0].width) == ("F4EFE6", 150.0)
    tops = [one for one in page.items if isinstance(one, Lines) and one.pen.colour == "FF0000"]
    assert [end[2] - end[0] for one in tops for end in one.ends] == [300.0]


def test_a_long_table_repeats_its_heading_on_each_page():
    rows = [[cell("Head")], *([cell(f"row {number}")] for number in range(200))]
    made = pages(grid(rows, widths=(3000,), head=True))
    assert len(made) > 2 and [words(page)[0] for page in made] == ["Head"] * len(made)
    assert [text for page in made for text in words(page)[1:]] == [f"row {number}" for number in range(200)]


def long_row(lines, settings=""):
    text = "".join(p(f"line {number}") for number in range(lines))
    return f"<w:tr><w:trPr>{settings}</w:trPr><w:tc><w:tcPr/>{text}</w:tc>{cell('beside')}</w:tr>"


#: Paragraphs before a row, its lines, and how many of these stand on each page, which has room for 66: whole, cut where
#: the page ends, whole on the next one, cut on every page.
ROWS = [
    (10, 30, "", [30]), (45, 30, "", [21, 9]), (45, 30, "<w:cantSplit/>", [0, 30]), (0, 150, "", [66, 66, 18]),
    (45, 150, "", [21, 66, 63]), (45, 150, "<w:cantSplit/>", [0, 66, 66, 18]),
]  # fmt: skip


@pytest.mark.parametrize(("before", "lines", "settings", "found"), ROWS)
def test_a_row_goes_on_overleaf_and_nothing_of_it_is_lost(before, lines, settings, found):
    table = grid([], widths=(3000, 3000), head=False).replace("</w:tbl>", f"{long_row(lines, settings)}</w:tbl>")
    made = pages("".join(p(f"p{number}") for number in range(before)) + table + p("end"))
    of_row = [[text for text in words(page) if text.startswith("line ")] for page in made]
    assert [text for page in of_row for text in page] == [f"line {number}" for number in range(lines)]
    assert [len(page) for page in of_row][: len(found)] == found
    low = min(item.y for page in made for item in page.items if isinstance(item, Text))
    assert low >= 36 and sum(words(page).count("beside") for page in made) == 1 and words(made[-1])[-1] == "end"


# -- pages -------------------------------------------------------------------------------------------------


def section(settings):
    return f"<w:p><w:pPr><w:sectPr>{PAGE}{settings}</w:sectPr></w:pPr></w:p>"


def test_sections_columns_headers_and_page_numbers():
    field = '<w:p><w:r><w:t xml:space="preserve">Page </w:t></w:r><w:fldSimple w:instr=" PAGE "><w:r><w:t>9</w:t></w:r></w:fldSimple><w:r><w:t xml:space="preserve"> of </w:t></w:r>'
    field += '<w:r><w:fldChar w:fldCharType="begin"/><w:instrText>NUMPAGES</w:instrText><w:fldChar w:fldCharType="separate"/><w:t>99</w:t><w:fldChar w:fldCharType="end"/></w:r></w:p>'
    head = '<w:headerReference w:type="default" r:id="rheader1"/>'
    many = "".join(p(f"line {number}") for number in range(90))
    wide = '<w:pgSz w:w="16838" w:h="11906" w:orient="landscape"/>'
    body = (
        p("first")
        + section(head)
        + many
        + section('<w:cols w:num="2" w:space="400"/>')
        + p("broad")
        + section(wide + '<w:pgNumType w:start="7" w:fmt="lowerRoman"/>')
    )
    made = pages(body + p("last"), header=field)
    assert [next(text for text in words(page) if text.startswith("Page")) for page in made] == [
        f"Page {n} of {len(made)}" for n in ("1", "2", "vii", "8")
    ]
    columns = {round(one.x, 1) for one in made[1].items if isinstance(one, Text) and one.text.startswith("line")}
    assert len(columns) == 2
    assert (round(made[2].width), round(made[2].height)) == (842, 595)


KEPT = [
    # the settings of the line that would be the last on its page, of the one after, and the first text of page two
    ("", "", "after"), ("<w:keepNext/>", "", "last"), ("", "<w:pageBreakBefore/>", "after"),
]  # fmt: skip


@pytest.mark.parametrize(("settings", "following", "first"), KEPT)
def test_what_keeps_together_goes_to_the_next_page_together(settings, following, first):
    height = '<w:spacing w:line="400" w:lineRule="exact"/>'
    filling = "".join(p(f"line {number}", height) for number in range(37))
    room = '<w:pgSz w:w="11906" w:h="16640"/>'
    made = pages(
        filling + p("last", height + settings) + p("after", height + following),
        settings=PAGE.replace('"720"', '"720"') + room,
    )
    assert words(made[1])[0] == first


def test_links_lead_outside_and_to_marks_of_the_letter():
    body = '<w:p><w:hyperlink r:id="h1"><w:r><w:t>out</w:t></w:r></w:hyperlink><w:hyperlink w:anchor="x"><w:r><w:t>in</w:t></w:r></w:hyperlink><w:hyperlink w:anchor="nowhere"><w:r><w:t>lost</w:t></w:r></w:hyperlink></w:p>'
    (page,) = pages(
        body + '<w:p><w:bookmarkStart w:id="0" w:name="x"/><w:r><w:t>here</w:t></w:r></w:p>',
        links={"h1": "https://larkfold.example/"},
    )
    assert [(one.target, one.outside) for one in page.items if isinstance(one, Link)] == [
        ("https://larkfold.example/", True),
        ("to x", False),
    ]
    assert "to x" in [one.key for one in page.items if isinstance(one, Bookmark)]


def test_footnotes_stand_at_the_foot_of_their_page():
    note = '<w:p><w:r><w:footnoteRef/></w:r><w:r><w:t xml:space="preserve"> what it means</w:t></w:r></w:p>'
    named = '<w:p><w:r><w:t>named</w:t></w:r><w:r><w:footnoteReference w:id="2"/></w:r></w:p>'
    made = pages("".join(p(f"line {number}") for number in range(64)) + named + p("after"), footnotes=note)
    assert len(made) == 2, "the line goes with its note to a page that has room for both"
    first, second = (words(page) for page in made)
    assert (first[-1], second) == ("line 63", ["named", "1", "after", "1 what it means"])
    foot = next(one for one in made[1].items if isinstance(one, Text) and one.text.endswith("what it means"))
    assert 36 < foot.y < 50 and text_at(made[1], "named").y > 780
    assert [one for one in made[1].items if isinstance(one, Lines)]


PLACES = [
    # how a box stands, and the left edge and top of it on the page
    ("inline", "", "", (50.0, 805.9)),
    ("anchor", '<wp:positionH relativeFrom="page"><wp:posOffset>2540000</wp:posOffset></wp:positionH><wp:positionV relativeFrom="page"><wp:posOffset>1270000</wp:posOffset></wp:positionV>', "<wp:wrapNone/>", (200.0, 741.9)),
    ("anchor", '<wp:positionH relativeFrom="margin"><wp:align>right</wp:align></wp:positionH><wp:positionV relativeFrom="margin"><wp:align>bottom</wp:align></wp:positionV>', "<wp:wrapNone/>", (445.3, 86.0)),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "place", "wrap", "corner"), PLACES)
def test_text_boxes_and_what_stands_at_a_place_of_its_own(kind, place, wrap, corner):
    (page,) = pages(BOX.format(kind=kind, place=place, wrap=wrap, inner=p("boxed")))
    ((box,),) = (one.boxes for one in page.items if isinstance(one, Areas))
    assert (box.x, box.top, box.width, box.height) == pytest.approx((*corner, 100.0, 50.0), abs=0.3)
    text = text_at(page, "boxed")
    assert text.x == pytest.approx(box.x + 7.2, abs=0.1) and box.y < text.y < box.top


def test_what_is_not_laid_out_is_said_and_the_same_letter_gives_the_same_bytes():
    told = []
    body = p("text") + "<w:p><w:r><w:object/></w:r></w:p>"
    pages(body, told=told)
    assert "embedded objects are not laid out" in told
    moment = datetime(2026, 11, 3, tzinfo=UTC)
    first, again = (
        pdf_of(lay_out_letter(Letter.from_bytes(letter_bytes(body, extra=EXTRA), "l"), "l"), moment) for _ in range(2)
    )
    assert first == again


def test_letters_are_tagged_for_programs_that_read_them_aloud():
    """Headings, paragraphs that go on overleaf, and tables, whose repeated headings are read once."""
    rows = [[cell("Head"), cell("More")], *([cell(f"row {number}"), cell("x")] for number in range(80))]
    long = p(" ".join(["word"] * 900))
    body = p("Title", '<w:pStyle w:val="Heading1"/>') + long + grid(rows, widths=(3000, 3000), head=True) + p("end")
    letter = Letter.from_bytes(letter_bytes(body, extra=EXTRA, settings=PAGE), "l")
    made = lay_out_letter(letter, "l")
    pdf = pdf_of(made, MOMENT)
    assert len(made.pages) == 3 and [words(page)[0] for page in made.pages][1:] == ["Head", "Head"]
    trees = [tree_of(pdf, number)[0] for number in range(3)]
    assert [[part[0] for part in parts] for _, _, parts in trees] == [["H1", "P", "Table"], ["Table"], ["Table", "P"]]
    rows = [row for _, _, parts in trees for part in parts if part[0] == "Table" for row in part[2] if row[2]]
    assert [[(one[0], [inner[0] for inner in one[2]]) for one in row[2]] for row in rows] == [[("TD", ["P"])] * 2] * 81
    told = []
    pages(p("a \U000f1234"), told=told)
    assert any("no font on this machine has" in note for note in told), "a letter that no font has"


HOSTILE = {
    "a size of no sense": p("x", '<w:spacing w:line="-99999999" w:before="nan"/><w:ind w:left="inf"/>', '<w:sz w:val="-8"/>'),
    "a cell over a thousand million columns": grid([[cell("x", '<w:gridSpan w:val="1000000000"/>')]], widths=(10,)),
    "columns of no number": p("x") + section('<w:cols w:num="none"/><w:pgSz w:w="0" w:h="0"/>'),
    "a style that builds on itself": paragraph("x", style="Round"),
    "a list that begins nowhere": p("x", '<w:numPr><w:ilvl w:val="77"/><w:numId w:val="1"/></w:numPr>'),
    "tables within tables": "<w:tbl><w:tr><w:tc>" * 60 + p("x") + "</w:tc></w:tr></w:tbl>" * 60,
    "colours that are none": p("x", '<w:shd w:fill="12345G"/><w:pBdr><w:top w:val="single" w:color="&lt;!--" w:sz="x"/></w:pBdr>'),
    "a word of no end": p("x" * 20_000),
}  # fmt: skip


@pytest.mark.parametrize("harm", HOSTILE)
def test_letters_that_mean_harm_have_pages(harm):
    letter = Letter.from_bytes(letter_bytes(HOSTILE[harm], extra=EXTRA, settings=PAGE), "l")
    made = lay_out_letter(letter, "l")
    assert len(made.pages) < 40 and pdf_of(made, datetime(2026, 11, 3, tzinfo=UTC)).startswith(b"%PDF")
