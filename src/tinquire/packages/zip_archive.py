"""The zip container: bounded reading, and writing in which untouched members keep their compressed bytes."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from collections.abc import Iterator, Mapping
from functools import partial
from types import ModuleType

from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.base.parallel import abreast

__all__ = ["MAX_RATIO", "Archive", "crc32", "deflated", "inflated", "unreadable", "written"]

#: Small parts are packed fast, large ones, which two processors share, more densely.
_QUICK_LEVEL, _DENSE_LEVEL = 2, 3


_deflater: ModuleType


try:
    from isal import isal_zlib as _deflater
    from isal.igzip_lib import COMP_DEFLATE, compress
    from isal.igzip_lib import decompress as _unpacked

    _packed = partial(compress, level=_QUICK_LEVEL, flag=COMP_DEFLATE)
except ImportError:  # a platform without isal: the standard zlib gives other bytes, the same parts
    _deflater = zlib
    _unpacked = partial(zlib.decompress, wbits=-15)
    _packed = partial(zlib.compress, level=_QUICK_LEVEL, wbits=-15)


#: No part of a workbook may inflate to more than this; the largest sheet of the grid's size stays below.
MAX_PART = 4 << 30
#: A part larger than a megabyte that inflates by more than this factor is a bomb: text of cells reaches about 60.
MAX_RATIO = 300
_BOMB_FLOOR = 1 << 20
#: Entries carry one fixed time stamp, so that equal content gives equal bytes (1980-01-01, the format's first day).
_DOS_DATE = 0x0021
#: Large members are packed and unpacked in chunks of about this size, which stay in the processor's cache.
_CHUNK = 1 << 20
#: What is packed this small can unfold to 16 MB at most (RFC 1951: a match takes a bit or two and gives 258 bytes), and
#: is unpacked in one call whatever size it is said to have.
_HARMLESS = 1 << 14
#: How a file of the old binary kind begins, and what stands at the beginning of an OpenDocument package.
_COMPOUND, _OPEN_DOCUMENT = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", b"application/vnd.oasis.opendocument."
#: What reading a damaged member may raise.
_DAMAGE = (zipfile.BadZipFile, zlib.error, OSError, EOFError, RuntimeError, NotImplementedError, ValueError)
_LOCAL = struct.Struct("<4s5H3L2H")
_CENTRAL = struct.Struct("<4s6H3L5H2L")
_END = struct.Struct("<4s4H2LH")
_UTF8_FLAG = 0x800
_DESCRIPTOR_FLAG = 0x8
_MAX_ZIP32 = 0xFFFFFFFF


class Archive:
    """A zip file held in memory as read; members are inflated when asked for."""

    def __init__(self, data: bytes, name: str) -> None:
        """Raises AccessError when the bytes are no readable zip archive."""
        self.name = name
        self._data = data
        if data[:8] == _COMPOUND:
            raise unreadable(name, data, "")  # a workbook of the old kind may hold a zip archive somewhere inside
        try:
            self._zip = zipfile.ZipFile(io.BytesIO(data))
        except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError) as error:
            raise unreadable(name, data, str(error)) from None
        self._entries = {
            entry.filename: entry for entry in self._zip.infolist() if entry.filename[-1:] not in ("", "/")
        }

    def names(self) -> list[str]:
        """Members in the order of the file."""
        return list(self._entries)

    def read(self, member: str) -> bytes:
        """A member's content.

        Raises: KeyError for none such, DataError for bombs, AccessError for damage.
        """
        entry = self._checked(member)
        size = entry.file_size
        try:
            content = self._quick(entry)
            if content is None:
                with self._zip.open(entry) as stream:
                    content = stream.read(size + 1)
        except _DAMAGE as error:
            raise self._damaged(member, str(error)) from None
        if len(content) != size:
            raise AccessError(Fault("opening a workbook", f"its part '{member}' has a false size", self.name, _AGAIN))
        return content

    def chunks(self, member: str) -> Iterator[bytes]:
        """A member's content a megabyte or so at a time, none of it kept; raises as `read`, damage on the way too."""
        entry = self._checked(member)
        packed = self._plain(entry)
        if packed is None or entry.file_size <= _CHUNK:
            yield self.read(member)
            return
        step = max(int(len(packed) * _CHUNK / entry.file_size), 1)
        worker = _deflater.decompressobj(-15)
        size = crc = 0
        for start in range(0, len(packed), step):
            try:
                content: bytes = worker.decompress(packed[start : start + step])
            except _deflater.error as error:
                raise self._damaged(member, str(error)) from None
            size, crc = size + len(content), int(_deflater.crc32(content, crc))
            if size > entry.file_size:
                break
            if content:
                yield content
        if size != entry.file_size or crc != entry.CRC:
            raise self._damaged(member, "its checksum is wrong")

    def _checked(self, member: str) -> zipfile.ZipInfo:
        """A member's entry. Raises DataError for bombs."""
        entry = self._entries[member]
        size, packed = entry.file_size, max(entry.compress_size, 1)
        if size > MAX_PART or (size > _BOMB_FLOOR and size / packed > MAX_RATIO):
            why = f"its part '{member}' would unfold from {packed:,} to {size:,} bytes"
            raise DataError(Fault("opening a workbook", why, self.name, "ask the sender for a sound file"))
        return entry

    def _damaged(self, member: str, why: str) -> AccessError:
        return AccessError(Fault("opening a workbook", f"its part '{member}' is damaged ({why})", self.name, _AGAIN))

    def _plain(self, entry: zipfile.ZipInfo) -> memoryview | None:
        """A plain member's compressed bytes; None for those that the standard library should look at."""
        if entry.compress_type != zipfile.ZIP_DEFLATED or entry.flag_bits & 1 or entry.header_offset < 0:
            return None
        local = self._data[entry.header_offset : entry.header_offset + _LOCAL.size]
        if len(local) < _LOCAL.size or local[:4] != b"PK\x03\x04":
            return None
        head = _LOCAL.unpack(local)
        start = entry.header_offset + _LOCAL.size
        if self._data[start : start + head[9]] != entry.orig_filename.encode(
            "utf-8" if entry.flag_bits & _UTF8_FLAG else "cp437"
        ):
            return None
        start += head[9] + head[10]
        return memoryview(self._data)[start : start + entry.compress_size]

    def _quick(self, entry: zipfile.ZipInfo) -> bytes | None:
        """A plain member's content by the fast library; None for those that the standard one should look at."""
        packed = self._plain(entry)
        if packed is None:
            return None
        try:
            content = inflated(packed, entry.file_size)
        except (ValueError, zlib.error):
            return None  # the standard library says what is wrong
        return content if crc32(content) == entry.CRC else None

    def packed_size(self, member: str) -> int:
        """How many bytes a member takes in the file."""
        return self._entries[member].compress_size

    def packed(self, member: str) -> tuple[zipfile.ZipInfo, bytes]:
        """A member's entry and its compressed bytes as they lie in the file.

        Raises: AccessError when they do not lie where the directory says.
        """
        entry = self._entries[member]
        start = entry.header_offset
        head = self._data[start : start + _LOCAL.size] if start >= 0 else b""
        if len(head) < _LOCAL.size or head[:4] != b"PK\x03\x04":
            raise self._damaged(member, "its header is missing")
        begin = start + _LOCAL.size + sum(_LOCAL.unpack(head)[9:])
        packed = self._data[begin : begin + entry.compress_size]
        if len(packed) != entry.compress_size:
            raise self._damaged(member, "its end is missing")
        return entry, packed


