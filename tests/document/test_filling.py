"""Letters filled: slots split in any way, rows and items repeated, blocks, conditions; everything else as it was."""

import io
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from letterparts import WORD, letter_bytes, letter_parts, paragraph, table
from parts import zipped
from tinquire.base.faults import AccessError, DataError
from tinquire.cells import Column
from tinquire.document import Letter
from tinquire.document.conformance import letter_findings
from tinquire.document.filling import fill_letter
from tinquire.document.pictures import fill_letter_pictures, letter_pictures
from tinquire.document.story import own_paragraphs, text_of
from tinquire.looks import House
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.letters import LetterScope
from tinquire.tables import Field, Table
from tinquire.workbook.grid.frames import PictureFile

LINES = Table("lines", (Field("Item"), Field("Charge", "money"), Field("Depot")), (
    Column.from_values(["Sheet", "Towel", "Apron"]), Column.from_values([4.5, 1234.5, 2.0]), Column.from_values(["H", "H", "U"]),
))  # fmt: skip
NONE = LINES.take([])
DEPOTS = Table(
    "depots", (Field("Depot"), Field("Boss")), (Column.from_values(["H", "U"]), Column.from_values(["Ada", "Bryn"]))
)


def scope(lines=LINES):
    return LetterScope(
        SlotScope(
            House(),
            {"Name": "Quayside & Co", "total": 1241.0, "month": "October", "odd": "a\nb\tc", "evil": "[:Name:]<w:br/>"},
            {"total": "money"},
            {"lines": lines, "depots": DEPOTS},
        )
    )


def filled(body, *, lines=LINES, **more):
    letter = Letter.from_bytes(letter_bytes(body, **more), "l.docx")
    fill_letter(letter, scope(lines), "letter 'l'")
    return Letter.from_bytes(letter.to_bytes(), "l.docx")


def texts(letter, part="word/document.xml"):
    return [text_of(one) for one in own_paragraphs(letter.root(part))]


FILLED = [
    # the body, its paragraphs once it is filled
    (paragraph("Dear [:Name:],"), ["Dear Quayside & Co,"]),
    (paragraph("[:total:] in [:month as upper:]"), ["1,241.00 in OCTOBER"]),
    (paragraph("[:SUM(lines[Charge]) as 0.0:]"), ["1241.0"]),
    (paragraph("nothing to fill"), ["nothing to fill"]),
    (paragraph("[:only if total > 1:]kept") + paragraph("[:only if total < 1:]gone"), ["kept"]),
    (paragraph("[:only if total < 1:]") + table(["a", "b"]) + paragraph("after"), ["after"]),
    (paragraph("[:only if total > 1:]") + table(["a"]), ["a"]),
    (table(["Item", "Charge"], ["[:lines.Item:]", "[:lines.Charge:]"], ["All", "[:SUM(lines[Charge]):]"]),
     ["Item", "Charge", "Sheet", "4.50", "Towel", "1,234.50", "Apron", "2.00", "All", "1241"]),
    (table(["[:only if total < 1:]gone", "x"], ["kept", "y"]), ["kept", "y"]),
    (paragraph("[:lines.Item:]", numbered=True), ["Sheet", "Towel", "Apron"]),
    (paragraph("[:lines.Item:]", style="ListBullet"), ["Sheet", "Towel", "Apron"]),
    (paragraph("[:for each lines:]") + paragraph("[:Item:] of [:Depot:]") + paragraph("[:end:]") + paragraph("end"), ["Sheet of H", "Towel of H", "Apron of U", "end"]),
    (paragraph("[:for each depots:]") + paragraph("[:Boss:]") + paragraph("[:for each lines:]") + paragraph("[:lines.Item:]") + paragraph("[:end:]") + paragraph("[:end:]"),
     ["Ada", "Sheet", "Towel", "Apron", "Bryn", "Sheet", "Towel", "Apron"]),
    (paragraph("[:for each lines:]") + paragraph("[:only if [Depot] = \"U\":][:Item:]") + paragraph("[:end:]"), ["Apron"]),
    (paragraph("[:evil:]"), ["[:Name:]<w:br/>"]),
]  # fmt: skip


@pytest.mark.parametrize(("body", "paragraphs"), FILLED)
def test_what_a_letter_says(body, paragraphs):
    assert texts(filled(body)) == paragraphs


EMPTY = [
    (table(["Item"], ["[:lines.Item:]"], ["[:SUM(lines[Charge]):]"]) + paragraph("after"), ["after"]),
    (
        paragraph("[:for each lines:]")
        + paragraph("[:Item:]")
        + paragraph("[:if none:]")
        + paragraph("no lines")
        + paragraph("[:end:]"),
        ["no lines"],
    ),
    (paragraph("[:lines.Item:]", numbered=True) + paragraph("after"), ["after"]),
    (paragraph("[:only if ROWS(lines) = 0:]nothing was collected"), ["nothing was collected"]),
]


@pytest.mark.parametrize(("body", "paragraphs"), EMPTY)
def test_a_repeat_without_rows_leaves_nothing_empty(body, paragraphs):
    assert texts(filled(body, lines=NONE)) == paragraphs


