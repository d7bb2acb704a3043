"""What is drawn on a sheet: anchors, pictures, shapes with their texts, groups; where each stands and how it looks."""

import io

import numpy as np
import pytest
from PIL import Image

from parts import MAIN, OFFICE, PACKAGE, TYPE, parts_of, zipped
from tinquire.charts.shapes import Path
from tinquire.pages.cell_looks import CellLooks
from tinquire.pages.drawings import SheetDrawings, box_of, drawable
from tinquire.pages.geometry import Grid
from tinquire.pages.primitives import Chart, Lines, Picture, Text
from tinquire.pages.typefaces import Typefaces
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.inspect.printed import PrintedSheet, printed_sheet
from tinquire.workbook.parts.drawn import Anchor, Corner, DrawnPicture, Shape

DRAW, SHEET = (
    "http://schemas.openxmlformats.org/drawingml/2006/main",
    "http://schemas.openxmlformats.org/drawingml/2006/spreadsheetDrawing",
)
POINT = 12_700


def grid(right_to_left=False):
    return Grid(
        Sheet("S"), PrintedSheet(right_to_left=right_to_left), (40, 20), 7, 15.0, lambda rows: np.zeros(len(rows))
    )


BOXES = [
    # what it shows, the anchor, left, lower side, width, height
    ("between two corners", Anchor(Corner(2, 2, 6, 3), Corner(4, 3, 0, 0), None, None), (54, -45, 42, 27)),
    ("of a size of its own", Anchor(Corner(2, 2, 6, 3), None, (100, 50), None), (54, -68, 100, 50)),
    ("at a place of the sheet", Anchor(None, None, (100, 50), (10, 20)), (10, -70, 100, 50)),
    ("further than its cell reaches", Anchor(Corner(1, 1, 900, 900), None, (10, 10), None), (48, -25, 10, 10)),
    ("backwards", Anchor(Corner(4, 4, 0, 0), Corner(2, 2, 0, 0), None, None), (144, -45, 0, 0)),
    ("a part of a group", Anchor(Corner(1, 1, 0, 0), None, (100, 60), None, (0.5, 0.5, 0.25, 0.5)), (50, -60, 25, 30)),
]


@pytest.mark.parametrize(("anchor", "box"), [one[1:] for one in BOXES], ids=[one[0] for one in BOXES])
def test_where_a_frame_stands(anchor, box):
    assert box_of(anchor, grid()) == pytest.approx(box)


def test_frames_of_sheets_from_right_to_left():
    assert box_of(Anchor(Corner(1, 2, 0, 0), None, (30, 10), None), grid(right_to_left=True)) == pytest.approx(
        (-78, -10, 30, 10)
    )


# -- a drawing part --------------------------------------------------------------------------------------


def anchored(inner, row=1, column=1, wide=120, high=60):
    corner = f"<xdr:from><xdr:col>{column - 1}</xdr:col><xdr:colOff>0</xdr:colOff><xdr:row>{row - 1}</xdr:row><xdr:rowOff>0</xdr:rowOff></xdr:from>"
    return f'<xdr:oneCellAnchor>{corner}<xdr:ext cx="{wide * POINT}" cy="{high * POINT}"/>{inner}<xdr:clientData/></xdr:oneCellAnchor>'


def shape(kind="rect", fill='<a:solidFill><a:srgbClr val="F2E2BC"/></a:solidFill>', line='<a:ln w="25400"><a:solidFill><a:srgbClr val="2F5D7C"/></a:solidFill></a:ln>',
          text="", form="", name="Box", alt="", tag="sp", style=""):  # fmt: skip
    body = f'<xdr:txBody><a:bodyPr anchor="ctr"/>{text}</xdr:txBody>' if text else ""
    return (
        f'<xdr:{tag}><xdr:nvSpPr><xdr:cNvPr id="2" name="{name}" descr="{alt}"/></xdr:nvSpPr><xdr:spPr><a:xfrm{form}><a:off x="0" y="0"/><a:ext cx="{60 * POINT}" cy="{30 * POINT}"/>'
        f'</a:xfrm><a:prstGeom prst="{kind}"/>{fill}{line}</xdr:spPr>{style}{body}</xdr:{tag}>'
    )


def png(size=(4, 2), form="PNG"):
    stream = io.BytesIO()
    Image.new("RGB", size, "#2F5D7C").save(stream, form)
    return stream.getvalue()


