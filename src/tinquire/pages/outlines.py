"""Fonts with cubic outlines (OpenType `CFF `, ISO/IEC 14496-22) as fonts with quadratic ones, of which a PDF takes the
letters that it needs."""

from __future__ import annotations

import io
from collections.abc import Collection
from pathlib import Path
from typing import Any

__all__ = ["with_quadratic_outlines"]

#: How far a curve may lie from the one that it stands for, in parts of the letters' size.
_WITHIN = 0.0005


def with_quadratic_outlines(path: Path, letters: Collection[int]) -> bytes:
    """A font file that has these letters, and those of ASCII, of a font with cubic outlines.

    Raises: ValueError for a file that is no such font.
    """
    from fontTools.subset import Options, Subsetter
    from fontTools.ttLib import TTFont, TTLibError

    options = Options(
        layout_features=[], hinting=False, notdef_outline=True, name_IDs=["*"], glyph_names=False,
        recalc_timestamp=False, drop_tables=["GSUB", "GPOS", "GDEF", "BASE", "VORG", "DSIG", "vhea", "vmtx", "kern"],
    )  # fmt: skip
    try:
        with path.open("rb") as stream, TTFont(stream, fontNumber=0, recalcTimestamp=False) as font:
            subsetter = Subsetter(options)
            subsetter.populate(unicodes={*letters, *range(32, 127)})
            subsetter.subset(font)
            _convert(font)
            out = io.BytesIO()
            font.save(out, reorderTables=False)
            return out.getvalue()
    except (OSError, TTLibError, KeyError, AssertionError) as error:
        raise ValueError(f"'{path.name}' cannot be read as a font") from error


def _convert(font: Any) -> None:
    """Give a font quadratic outlines in place of its cubic ones: `glyf`, `loca`, and what other tables say of these."""
    from fontTools.pens.cu2quPen import Cu2QuPen
    from fontTools.pens.ttGlyphPen import TTGlyphPen
    from fontTools.ttLib import newTable

    order, drawn = font.getGlyphOrder(), font.getGlyphSet()
    within = font["head"].unitsPerEm * _WITHIN
    outlines = {}
    for name in order:
        pen = TTGlyphPen(drawn)
        drawn[name].draw(Cu2QuPen(pen, within, reverse_direction=True))
        outlines[name] = pen.glyph()
    del font["CFF "]
    font["loca"] = newTable("loca")
    glyphs = font["glyf"] = newTable("glyf")
    glyphs.glyphOrder, glyphs.glyphs = order, outlines
    for name, outline in outlines.items():
        outline.recalcBounds(glyphs)
        advance, _ = font["hmtx"][name]
        font["hmtx"][name] = (advance, getattr(outline, "xMin", 0))
    most = font["maxp"]
    most.tableVersion = 0x00010000
    for part in (
        "maxTwilightPoints", "maxStorage", "maxFunctionDefs", "maxInstructionDefs", "maxStackElements",
        "maxSizeOfInstructions", "maxComponentElements", "maxComponentDepth",
    ):  # fmt: skip
        setattr(most, part, 0)
    most.maxZones = 1
    names = font["post"]
    names.formatType = 3.0
    font.sfntVersion = "\000\001\000\000"
