"""What is known of common office fonts that a machine may lack: how wide they are, and which fonts are like them.

Widths are in parts of the size. They are facts of the fonts, stated so that lines break and columns fit as they were
designed even where another font has to stand in.
"""

from __future__ import annotations

from functools import lru_cache

__all__ = ["DIGITS", "LINES", "TWINS", "Kind", "digit_of", "kind_of", "known_widths"]

#: The width of a digit.
DIGITS = {
    "aptos": 0.561, "arial": 0.5562, "arial narrow": 0.4561, "book antiqua": 0.5, "bookman old style": 0.62,
    "calibri": 0.5068, "calibri light": 0.5068, "cambria": 0.5542, "candara": 0.5495, "century gothic": 0.554,
    "consolas": 0.5498, "constantia": 0.5574, "corbel": 0.5317, "courier new": 0.6001, "franklin gothic book": 0.5542,
    "garamond": 0.469, "georgia": 0.6138, "gill sans mt": 0.5, "helvetica": 0.556, "palatino linotype": 0.5,
    "segoe ui": 0.539, "tahoma": 0.5459, "times new roman": 0.5, "trebuchet ms": 0.5244, "verdana": 0.6357,
}  # fmt: skip
#: From one line to the next.
LINES = {
    "arial": 1.1172, "arial narrow": 1.1172, "calibri": 1.2207, "calibri light": 1.2207, "cambria": 1.1724,
    "candara": 1.2207, "century gothic": 1.2261, "consolas": 1.1709, "constantia": 1.2207, "corbel": 1.2207,
    "courier new": 1.1328, "garamond": 1.1250, "georgia": 1.1362, "helvetica": 1.1500, "segoe ui": 1.3301,
    "tahoma": 1.2070, "times new roman": 1.1074, "trebuchet ms": 1.1611, "verdana": 1.2153,
}  # fmt: skip
#: Fonts whose letters are as wide, or nearly so, by the font that they stand in for.
TWINS = {
    "arial": ("Liberation Sans", "Arimo"), "arial narrow": ("Liberation Sans Narrow",),
    "calibri": ("Carlito",), "cambria": ("Caladea",), "courier new": ("Liberation Mono", "Cousine"),
    "georgia": ("Gelasio",), "helvetica": ("Liberation Sans", "Arimo"), "segoe ui": ("Selawik",),
    "times new roman": ("Liberation Serif", "Tinos"), "times": ("Liberation Serif", "Tinos"),
    "verdana": ("DejaVu Sans",), "tahoma": ("Wine Tahoma",),
}  # fmt: skip

Kind = str  # 'sans', 'serif' or 'mono'
_SERIF = ("antiqua", "book", "cambria", "century schoolbook", "constantia", "garamond", "georgia", "palatino", "serif",
          "times", "roman")  # fmt: skip
_MONO = ("consolas", "courier", "mono", "console", "typewriter", "code")

#: Widths of the letters from blank to tilde in 2048ths, of the plain and of the bold face.
_CALIBRI = {
    False: (
        463, 667, 821, 1020, 1038, 1464, 1397, 452, 621, 621, 1020, 1020, 511, 627, 517, 791, 1038, 1038, 1038, 1038,
        1038, 1038, 1038, 1038, 1038, 1038, 548, 548, 1020, 1020, 1020, 949, 1831, 1185, 1114, 1092, 1260, 1000, 941,
        1292, 1276, 516, 653, 1064, 861, 1751, 1322, 1356, 1058, 1378, 1112, 941, 998, 1314, 1162, 1822, 1063, 998, 959,
        628, 791, 628, 1020, 1020, 596, 981, 1076, 866, 1076, 1019, 625, 964, 1076, 470, 490, 931, 470, 1636, 1076,
        1080, 1076, 1076, 714, 801, 686, 1076, 925, 1464, 887, 927, 809, 644, 943, 644, 1020,
    ),
    True: (
        463, 667, 898, 1020, 1038, 1493, 1443, 478, 638, 638, 1020, 1020, 528, 627, 547, 880, 1038, 1038, 1038, 1038,
        1038, 1038, 1038, 1038, 1038, 1038, 565, 565, 1020, 1020, 1020, 949, 1839, 1240, 1147, 1084, 1290, 1000, 941,
        1304, 1292, 547, 678, 1121, 866, 1790, 1351, 1385, 1090, 1401, 1153, 968, 1014, 1315, 1162, 1857, 1126, 1065,
        968, 665, 880, 665, 1020, 1020, 614, 1012, 1100, 856, 1100, 1030, 648, 970, 1100, 503, 523, 981, 503, 1666,
        1100, 1101, 1100, 1100, 727, 817, 710, 1100, 969, 1525, 940, 970, 813, 704, 978, 704, 1020,
    ),
}  # fmt: skip
#: Faces of the PDF standard (ISO 32000-1, 9.6.2.2), whose widths are published, by the fonts that share them.
_STANDARD = {
    "arial": "Helvetica", "helvetica": "Helvetica", "times new roman": "Times-Roman", "times": "Times-Roman",
}  # fmt: skip
_BOLD = {"Helvetica": "Helvetica-Bold", "Times-Roman": "Times-Bold"}


def kind_of(family: str) -> Kind:
    """Whether a font has serifs, or letters of one width, by its name."""
    name = family.casefold()
    if any(word in name for word in _MONO):
        return "mono"
    return "serif" if any(word in name for word in _SERIF) and "sans" not in name else "sans"


def digit_of(family: str) -> float | None:
    """The width of a digit of a font; None for one of which nothing is known."""
    return DIGITS.get(family.casefold())


@lru_cache(maxsize=64)
def known_widths(family: str, bold: bool) -> dict[int, float]:
    """Widths by code point, of fonts of which they are known; else none."""
    name = family.casefold()
    if name in ("calibri", "calibri light"):
        return {code: width / 2048 for code, width in enumerate(_CALIBRI[bold], start=32)}
    if (standard := _STANDARD.get(name)) is None:
        return {}
    from reportlab.pdfbase.pdfmetrics import getFont

    widths = getFont(_BOLD[standard] if bold else standard).widths
    letters = bytes(range(32, 256)).decode("cp1252", "replace")
    return {ord(letter): widths[code] / 1000 for code, letter in enumerate(letters, start=32) if letter != "\ufffd"}
