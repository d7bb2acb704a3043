"""Pictures of a template replaced by others, by slots in their alternative texts (ECMA-376 Part 1, 20.1.2.2.8): frame
and place stay."""

from __future__ import annotations

import io
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass
from functools import lru_cache

from lxml import etree

from tinquire.packages.package import Package
from tinquire.packages.xml import child, local, serialise_xml
from tinquire.slots.slots import Slot, only_slot
from tinquire.workbook.grid.frames import PictureFile
from tinquire.workbook.parts.drawings import POINT, anchor_size
from tinquire.workbook.workbook import Workbook

__all__ = ["PictureSlot", "fill_pictures", "picture_size", "picture_slots", "put_picture"]

#: The size in points of a frame that states none.
_USUAL = (360.0, 220.0)
#: Thousandths of a per cent (20.1.10.40).
_WHOLE = 100_000


@dataclass(frozen=True, slots=True)
class PictureSlot:
    """A picture whose alternative text is a slot: its sheet, the slot, and the size of its frame in points."""

    sheet: str
    slot: Slot
    size: tuple[float, float]


#: What stands for a slot: a picture and its alternative text; None leaves the template's.
Source = Callable[[PictureSlot], tuple[PictureFile, str] | None]


def picture_slots(book: Workbook) -> list[PictureSlot]:
    """The pictures of a workbook whose alternative text is a slot."""
    return [found for _, _, found in _found(book, None)]


def fill_pictures(book: Workbook, source: Source, sheets: Collection[str] | None = None) -> None:
    """Replace the pictures of some sheets (or all). A picture of other proportions stands in the middle of its frame;
    the part that was there goes when nothing else shows it."""
    book.settle_new()
    for drawing, properties, found in list(_found(book, sheets)):
        given = source(found)
        if given is None:
            continue
        content, alt = given
        picture = properties.getparent()
        while picture is not None and local(picture) != "pic":
            picture = picture.getparent()
        media = f"{book.part.rpartition('/')[0]}/media/image{{}}.{content.form}"
        if picture is not None and put_picture(
            book.package, drawing, media, book.relation_space, picture, content, found.size
        ):
            properties.set("descr", alt)
            book.package.put(drawing, serialise_xml(properties.getroottree().getroot()))


def put_picture(
    package: Package, part: str, media: str, space: str, picture: etree._Element, content: PictureFile,
    size: tuple[float, float],
) -> bool:  # fmt: skip
    """Let a picture element of a part show another picture, in the middle of its frame of a size in points. `media` is
    the pattern of the new part's name, `space` the namespace of relationships. False for an element that shows none."""
    blip = next((one for one in picture.iter() if local(one) == "blip"), None)
    fill = None if blip is None else blip.getparent()
    if blip is None or fill is None:
        return False
    name = package.free_name(media)
    package.put(name, content.content)
    package.set_type(name, f"image/{content.form}")
    key = next((key for key in blip.attrib if str(key).endswith("}embed")), None)
    identity = package.relate(part, f"{space}/image", name)
    blip.set(key if key is not None else f"{{{space}}}embed", identity)
    for inner in list(blip):  # a drawn original beside the picture would win over it
        blip.remove(inner)
    _fit(fill, content.content, size)
    return True


def _found(book: Workbook, sheets: Collection[str] | None) -> Iterator[tuple[str, etree._Element, PictureSlot]]:
    for entry in book.entries:
        if entry.part is None or not book.package.has(entry.part) or not (sheets is None or entry.name in sheets):
            continue
        for relation in book.package.relations(entry.part):
            if relation.kind != "drawing" or not book.package.has(relation.target):
                continue
            if b"[:" not in book.package.read(relation.target):
                continue
            for anchor in book.package.root(relation.target):
                for picture in anchor.iter("{*}pic"):
                    properties = next(picture.iter("{*}cNvPr"), None)
                    slot = None if properties is None else only_slot(properties.get("descr", "").strip())
                    if properties is not None and slot is not None:
                        yield relation.target, properties, PictureSlot(entry.name, slot, _size(anchor, picture))


def _size(anchor: etree._Element, picture: etree._Element) -> tuple[float, float]:
    """The size of a picture's frame in points: the anchor's own, or what the picture last had."""
    if (own := anchor_size(anchor)) is not None:
        return own
    extent = next((one for one in picture.iter("{*}ext") if one.get("cx") and one.get("cy")), None)
    if extent is None or not all((extent.get(name) or "").isdecimal() for name in ("cx", "cy")):
        return _USUAL
    wide, high = (int(extent.get(name, "0")) / POINT for name in ("cx", "cy"))
    return (wide, high) if wide and high else _USUAL


@lru_cache(maxsize=64)
def picture_size(content: bytes) -> tuple[int, int]:
    """How many pixels a picture has across and down."""
    from PIL import Image

    with Image.open(io.BytesIO(content)) as image:
        return image.size


def _fit(fill: etree._Element, content: bytes, size: tuple[float, float]) -> None:
    """Let a picture keep its proportions within its frame."""
    wide, high = picture_size(content)
    for name in ("srcRect", "tile"):
        if (old := child(fill, name)) is not None:
            fill.remove(old)
    stretch = child(fill, "stretch")
    space = etree.QName(next(one for one in fill if local(one) == "blip")).namespace
    if stretch is None:
        stretch = etree.SubElement(fill, f"{{{space}}}stretch")
    for old in list(stretch):
        stretch.remove(old)
    rectangle = etree.SubElement(stretch, f"{{{space}}}fillRect")
    scale = min(size[0] / wide, size[1] / high)
    across, down = 1 - wide * scale / size[0], 1 - high * scale / size[1]
    for names, gap in ((("l", "r"), across), (("t", "b"), down)):
        if round(gap * _WHOLE / 2) > _WHOLE // 200:  # less than half a per cent is no difference
            for name in names:
                rectangle.set(name, str(round(gap * _WHOLE / 2)))
