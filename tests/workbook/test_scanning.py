"""The fast reader against the careful one: on sheets in all plain forms, and on the same sheets damaged."""

from __future__ import annotations

import random
import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from parts import MAIN
from sheetforms import SHARED, careful, cells, markup, part, row_marks, same
from tinquire.base.faults import AccessError
from tinquire.cells.dates import DateSystem
from tinquire.packages.xml import local, parse_xml
from tinquire.packages.zip_archive import Archive, write_archive
from tinquire.workbook.parts.shared_strings import SharedStrings, read_texts, rich_text
from tinquire.workbook.sheet_xml import fast_reader
from tinquire.workbook.sheet_xml.fast_reader import Unusual
from tinquire.workbook.sheet_xml.rare_spellings import without_prefix
from tinquire.workbook.sheet_xml.reader import SheetReader, read_sheet


@pytest.fixture(autouse=True, scope="module", params=[0, 1 << 20], ids=["as arrays", "one by one"])
def few(request):
    """Rows are looked at as arrays, or one cell after the other."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(fast_reader, "_FEW", request.param)
        yield


def scanned(data):
    return SheetReader("S", SHARED, DateSystem.FROM_1900, "f").scan((data,))


@settings(max_examples=300, deadline=None)
@given(st.lists(st.tuples(row_marks, st.lists(cells, max_size=6)), max_size=6))
def test_what_is_scanned_is_what_is_read_with_care(rows):
    data = part(
        markup(rows),
        before='<cols><col min="2" max="2" width="9"/></cols>',
        after='<mergeCells><mergeCell ref="A1:B1"/></mergeCells>',
    )
    try:
        fast = scanned(data)
    except Unusual:
        return
    slow = careful(data)
    assert same(fast, slow)
    assert (fast.widths, fast.merged) == (slow.widths, slow.merged)


GOOD = part(
    '<row r="1" spans="1:3"><c r="A1" t="s"><v>1</v></c><c r="B1" s="2"><v>12.5</v></c><c r="C1"><f>B1*2</f><v>25</v></c></row>'
    '<row r="2"><c r="A2" t="str"><f>"x"&amp;A1</f><v>xquire</v></c><c r="B2" t="b"><v>0</v></c><c r="AB2" s="1"/></row>'
    '<row r="10" ht="30" customHeight="1"><c r="A10"><v>-3</v></c><c r="B10" t="inlineStr"><is><t>in</t></is></c></row>'
)


def test_the_plain_form_is_scanned():
    assert same(scanned(GOOD), careful(GOOD))


def test_damage_is_never_read_as_something_else():
    """Bytes changed, taken out, doubled: the scanner gives what the careful reader gives, or leaves it to it."""
    rng = random.Random(5)
    tried = taken = 0
    start, end = GOOD.index(b"<sheetData>"), GOOD.index(b"</sheetData>")
    alphabet = b'<>/"= r0123456789abcABCsvft&;.-\n'
    for _ in range(3000):
        place = rng.randrange(start, end)
        kind = rng.randrange(4)
        if kind == 0:
            data = GOOD[:place] + bytes([rng.choice(alphabet)]) + GOOD[place + 1 :]
        elif kind == 1:
            data = GOOD[:place] + GOOD[place + rng.randrange(1, 9) :]
        elif kind == 2:
            data = GOOD[:place] + bytes([rng.choice(alphabet)]) + GOOD[place:]
        else:
            length = rng.randrange(1, 40)
            data = GOOD[:place] + GOOD[place : place + length] + GOOD[place:]
        tried += 1
        try:
            fast = scanned(data)
        except Unusual:
            continue
        taken += 1
        try:
            slow = careful(data)
        except AccessError as error:
            raise AssertionError(data[start:end]) from error
        assert same(fast, slow), data[start:end]
    assert taken > tried / 20


UNUSUAL = {
    "a comment": part("<!-- x --><row r='1'/>"),
    "single quotes": part("<row r='1'><c r='A1'><v>1</v></c></row>"),
    "no row number": part('<row><c r="A1"><v>1</v></c></row>'),
    "no address": part('<row r="1"><c><v>1</v></c></row>'),
    "another row's address": part('<row r="1"><c r="A2"><v>1</v></c></row>'),
    "space between tags": part('<row r="1"> <c r="A1"><v>1</v></c></row>'),
    "text in place in runs": part('<row r="1"><c r="A1" t="inlineStr"><is><r><t>x</t></r></is></c></row>'),
    "a row twice": part('<row r="1"><c r="A1"><v>1</v></c></row><row r="1"><c r="A1"><v>2</v></c></row>'),
    "an unknown entity": part('<row r="1"><c r="A1" t="str"><v>&who;</v></c></row>'),
    "a control character": part('<row r="1"><c r="A1" t="str"><v>\x01</v></c></row>'),
    "a bad byte": part('<row r="1"><c r="A1" t="str"><v>Q</v></c></row>').replace(b"Q", b"\xff"),
    "another encoding": part(
        '<row r="1"><c r="A1"><v>1</v></c></row>', head='<?xml version="1.0" encoding="latin-1"?>'
    ),
    "a text that is not there": part('<row r="1"><c r="A1" t="s"><v>9</v></c></row>'),
    "beyond the grid": part('<row r="1"><c r="ZZZ1"><v>1</v></c></row>'),
    "an attribute twice": part('<row r="1"><c r="A1" s="1" s="2"><v>1</v></c></row>'),
    "a bare ampersand": part('<row r="1" a="&"><c r="A1"><v>1</v></c></row>'),
    "cut short": part('<row r="1"><c r="A1"><v>1</v></c>'),
}


@pytest.mark.parametrize("name", UNUSUAL)
def test_what_is_unusual_is_left_to_the_careful_reader(name):
    with pytest.raises(Unusual):
        scanned(UNUSUAL[name])


WITHOUT = [
    part('<row><c><v>1</v></c><c t="s"><v>1</v></c></row><row/><row ht="9" customHeight="1"><c s="1"/></row>'),
    part('<row><c><f>A2+1</f><v>1</v></c></row><row></row><row><c t="str"><v>x</v></c></row>'),
    part('<row><c><v>1</v></c></row><row r="9"><c><v>1</v></c></row>'),  # some say where they are: read with care
    part('<row><c r="C1"><v>1</v></c><c><v>2</v></c></row>'),
    part("<row>" + "<c><v>1</v></c>" * 16_385 + "</row>"),
    part("<row><custom/></row>"),
    part("<row><c><v>1</v></c>text</row>"),
]


@pytest.mark.parametrize("data", WITHOUT)
def test_rows_and_cells_that_follow_one_another(data):
    """Counted or read with care: the same sheet, or the same refusal."""
    read = lambda: read_sheet("S", lambda: [data], ["a", "b"], DateSystem.FROM_1900, "f")  # noqa: E731
    try:
        wanted = SheetReader("S", ["a", "b"], DateSystem.FROM_1900, "f").read(data)
    except AccessError:
        with pytest.raises(AccessError):
            read()
        return
    assert same(read(), wanted)


def test_many_distinct_attributes_and_pieces():
    rows = "".join(
        f'<row r="{n}" ht="{n}.5" customHeight="1"><c r="A{n}" s="{n}"><v>{n}.25</v></c><c r="XFD{n}" t="s"><v>{n % 3}</v></c></row>'
        for n in range(1, 20_000)
    )
    sheet = scanned(part(rows))
    assert (sheet.style(15_000, 1), sheet.value(19_999, 1), sheet.value(4, 16_384), sheet.heights[700]) == (
        15_000,
        19_999.25,
        "quire",
        700.5,
    )


# -- shared texts ----------------------------------------------------------------------------------------

ITEMS = [
    ("<si><t>tin</t></si>", "tin"),
    ("<si><t></t></si>", ""),
    ("<si><t/></si>", ""),
    ("<si/>", ""),
    ('<si><t xml:space="preserve"> a </t></si>', " a "),
    ("<si><t>a &lt;b&gt; &amp; &#233;&#x41;</t></si>", "a <b> & éA"),
    ("<si><t>a_x000D_b_x</t></si>", "a\rb_x"),
    ("<si><r><rPr><b/></rPr><t>bold</t></r><r><t> plain</t></r></si>", "bold plain"),
    ("<si><t>base</t><rPh sb='0' eb='1'><t>sound</t></rPh></si>", "base"),
    ("<si><t>two\nlines</t></si>", "two\nlines"),
    ("<si><t>a > b</t></si>", "a > b"),
]


@given(st.lists(st.sampled_from(ITEMS), max_size=8), st.sampled_from(["", "\n", "<!-- x -->"]))
def test_shared_texts_are_what_a_parser_reads(items, between):
    data = (
        f'<?xml version="1.0"?>\n<sst xmlns="{MAIN}" count="1">{between.join(item for item, _ in items)}</sst>'.encode()
    )
    strings = SharedStrings(data)
    assert strings.texts == [text for _, text in items]
    assert [rich_text(item) for item in parse_xml(data) if local(item) == "si"] == strings.texts
    places = [strings.index_of("new <text>"), strings.index_of(" kept ")]
    made = strings.to_bytes()
    assert read_texts(made)[places[0]] == "new <text>"
    assert read_texts(made) == strings.texts
    body = data[data.index(b'count="1">') + 10 : -6]
    assert body in made
    assert b"count=" not in made


@pytest.mark.parametrize(
    "data",
    [
        b"<sst><si></sst>",
        b"<sst><si><t>a</si></sst>",
        b"<sst><si><t>\x01</t></si></sst>",
        b"<sst>&who;</sst>",
        b"",
        b"<sst>",
    ],
)
def test_damaged_texts_are_refused(data):
    with pytest.raises(ValueError, match="damaged"):
        SharedStrings(data)


@pytest.mark.parametrize("size", [1, 2, 3, 5, 17, 300, 5000])
def test_a_prefix_is_left_out_wherever_chunks_end(size):
    data = re.sub(rb"<(/?)(?=[a-z])", rb"<\1x.:", GOOD).replace(b"xmlns=", b"xmlns:x.=")
    head = data.index(b"<x.:sheetData>") + 14
    chunks = [data[:head], *(data[place : place + size] for place in range(head, len(data), size))]
    plain = b"".join(without_prefix(chunks))
    assert plain == GOOD.replace(b"xmlns=", b"xmlns:x.=") and same(scanned(plain), careful(data))
    with pytest.raises(Unusual):
        list(without_prefix([*chunks, b"<!-- <x.:c> -->"]))


@pytest.mark.parametrize("size", [1, 7, 64, 500, 5000])
def test_a_part_in_chunks_of_any_size_is_the_same_sheet(size):
    head = GOOD.index(b"<sheetData>") + 11
    chunks = [GOOD[:head]] + [GOOD[place : place + size] for place in range(head, len(GOOD), size)]
    fast = SheetReader("S", SHARED, DateSystem.FROM_1900, "f").scan(chunks)
    assert same(fast, careful(GOOD))
    with pytest.raises(Unusual):
        SheetReader("S", SHARED, DateSystem.FROM_1900, "f").scan(chunks[:-5] if size < 64 else chunks[:1])


def test_a_large_part_is_unpacked_in_chunks_and_damage_in_it_is_told():
    rows = "".join(f'<row r="{n}"><c r="A{n}"><v>{n * 7919 % 10007}</v></c></row>' for n in range(1, 60_001))
    data = part(rows)
    packed = write_archive({"s.xml": data}, None)
    assert len(data) > 2 << 20
    archive = Archive(packed, "f")
    assert b"".join(archive.chunks("s.xml")) == data
    fast = SheetReader("S", [], DateSystem.FROM_1900, "f").scan(archive.chunks("s.xml"))
    assert fast.columns[1].numbers.tolist() == [float(n * 7919 % 10007) for n in range(1, 60_001)]
    for place in (200, len(packed) // 2, len(packed) - 200):
        broken = Archive(packed[:place] + bytes([packed[place] ^ 64]) + packed[place + 1 :], "f")
        with pytest.raises(AccessError, match="damaged"):
            list(broken.chunks("s.xml"))
