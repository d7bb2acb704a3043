"""The faces that letters of a page are drawn with: a font's own where the machine has it, else one that stands in for
it, made as wide as the one it stands for, so that lines break and columns fit as they were designed."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cache, cached_property, lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Floats
from tinquire.looks.known_fonts import LINES, TWINS, Kind, digit_of, kind_of, known_widths
from tinquire.pages.direction import as_drawn, runs_leftwards

__all__ = ["Face", "Run", "Typeface", "Typefaces"]

#: Fonts that stand in for others, by kind, in the order in which they are tried. The last of each comes with
#: Matplotlib, so that every machine has it.
_STAND_INS: dict[Kind, tuple[str, ...]] = {
    "sans": ("Liberation Sans", "Arimo", "Noto Sans", "DejaVu Sans"),
    "serif": ("Liberation Serif", "Tinos", "Noto Serif", "DejaVu Serif"),
    "mono": ("Liberation Mono", "Cousine", "DejaVu Sans Mono"),
}
#: Fonts that have letters of many scripts, where they are on the machine.
_WIDE = ("DejaVu Sans", "Noto Sans", "Noto Sans CJK SC", "Noto Sans CJK JP", "Droid Sans Fallback", "Noto Sans Symbols",
         "Unifont", "Segoe UI Symbol", "Arial Unicode MS")  # fmt: skip
_USUAL_DIGIT = 0.55
_REMEMBERED = 20_000


@dataclass(frozen=True, eq=False)
class Face:
    """One font file: widths by code point, and how far letters reach up and down, in parts of their size."""

    name: str
    path: Path
    advances: dict[int, float]
    ascent: float
    descent: float
    #: Whether its outlines are cubic: a document takes the letters that it needs as quadratic ones.
    cubic: bool = False

    @property
    def digit(self) -> float:
        return max((self.advances.get(code, 0.0) for code in range(48, 58)), default=0.0) or _USUAL_DIGIT


class Run(NamedTuple):
    """A piece of a text in one face, and its width in parts of the size."""

    face: Face
    text: str
    width: float


class Typeface:
    """What texts of one font, weight and slant are drawn with and measured by."""

    def __init__(self, face: Face, wide: Sequence[tuple[str, bool]], family: str, bold: bool) -> None:
        """`wide` are the names and weights of faces for letters that `face` lacks."""
        self.face = face
        self._wide = wide
        self._known = known_widths(family, bold) if face.name.split("/")[0].casefold() != family.casefold() else {}
        digit = digit_of(family)
        own = face.name.split("/")[0].casefold() == family.casefold() or digit is None
        #: From one line to the next, in parts of the size.
        self.line = LINES.get(family.casefold()) or max(face.ascent + face.descent, 1.0)
        #: By how much letters of unknown width are narrower than those of the face.
        self.stretch = 1.0 if own or digit is None else digit / face.digit
        #: The widths of texts that were measured before, in parts of the size.
        self.measured: dict[str, float] = {}
        self._runs: dict[str, tuple[Run, ...]] = {}
        self.missing: set[str] = set()

    @property
    def digit(self) -> float:
        return self._advance(48)

    def width(self, text: str) -> float:
        """The width of one line of text, in parts of the size."""
        found = self.measured.get(text)
        if found is None:
            if len(self.measured) > _REMEMBERED:
                self.measured.clear()
            if text.isascii():
                found = sum(map(self._plain.__getitem__, text.encode()))
            else:
                found = sum(map(self._advance, map(ord, as_drawn(text))))
            self.measured[text] = found
        return found

    @cached_property
    def _plain(self) -> list[float]:
        """The widths of the letters of ASCII."""
        return [self._advance(code) for code in range(128)]

    @cached_property
    def is_natural(self) -> bool:
        """Whether its letters are as wide as those of its face."""
        return self.stretch == 1.0 and not self._known

    @cached_property
    def _has_plain(self) -> bool:
        return all(code in self.face.advances for code in range(32, 127))

    def is_plain(self, text: str) -> bool:
        """Whether a text has letters of ASCII alone, all of which the face has."""
        return self._has_plain and text.isascii() and text.isprintable()

    def widths(self, texts: Sequence[str]) -> Floats:
        """The widths of many texts at once, in parts of the size: all their letters in one array."""
        joined = "".join(texts)
        if joined.isascii():
            letters = np.array(self._plain)[np.frombuffer(joined.encode(), np.uint8)]
        else:
            if runs_leftwards(joined):  # letters are as wide as their forms beside each other
                return np.array([self.width(text) for text in texts])
            letters = self._advances(np.frombuffer(joined.encode("utf-32-le"), np.uint32))
        lengths = np.fromiter(map(len, texts), np.int64, len(texts))
        starts = np.cumsum(lengths) - lengths
        filled = lengths > 0
        sizes = np.zeros(len(texts))
        if filled.any():  # a text without letters has no start of its own
            sizes[filled] = np.add.reduceat(letters, starts[filled])
        return sizes

    def _advances(self, codes: NDArray[np.uint32]) -> Floats:
        """The widths of letters, each different one looked up once."""
        different, places = np.unique(codes, return_inverse=True)
        return np.array([self._advance(code) for code in different.tolist()])[places]

    def _advance(self, code: int) -> float:
        known = self._known.get(code)
        if known is not None:
            return known
        own = self.face.advances.get(code)
        if own is not None:
            return own * self.stretch
        if code in _ZERO:
            return 0.0
        # Other faces are not read for what is no letter.
        for face in self._others() if code >= _SPACE and code != _DELETE else ():
            if (own := face.advances.get(code)) is not None:
                return own
        return self.face.digit * self.stretch

    def _others(self) -> Iterator[Face]:
        for family, bold in self._wide:
            if (face := find_face(family, bold, False)) is not None:
                yield face

    def runs(self, text: str) -> tuple[Run, ...]:
        """A line of text as it is drawn, in pieces that have a face each; letters that no face has are noted as
        missing."""
        found = self._runs.get(text)
        if found is None:
            if len(self._runs) > _REMEMBERED:
                self._runs.clear()
            found = self._runs[text] = self._split(as_drawn(text))
        return found

    def lacking(self, text: str) -> set[str]:
        """The letters of a text that no font has."""
        if self.is_plain(text):
            return set()
        return {letter for run in self.runs(text) for letter in run.text if ord(letter) not in run.face.advances}

    def _split(self, text: str) -> tuple[Run, ...]:
        advances = self.face.advances
        if self.is_plain(text) or all(code in advances for code in map(ord, text)):
            return (Run(self.face, text, sum(map(self._advance, map(ord, text)))),)
        pieces: list[tuple[Face, list[str]]] = []
        for letter in text:
            code = ord(letter)
            if code in _ZERO and code not in advances:
                continue
            face = (
                self.face if code in advances else next((one for one in self._others() if code in one.advances), None)
            )
            if face is None:
                self.missing.add(letter)
                face = self.face
            if not pieces or pieces[-1][0] is not face:
                pieces.append((face, []))
            pieces[-1][1].append(letter)
        return tuple(
            Run(face, "".join(letters), sum(map(self._advance, map(ord, letters)))) for face, letters in pieces
        )


#: Letters that take no room: joiners, marks of direction, soft hyphens, variation selectors.
_SPACE, _DELETE = 32, 127
_ZERO = frozenset({0xAD, 0x200B, 0x200C, 0x200D, 0x200E, 0x200F, 0x2060, 0xFEFF, *range(0xFE00, 0xFE10)})


#: Faces by family, weight and slant, each with the name of the family that it stands in from.
SharedFaces = dict[tuple[str, bool, bool], tuple[Typeface, str | None]]


class Typefaces:
    """The faces that a document uses; what stands in for what, and which letters are nowhere, can be told once."""

    def __init__(self, shared: SharedFaces | None = None) -> None:
        """`shared` are faces that other documents used."""
        self._known: dict[tuple[str, bool, bool], Typeface] = {}
        self._stand_ins: dict[str, str] = {}
        self._shared = {} if shared is None else shared

    def of(self, family: str, bold: bool = False, italic: bool = False) -> Typeface:
        key = (family.casefold(), bold, italic)
        if key not in self._known:
            if key not in self._shared:
                face, stands_in = self._face(family, bold, italic)
                self._shared[key] = Typeface(face, [(name, bold) for name in _WIDE], family, bold), stands_in
            self._known[key], stands_in = self._shared[key]
            if stands_in is not None:
                self._stand_ins[family] = stands_in
        return self._known[key]

    @staticmethod
    def _face(family: str, bold: bool, italic: bool) -> tuple[Face, str | None]:
        """A face, and the name of its family where it is another one."""
        own = find_face(family, bold, italic)
        if own is not None:
            return own, None
        for name in (*TWINS.get(family.casefold(), ()), *_STAND_INS[kind_of(family)]):
            if (face := find_face(name, bold, italic)) is not None:
                return face, name
        raise AssertionError("Matplotlib's own fonts are there")

    def digit(self, family: str) -> float:
        """The width of a font's digit in parts of its size, as it is known or measured."""
        return digit_of(family) or self.of(family).digit

    def notes(self, lacking: Iterable[str] | None = None) -> Iterator[str]:
        """What stood in for what, and letters that no font has: those met so far, unless they are given."""
        for family, name in self._stand_ins.items():
            yield f"font '{family}' is not on this machine: '{name}' stands in for it"
        met = set().union(*(face.missing for face in self._known.values())) if lacking is None else set(lacking)
        missing = sorted(met)
        if missing:
            shown = " ".join(f"{letter} (U+{ord(letter):04X})" for letter in missing[:_LISTED])
            more = f" and {len(missing) - _LISTED} more" if len(missing) > _LISTED else ""
            yield f"no font on this machine has {shown}{more}"


