"""The directory of a zip archive (APPNOTE 4.3.12) as programs write it, read from the bytes; and archives of which some
members are exchanged, all else as it lies."""

from __future__ import annotations

import struct
import zipfile
import zlib
from collections.abc import Container, Mapping
from dataclasses import dataclass
from functools import lru_cache, partial
from operator import attrgetter

from tinquire.base.parallel import map_in_order
from tinquire.packages.deflate import CHUNK, crc32, inflate, pack_whole
from tinquire.packages.raw_xml import Unusual

__all__ = [
    "CENTRAL",
    "DESCRIPTOR_FLAG",
    "END",
    "KEPT_FLAGS",
    "LOCAL",
    "UTF8_FLAG",
    "Member",
    "packed_content",
    "read_directory",
    "replace_members",
]

END = struct.Struct("<4s4H2LH")
CENTRAL = struct.Struct("<4s6H3L5H2L")
LOCAL = struct.Struct("<4s5H3L2H")
#: Of a name and of what follows it, within a local header.
_LOCAL_LENGTHS = struct.Struct("<2H")
#: Flags of a member (APPNOTE 4.4.4): a descriptor after the content, names in UTF-8; any other is unusual.
DESCRIPTOR_FLAG, UTF8_FLAG = 0x8, 0x800
_ODD_FLAGS = ~(DESCRIPTOR_FLAG | UTF8_FLAG | 0x6)
#: Those that a copied member keeps: how densely it was packed, and how its name is spelled.
KEPT_FLAGS = UTF8_FLAG | 0x6


