"""The zip container: bounded reading, and writing in which untouched members keep their compressed bytes."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property, lru_cache
from itertools import groupby
from typing import TypeAlias

from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.base.parallel import map_in_order
from tinquire.packages.deflate import CHUNK, DAMAGE, TINY, Packed, crc32, inflate, pack_whole, unpacker
from tinquire.packages.raw_xml import Unusual
from tinquire.packages.zip_directory import CENTRAL, END, KEPT_FLAGS, LOCAL, UTF8_FLAG, Member, read_directory

__all__ = ["MAX_RATIO", "Archive", "unreadable_error", "write_archive"]


#: No part of a workbook may inflate to more than this; the largest sheet of the grid's size stays below.
MAX_PART = 4 << 30
#: A part larger than a megabyte that inflates by more than this factor is a bomb: text of cells reaches about 60.
MAX_RATIO = 300
_BOMB_FLOOR = 1 << 20
#: Entries carry one fixed time stamp, so that equal content gives equal bytes (1980-01-01, the format's first day).
_DOS_DATE = 0x0021
#: How a file of the old binary kind begins, and what stands at the beginning of an OpenDocument package.
_COMPOUND, _OPEN_DOCUMENT = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", b"application/vnd.oasis.opendocument."
#: What reading a damaged member may raise.
_DAMAGE = (zipfile.BadZipFile, zlib.error, OSError, EOFError, RuntimeError, NotImplementedError, ValueError)

#: What the fields of a directory can hold.
_MAX_ZIP32 = 0xFFFFFFFF
#: Members that stand ready and take fewer bytes are kept as they are written.
_FEW = 1 << 16
#: Contents of an archive that are kept once they were read, in bytes together.
_KEPT_CONTENTS = 1 << 18
#: A member's header and compressed bytes, what of its entry in the directory stands before its place, and its name.
_Copy: TypeAlias = tuple[bytes, bytes, bytes]
#: The last field of an entry in the directory: where its member lies.
_OFFSET = struct.Struct("<L")


class Archive:
    """A zip file held in memory as read; members are inflated when asked for."""

    def __init__(self, data: bytes, name: str) -> None:
        """Raises AccessError when the bytes are no readable zip archive."""
        self.name = name
        self._data = data
        if data[:8] == _COMPOUND:
            raise unreadable_error(name, data, "")  # a workbook of the old kind may hold a zip archive somewhere inside
        try:
            members = list(read_directory(data)[0].values())
        except Unusual:
            members = [Member.of(entry) for entry in self._zip.infolist()]
        #: Small members that were copied, as they are copied.
        self._copies: dict[str, _Copy] = {}
        self._runs: dict[tuple[str, ...], list[_Copy]] = {}
        #: Contents that were read, as far as there is room for them: of one workbook many copies may be made.
        self._contents: dict[str, bytes] = {}
        self._room = _KEPT_CONTENTS
        #: Members whose content was seen to be as long as stated, with the checksum stated.
        self._sound: set[str] = set()
        self._members = {member.name: member for member in members if member.name[-1:] not in ("", "/")}

    @cached_property
    def _zip(self) -> zipfile.ZipFile:
        """The archive as the standard library reads it: for what is not of the plain form. Raises AccessError."""
        try:
            return zipfile.ZipFile(io.BytesIO(self._data))
        except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError) as error:
            raise unreadable_error(self.name, self._data, str(error)) from None

    def names(self) -> list[str]:
        """Members in the order of the file."""
        return list(self._members)

    def read(self, member: str) -> bytes:
        """A member's content.

        Raises: KeyError for an unknown member, DataError for bombs, AccessError for damage.
        """
        if (known := self._contents.get(member)) is not None:
            return known
        entry = self._checked(member)
        size = entry.size
        try:
            content = self._quick(entry)
            if content is None:
                with self._zip.open(entry.name) as stream:
                    content = stream.read(size + 1)
        except (*_DAMAGE, KeyError) as error:
            raise self._damaged(member, str(error)) from None
        if len(content) != size:
            raise AccessError(Fault("opening a workbook", f"its part '{member}' has a wrong size", self.name, _AGAIN))
        self._sound.add(member)
        if size <= self._room:
            self._room -= size
            self._contents[member] = content
        return content

    def chunks(self, member: str) -> Iterator[bytes]:
        """A member's content a megabyte or so at a time, none of it kept; raises as `read`, damage on the way too."""
        entry = self._checked(member)
        packed = self._plain(entry)
        if packed is None or entry.size <= CHUNK:
            yield self.read(member)
        else:
            yield from self._unpacked(entry, packed)

    def _unpacked(self, entry: Member, packed: memoryview) -> Iterator[bytes]:
        """A plain member's content piece by piece. Raises AccessError for damage, at the end for a wrong checksum."""
        step = max(int(len(packed) * CHUNK / max(entry.size, 1)), 1)
        worker = unpacker()
        size = crc = 0
        for start in range(0, len(packed), step):
            try:
                # One byte more than is stated shows that there is more, whatever the rest unfolds to.
                content: bytes = worker.decompress(packed[start : start + step], entry.size - size + 1)
            except DAMAGE as error:
                raise self._damaged(entry.name, str(error)) from None
            size, crc = size + len(content), crc32(content, crc)
            if size > entry.size:
                break
            if content:
                yield content
        if size != entry.size or crc != entry.crc:
            raise self._damaged(entry.name, _WRONG_SUM)

    def verify(self, member: str) -> None:
        """Hold a member that is about to be copied against its length and checksum, once. Raises AccessError."""
        entry = self._members[member]
        if member in self._sound:
            return
        packed = self._plain(entry)
        if packed is not None:
            for _ in self._unpacked(entry, packed):
                pass
        else:
            try:
                with self._zip.open(entry.name) as stream:  # the standard library holds the checksum against it
                    size = sum(map(len, iter(lambda: stream.read(CHUNK), b"")))
            except (*_DAMAGE, KeyError) as error:
                raise self._damaged(member, str(error)) from None
            if size != entry.size:
                raise self._damaged(member, "its size is wrong")
        self._sound.add(member)

    def _checked(self, member: str) -> Member:
        """A member's entry. Raises DataError for bombs."""
        entry = self._members[member]
        size, packed = entry.size, max(entry.packed, 1)
        if size > MAX_PART or (size > _BOMB_FLOOR and size / packed > MAX_RATIO):
            why = f"its part '{member}' would unpack from {packed:,} to {size:,} bytes"
            raise DataError(Fault("opening a workbook", why, self.name, "ask the sender for an intact file"))
        return entry

    def _damaged(self, member: str, why: str) -> AccessError:
        return AccessError(Fault("opening a workbook", f"its part '{member}' is damaged ({why})", self.name, _AGAIN))

    def _plain(self, entry: Member) -> memoryview | None:
        """A plain member's compressed bytes; None for those that the standard library should look at."""
        if entry.method != zipfile.ZIP_DEFLATED or entry.flags & 1 or entry.start < 0:
            return None
        local = self._data[entry.start : entry.start + LOCAL.size]
        if len(local) < LOCAL.size or local[:4] != b"PK\x03\x04":
            return None
        head = LOCAL.unpack(local)
        start = entry.start + LOCAL.size
        if self._data[start : start + head[9]] != entry.raw_name:
            return None
        start += head[9] + head[10]
        return memoryview(self._data)[start : start + entry.packed]

    def _quick(self, entry: Member) -> bytes | None:
        """A plain member's content by the fast library; None for those that the standard one should look at."""
        packed = self._plain(entry)
        if packed is None:
            return None
        try:
            content = inflate(packed, entry.size)
        except (ValueError, zlib.error):
            return None  # the standard library says what is wrong
        return content if crc32(content) == entry.crc else None

    def verify_all(self, members: Sequence[str]) -> None:
        """`verify` of many, two large ones at a time."""
        for member in members:
            if self._members[member].size <= CHUNK:
                self.verify(member)
        for _ in map_in_order(self.verify, [member for member in members if self._members[member].size > CHUNK]):
            pass

    def packed_size(self, member: str) -> int:
        """How many bytes a member takes in the file."""
        return self._members[member].packed

    def copied(self, members: tuple[str, ...]) -> list[_Copy]:
        """Members as they are copied. Raises as `packed`."""
        if (known := self._runs.get(members)) is not None:
            return known
        self.verify_all([member for member in members if member not in self._copies])
        made = [self._copied(member) for member in members]
        if all(member in self._copies for member in members):
            self._runs[members] = made
        return made

    def _copied(self, member: str) -> _Copy:
        if (known := self._copies.get(member)) is not None:
            return known
        entry, packed = self.packed(member)
        flags = entry.flags & KEPT_FLAGS
        made = _entry(member, packed, entry.method, entry.crc, entry.size, flags, entry.stamp)
        if len(packed) <= CHUNK:  # large ones would stand twice in memory
            self._copies[member] = made
        return made

    def packed(self, member: str) -> tuple[Member, bytes]:
        """A member's entry and its compressed bytes as they lie in the file, which are sound.

        Raises: AccessError when they do not lie where the directory says, or are damaged: what is copied must not look
        whole when it is not.
        """
        entry = self._members[member]
        start = entry.start
        head = self._data[start : start + LOCAL.size] if start >= 0 else b""
        if len(head) < LOCAL.size or head[:4] != b"PK\x03\x04":
            raise self._damaged(member, "its header is missing")
        begin = start + LOCAL.size + sum(LOCAL.unpack(head)[9:])
        packed = self._data[begin : begin + entry.packed]
        if len(packed) != entry.packed:
            raise self._damaged(member, "its end is missing")
        self.verify(member)
        return entry, packed


