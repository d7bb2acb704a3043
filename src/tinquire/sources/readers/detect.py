"""Files of sheets opened by what they are, not by what their names say."""

from __future__ import annotations

from enum import Enum
from pathlib import Path

from tinquire.base.faults import AccessError, Fault
from tinquire.packages.zip_archive import Archive, unreadable_error
from tinquire.workbook import Workbook

__all__ = ["FileKind", "file_kind", "is_text", "open_sheets"]

_ZIP, _COMPOUND = b"PK\x03\x04", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
_MARKS = (b"\xef\xbb\xbf", b"\xff\xfe", b"\xfe\xff")
_OPEN_DOCUMENT = b"application/vnd.oasis.opendocument.spreadsheet"
_LOOKED_AT = 2_000


class FileKind(Enum):
    """What a file is, in words that finish the sentence 'it is ...'."""

    PACKAGE = "a workbook"
    OPEN_DOCUMENT = "an OpenDocument sheet"
    FLAT_DOCUMENT = "an OpenDocument sheet in one file"
    PAGE = "a web page"
    MARKUP = "XML of another kind"
    TEXT = "delimited text"
    OTHER = "something else"


def file_kind(data: bytes) -> FileKind:
    """What the first bytes of a file say that it is."""
    if data[:4] == _ZIP:
        # The first member of an OpenDocument package is its type, stored as it is (part 2, 3.3).
        return FileKind.OPEN_DOCUMENT if _OPEN_DOCUMENT in data[:200] else FileKind.PACKAGE
    if data[:8] == _COMPOUND or not data:
        return FileKind.OTHER
    start = data[:_LOOKED_AT]
    if start.startswith(_MARKS[1:]):
        start = start.decode("utf-16", "ignore").encode()
    start = start.removeprefix(_MARKS[0]).lstrip().lower()
    if start.startswith((b"<!doctype html", b"<html", b"<table", b"<meta", b"<head")) or b"<html" in start:
        return FileKind.PAGE
    if start.startswith((b"<?xml", b"<office:")):
        return FileKind.FLAT_DOCUMENT if b"office:document" in start else FileKind.MARKUP
    return FileKind.OTHER if b"\x00" in start else FileKind.TEXT


def is_text(path: Path) -> bool:
    """Whether a file is text of some kind, which has no sheets; its reader says what is wrong with other files."""
    try:
        with path.open("rb") as stream:
            return file_kind(stream.read(_LOOKED_AT)) is FileKind.TEXT
    except OSError:
        return False


def open_sheets(path: Path, shown: str | None = None) -> tuple[Workbook, FileKind]:
    """A file's sheets, and what it is. What is no workbook is one in memory only: it has values and no formulas.

    Raises: AccessError, with what the file is, for what cannot be read as sheets.
    """
    name = shown or str(path)
    try:
        data = path.read_bytes()
    except OSError:
        return Workbook.open(path, shown), FileKind.PACKAGE  # it says what is wrong
    kind = file_kind(data)
    if kind is FileKind.OPEN_DOCUMENT:
        return _from_package(data, name), kind
    if kind is FileKind.FLAT_DOCUMENT:
        from tinquire.sources.readers.opendocument import read_opendocument

        return read_opendocument(data, name), kind
    if kind is FileKind.PAGE:
        from tinquire.sources.readers.web_page import read_web_page

        return read_web_page(data, name), kind
    if kind in (FileKind.TEXT, FileKind.MARKUP):
        do = "read it with 'stack', or as a source of a docket" if kind is FileKind.TEXT else "save it as .xlsx"
        raise AccessError(Fault("opening a workbook", f"it is {kind.value}, whatever its name says", name, do))
    if kind is FileKind.OTHER:
        raise unreadable_error(name, data, "")
    return Workbook.from_bytes(data, name), kind


def _from_package(data: bytes, name: str) -> Workbook:
    from tinquire.sources.readers.opendocument import read_opendocument

    archive = Archive(data, name)
    try:
        if b"encryption-data" in archive.read("META-INF/manifest.xml"):
            why = "it is locked with a password"
            raise AccessError(Fault("opening an OpenDocument sheet", why, name, "save it without a password"))
        content = archive.read("content.xml")
    except KeyError as error:
        why = f"its part {error} is missing"
        raise AccessError(Fault("opening an OpenDocument sheet", why, name, "get the file again")) from None
    return read_opendocument(content, name)