PICTURE = '<xdr:pic><xdr:nvPicPr><xdr:cNvPr id="3" name="Logo" descr="our mark"/></xdr:nvPicPr><xdr:blipFill><a:blip r:embed="rId1"/><a:srcRect l="25000" b="10000"/></xdr:blipFill><xdr:spPr/></xdr:pic>'
RUNS = '<a:p><a:pPr algn="ctr"/><a:r><a:rPr b="1" sz="1400"><a:solidFill><a:srgbClr val="A6402F"/></a:solidFill></a:rPr><a:t>Bold</a:t></a:r><a:r><a:t> and plain</a:t></a:r></a:p><a:p><a:r><a:t>below</a:t></a:r></a:p>'
GROUP = (
    f'<xdr:grpSp><xdr:nvGrpSpPr><xdr:cNvPr id="9" name="Both"/></xdr:nvGrpSpPr><xdr:grpSpPr><a:xfrm><a:chOff x="0" y="0"/><a:chExt cx="{120 * POINT}" cy="{60 * POINT}"/></a:xfrm></xdr:grpSpPr>'
    f"{shape(name='one')}{shape(name='two', kind='ellipse')}</xdr:grpSp>"
)


def book_with(*anchors, image=None):
    drawing = f'<xdr:wsDr xmlns:xdr="{SHEET}" xmlns:a="{DRAW}" xmlns:r="{OFFICE}">{"".join(anchors)}</xdr:wsDr>'
    extra = {
        "xl/worksheets/_rels/sheet1.xml.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" Type="{OFFICE}/drawing" Target="../drawings/drawing1.xml"/></Relationships>',
        "xl/drawings/drawing1.xml": drawing,
        "xl/drawings/_rels/drawing1.xml.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" Type="{OFFICE}/image" Target="../media/image1.png"/></Relationships>',
        "xl/media/image1.png": png() if image is None else image,
    }
    parts = parts_of("", after='<drawing r:id="rId1"/>', extra=extra)
    parts["[Content_Types].xml"] = parts["[Content_Types].xml"].replace(
        "</Types>", f'<Override PartName="/xl/drawings/drawing1.xml" ContentType="{TYPE}.drawing+xml"/></Types>'
    )
    assert MAIN
    return Workbook.from_bytes(zipped(parts), "b.xlsx")


def drawn(book):
    found = printed_sheet(book, "Sheet1").drawn
    faces = Typefaces()
    maker = SheetDrawings(book, grid(), CellLooks(book, faces), faces)
    return found, [maker.items(one) for one in found], maker.problems


SHAPES = [
    # kind, corners of its outline
    ("rect", 4),
    ("triangle", 3),
    ("diamond", 4),
    ("hexagon", 6),
    ("rightArrow", 7),
    ("downArrow", 7),
    ("chevron", 6),
    ("roundRect", 17),
    ("ellipse", 13),
    ("cloudCallout", 4),
]


@pytest.mark.parametrize(("kind", "corners"), SHAPES)
def test_simple_shapes(kind, corners):
    (one,), ((box, items),), problems = drawn(book_with(anchored(shape(kind), row=2, column=2)))
    assert isinstance(one.content, Shape) and one.content.kind == kind and not problems
    (outline,) = items
    (path,) = outline.drawing.shapes
    assert (
        isinstance(path, Path)
        and len(path.points) == corners
        and (path.fill, path.stroke, path.width) == ("F2E2BC", "2F5D7C", 2.0)
    )
    assert all(-0.01 <= x <= box.width + 0.01 and -0.01 <= y <= box.height + 0.01 for x, y in path.points)


LOOKS = [
    # what it shows, the shape, its fill and line
    ("neither fill nor line", shape(fill="<a:noFill/>", line="<a:ln><a:noFill/></a:ln>"), (None, None)),
    ("colours of the style", shape(fill="", line="", style='<xdr:style><a:lnRef idx="1"><a:srgbClr val="27343A"/></a:lnRef><a:fillRef idx="1"><a:srgbClr val="E4E9EC"/></a:fillRef></xdr:style>'), ("E4E9EC", "27343A")),
    ("a style without either", shape(fill="", line="", style='<xdr:style><a:lnRef idx="0"/><a:fillRef idx="0"/></xdr:style>'), (None, None)),
    ("a run of colours", shape(fill='<a:gradFill><a:gsLst><a:gs pos="0"><a:srgbClr val="C99A2E"/></a:gs><a:gs pos="100000"><a:srgbClr val="FFFFFF"/></a:gs></a:gsLst></a:gradFill>'), ("C99A2E", "2F5D7C")),
    ("a darker colour", shape(fill='<a:solidFill><a:srgbClr val="808080"><a:lumMod val="50000"/></a:srgbClr></a:solidFill>'), ("404040", "2F5D7C")),
    ("a named colour", shape(fill='<a:solidFill><a:prstClr val="red"/></a:solidFill>'), ("FF0000", "2F5D7C")),
]  # fmt: skip