@given(
    st.text("abc [:Name:]", max_size=30), st.integers(0, 12), st.sampled_from(["[:Name:]", "[:total:]", "[: month :]"])
)
def test_slots_split_in_any_way_fill_the_same(text, cut, slot):
    before = text.replace("[", "").replace(":", "").replace("]", "")
    whole = texts(filled(paragraph(f"{before}{slot} after")))
    assert texts(filled(paragraph(f"{before}{slot} after", cut=cut))) == whole
    assert whole[0].startswith(before) and whole[0].endswith(" after")


def test_a_slot_takes_the_look_of_the_run_in_which_it_begins():
    body = "<w:p><w:r><w:rPr><w:b/></w:rPr><w:t>bold [:Na</w:t></w:r><w:r><w:t>me:] plain</w:t></w:r></w:p>"
    runs = list(filled(body).root("word/document.xml").iter(f"{{{WORD}}}r"))
    assert [
        ("".join(node.text or "" for node in run.iter(f"{{{WORD}}}t")), run.find(f"{{{WORD}}}rPr") is not None)
        for run in runs
    ] == [("bold Quayside & Co", True), (" plain", False)]


def test_lines_and_tabs_are_elements():
    root = filled(paragraph("[:odd:]")).root("word/document.xml")
    (run,) = root.iter(f"{{{WORD}}}r")
    assert [one.tag.rpartition("}")[2] for one in run] == ["t", "br", "t", "tab", "t"]


def test_every_place_where_text_can_stand():
    made = filled(
        paragraph("[:Name:]") + '<w:p><w:hyperlink r:id="rIdL"><w:r><w:t>[:month:]</w:t></w:r></w:hyperlink></w:p>',
        header=paragraph("[:month:]", cut=3), footnotes=paragraph("note on [:Name:]"), links={"rIdL": "mailto:desk@larkfold.example?subject=[:Name:]"},
    )  # fmt: skip
    assert texts(made) == ["Quayside & Co", "October"]
    assert texts(made, "word/header1.xml") == ["October"] and texts(made, "word/footnotes.xml") == [
        "note on Quayside & Co"
    ]
    (link,) = [one for one in made.package.relations("word/document.xml") if one.outside]
    assert link.target == "mailto:desk@larkfold.example?subject=Quayside%20%26%20Co"
    assert b"For Quayside &amp; Co" in made.package.read("docProps/core.xml")


def test_a_letter_without_slots_stays_byte_for_byte():
    parts = letter_parts(paragraph("plain", cut=2) + table(["a", "b"]), header=paragraph("head"))
    parts["docProps/core.xml"] = parts["docProps/core.xml"].replace("[:Name:]", "nobody")
    letter = Letter.from_bytes(zipped(parts), "l.docx")
    fill_letter(letter, scope(), "letter 'l'")
    with zipfile.ZipFile(io.BytesIO(letter.to_bytes())) as archive:
        assert {name: archive.read(name).decode() for name in archive.namelist()} == parts


WRONG = [
    # the body, all that is said of it
    (
        paragraph("Dear [:Nmae:] and [:mnth:]"),
        ["no value for [:Nmae:]: there is no name 'Nmae'", "no value for [:mnth:]: there is no name 'mnth'"],
    ),
    (paragraph("[:for each lines:]") + paragraph("x"), ["the repeat of 'lines' does not end"]),
    (paragraph("[:for each line:]") + paragraph("x") + paragraph("[:end:]"), ["there is no table 'line'"]),
    (paragraph("[:end:]"), ["nothing begins that it could end"]),
    (paragraph("[:only if total:]x"), ["the condition 'total' gives no yes or no"]),
    (table(["[:lines.Item:]", "[:depots.Boss:]"]), ["it names columns of 'lines' and 'depots'"]),
    (paragraph("a slot that [:begins"), ["a slot begins and does not end"]),
]


@pytest.mark.parametrize(("body", "why"), WRONG)
def test_what_is_wrong_is_said_at_once_with_its_place(body, why):
    with pytest.raises(DataError) as stopped:
        filled(body)
    said = [fault.why for fault in stopped.value.faults]
    assert all(any(text.startswith(one) for text in said) for one in why)
    assert all(fault.where.startswith("l.docx, ") for fault in stopped.value.faults)


def test_a_link_never_leads_wherever_a_slot_says():
    with pytest.raises(DataError, match="would lead wherever its slot says"):
        filled(paragraph("x"), links={"rIdL": "[:Name:]"})


NO_LETTERS = [
    (b"", "empty"),
    (b"no package", "."),
    (letter_bytes(paragraph("x"))[:200], "."),
    (zipped({"a.txt": "x"}), "."),
]


@pytest.mark.parametrize(("data", "why"), NO_LETTERS)
def test_what_is_no_letter(data, why):
    with pytest.raises(AccessError, match=why):
        Letter.from_bytes(data, "l.docx")


