"""Letters of other scripts: fonts with cubic outlines, and texts from right to left."""

from datetime import UTC, datetime

import pypdfium2
import pytest
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.t2CharStringPen import T2CharStringPen
from fontTools.ttLib import TTFont

from tinquire.pages.direction import as_drawn
from tinquire.pages.outlines import with_quadratic_outlines
from tinquire.pages.pdf import pdf_of
from tinquire.pages.primitives import Page, Pages, Text
from tinquire.pages.typefaces import Face, Typeface, Typefaces, find_face

MOMENT = datetime(2026, 10, 31, 9, tzinfo=UTC)
#: Letters of the font: a name, its code, and how wide it is.
LETTERS = {
    "space": (32, 300),
    "A": (65, 600),
    "kanji": (0x6F22, 1000),
    "other": (0x5B57, 1000),
    "unused": (0x6C34, 1000),
}


@pytest.fixture(scope="module")
def cubic(tmp_path_factory):
    """A font file with cubic outlines: a rounded box for each letter."""
    path = tmp_path_factory.mktemp("fonts") / "Boxes.otf"
    names = [".notdef", *LETTERS]
    builder = FontBuilder(1000, isTTF=False)
    builder.setupGlyphOrder(names)
    builder.setupCharacterMap({code: name for name, (code, _) in LETTERS.items()})
    strings = {}
    for name in names:
        wide = LETTERS.get(name, (0, 500))[1]
        pen = T2CharStringPen(wide, None)
        if name != "space":
            pen.moveTo((100, 0))
            pen.lineTo((wide - 100, 0))
            pen.curveTo((wide - 20, 200), (wide - 20, 600), (wide - 100, 800))
            pen.lineTo((100, 800))
            pen.closePath()
        strings[name] = pen.getCharString()
    builder.setupCFF("Boxes", {"FullName": "Boxes"}, strings, {})
    builder.setupHorizontalMetrics({name: (LETTERS.get(name, (0, 500))[1], 100) for name in names})
    builder.setupHorizontalHeader(ascent=880, descent=-120)
    builder.setupNameTable({"familyName": "Boxes", "styleName": "Regular"})
    builder.setupOS2(sTypoAscender=880, sTypoDescender=-120)
    builder.setupPost()
    builder.save(path)
    return path


def test_cubic_outlines_become_quadratic_ones_of_the_letters_needed(cubic, tmp_path):
    (tmp_path / "made.ttf").write_bytes(with_quadratic_outlines(cubic, {0x6F22, 0x5B57}))
    with TTFont(tmp_path / "made.ttf") as made, TTFont(cubic) as font:
        assert "glyf" in made and "CFF " not in made and set(made.getBestCmap()) == {32, 65, 0x6F22, 0x5B57}
        name, own = made.getBestCmap()[0x6F22], font.getBestCmap()[0x6F22]
        assert made["hmtx"][name][0] == font["hmtx"][own][0] == 1000
        outline = made["glyf"][name]
        assert (outline.xMin, outline.yMin, outline.yMax) == (100, 0, 800) and 930 < outline.xMax < 990


def test_what_is_no_such_font_says_so(tmp_path):
    (tmp_path / "bad.otf").write_bytes(b"OTTO nothing of a font")
    with pytest.raises(ValueError, match=r"bad\.otf"):
        with_quadratic_outlines(tmp_path / "bad.otf", {65})


def test_a_page_in_a_font_with_cubic_outlines(cubic):
    advances = {code: wide / 1000 for code, wide in LETTERS.values()}
    face = Typeface(Face("Boxes", cubic, advances, 0.88, 0.12, cubic=True), (), "Boxes", False)
    items = [Text(40, 100, text, face, 20, "000000", face.width(text) * 20) for text in ("漢字", "A漢")]
    pdf = pdf_of(Pages([Page(200, 200, [items[0], items[1]._replace(y=50)])]), MOMENT)
    assert pdf == pdf_of(Pages([Page(200, 200, [items[0], items[1]._replace(y=50)])]), MOMENT)
    page = pypdfium2.PdfDocument(pdf)[0]
    assert page.get_textpage().get_text_range().split() == ["漢字", "A漢"]
    drawn = page.render(scale=1).to_numpy()[:, :, 0] < 128
    # Two boxes of 0.8 by 0.8 ems, some 16 points each.
    assert drawn[84:99, 43:57].mean() > 0.95 and drawn[84:99, 63:77].mean() > 0.95 and not drawn[84:99, 81:].any()


DRAWN = [
    ("plain", "plain"), ("Ünïcode 12", "Ünïcode 12"), ("שלום", "םולש"), ("שלום 12", "12 םולש"), ("No 7 שלום", "No 7 םולש"), ("", ""),
    ("مرحبا", "\ufe8e\ufe92\ufea3\ufeae\ufee3"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "drawn"), DRAWN)
def test_texts_in_the_order_of_the_eye(text, drawn):
    assert as_drawn(text) == drawn


@pytest.mark.skipif(find_face("DejaVu Sans", False, False) is None, reason="Matplotlib's own font is there")
@pytest.mark.parametrize("text", ["שלום עולם", "سلام"])
def test_who_reads_the_page_gets_the_text(text):
    face = Typefaces().of("DejaVu Sans")
    assert face.widths([text, "x"]).tolist() == pytest.approx([face.width(text), face.width("x")])
    pdf = pdf_of(Pages([Page(200, 100, [Text(20, 50, text, face, 12, "000000", face.width(text) * 12)])]), MOMENT)
    assert pypdfium2.PdfDocument(pdf)[0].get_textpage().get_text_range().strip() == text
