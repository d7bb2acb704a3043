"""Pictures of a letter replaced by others, by slots in their alternative texts (ECMA-376 Part 1, 20.4.2.5) or by their
names: frame, place and proportion stay."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass

from lxml import etree

from tinquire.document.letter import Letter, kind_of
from tinquire.packages.xml import child, whole_number
from tinquire.slots.slots import Slot, only_slot
from tinquire.workbook.grid.frames import PictureFile
from tinquire.workbook.parts.drawings import POINT
from tinquire.workbook.transform.fill_pictures import put_picture

__all__ = ["LetterPicture", "fill_letter_pictures", "letter_pictures"]

_SPACE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_USUAL = (360.0, 220.0)


@dataclass(frozen=True, slots=True)
class LetterPicture:
    """A picture whose alternative text is a slot: the part that it stands in, the slot, and its frame's size in
    points."""

    place: str
    slot: Slot
    size: tuple[float, float]


#: What stands for a slot: a picture and its alternative text; None leaves the template's.
Source = Callable[[LetterPicture], tuple[PictureFile, str] | None]


def letter_pictures(letter: Letter) -> list[LetterPicture]:
    return [found for *_, found in _found(letter)]


def fill_letter_pictures(letter: Letter, source: Source, named: Collection[str] = ()) -> None:
    """Replace the pictures of a letter that ask for one, and those that have one of these names: that of the picture,
    or of the file that it was taken from (20.2.2.3)."""
    for part, root, properties, picture, found in list(_found(letter, named)):
        given = source(found)
        if given is None:
            continue
        content, alt = given
        media = f"{letter.part.rpartition('/')[0]}/media/image{{}}.{content.form}"
        if put_picture(letter.package, part, media, _SPACE, picture, content, found.size):
            properties.set("descr", alt)
            letter.put(part, root)


def _found(
    letter: Letter, named: Collection[str] = ()
) -> Iterator[tuple[str, etree._Element, etree._Element, etree._Element, LetterPicture]]:
    wanted = {name.casefold(): name for name in named}
    for part, place in letter.stories():
        if (b"descr" if not wanted else b"pic") not in letter.package.read(part):
            continue
        root = letter.root(part)
        for frame in root.iter("{*}inline", "{*}anchor"):
            properties = child(frame, "docPr")
            slot = None if properties is None else only_slot(properties.get("descr", "").strip())
            picture = next((one for one in frame.iter() if kind_of(one) == "pic"), None)
            if slot is None and picture is not None and wanted:
                slot = next((_slot(wanted[name]) for name in _names(frame) if name in wanted), None)
            if properties is not None and slot is not None and picture is not None:
                yield part, root, properties, picture, LetterPicture(place, slot, _size(frame))


def _names(frame: etree._Element) -> Iterator[str]:
    for element in frame.iter("{*}cNvPr", "{*}docPr"):
        for name in (element.get("name", ""), element.get("descr", "")):
            yield re.split(r"[/\\]", name.strip())[-1].casefold()


def _slot(name: str) -> Slot:
    return Slot(name, name)


def _size(frame: etree._Element) -> tuple[float, float]:
    extent = child(frame, "extent")
    sides = [0 if extent is None else whole_number(extent.get(name)) or 0 for name in ("cx", "cy")]
    return (sides[0] / POINT, sides[1] / POINT) if all(sides) else _USUAL
