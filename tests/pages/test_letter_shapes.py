"""Letters laid out by what of them differs: byte for byte what the plain way gives, whatever fills them."""

from datetime import UTC, datetime

from hypothesis import example, given
from hypothesis import strategies as st

from letterparts import BOX, EXTRA, FRAME, OFFICE, PAGE, PICTURES, letter_parts, p, paragraph, png, scope, table, zipped
from tinquire.cells import Column
from tinquire.document import Letter
from tinquire.document.forms import Forms
from tinquire.pages import letter_pages, pdf_shapes
from tinquire.pages.laid_before import LaidBefore
from tinquire.pages.letter_pages import lay_out_letter
from tinquire.pages.pdf import pdf_of
from tinquire.tables import Field, Table

MOMENT = datetime(2026, 11, 3, tzinfo=UTC)
STAND_IN = '<w:rPr><w:rFonts w:ascii="Verdana"/><w:u w:val="single"/></w:rPr>'
BORDERS = '<w:shd w:fill="EEEEEE"/><w:pBdr><w:left w:val="single" w:sz="8" w:color="FF0000"/></w:pBdr>'
BLOCKS = [
    p("Dear [:Name:],"), p("[:Name:] owes [:total as money:] for [:month:]", '<w:jc w:val="both"/>'), p("[:Name:]", BORDERS),
    p("[:total:]", '<w:jc w:val="right"/>'), p("[:Name:]", '<w:jc w:val="center"/><w:keepNext/>'), p("[:Name as upper:]", run="<w:caps/>"),
    paragraph("of [:month:] for [:Name:] in all", cut=3), paragraph("[:Name:] and [:total:]", look=STAND_IN), paragraph("plain", look=STAND_IN),
    p("For [:Name:]", '<w:pStyle w:val="Heading1"/>'), p("Title", '<w:pStyle w:val="Heading1"/>'), paragraph("item [:Name:]", numbered=True),
    table(["Item", "Charge"], ["[:lines.Item:]", "[:lines.Charge as money:]"], ["All", "[:SUM(lines[Charge]) as 0.0:]"], cut=2),
    p("x" * 40 + " [:Name:]" + " word" * 30, '<w:spacing w:before="200" w:after="100"/>'), p(" ".join(["filler"] * 300)),
    '<w:p><w:pPr><w:tabs><w:tab w:val="right" w:pos="6000" w:leader="dot"/></w:tabs></w:pPr><w:r><w:t>[:Name:]</w:t><w:tab/><w:t>[:total:]</w:t></w:r></w:p>',
    '<w:p><w:r><w:t>[:Name:]</w:t><w:br/><w:t>[:month:]</w:t></w:r><w:hyperlink><w:r><w:t>[:total:]</w:t></w:r></w:hyperlink></w:p>',
    BOX.format(kind="inline", place="", wrap="", inner=p("box [:Name:]")), FRAME, '<w:p><w:fldSimple w:instr="PAGE"/><w:r><w:t>[:total:]</w:t></w:r></w:p>',
    BOX.format(kind="anchor", place="", wrap="<wp:wrapNone/>", inner=p("[:total:]") + p("[:Name:]")), '<w:p><w:hyperlink r:id="link"><w:r><w:t>[:month:]</w:t></w:r></w:hyperlink></w:p>',
    "<w:p><w:r><w:rPr><w:vanish/></w:rPr><w:t>[:Name:]</w:t></w:r><w:r><w:t>seen [:month:]</w:t></w:r></w:p>",
]  # fmt: skip
NAMES = st.sampled_from(
    [
        "Quayside & Co",
        "Quay 7",
        "",
        "Łódź (£)",
        "Ünal",
        "שלום 12",
        "x" * 200,
        "long " * 60,
        "\U000f1234",
        "a\\b",
        "two  blanks",
    ]
)
NUMBERS = st.sampled_from([0.0, 1.5, 1234.5, -2_000_000.25])
ROWS = st.lists(st.tuples(NAMES, NUMBERS), min_size=1, max_size=3)