@pytest.mark.parametrize(("markup", "look"), [one[1:] for one in LOOKS], ids=[one[0] for one in LOOKS])
def test_fills_and_lines_of_shapes(markup, look):
    (one,), _, _ = drawn(book_with(anchored(markup)))
    assert (one.content.fill, one.content.line) == look


def test_a_text_box():
    (one,), ((box, items),), _ = drawn(
        book_with(anchored(shape(text=RUNS, fill="<a:noFill/>", line="<a:ln><a:noFill/></a:ln>", alt="a remark")))
    )
    texts = [item for item in items if isinstance(item, Text)]
    assert [text.text for text in texts] == ["Bold", " and plain", "below"] and one.alt == "a remark"
    assert (texts[0].size, texts[0].colour) == (14.0, "A6402F") and texts[1].size == 11.0
    middle = (texts[0].x + texts[1].x + texts[1].width) / 2
    assert middle == pytest.approx(box.x + box.width / 2, abs=0.5), "the first paragraph is centred"
    assert texts[2].x == pytest.approx(box.x + 7.2), "the second stands left"
    assert texts[0].y > texts[2].y > box.y


def test_lines_turned_and_mirrored():
    plain = anchored(shape("line", fill="", tag="cxnSp"))
    mirrored = anchored(shape("line", fill="", tag="cxnSp", form=' flipV="1"'))
    turned = anchored(shape(form=f' rot="{90 * 60_000}"'))
    _, made, _ = drawn(book_with(plain, mirrored, turned))
    ends = [items[0].drawing.shapes[0].points for _, items in made]
    assert ends[0] == ((0.0, 60.0), (120.0, 0.0)) and ends[1] == ((0.0, 0.0), (120.0, 60.0))
    assert {(round(x, 3), round(y, 3)) for x, y in ends[2]} == {
        (30.0, 90.0),
        (30.0, -30.0),
        (90.0, -30.0),
        (90.0, 90.0),
    }


def test_members_of_a_group_stand_in_its_frame():
    found, made, _ = drawn(book_with(anchored(GROUP)))
    assert [one.name for one in found] == ["one", "two"]
    assert [box for box, _ in made] == [pytest.approx((0, -30, 60, 30))] * 2


def test_pictures_cut_at_their_sides():
    (one,), ((box, (picture,)),), problems = drawn(book_with(anchored(PICTURE)))
    assert isinstance(one.content, DrawnPicture) and isinstance(picture, Picture) and not problems
    assert picture.cut == (0.25, 0.0, 0.0, 0.1) and picture.alt == "our mark" and picture.box == box


FORMS = [("PNG", True), ("JPEG", True), ("GIF", True), ("BMP", True)]


@pytest.mark.parametrize(("form", "there"), FORMS)
def test_forms_of_pictures(form, there):
    made = drawable(png(form=form))
    assert (made is not None) == there
    assert made is not None and made[:4] in (b"\x89PNG", b"\xff\xd8\xff\xe0")


@pytest.mark.parametrize("content", [b"", b"no picture", png()[:30], b"<svg xmlns='http://www.w3.org/2000/svg'/>"])
def test_what_is_no_picture_is_a_frame_with_its_text(content):
    (_,), ((_, items),), problems = drawn(book_with(anchored(PICTURE), image=content or b" "))
    assert problems == ["picture 'Logo': pictures of its form (png) are not drawn"]
    assert isinstance(items[0], Lines) and [item.text for item in items[1:]] == ["our mark"]


def test_what_is_hidden_or_unknown():
    hidden = anchored(shape().replace('name="Box"', 'name="Box" hidden="1"'))
    unknown = anchored(
        '<xdr:graphicFrame><xdr:nvGraphicFramePr><xdr:cNvPr id="4" name="Diagram"/></xdr:nvGraphicFramePr></xdr:graphicFrame>'
    )
    found, made, problems = drawn(book_with(hidden, unknown))
    assert [one.name for one in found] == ["Diagram"] and problems == ["'Diagram' is of a kind that is not drawn"]
    assert not any(isinstance(item, Chart) for _, items in made for item in items)
