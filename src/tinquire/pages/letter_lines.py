"""Paragraphs of a letter as lines: words, tabs, pictures and breaks laid out at a width (ECMA-376 Part 1, 17.3)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from tinquire.document.looks import ParagraphLook, Tab
from tinquire.pages.lettering import Letters, words
from tinquire.pages.primitives import Areas, Box, Item, Link
from tinquire.pages.strips import Strip, moved

__all__ = ["Break", "Drawn", "Jump", "Token", "Word", "laid_lines", "one_line", "tokens_of_text"]

#: Places nearer to each other than this are one.
_SAME = 0.001
_UNDER, _THROUGH, _THICK = -0.11, 0.28, 0.055


@dataclass(slots=True)  # not frozen, which makes it five times slower to make
class Word:
    """A word with the blanks after it, in its letters; its ground, where it leads to, the footnote it stands for."""

    text: str
    letters: Letters
    ground: str | None = None
    target: str | None = None
    notes: tuple[Strip, ...] = ()

    def alike(self, other: Word) -> bool:
        """Whether two words differ in their text alone."""
        return (
            (self.letters is other.letters or self.letters == other.letters)
            and self.ground == other.ground
            and self.target == other.target
            and not self.notes
            and not other.notes
        )


@dataclass(frozen=True, slots=True)
class Jump:
    """A tab."""

    letters: Letters


@dataclass(frozen=True, slots=True)
class Drawn:
    """A picture or chart in the line, by its size and its items from its lower left corner."""

    width: float
    height: float
    items: tuple[Item, ...]


@dataclass(frozen=True, slots=True)
class Break:
    """The end of a line, or with `page` of the page."""

    page: bool = False


Token = Word | Jump | Drawn | Break


@dataclass(slots=True)
class _Placed:
    token: Word | Drawn
    x: float
    width: float
    leads: bool = False  # it fills the way to a tab stop


@dataclass
class _Line:
    """A line while it is filled: what stands in it, where its part after the last tab began, and to which stop."""

    placed: list[_Placed]
    x: float
    start: int = 0
    stop: Tab | None = None
    ends: bool = True
    page: bool = False


def laid_lines(
    tokens: Sequence[Token], look: ParagraphLook, letters: Letters, width: float, tab: float
) -> list[Strip]:  # fmt: skip
    """A paragraph's lines at a width; `letters` are those of its end, which an empty one is as high as, `tab` is from
    one usual tab stop to the next."""
    lines = list(_broken(tokens, look, width, tab))
    strips: list[Strip] = []
    for number, line in enumerate(lines):
        strip = _strip(line, look, letters, width)
        if number and lines[number - 1].page:
            strip.begins = True
        strips.append(strip)
    return strips


def one_line(
    texts: Sequence[str], letters: Letters, look: ParagraphLook, width: float
) -> tuple[float, str, float] | None:
    """Where a paragraph of plain words begins, which are all in letters without lines under and through them, its text
    and how wide it is: what `laid_lines` gives, where that is one line; None where it is not."""
    right = width - look.right
    room = right - look.left
    begin = x = last = look.left + look.first
    whole = 0.0
    bare = 0.0
    for number, text in enumerate(texts):
        bare = letters.width(text.rstrip())
        if bare > room > 0 or (number and x + bare > right + 0.01):
            return None
        wide = letters.width(text)
        last = x
        x += wide
        whole += wide
    text = "".join(texts).rstrip()
    if not text:
        return None
    free = width - look.right - (last + bare)
    shift = {"center": free / 2, "right": free}.get(look.align, 0.0)
    return begin + shift, text, letters.width(text)


def _broken(tokens: Sequence[Token], look: ParagraphLook, width: float, tab: float) -> Iterator[_Line]:
    right = width - look.right
    room = right - look.left
    line = _Line([], look.left + look.first)
    for token in tokens:
        if isinstance(token, Break):
            _settle(line, right)
            line.page = token.page
            yield line
            line = _Line([], look.left)
        elif isinstance(token, Jump):
            _settle(line, right)
            stop = _next_stop(line.x, look, tab)
            if stop.at > right + 0.5 and line.placed:
                line.ends = False
                yield line
                line = _Line([], look.left)
                stop = _next_stop(line.x, look, tab)
            _lead(line, stop, token.letters)
            line.stop, line.start = stop, len(line.placed)
            if stop.kind == "left":
                line.x = stop.at
        else:
            for piece, wide, bare in _pieces(token, room):
                if line.placed and _reach(line, wide, bare) > right + 0.01 and len(line.placed) > line.start:
                    _settle(line, right)
                    line.ends = False
                    yield line
                    line = _Line([], look.left)
                line.placed.append(_Placed(piece, line.x, wide))
                line.x += wide
    _settle(line, right)
    yield line


def _pieces(token: Word | Drawn, room: float) -> Sequence[tuple[Word | Drawn, float, float]]:
    """A token with its width, and that without the blanks at its end; a word that is wider than a line in parts."""
    if isinstance(token, Drawn):
        return ((token, token.width, token.width),)
    text, width = token.text, token.letters.width
    bare = width(text.rstrip())
    if bare <= room or room <= 0:
        return ((token, width(text), bare),)
    found: list[tuple[Word | Drawn, float, float]] = []
    while width(text.rstrip()) > room and len(text.rstrip()) > 1:
        count = 1
        while count < len(text) and width(text[: count + 1]) <= room:
            count += 1
        wide = width(text[:count])
        found.append((replace(token, text=text[:count]), wide, wide))
        text = text[count:]
    return [*found, (replace(token, text=text), width(text), width(text.rstrip()))]


def _reach(line: _Line, wide: float, bare: float) -> float:
    """How far the line would reach with one more piece."""
    if line.stop is not None and line.stop.kind in ("right", "decimal"):
        used = sum(one.width for one in line.placed[line.start :])
        before = max((one.x + one.width for one in line.placed[: line.start]), default=0.0)
        return max(line.stop.at, before + used + bare)
    return line.x + bare


def _next_stop(x: float, look: ParagraphLook, tab: float) -> Tab:
    """The tab stop behind a place: one of the paragraph's, its hanging indent, or the next usual one."""
    own = [stop for stop in look.tabs if stop.at > x + 0.1]
    if look.first < 0 and x < look.left - 0.1:
        own.append(Tab(look.left))
    if own:
        return min(own, key=lambda stop: stop.at)
    return Tab((int(x / tab + 0.01) + 1) * tab)


