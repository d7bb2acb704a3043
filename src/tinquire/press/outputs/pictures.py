"""Pictures that a docket names: read, and seen to be pictures."""

from __future__ import annotations

import io
from pathlib import Path

from tinquire.base.noted_reads import note_read
from tinquire.workbook.grid.frames import PictureFile

__all__ = ["read_picture"]

#: Dots per inch of pictures that state none, and the most bytes and dots of one.
_USUAL_DOTS = 96.0
_MOST_BYTES, _MOST_DOTS = 20_000_000, 60_000_000
_MILLIMETRES = 25.4


def read_picture(path: Path) -> tuple[PictureFile, tuple[float, float]]:
    """A picture, and its width and height in millimetres as it states them. Raises ValueError with what is wrong."""
    from PIL import Image, UnidentifiedImageError

    try:
        content = note_read(path, path.read_bytes())
    except OSError:
        raise ValueError(f"there is no picture '{path.name}'") from None
    if len(content) > _MOST_BYTES:
        raise ValueError(f"'{path.name}' has {len(content):,} bytes, and a picture may have {_MOST_BYTES:,}")
    try:
        with Image.open(io.BytesIO(content), formats=("PNG", "JPEG")) as image:
            width, height = image.size
            if width * height > _MOST_DOTS:
                raise ValueError(f"'{path.name}' has {width:,} by {height:,} dots, too many for a sheet")
            image.load()
            dots = image.info.get("dpi", (_USUAL_DOTS, _USUAL_DOTS))
            form = "png" if image.format == "PNG" else "jpeg"
    except (UnidentifiedImageError, OSError, SyntaxError, Image.DecompressionBombError):
        raise ValueError(f"'{path.name}' is no picture: neither PNG nor JPEG, or damaged") from None
    across, down = (float(one) if 20 <= float(one) <= 2400 else _USUAL_DOTS for one in dots)
    return PictureFile(content, form), (width / across * _MILLIMETRES, height / down * _MILLIMETRES)
