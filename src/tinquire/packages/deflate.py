"""Contents packed and unpacked (RFC 1951), by a fast library where it is installed."""

from __future__ import annotations

import zipfile
import zlib
from functools import partial
from types import ModuleType
from typing import Any

from tinquire.base.parallel import map_in_order

__all__ = ["CHUNK", "DAMAGE", "crc32", "deflate", "inflate", "unpacker"]

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

#: Large members are packed and unpacked in chunks of about this size, which stay in the processor's cache.
CHUNK = 1 << 20
#: What is packed this small can unfold to 16 MB at most (RFC 1951: a match takes a bit or two and gives 258 bytes), and
#: is unpacked in one call whatever size it is said to have.
_HARMLESS = 1 << 14
#: What an unpacker raises for damage.
DAMAGE: type[Exception] = _deflater.error


def deflate(content: bytes) -> tuple[bytes, int]:
    """Compressed bytes and the method; content that does not shrink is stored."""
    if len(content) <= CHUNK:
        packed = _packed(content)
    else:
        starts = range(0, len(content), CHUNK)
        packed = b"".join(map_in_order(partial(_deflate_chunk, memoryview(content)), starts))
    return (packed, zipfile.ZIP_DEFLATED) if len(packed) < len(content) else (content, zipfile.ZIP_STORED)


def _deflate_chunk(content: memoryview, start: int) -> bytes:
    """One chunk of a large content, packed so that the next one's bytes can follow (RFC 1951, 3.2.4: an empty stored
    block ends at a byte's end)."""
    worker = _deflater.compressobj(_DENSE_LEVEL, zlib.DEFLATED, -15)
    packed: bytes = worker.compress(content[start : start + CHUNK])
    last = start + CHUNK >= len(content)
    return packed + bytes(worker.flush(_deflater.Z_FINISH if last else _deflater.Z_FULL_FLUSH))


def crc32(content: bytes, before: int = 0) -> int:
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