LINKED = f'<w:p><w:hyperlink r:id="h" xmlns:r="{OFFICE}"><w:r><w:t>to [:Name:]</w:t></w:r></w:hyperlink></w:p>'


def made(blocks, letters, more=""):
    """The letters of a template, each with its PDF and what is told, by what was laid out before and without."""
    reference = f'<w:headerReference w:type="{"first" if "cols" in more else "default"}" r:id="rheader1"/>'
    extra = EXTRA | {"media/image1.png": ("image", png((2, 2)))}
    links = {"link": "https://example.org/?of=[:Name:]"} if "link" in str(blocks) else {}
    head = p("To [:Name:]") + (LINKED if "titlePg" in more else "")
    parts = letter_parts("".join(blocks), header=head, settings=reference + more + PAGE, extra=extra, links=links)
    parts["word/_rels/header1.xml.rels"] = parts["word/_rels/document.xml.rels"].replace("</Relationships>", (
        f'<Relationship Id="h" Type="{OFFICE}/hyperlink" Target="https://example.org/{"[:total:]" if "titlePg" in more else ""}" TargetMode="External"/></Relationships>'
    ))  # fmt: skip
    data = zipped(parts)
    forms, before = Forms(Letter.from_bytes(data, "l.docx")), LaidBefore()
    none = Table("depots", (Field("Depot"),), (Column.from_values([]),))
    for number, (name, total, rows) in enumerate(letters):
        picture = (PICTURES[len(rows) % 2], f"alt {len(name)}")
        letter, _ = forms.fill(scope(name, total, rows, none), lambda _, picture=picture: picture, "filling")
        told, again, title = [], [], f"Letter {name} {number}"
        quick = pdf_of(lay_out_letter(letter, title, told.append, before), MOMENT)
        plain = Letter.from_bytes(letter.to_bytes(), "l.docx")
        yield quick, told, pdf_of(lay_out_letter(plain, title, again.append), MOMENT), again


@example([BLOCKS[4]], [("Quay", 0.0, [("a", 0.0)])] * 2 + [("", 0.0, [("a", 0.0)])], "<w:titlePg/>")  # an empty page
@given(
    st.lists(st.sampled_from(BLOCKS), min_size=1, max_size=6),
    st.lists(st.tuples(NAMES, NUMBERS, ROWS), min_size=3, max_size=7),
    st.sampled_from(["", "<w:titlePg/>", '<w:cols w:num="2"/>', '<w:titlePg/><w:cols w:num="2"/>']),
)  # fmt: skip
def test_pages_by_what_differs_are_those_of_the_plain_way(blocks, letters, more):
    for quick, told, plain, again in made(blocks, letters, more):
        assert told == again
        assert quick == plain


def test_most_letters_are_laid_out_by_what_differs(monkeypatch):
    """The test above would hold as well if every letter were laid out the plain way."""
    counts = {"laid": 0, "written": 0}
    laid, written = letter_pages._laid_out, pdf_shapes.watched_texts

    def counted(name, function):
        def count(*arguments):
            counts[name] += 1
            return function(*arguments)

        return count

    monkeypatch.setattr(letter_pages, "_laid_out", counted("laid", laid))
    monkeypatch.setattr(pdf_shapes, "watched_texts", counted("written", written))
    blocks = [BLOCKS[n] for n in (0, 1, 2, 3, 4, 6, 7, 8, 10, 12, 15)]
    letters = [(f"Name {n:02} £", 10.0 + n, [(f"Item {n}", 1.0), ("Sheet", 2.0 * n)]) for n in range(12)]
    assert all(quick == plain and told == again for quick, told, plain, again in made(blocks, letters))
    assert counts == {"laid": 12 + 2, "written": 12 + 2}, "the plain ones, and the first two"