FRAME = (
    '<w:p><w:r><w:drawing><wp:inline><wp:extent cx="1270000" cy="635000"/><wp:docPr id="1" name="P" descr="[:chart:]"/><a:graphic><a:graphicData>'
    '<pic:pic><pic:blipFill><a:blip r:embed="ximage1"/><a:stretch><a:fillRect/></a:stretch></pic:blipFill></pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing></w:r></w:p>'
)


def png(size):
    stream = io.BytesIO()
    Image.new("RGB", size, "#2F5D7C").save(stream, "PNG")
    return stream.getvalue()


def test_pictures_by_slots_keep_frame_and_proportion():
    letter = Letter.from_bytes(letter_bytes(FRAME, extra={"media/image1.png": ("image", png((2, 2)))}), "l.docx")
    (found,) = letter_pictures(letter)
    assert (found.slot.inside, found.size) == ("chart", (100.0, 50.0))
    fill_letter_pictures(letter, lambda one: (PictureFile(png((10, 10)), "png"), "what it shows"))
    again = Letter.from_bytes(letter.to_bytes(), "l.docx")
    data = again.package.read("word/document.xml")
    assert b'descr="what it shows"' in data and b'cx="1270000"' in data and b'l="25000"' in data
    assert not letter_pictures(again)


def test_pictures_are_known_by_the_name_of_their_file():
    frame = FRAME.replace('name="P" descr="[:chart:]"', 'name="P" descr="C:\\signs\\Logo.png"')
    data = letter_bytes(frame + FRAME, extra={"media/image1.png": ("image", png((2, 2)))})
    for named, asked in (((), ["chart"]), (("logo.PNG",), ["logo.PNG", "chart"]), (("p",), ["p", "chart"])):
        letter, met = Letter.from_bytes(data, "l.docx"), []
        fill_letter_pictures(letter, lambda one, met=met: met.append(one.slot.inside), named)
        assert met == asked


def test_contents_are_marked_when_the_text_changes():
    begun = '<w:r><w:fldChar w:fldCharType="begin"/></w:r>'
    contents = f'<w:p>{begun}<w:r><w:instrText> TOC \\o "1-3" </w:instrText></w:r><w:r><w:fldChar w:fldCharType="end"/></w:r></w:p>'
    others = f'<w:p>{begun}<w:r><w:instrText>PAGE</w:instrText></w:r><w:r><w:fldChar w:fldCharType="end"/></w:r></w:p>'
    letter = Letter.from_bytes(letter_bytes(contents + others + paragraph("[:Name:]")), "l")
    done = fill_letter(letter, scope(), "filling")
    assert any("the contents are marked" in note for note in done.notes)
    assert letter.package.read("word/document.xml").count(b'w:dirty="true"') == 1


UNSOUND = [
    # what stands in the text, and what is found
    (paragraph("fine"), None), ("<w:p><w:pPr><w:jc w:val='left'/><w:ind w:left='1'/></w:pPr></w:p>", "elements out of order in pPr: 'ind' stands after 'jc'"),
    ("<w:p><w:pPr><w:pStyle w:val='Gone'/></w:pPr></w:p>", "a paragraph style is named that is not there: 'Gone'"),
    (paragraph("x", numbered=True), "a list is named that is not there: '1'"), ("<w:p><w:r><w:footnoteReference w:id='9'/></w:r></w:p>", "a note is named that is not there: '9'"),
    ("<w:p><w:hyperlink r:id='none'/></w:p>", "a relationship is named that is not there: 'none' in hyperlink"),
    ("<w:tbl><w:tblPr/><w:tblGrid/><w:tr><w:tc/></w:tr></w:tbl>", "a cell does not end with a paragraph"),
    ("<w:p><w:r><w:fldChar w:fldCharType='begin'/></w:r></w:p>", "a field does not end"), ("<w:p><w:r><w:fldChar w:fldCharType='end'/></w:r></w:p>", "a field ends that has not begun"),
    ("<w:p><w:bookmarkStart w:id='1' w:name='a'/><w:bookmarkStart w:id='1' w:name='b'/></w:p>", "2 bookmarks have one id: '1'"),
]  # fmt: skip


@pytest.mark.parametrize(("body", "says"), UNSOUND)
def test_what_is_not_sound_is_found(body, says):
    found = letter_findings(Letter.from_bytes(letter_bytes(body), "l").package)
    assert [one.says for one in found] == ([] if says is None else [says])


def test_what_is_repeated_stays_sound():
    body = table(["[:lines.Item:]"]).replace(
        "<w:p>",
        '<w:p><w:bookmarkStart w:id="1" w:name="a"/><w:r><w:drawing><wp:inline><wp:docPr id="4" name="n"/></wp:inline></w:drawing></w:r><w:bookmarkEnd w:id="1"/>',
    )
    letter = Letter.from_bytes(letter_bytes(body), "l")
    letter.package.put("docProps/core.xml", letter.package.read("docProps/core.xml").replace(b"[:Name:]", b""))
    fill_letter(letter, scope(), "filling")
    assert letter.package.read("word/document.xml").count(b"<wp:docPr") == 3
    assert letter_findings(letter.package) == []
