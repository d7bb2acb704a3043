"""Drawings of new sheets as parts (ECMA-376 Part 1, 20.5): charts and pictures in frames anchored at cells."""

from __future__ import annotations

from collections.abc import Sequence

from lxml import etree

from tinquire.charts.chart import Chart
from tinquire.packages.package import Package
from tinquire.packages.xml import RELATIONS, escape_attribute, serialise_xml, whole_number
from tinquire.workbook.grid.frames import Frame, PictureFile
from tinquire.workbook.parts.chart_markup import CHART, DRAWING_MAIN, chart_part
from tinquire.workbook.parts.drawings import POINT

__all__ = ["extend_drawing", "put_drawing"]

_SPACE = "http://schemas.openxmlformats.org/drawingml/2006/spreadsheetDrawing"
_DRAWING_TYPE = "application/vnd.openxmlformats-officedocument.drawing+xml"
_CHART_TYPE = "application/vnd.openxmlformats-officedocument.drawingml.chart+xml"


def put_drawing(package: Package, folder: str, sheet_part: str, frames: Sequence[Frame], space: str) -> str:
    """Write the drawing of a sheet with its charts and pictures; returns the sheet's relationship to it. `folder` is
    that of the workbook's part, `space` the namespace of relationships that it uses."""
    part = package.free_name(f"{folder}/drawings/drawing{{}}.xml")
    package.put(part, b"")
    package.set_type(part, _DRAWING_TYPE)
    start = f'<xdr:wsDr xmlns:xdr="{_SPACE}" xmlns:a="{DRAWING_MAIN}" xmlns:r="{RELATIONS}" xmlns:c="{CHART}">'
    body = "".join(_anchors(package, folder, part, frames, space, 1))
    text = f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n{start}{body}</xdr:wsDr>'
    package.put(part, text.encode())
    return package.relate(sheet_part, f"{space}/drawing", part)


def extend_drawing(package: Package, folder: str, drawing: str, frames: Sequence[Frame], space: str) -> None:
    """Add charts and pictures to a drawing part, behind what it has."""
    root = package.root(drawing)
    known = [whole_number(item.get("id")) or 0 for item in root.iter("{*}cNvPr")]
    start = f'<x xmlns:xdr="{_SPACE}" xmlns:a="{DRAWING_MAIN}" xmlns:r="{RELATIONS}" xmlns:c="{CHART}">'
    anchors = _anchors(package, folder, drawing, frames, space, max(known, default=0) + 1)
    root.extend(etree.fromstring(f"{start}{''.join(anchors)}</x>"))
    package.put(drawing, serialise_xml(root))


def _anchors(package: Package, folder: str, part: str, frames: Sequence[Frame], space: str, number: int) -> list[str]:
    """The anchors of frames, whose charts and pictures are written as parts; they are numbered from `number` on."""
    charts = [frame.content for frame in frames if isinstance(frame.content, Chart)]
    names = iter(package.free_names(f"{folder}/charts/chart{{}}.xml", len(charts)))
    types, relations = {}, []
    for frame in frames:
        if isinstance(frame.content, Chart):
            inner = next(names)
            package.put(inner, chart_part(frame.content))
            types[inner] = _CHART_TYPE
            relations.append((f"{space}/chart", inner))
        else:
            inner = _put_picture(package, folder, frame.content)
            types[inner] = f"image/{frame.content.form}"
            relations.append((f"{space}/image", inner))
    package.set_types(types)
    ids = package.relate_all(part, relations)
    return [
        _anchor(frame, (_chart_frame if isinstance(frame.content, Chart) else _picture)(place, frame, identity))
        for place, (frame, identity) in enumerate(zip(frames, ids, strict=True), start=number)
    ]


def _put_picture(package: Package, folder: str, picture: PictureFile) -> str:
    """The part of a picture; the same picture twice is one part."""
    known = [name for name in package.names() if name.startswith(f"{folder}/media/") and name.endswith(picture.form)]
    for name in known:
        if package.read(name) == picture.content:
            return name
    part = package.free_name(f"{folder}/media/image{{}}.{picture.form}")
    package.put(part, picture.content)
    return part


def _anchor(frame: Frame, shape: str) -> str:
    """A frame of a size of its own, which it keeps whatever becomes of rows and columns (20.5.2.24)."""
    across, down = round(frame.from_left * POINT), round(frame.from_top * POINT)
    return (
        f"<xdr:oneCellAnchor><xdr:from><xdr:col>{frame.column - 1}</xdr:col><xdr:colOff>{across}</xdr:colOff>"
        f"<xdr:row>{frame.row - 1}</xdr:row><xdr:rowOff>{down}</xdr:rowOff></xdr:from>"
        f'<xdr:ext cx="{round(frame.width * POINT)}" cy="{round(frame.height * POINT)}"/>{shape}<xdr:clientData/>'
        "</xdr:oneCellAnchor>"
    )


def _named(number: int, frame: Frame) -> str:
    alt = f' descr="{escape_attribute(frame.alt)}"' if frame.alt else ""
    return f'<xdr:cNvPr id="{number + 1}" name="{escape_attribute(frame.name)}"{alt}/>'


def _chart_frame(number: int, frame: Frame, identity: str) -> str:
    return (
        f"<xdr:graphicFrame><xdr:nvGraphicFramePr>{_named(number, frame)}<xdr:cNvGraphicFramePr/>"
        "</xdr:nvGraphicFramePr>"
        '<xdr:xfrm><a:off x="0" y="0"/><a:ext cx="0" cy="0"/></xdr:xfrm>'
        f'<a:graphic><a:graphicData uri="{CHART}"><c:chart r:id="{identity}"/></a:graphicData></a:graphic>'
        "</xdr:graphicFrame>"
    )


def _picture(number: int, frame: Frame, identity: str) -> str:
    extent = f'<a:ext cx="{round(frame.width * POINT)}" cy="{round(frame.height * POINT)}"/>'
    return (
        f'<xdr:pic><xdr:nvPicPr>{_named(number, frame)}<xdr:cNvPicPr><a:picLocks noChangeAspect="1"/></xdr:cNvPicPr>'
        f'</xdr:nvPicPr><xdr:blipFill><a:blip r:embed="{identity}"/><a:stretch><a:fillRect/></a:stretch></xdr:blipFill>'
        f'<xdr:spPr><a:xfrm><a:off x="0" y="0"/>{extent}</a:xfrm><a:prstGeom prst="rect"><a:avLst/></a:prstGeom>'
        "</xdr:spPr></xdr:pic>"
    )
