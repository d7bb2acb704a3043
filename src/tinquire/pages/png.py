"""Pages of a PDF as pictures: drawn by pdfium at the resolution wanted, written as PNG (ISO/IEC 15948)."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from tinquire.packages.deflate import crc32

__all__ = ["page_pictures", "png_of"]

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_INCH, _METRE = 72, 39.3701
#: Colours as red, green and blue of eight bits each.
_TRUE_COLOUR = 2


def page_pictures(pdf: bytes, resolution: float, pages: Sequence[int] = ()) -> Iterator[bytes]:
    """Pages of a PDF, all of them or those of some numbers from one on, as PNG files at so many points an inch."""
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    try:
        for number in pages or range(1, len(document) + 1):
            page = document[number - 1]
            # Three bytes a point, as the file has them: taking them out of four would take as long as drawing.
            bitmap = page.render(scale=resolution / _INCH, rev_byteorder=True)
            yield png_of(bitmap.to_numpy(), resolution)
            bitmap.close()
            page.close()
    finally:
        document.close()


def png_of(pixels: NDArray[np.uint8], resolution: float) -> bytes:
    """A picture of rows, columns and three colours as a PNG file, without loss."""
    height, width, _ = pixels.shape
    lines = np.empty((height, 1 + 3 * width), np.uint8)
    lines[:, 0] = 0  # the first byte of a line says that it is not filtered
    lines[:, 1:] = pixels.reshape(height, 3 * width)
    size = struct.pack(">IIBBBBB", width, height, 8, _TRUE_COLOUR, 0, 0, 0)
    density = round(resolution * _METRE)
    return b"".join((
        _SIGNATURE, _chunk(b"IHDR", size), _chunk(b"pHYs", struct.pack(">IIB", density, density, 1)),
        _chunk(b"IDAT", _packed(lines.reshape(-1).data)), _chunk(b"IEND", b""),
    ))  # fmt: skip


def _chunk(kind: bytes, content: bytes) -> bytes:
    return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", crc32(kind + content))


def _packed(content: memoryview) -> bytes:
    """A content in the form of RFC 1950."""
    try:
        from isal import isal_zlib
    except ImportError:
        return zlib.compress(content, 1)
    return isal_zlib.compress(content, 1)
