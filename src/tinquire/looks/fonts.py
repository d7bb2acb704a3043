"""How wide letters are: those of a font that is on the machine, and a stated stand-in where it is not.

Widths are in digits: of the font's own widest one, in whose number a file states the widths of columns (ECMA-376 Part
1, 18.3.1.13). The stand-in has classes of letters, with the widths that a wide sans serif gives them."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator, Mapping
from functools import lru_cache
from pathlib import Path

__all__ = ["STAND_IN", "Letters", "letters_of"]

_NARROW = frozenset("ijlI.,:;'|!()[]{} -/\\`\"ftr")
_WIDE = frozenset("mwMW@%&—…")
_CLASS_WIDTH = {"narrow": 0.62, "wide": 1.5, "capital": 1.13, "plain": 0.98, "east": 1.85}
_BOLD = 1.1
#: How wide the stand-in's digits are, in parts of their size.
_DIGIT = 0.6375


class Letters:
    """The widths of a font's letters, and of its digits in parts of their size."""

    def __init__(
        self, digit: float = _DIGIT, plain: Mapping[int, float] | None = None, bold: Mapping[int, float] | None = None
    ) -> None:
        """Widths by code point, in digits of the plain face; those that are not there are the stand-in's."""
        self.digit = digit
        self._faces = (plain or {}, bold or {})
        self._known: dict[tuple[str, bool], float] = {}

    @classmethod
    def of_files(cls, plain: Path, bold: Path | None) -> Letters:
        """The letters of font files (OpenType, ISO/IEC 14496-22: `cmap` and `hmtx`). Raises OSError and ValueError."""
        digit, advances = _advances(plain)
        widths = {code: advance / digit for code, advance in advances.items()}
        heavy = {} if bold is None else {code: advance / digit for code, advance in _advances(bold)[1].items()}
        return cls(digit, widths, heavy)

    def width(self, text: str, *, bold: bool = False) -> float:
        """The width of a text in digits of its own size; of several lines the widest."""
        key = (text, bold)
        if key not in self._known:
            if len(self._known) > _REMEMBERED:
                self._known.clear()
            self._known[key] = max((self._line(line, bold) for line in text.split("\n")), default=0.0)
        return self._known[key]

    def _line(self, text: str, bold: bool) -> float:
        plain, heavy = self._faces
        total = 0.0
        for character in text:
            code = ord(character)
            own = heavy.get(code) if bold else plain.get(code)
            if own is None:
                own = plain.get(code, _CLASS_WIDTH[_class_of(character)]) * (_BOLD if bold else 1.0)
            total += own
        return total


#: Texts whose widths are remembered, of each font.
_REMEMBERED = 65_536
STAND_IN = Letters()


@lru_cache(maxsize=4096)
def _class_of(character: str) -> str:
    if character in _NARROW:
        return "narrow"
    if character in _WIDE:
        return "wide"
    if ord(character) >= 0x1100:
        return "east"
    return "capital" if character.isupper() else "plain"


@lru_cache(maxsize=16)
def letters_of(family: str) -> Letters:
    """The letters of a font family: the real ones where the machine has it, else those of the stand-in."""
    first = family.split(maxsplit=1)[0].casefold() if family.split() else ""
    # The list of fonts takes a while to load: it is not asked where no file could be of the family.
    if not first or not any(name.startswith(first) for name in _font_files()):
        return STAND_IN
    from matplotlib import font_manager

    manager = font_manager.fontManager
    faces = [entry for entry in manager.ttflist if entry.name.casefold() == family.casefold()]
    plain = manager.findfont(font_manager.FontProperties(family=family)) if faces else None
    if plain is None:
        return STAND_IN
    bold = manager.findfont(font_manager.FontProperties(family=family, weight="bold"))
    try:
        return Letters.of_files(Path(plain), Path(bold) if bold != plain else None)
    except (OSError, ValueError):
        return STAND_IN


@lru_cache(maxsize=1)
def _font_files() -> tuple[str, ...]:
    """The names of font files in the usual folders, in small letters."""
    return tuple(
        name.casefold()
        for folder in _folders()
        for _, _, names in os.walk(folder)
        for name in names
        if name.casefold().endswith((".ttf", ".otf", ".ttc"))
    )


def _folders() -> Iterator[Path]:
    """Where operating systems keep fonts."""
    home = Path.home()
    if sys.platform == "win32":
        yield from (Path("C:/Windows/Fonts"), home / "AppData/Local/Microsoft/Windows/Fonts")
    elif sys.platform == "darwin":
        yield from (Path("/System/Library/Fonts"), Path("/Library/Fonts"), home / "Library/Fonts")
    else:
        yield from (
            Path("/usr/share/fonts"),
            Path("/usr/local/share/fonts"),
            home / ".local/share/fonts",
            home / ".fonts",
        )


def _advances(path: Path) -> tuple[float, dict[int, float]]:
    """How wide a face's widest digit and its letters are, in parts of their size. Raises OSError and ValueError."""
    from fontTools.ttLib import TTFont, TTLibError

    try:
        with path.open("rb") as stream, TTFont(stream, lazy=True, fontNumber=0) as font:
            names, metrics, size = font.getBestCmap() or {}, font["hmtx"], font["head"].unitsPerEm
            widths = {code: metrics[name][0] / size for code, name in names.items()}
    except (TTLibError, KeyError, AssertionError) as error:
        raise ValueError(f"'{path.name}' cannot be read as a font") from error
    digit = max((widths[code] for code in map(ord, "0123456789") if code in widths), default=0.0)
    if digit <= 0:
        raise ValueError(f"'{path.name}' has no digits")
    return digit, widths
