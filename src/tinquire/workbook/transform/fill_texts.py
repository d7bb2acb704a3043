"""Slots in a workbook's texts other than cells: headers and footers, shapes, charts, notes, links, document properties.

A slot may be split over any number of text runs, as editors do; the run in which it begins takes what fills it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass

from lxml import etree

from tinquire.packages.text_runs import fill_runs
from tinquire.packages.xml import child, children, local, serialise_xml
from tinquire.slots.slots import Resolver, UnfilledSlot, fill_text
from tinquire.workbook.edit.propagate import unreadable_part
from tinquire.workbook.sheet_xml.frame_changes import edited_frame
from tinquire.workbook.workbook import Workbook

__all__ = ["UnfilledText", "fill_texts", "may_have_slots", "texts_with_slots"]

_OPENED = "[:"
#: Kinds of parts with paragraphs of runs (20.1.2.2, 21.1.2), and how messages call them.
_DRAWN = {"drawing": "a shape", "chart": "a chart", "comments": "a note", "threadedComment": "a note"}
#: Parts of a package with properties of the document (Part 2, 8; 22.2, 22.3).
_PROPERTIES = ("core-properties", "extended-properties", "custom-properties")


@dataclass(frozen=True, slots=True)
class UnfilledText:
    """A slot that nothing fills, and where it stands, in words."""

    place: str
    unfilled: UnfilledSlot


def fill_texts(book: Workbook, resolve: Resolver, sheets: Collection[str] | None = None) -> list[UnfilledText]:
    """Fill the slots of all texts that are no cells, of some sheets (or of the whole workbook), and return those that
    nothing fills. Parts without a slot stay byte for byte."""
    missing: list[UnfilledText] = []

    def filled(text: str, place: str, code: Callable[[str], str] = str) -> str:
        result, unfilled = fill_text(text, resolve)
        missing.extend(UnfilledText(place, item) for item in unfilled)
        return code(result)

    book.settle_new()
    for entry in book.entries:
        if entry.part is None or not book.package.has(entry.part) or not (sheets is None or entry.name in sheets):
            continue
        _fill_frame(book, entry.part, f"sheet '{entry.name}'", filled)
        for kind, part in list(_parts(book, entry.part)):
            if kind in _DRAWN and _OPENED.encode() in book.package.read(part):
                root = book.package.root(part)
                _fill_runs(root, f"{_DRAWN[kind]} of sheet '{entry.name}'", filled)
                book.package.put(part, serialise_xml(root))
    if sheets is None:
        _fill_properties(book, filled)
    return missing


def texts_with_slots(book: Workbook) -> list[str]:
    """The texts that `fill_texts` would fill."""
    found: list[str] = []

    def noted(text: str, place: str, code: Callable[[str], str] = str) -> str:
        found.append(text)
        return text

    for entry in book.entries:
        if entry.part is None or not book.package.has(entry.part):
            continue
        found += _frame_texts(book, entry.part)
        for kind, part in _parts(book, entry.part):
            if kind in _DRAWN and _OPENED.encode() in book.package.read(part):
                _fill_runs(book.package.root(part), "", noted)
    return found


def may_have_slots(book: Workbook) -> bool:
    """Whether there may be slots in texts that are no cells; the workbook is settled. What `fill_texts` reads is looked
    through, and nothing of it read."""
    package = book.package
    parts = [relation.target for relation in package.relations() if relation.kind.endswith(_PROPERTIES)]
    for entry in book.entries:
        if entry.part is not None and package.has(entry.part):
            parts += [entry.part, *(part for kind, part in _parts(book, entry.part) if kind in _DRAWN)]
    return any(package.has(part) and _OPENED.encode() in package.read(part) for part in parts)


_Fill = Callable[..., str]


def _parts(book: Workbook, sheet_part: str) -> Iterator[tuple[str, str]]:
    """The parts that hang on a sheet and have texts: kind and name; charts hang on the drawing."""
    for relation in book.package.relations(sheet_part):
        if relation.outside or not book.package.has(relation.target):
            continue
        yield relation.kind, relation.target
        if relation.kind == "drawing":
            inner = book.package.relations(relation.target)
            yield from ((one.kind, one.target) for one in inner if not one.outside and book.package.has(one.target))


# -- around the cells ------------------------------------------------------------------------------------


def _is_text(element: etree._Element) -> bool:
    return local(element).startswith(("odd", "even", "first")) and local(element).endswith(("Header", "Footer"))


def _frame_texts(book: Workbook, part: str) -> Iterator[str]:
    data = book.package.read(part)
    if _OPENED.encode() not in data:
        return
    texts: list[str] = []

    def note(root: etree._Element) -> None:
        texts.extend(item.text or "" for item in root.iter() if _is_text(item) and _OPENED in (item.text or ""))

    try:
        edited_frame(data, note)
    except ValueError as error:
        raise unreadable_part(book, part, error) from None
    yield from texts


def _fill_frame(book: Workbook, part: str, place: str, filled: _Fill) -> None:
    """Headers and footers, whose codes begin with an ampersand, and links within the workbook."""
    outline = book.package.outline(part)
    if outline is not None and _OPENED.encode() not in outline.around:
        return
    data = book.package.read(part)
    if b"[" not in data or _OPENED.encode() not in data:  # one letter is looked for many times faster than two
        return
    book.settle()
    data = book.package.read(part)
    touched = False

    def change(root: etree._Element) -> None:
        nonlocal touched
        for element in root.iter():
            if _is_text(element) and _OPENED in (element.text or ""):
                element.text = _header(element.text or "", place, filled)
                touched = True
        for link in children(child(root, "hyperlinks"), "hyperlink"):
            for name in ("location", "tooltip", "display"):
                if _OPENED in link.get(name, ""):
                    link.set(name, filled(link.get(name, ""), f"a link of {place}"))
                    touched = True

    try:
        fresh = edited_frame(data, change)
    except ValueError as error:
        raise unreadable_part(book, part, error) from None
    if touched:
        book.part_changed(part, fresh)


def _header(text: str, place: str, filled: _Fill) -> str:
    """A header with its slots filled: what comes out of a slot is no code."""
    pieces, rest = [], text
    while (start := rest.find(_OPENED)) >= 0 and (end := rest.find(":]", start)) >= 0:
        slot = rest[start : end + 2]
        pieces += [rest[:start], filled(slot, f"a header or footer of {place}").replace("&", "&&")]
        rest = rest[end + 2 :]
    return "".join([*pieces, rest])


# -- runs ------------------------------------------------------------------------------------------------


def _fill_runs(root: etree._Element, place: str, filled: _Fill) -> None:
    """Texts of paragraphs, and of notes, run by run."""
    holders = [item for item in root.iter() if local(item) in ("p", "text", "si")]
    for holder in holders:
        runs = [item for item in holder.iter() if local(item) == "t"]
        if _OPENED in "".join(run.text or "" for run in runs):
            fill_runs(runs, _OPENED, ":]", lambda text: filled(text, place))


# -- the document ----------------------------------------------------------------------------------------


def _fill_properties(book: Workbook, filled: _Fill) -> None:
    for relation in book.package.relations():
        if not relation.kind.endswith(_PROPERTIES) or not book.package.has(relation.target):
            continue
        if _OPENED.encode() not in book.package.read(relation.target):
            continue
        root = book.package.root(relation.target)
        for element in root.iter():
            if isinstance(element.tag, str) and _OPENED in (element.text or ""):
                element.text = filled(element.text or "", f"the document's property '{local(element)}'")
        book.package.put(relation.target, serialise_xml(root))
