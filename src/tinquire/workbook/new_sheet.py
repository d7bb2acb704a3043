"""Parts that hang on sheets, written: those of new ones, and charts and pictures added to others."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from lxml import etree

from tinquire.packages.package import Package
from tinquire.packages.xml import insert_child
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.parts.drawing_markup import extend_drawing, put_drawing
from tinquire.workbook.parts.note_markup import put_notes
from tinquire.workbook.parts.sheet_frame import SHEET_ORDER
from tinquire.workbook.parts.tables import table_part
from tinquire.workbook.sheet_xml.frame_changes import edited_frame
from tinquire.workbook.sheet_xml.row_writer import PlacesOf
from tinquire.workbook.sheet_xml.writer import Related, sheet_part

__all__ = ["CONTENT_TYPE", "add_frames", "put_new_sheet"]

CONTENT_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml."


def put_new_sheet(
    package: Package, folder: str, sheet: Sheet, places_of: PlacesOf, next_table_id: Callable[[], int], space: str
) -> str:
    """Write the parts of a new sheet and return the name of its own. `folder` is that of the workbook's part, `space`
    the namespace of relationships that the workbook uses."""
    part = package.free_name(f"{folder}/worksheets/sheet{{}}.xml")
    package.put(part, b"")
    package.set_type(part, f"{CONTENT_TYPE}worksheet+xml")
    tables = []
    for table in sheet.tables:
        inner = package.free_name(f"{folder}/tables/table{{}}.xml")
        package.put(inner, table_part(table, next_table_id()))
        package.set_type(inner, f"{CONTENT_TYPE}table+xml")
        tables.append(package.relate(part, f"{space}/table", inner))
    targets = list(dict.fromkeys(link.target for link in sheet.links if link.outside))
    links = package.relate_all(part, [(f"{space}/hyperlink", target) for target in targets], outside=True)
    drawing = put_drawing(package, folder, part, sheet.frames, space) if sheet.frames else ""
    notes = put_notes(package, folder, part, sheet.notes, space) if sheet.notes else ""
    related = Related(tables, dict(zip(targets, links, strict=True)), drawing, notes)
    package.put_pieces(part, sheet_part(sheet, places_of, related))
    return part


def add_frames(package: Package, folder: str, sheet: str, frames: Sequence[Frame], space: str) -> None:
    """Add charts and pictures to a sheet that has its part already. Raises ValueError where that cannot be changed."""
    drawing = next((item.target for item in package.relations(sheet) if item.kind == "drawing"), None)
    if drawing is not None and package.has(drawing):
        extend_drawing(package, folder, drawing, frames, space)
        return
    identity = put_drawing(package, folder, sheet, frames, space)

    def refer(root: etree._Element) -> None:
        insert_child(root, "drawing", SHEET_ORDER).set(f"{{{space}}}id", identity)

    package.put(sheet, edited_frame(package.read(sheet), refer))