_END_MISSING, _WRONG_SUM = "its end is missing", "its checksum is wrong"
_AGAIN = "get the file again from its source"


def unreadable_error(name: str, data: bytes, detail: str) -> AccessError:
    """What to say of a file that is no zip archive, by what it looks like instead."""
    if data[:8] == _COMPOUND and "EncryptedPackage".encode("utf-16-le") in data:
        why, do = "it is locked with a password", "save it without a password in the program that made it"
    elif data[:8] == _COMPOUND:
        why, do = "it is a workbook of the old binary kind", "save it as .xlsx in the program that made it"
    elif _OPEN_DOCUMENT in data[:200] or b"office:document" in data[:2_000]:
        why = "it is an OpenDocument sheet, and only workbooks of the kind .xlsx are opened here"
        do = "save it as .xlsx; 'show', 'stack', 'pivot', 'match' and the sources of a docket read its values"
    elif data[:4] == b"PK\x03\x04":
        why, do = f"it is cut short or damaged ({_END_MISSING if 'not a zip' in detail else detail})", _AGAIN
    elif not data:
        why, do = "it is empty", _AGAIN
    else:
        text = data[:200].lstrip(b"\xef\xbb\xbf \r\n\t").lower()
        kind = "a web page" if text.startswith((b"<!doctype html", b"<html")) else "not a workbook"
        why, do = (
            f"it is {kind}, whatever its name says",
            "save it as .xlsx, or name it as a text source if it is text",
        )
    return AccessError(Fault("opening a workbook", why, name, do))