def _lead(line: _Line, stop: Tab, letters: Letters) -> None:
    """Fill the way to a stop with its sign, up to where the text before it ends."""
    if stop.leader and stop.kind == "left":
        count = int((stop.at - line.x) / max(letters.width(stop.leader), 0.1))
        if count > 0:
            line.placed.append(_Placed(Word(stop.leader * count, letters), line.x, stop.at - line.x, leads=True))


def _settle(line: _Line, right: float) -> None:
    """Put what stands behind a tab where its stop wants it."""
    stop = line.stop
    if stop is None or stop.kind == "left":
        line.stop = None
        return
    part = line.placed[line.start :]
    wide = sum(one.width for one in part)
    if part and isinstance(part[-1].token, Word):
        wide -= part[-1].width - part[-1].token.letters.width(part[-1].token.text.rstrip())
    begin = {"center": stop.at - wide / 2}.get(stop.kind, stop.at - wide)
    before = max((one.x + one.width for one in line.placed[: line.start]), default=0.0)
    begin = max(min(begin, right - wide), before)
    if stop.leader and part:
        letters = next((one.token.letters for one in part if isinstance(one.token, Word)), None)
        count = int((begin - before - 2) / max(letters.width(stop.leader), 0.1)) if letters is not None else 0
        if letters is not None and count > 0:
            wide_leader = count * letters.width(stop.leader)
            line.placed.insert(
                line.start, _Placed(Word(stop.leader * count, letters), begin - wide_leader, wide_leader, leads=True)
            )
            part = line.placed[line.start + 1 :]
    x = begin
    for one in part:
        one.x = x
        x += one.width
    line.x, line.stop = x, None