_END_MISSING = "its end is missing"
_AGAIN = "get the file again from where it came from"


def unreadable(name: str, data: bytes, detail: str) -> AccessError:
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


def written(members: Mapping[str, bytes | None], base: Archive | None) -> bytes:
    """A zip file of the members in the order given; None stands for the base's own member, copied as it lies.

    Members have one fixed time stamp; a copied one keeps its own.
    """
    out = io.BytesIO()
    central: list[bytes] = []
    for name, content in members.items():
        if content is None:
            if base is None:
                raise ValueError(f"'{name}' has no content and no archive to copy it from")
            entry, packed = base.packed(name)
            flags = entry.flag_bits & ~_DESCRIPTOR_FLAG
            method, crc, size = entry.compress_type, entry.CRC, entry.file_size
            stamp = _dos_stamp(entry.date_time)
        else:
            packed, method = deflated(content)
            flags, crc, size, stamp = _UTF8_FLAG, crc32(content), len(content), (0, _DOS_DATE)
        offset = out.tell()
        if max(offset, size, len(packed)) > _MAX_ZIP32:
            raise DataError(Fault("writing a workbook", f"its part '{name}' is larger than 4 GB", do="split the rows"))
        raw_name = name.encode("utf-8" if flags & _UTF8_FLAG else "cp437")
        head = (flags, method, *stamp, crc, len(packed), size, len(raw_name), 0)
        out.write(_LOCAL.pack(b"PK\x03\x04", 20, *head) + raw_name + packed)
        central.append(_CENTRAL.pack(b"PK\x01\x02", 20, 20, *head[:-1], 0, 0, 0, 0, 0, offset) + raw_name)
    start = out.tell()
    directory = b"".join(central)
    out.write(directory + _END.pack(b"PK\x05\x06", 0, 0, len(central), len(central), len(directory), start, 0))
    return out.getvalue()


def deflated(content: bytes) -> tuple[bytes, int]:
    """Compressed bytes and the method; content that does not shrink is stored."""
    if len(content) <= _CHUNK:
        packed = _packed(content)
    else:
        starts = range(0, len(content), _CHUNK)
        packed = b"".join(abreast(partial(_deflated_chunk, memoryview(content)), starts))
    return (packed, zipfile.ZIP_DEFLATED) if len(packed) < len(content) else (content, zipfile.ZIP_STORED)


def _deflated_chunk(content: memoryview, start: int) -> bytes:
    """One chunk of a large content, packed so that the next one's bytes can follow (RFC 1951, 3.2.4: an empty stored
    block ends at a byte's end)."""
    worker = _deflater.compressobj(_DENSE_LEVEL, zlib.DEFLATED, -15)
    packed: bytes = worker.compress(content[start : start + _CHUNK])
    last = start + _CHUNK >= len(content)
    return packed + bytes(worker.flush(_deflater.Z_FINISH if last else _deflater.Z_FULL_FLUSH))


def crc32(content: bytes) -> int:
    """The checksum of a member's content."""
    return int(_deflater.crc32(content))


def inflated(packed: bytes | memoryview, size: int) -> bytes:
    """Content of a stated size from its compressed bytes.

    Raises: ValueError when it is larger, zlib.error for damage.
    """
    try:
        content: bytes
        if len(packed) <= _HARMLESS and size <= _CHUNK:
            content = _unpacked(packed, bufsize=size + 1)
        else:
            content = _deflater.decompressobj(-15).decompress(packed, size + 1)
    except (_deflater.error, EOFError) as error:
        raise zlib.error(str(error)) from None
    if len(content) > size:
        raise ValueError("it unfolds to more than it says")
    return content


def _dos_stamp(moment: tuple[int, int, int, int, int, int]) -> tuple[int, int]:
    year, month, day, hour, minute, second = moment
    return hour << 11 | minute << 5 | second // 2, max(year - 1980, 0) << 9 | month << 5 | day
