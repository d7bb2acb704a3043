"""Contents packed and unpacked (RFC 1951), by a fast library where it is installed."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache, partial
from itertools import chain
from types import ModuleType
from typing import Any

from tinquire.base.parallel import map_in_order

__all__ = ["CHUNK", "DAMAGE", "TINY", "Packed", "crc32", "inflate", "pack", "pack_whole", "unpacker"]

#: Small parts are packed fast, large ones, which two processors share, more densely, unless that gains too little.
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

#: Large members are packed and unpacked in chunks of about this size, which stay in the processor's cache.
CHUNK = 1 << 20
#: What is packed this small can unfold to 16 MB at most (RFC 1951: a match takes a bit or two and gives 258 bytes), and
#: is unpacked in one call whatever size it is said to have.
_HARMLESS = 1 << 14
#: Contents of up to so many bytes are often packed again.
TINY = 1 << 12
#: What an unpacker raises for damage.
DAMAGE: type[Exception] = _deflater.error


@dataclass(frozen=True, slots=True)
class Packed:
    """A content as an archive holds it: its bytes, how they are packed, and the checksum and size of the content."""

    data: bytes
    method: int
    crc: int
    size: int

    def content(self) -> bytes:
        """The content again."""
        return self.data if self.method == zipfile.ZIP_STORED else inflate(self.data, self.size)


def pack_whole(content: bytes) -> Packed:
    """A content packed as `pack` does; a small one without further ado."""
    if len(content) > CHUNK:
        return pack((content,))
    return _pack_again(content) if len(content) <= TINY else _pack_at_once(content)


def _pack_at_once(content: bytes) -> Packed:
    packed, crc = _packed(content), crc32(content)
    if len(packed) < len(content):
        return Packed(packed, zipfile.ZIP_DEFLATED, crc, len(content))
    return Packed(content, zipfile.ZIP_STORED, crc, len(content))


#: A workbook's small parts, which many files of one template share.
_pack_again = lru_cache(1 << 6)(_pack_at_once)


def pack(content: Iterable[bytes], *, fast: bool = False) -> Packed:
    """A content packed piece by piece, as the pieces come, densely or `fast`; one that does not shrink is stored.

    The bytes depend on the content and on `fast` alone, not on how it is cut.
    """
    pieces = _Pieces(content)
    first = next(pieces, b"")
    if pieces.last:
        packed = _packed(first)
    else:
        work = partial(_packed_piece, level=_QUICK_LEVEL if fast else _DENSE_LEVEL)
        packed = b"".join(map_in_order(work, ((piece, pieces.last) for piece in chain((first,), pieces))))
    if len(packed) < pieces.size:
        return Packed(packed, zipfile.ZIP_DEFLATED, pieces.crc, pieces.size)
    raw = bytes(first) if len(first) == pieces.size else inflate(packed, pieces.size)
    return Packed(raw, zipfile.ZIP_STORED, pieces.crc, pieces.size)


class _Pieces:
    """A content cut into pieces of one size; its own size and checksum, as far as it was taken."""

    def __init__(self, content: Iterable[bytes]) -> None:
        self._cut = self._pieces(content)
        self._ahead = next(self._cut, None)
        self.size, self.crc = 0, 0

    @property
    def last(self) -> bool:
        """Whether the piece taken last is the last one."""
        return self._ahead is None

    def __iter__(self) -> _Pieces:
        return self

    def __next__(self) -> bytes | memoryview:
        piece = self._ahead
        if piece is None:
            raise StopIteration
        self._ahead = next(self._cut, None)
        self.size += len(piece)
        self.crc = crc32(piece, self.crc)
        return piece

    @staticmethod
    def _pieces(content: Iterable[bytes]) -> Iterator[bytes | memoryview]:
        held: list[bytes | memoryview] = []
        room = CHUNK
        for one in content:
            rest = memoryview(one)
            while len(rest) >= room:
                held.append(rest[:room])
                yield held[0] if len(held) == 1 else b"".join(held)
                rest, held, room = rest[room:], [], CHUNK
            if rest:
                held.append(rest)
                room -= len(rest)
        if held:
            yield b"".join(held)


def _packed_piece(cut: tuple[bytes | memoryview, bool], level: int) -> bytes:
    """One piece of a large content, packed so that the next one's bytes can follow (RFC 1951, 3.2.4: an empty stored
    block ends at a byte's end)."""
    piece, last = cut
    worker = _deflater.compressobj(level, zlib.DEFLATED, -15)
    packed: bytes = worker.compress(piece)
    return packed + bytes(worker.flush(_deflater.Z_FINISH if last else _deflater.Z_FULL_FLUSH))


def crc32(content: bytes | memoryview, before: int = 0) -> int:
    """The checksum of a content, or of a part of it that comes after one with the checksum `before`."""
    return int(_deflater.crc32(content, before))


def inflate(packed: bytes | memoryview, size: int) -> bytes:
    """Content of a stated size from its compressed bytes.

    Raises: ValueError when it is larger, zlib.error for damage.
    """
    try:
        content: bytes
        if len(packed) <= _HARMLESS and size <= CHUNK:
            content = _unpacked(packed, bufsize=size + 1)
        else:
            content = _deflater.decompressobj(-15).decompress(packed, size + 1)
    except (_deflater.error, EOFError) as error:
        raise zlib.error(str(error)) from None
    if len(content) > size:
        raise ValueError("it unpacks to more than it states")
    return content


def unpacker() -> Any:
    """An object that unpacks a content piece by piece: `decompress(bytes)`."""
    return _deflater.decompressobj(-15)