@dataclass(slots=True)
class Member:
    """A member of an archive: its name as it is and as it is stored, how its content is packed, and where it lies."""

    name: str
    raw_name: bytes
    flags: int
    method: int
    crc: int
    packed: int
    size: int
    start: int
    #: Time and day of its stamp (APPNOTE 4.4.6).
    stamp: tuple[int, int]
    #: Where the next member begins, and its entry in the directory, of an archive of the plain form.
    stop: int = 0
    header: bytes = b""

    @classmethod
    def of(cls, entry: zipfile.ZipInfo) -> Member:
        """A member as the standard library has found it."""
        raw = entry.orig_filename.encode("utf-8" if entry.flag_bits & UTF8_FLAG else "cp437")
        year, month, day, hour, minute, second = entry.date_time
        stamp = (hour << 11 | minute << 5 | second // 2, max(year - 1980, 0) << 9 | month << 5 | day)
        return cls(
            entry.filename, raw, entry.flag_bits, entry.compress_type, entry.CRC, entry.compress_size,
            entry.file_size, entry.header_offset, stamp,
        )  # fmt: skip


_START = attrgetter("start")


def read_directory(data: bytes) -> tuple[dict[str, Member], int]:
    """The central directory (APPNOTE 4.3.12) and where it begins. Raises Unusual for what programs seldom write."""
    at = data.rfind(b"PK\x05\x06", max(0, len(data) - 70_000))
    if at < 0 or at + END.size > len(data):
        raise Unusual
    _, disk, start_disk, here, count, size, start, _ = END.unpack_from(data, at)
    if disk or start_disk or here != count or count == 0xFFFF or start == 0xFFFFFFFF or start + size != at:
        raise Unusual
    members: dict[str, Member] = {}
    index, unpack, fixed = start, CENTRAL.unpack_from, CENTRAL.size
    for _ in range(count):
        if index + fixed > at:
            raise Unusual
        (sign, _, _, flags, method, hour, day, crc, packed, full, named, extra, comment, disk, _, _, offset) = unpack(
            data, index
        )
        name_end = index + fixed + named
        stop = name_end + extra + comment
        unusual = sign != b"PK\x01\x02" or flags & _ODD_FLAGS or (method and method != zlib.DEFLATED) or disk
        if unusual or packed == 0xFFFFFFFF or full == 0xFFFFFFFF or offset >= start:
            raise Unusual
        raw = data[index + fixed : name_end]
        name = str(raw, "latin-1")
        members[name] = Member(name, raw, flags, method, crc, packed, full, offset, (hour, day), 0, data[index:stop])
        index = stop
    if len(members) != count or index != at or not "".join(members).isascii():
        raise Unusual
    follower = start
    for member in sorted(members.values(), key=_START, reverse=True):
        begin = member.start
        if not data.startswith(b"PK\x03\x04", begin) or begin + member.packed > follower:
            raise Unusual
        member.stop, follower = follower, begin
    return members, start


def packed_content(data: bytes, member: Member) -> bytes:
    """A member's packed bytes as they lie. Raises Unusual where they do not lie where the directory says."""
    named, extra = _LOCAL_LENGTHS.unpack_from(data, member.start + 26)
    index = member.start + LOCAL.size
    if named != len(member.raw_name) or not data.startswith(member.raw_name, index):
        raise Unusual
    index += named + extra
    return data[index : index + member.packed]


def replace_members(
    data: bytes, members: Mapping[str, Member], directory: int, contents: Mapping[str, bytes], seen: Container[str] = ()
) -> bytes:
    """The archive with other contents for some of its members; the others as they lie, with the space between them.
    `directory` is where its directory begins; `seen` names members that are known to be sound. Raises Unusual where one
    of the others is not: what is copied must not look whole when it is not."""
    copied = [member for name, member in members.items() if name not in contents and name not in seen]
    large = []
    for member in copied:
        if member.size <= CHUNK:
            _verify(data, member)
        else:
            large.append(member)
    if large:
        list(map_in_order(partial(_verify, data), large))
    pieces, index = [], 0
    moved: list[tuple[int, int]] = []
    headers = {name: member.header for name, member in members.items()}
    for name in sorted(contents, key=lambda part: members[part].start):
        member, content = members[name], contents[name]
        packed = pack_whole(content)
        head = list(CENTRAL.unpack_from(member.header))
        head[3], head[4] = member.flags & ~DESCRIPTOR_FLAG, packed.method
        head[7], head[8], head[9] = packed.crc, len(packed.data), packed.size
        piece = LOCAL.pack(b"PK\x03\x04", *head[2:10], head[10], 0) + member.raw_name + packed.data
        pieces += [data[index : member.start], piece]
        index = member.stop
        moved.append((member.start, len(piece) - (member.stop - member.start)))
        headers[name] = CENTRAL.pack(*head) + member.header[CENTRAL.size :]
    pieces.append(data[index:directory])
    first = min((start for start, _ in moved), default=directory)
    entries = [
        headers[name] if member.start <= first else _move_entry(headers[name], member.start, moved)
        for name, member in members.items()
    ]
    central, start = b"".join(entries), sum(map(len, pieces))
    count = len(entries)
    return b"".join((*pieces, central, END.pack(b"PK\x05\x06", 0, 0, count, count, len(central), start, 0)))


def _verify(data: bytes, member: Member) -> None:
    """A member that is copied as it lies is what the directory says. Raises Unusual."""
    _, _, flags, method, _, _, crc, packed, size, _, _ = LOCAL.unpack_from(data, member.start)
    if method != member.method or flags & ~DESCRIPTOR_FLAG != member.flags & ~DESCRIPTOR_FLAG:
        raise Unusual
    if not flags & DESCRIPTOR_FLAG and (crc, packed, size) != (member.crc, member.packed, member.size):
        raise Unusual
    content = packed_content(data, member)
    check = _is_sound_often if len(content) <= _SMALL else _is_sound
    if not check(content, member.method, member.size, member.crc):
        raise Unusual


def _is_sound(packed: bytes, method: int, size: int, crc: int) -> bool:
    """Whether a packed content has the length and the checksum stated."""
    try:
        content = inflate(packed, size) if method else packed
    except (ValueError, zlib.error):
        return False
    return len(content) == size and crc32(content) == crc


#: Workbooks of one folder come of one template: most of their small parts are the same bytes.
_SMALL = 1 << 12
_is_sound_often = lru_cache(maxsize=512)(_is_sound)


def _move_entry(header: bytes, place: int, moved: list[tuple[int, int]]) -> bytes:
    """A member's entry in the directory, with its position after members that grew or shrank."""
    place += sum(growth for start, growth in moved if start < place)
    return b"%s%s%s" % (header[:42], place.to_bytes(4, "little"), header[46:])