_LISTED = 8


class _Entry(NamedTuple):
    """A font file as the machine's list has it, the best first."""

    condensed: bool
    weight: int
    name: str
    path: str
    bold: bool
    italic: bool


@cache
def _listed() -> dict[str, list[_Entry]]:
    """The machine's font files with outlines that a PDF can hold, by family."""
    from matplotlib import font_manager

    logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)
    found: dict[str, list[_Entry]] = {}
    for entry in font_manager.fontManager.ttflist:
        path = Path(entry.fname)
        if path.suffix.lower() not in (".ttf", ".ttc", ".otf", ".otc"):
            continue
        weight = entry.weight if isinstance(entry.weight, int) else 700 if "bold" in str(entry.weight).lower() else 400
        bold = weight >= 600
        one = _Entry(
            entry.stretch != "normal", abs(weight - (700 if bold else 400)), path.name, entry.fname, bold,
            entry.style != "normal",
        )  # fmt: skip
        found.setdefault(entry.name.casefold(), []).append(one)
    return {name: sorted(entries) for name, entries in found.items()}


@lru_cache(maxsize=256)
def find_face(family: str, bold: bool, italic: bool) -> Face | None:
    """The face of a family that is nearest to what is asked for; None where the machine has none."""
    entries = _listed().get(family.casefold(), ())
    ordered = sorted(entries, key=lambda one: (one.italic != italic, one.bold != bold))
    for entry in ordered:
        try:
            return _read(entry, family)
        except ValueError:
            continue
    return None


@lru_cache(maxsize=256)
def _read(entry: _Entry, family: str) -> Face:
    """A font file's widths and reach (OpenType, ISO/IEC 14496-22: `cmap`, `hmtx`, `hhea`). Raises ValueError."""
    from fontTools.ttLib import TTFont, TTLibError

    try:
        with Path(entry.path).open("rb") as stream, TTFont(stream, lazy=True, fontNumber=0) as font:
            cubic = "glyf" not in font and "CFF " in font
            if "glyf" not in font and not cubic:
                raise ValueError(f"'{entry.name}' has no outlines that a PDF can hold")
            names, metrics, size = font.getBestCmap() or {}, font["hmtx"].metrics, font["head"].unitsPerEm
            widths = {code: metrics[name][0] / size for code, name in names.items()}
            reach = font["hhea"]
            style = ("/bold" if entry.bold else "") + ("/italic" if entry.italic else "")
            return Face(family + style, Path(entry.path), widths, reach.ascent / size, -reach.descent / size, cubic)
    except (OSError, TTLibError, KeyError, AssertionError) as error:
        raise ValueError(f"'{entry.name}' cannot be read as a font") from error