def _strip(line: _Line, look: ParagraphLook, plain: Letters, width: float) -> Strip:
    """A line in its place: aligned, as high as it must be."""
    placed = _joined(line.placed)
    tokens = [one.token for one in placed]
    letters = [token.letters for token in tokens if isinstance(token, Word)] or [plain]
    ascent = max([one.ascent for one in letters])
    descent = max([one.descent for one in letters])
    own = max([one.face.line * one.size for one in letters])
    drawn = max((token.height for token in tokens if isinstance(token, Drawn)), default=0.0)
    natural = max(own, drawn + descent if drawn else 0.0)
    height = {"auto": natural * look.line if drawn <= ascent else natural, "exact": look.line}.get(
        look.rule, max(natural, look.line)
    )
    base = -(height - own) - (own - ascent - descent) / 2 - ascent if drawn <= ascent else -(height - descent)
    items: list[Item] = []
    shift = _shift(line, look, width)
    spread = _spread(line, look, width)
    for number, one in enumerate(line.placed if spread else placed):
        x = one.x + shift + spread * number
        if isinstance(one.token, Drawn):
            items += [moved(item, x, base) for item in one.token.items]
            continue
        items += _word_items(one.token, x, base, one.width, height)
    notes = [note for token in tokens if isinstance(token, Word) for note in token.notes]
    return Strip(height, items, notes=notes)


def _joined(placed: Sequence[_Placed]) -> list[_Placed]:
    """Words that follow each other in the same letters, as one text."""
    found: list[_Placed] = []
    texts: list[list[str]] = []
    last = word = None
    for one in placed:
        token = one.token
        if not isinstance(token, Word):
            found.append(one)
            texts.append([])
            last = word = None
        elif (
            last is not None
            and word is not None
            and not (one.leads or last.leads)
            and abs(last.x + last.width - one.x) < _SAME
            and token.alike(word)
        ):
            texts[-1].append(token.text)
            last.width += one.width
        else:
            last, word = _Placed(token, one.x, one.width, one.leads), token
            found.append(last)
            texts.append([token.text])
    for one, own in zip(found, texts, strict=True):
        if len(own) > 1 and isinstance(token := one.token, Word):
            one.token = Word("".join(own), token.letters, token.ground, token.target, token.notes)
    return found


def _word_items(word: Word, x: float, base: float, width: float, height: float) -> Iterator[Item]:
    letters, text = word.letters, word.text
    bare = letters.width(text.rstrip())
    if word.ground is not None:
        yield Areas(word.ground, [Box(x, base - letters.descent, width, letters.height)])
    if text.strip():
        yield letters.put(x, base, text.rstrip(), bare)
    thick = max(letters.size * _THICK, 0.3)
    boxes = []
    if letters.underline:
        boxes.append(Box(x, base + _UNDER * letters.size - thick / 2, width, thick))
    if letters.strike:
        boxes.append(Box(x, base + _THROUGH * letters.size - thick / 2, bare, thick))
    if boxes:
        yield Areas(letters.colour, boxes)
    if word.target is not None:
        yield Link(Box(x, base - letters.descent, bare, letters.height), word.target, not word.target.startswith("#"))


def _width(line: _Line) -> float:
    """How far a line reaches, without the blanks at its end."""
    if not line.placed:
        return line.x
    last = line.placed[-1]
    if isinstance(last.token, Word):
        return last.x + last.token.letters.width(last.token.text.rstrip())
    return last.x + last.width


def _shift(line: _Line, look: ParagraphLook, width: float) -> float:
    free = width - look.right - _width(line)
    return {"center": free / 2, "right": free}.get(look.align, 0.0) if line.placed else 0.0


def _spread(line: _Line, look: ParagraphLook, width: float) -> float:
    """What is added before each word of a line that is spread over the width."""
    if look.align != "justify" or line.ends or line.start or len(line.placed) < 2:
        return 0.0
    return max(width - look.right - _width(line), 0.0) / (len(line.placed) - 1)


def tokens_of_text(text: str, letters: Letters, ground: str | None, target: str | None) -> Iterator[Word]:
    """A text as words."""
    return (Word(word, letters, ground, target) for word in words(text))