def write_archive(members: Mapping[str, bytes | Packed | None], base: Archive | None) -> bytes:
    """A zip file of the members in the order given; None stands for the base's own member, copied as it lies.

    Members have one fixed time stamp; a copied one keeps its own.
    """
    pieces: list[bytes] = []
    central: list[bytes] = []
    offset = 0
    for kept, group in groupby(members.items(), key=_is_kept):
        if not kept:
            entries = []
            for name, content in group:
                ready = content if isinstance(content, Packed) else pack_whole(content or b"")
                # What stands ready, and what is tiny, is often written into many files.
                often = len(ready.data) < _FEW if ready is content else ready.size <= TINY
                make = _kept if often else _fresh
                entries.append(make(name, ready))
        elif base is None:
            raise ValueError(f"'{next(group)[0]}' has no content and no archive to copy it from")
        else:
            entries = base.copied(tuple([name for name, _ in group]))
        for stored, listed, raw_name in entries:
            if offset > _MAX_ZIP32:
                raise _too_large(raw_name.decode(errors="replace"))
            central += (listed, _OFFSET.pack(offset), raw_name)
            pieces.append(stored)
            offset += len(stored)
    directory = b"".join(central)
    count = len(members)
    end = END.pack(b"PK\x05\x06", 0, 0, count, count, len(directory), offset, 0)
    return b"".join((*pieces, directory, end))


def _is_kept(member: tuple[str, bytes | Packed | None]) -> bool:
    return member[1] is None


def _fresh(name: str, content: Packed) -> _Copy:
    """What `_entry` gives for a member that is written here."""
    new = (content.data, content.method, content.crc, content.size, UTF8_FLAG, (0, _DOS_DATE))
    return _entry(name, *new)


_kept = lru_cache(maxsize=256)(_fresh)


def _entry(name: str, packed: bytes, method: int, crc: int, size: int, flags: int, stamp: tuple[int, int]) -> _Copy:
    """A member's header and content, the part of its entry in the directory before its place, and its name."""
    if max(size, len(packed)) > _MAX_ZIP32:
        raise _too_large(name)
    raw_name = name.encode("utf-8" if flags & UTF8_FLAG else "cp437")
    head = (flags, method, *stamp, crc, len(packed), size, len(raw_name), 0)
    listed = CENTRAL.pack(b"PK\x01\x02", 20, 20, *head[:-1], 0, 0, 0, 0, 0, 0)[: -_OFFSET.size]
    return b"".join((LOCAL.pack(b"PK\x03\x04", 20, *head), raw_name, packed)), listed, raw_name


def _too_large(name: str) -> DataError:
    return DataError(Fault("writing a workbook", f"its part '{name}' is larger than 4 GB", do="split the rows"))
