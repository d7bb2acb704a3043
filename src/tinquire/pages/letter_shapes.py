"""Letters that differ in texts alone, laid out by what of them differs.

The first of them is laid out the plain way, while it is noted where the lines of paragraphs with slots come to stand.
Of the next ones these paragraphs alone are laid out; where each has as many lines as high as before, and holds together
with others as before, the pages are those of the first with other texts. Anything else is laid out the plain way, so
that a letter's pages never depend on those before it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from copy import copy, deepcopy
from dataclasses import dataclass, field
from itertools import chain

from lxml import etree

from tinquire.document.filled_texts import FilledTexts
from tinquire.document.letter import Letter, kind_of
from tinquire.document.looks import RunLook, value
from tinquire.packages.deflate import Packed
from tinquire.packages.xml import child, parse_xml
from tinquire.pages.laid_before import Paragraphs
from tinquire.pages.letter_blocks import Blocks, Context
from tinquire.pages.letter_lines import Break, Jump, Token, Word, one_line, tokens_of_text
from tinquire.pages.lettering import Letters
from tinquire.pages.primitives import Alike, Item, Page, Pages, Spot, Text
from tinquire.pages.strips import Strip
from tinquire.pages.watched import Laid, Watched

__all__ = ["LetterShape", "without_spots"]

#: So many ways are kept in which letters of one shape come out, and so many texts of each paragraph.
_MOST_WAYS, _MOST_TEXTS = 8, 50
#: Parts that a letter's document leads to and that are not on its pages.
_UNSEEN = ("comments", "settings", "webSettings", "fontTable")
_DIGITS = 6
_TOKEN = "70615243342516078"


@dataclass(frozen=True)
class _Words:
    """The text of a run, with the numbers of the texts that are put into it, and how it is shown."""

    pieces: tuple[str | int, ...]
    letters: Letters
    ground: str | None
    capitals: bool

    def tokens(self, texts: Sequence[str]) -> Iterator[Token]:
        text = "".join([piece if isinstance(piece, str) else texts[piece] for piece in self.pieces])
        return tokens_of_text(text.upper() if self.capitals else text, self.letters, self.ground, None)


@dataclass
class _Paragraph:
    """A paragraph with slots: its part and its place among the paragraphs there, its markup with tokens, and the
    numbers of their texts."""

    part: str
    place: int
    element: etree._Element
    numbers: tuple[int, ...]
    #: How it was laid out, and what that is done with.
    laid: Laid | None = None
    ends: Letters | None = None
    runs: list[Token | _Words] = field(default_factory=list)
    known: dict[tuple[str, ...], _Lines] = field(default_factory=dict)
    #: A line as other texts give it as well, and the letters that it is in.
    line: tuple[_Lines, Letters] | None = None

    def lines(self, texts: Sequence[str], blocks: Blocks) -> _Lines:
        """Its lines with other texts."""
        own = tuple([texts[number] for number in self.numbers])
        if (found := self.known.get(own)) is None:
            assert self.laid is not None and self.ends is not None
            tokens: list[Token] = []
            for run in self.runs:
                if isinstance(run, _Words):
                    tokens += run.tokens(texts)
                else:
                    tokens.append(run)
            if len(self.known) >= _MOST_TEXTS:
                self.known.clear()
            found = self._in_line(tokens, self.laid)
            if found is None:
                strips = blocks.lined(tokens, self.laid.look, self.ends, self.laid.width)
                found = _Lines(strips, any(_lacks(item) for strip in strips for item in strip.items))
                letters = _only_letters(tokens)
                if letters is not None and len(strips) == 1 and strips[0].mark is None and len(_texts(strips[0])) == 1:
                    self.line = (found, letters)
            self.known[own] = found
        return found

    def _in_line(self, tokens: Sequence[Token], laid: Laid) -> _Lines | None:
        """A line with another text, in which all but that is as it was before; None for what does not fit in one."""
        if self.line is None:
            return None
        like, letters = self.line
        found = one_line([token.text for token in tokens if isinstance(token, Word)], letters, laid.look, laid.width)
        if found is None:
            return None
        x, words, width = found
        strip = copy(like.strips[0])
        strip.items = [
            Text(x, item.y, words, *item[3:6], width, *item[7:]) if isinstance(item, Text) else item
            for item in strip.items
        ]
        return _Lines([strip], bool(letters.face.lacking(words)), like=like)


@dataclass(frozen=True, slots=True)
class _Lines:
    """A paragraph laid out with some texts; whether it has letters that no font has; and its texts where they stand in
    letters of a way, by the way's number: None where it does not fit in there."""

    strips: list[Strip]
    lacks: bool
    placed: dict[int, list[Text] | None] = field(default_factory=dict)
    #: Lines that fit in wherever these do.
    like: _Lines | None = None


@dataclass(frozen=True)
class _Place:
    """Where a text of a paragraph's line stands: on which page, as which of its items, and by what it was moved."""

    paragraph: int
    line: int
    number: int
    page: int
    item: int
    moves: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class _Way:
    """A way in which letters come out: the texts outside of paragraphs that can be exchanged, the pictures, the lines
    of those paragraphs and where the texts of each stand; the pages, and what was told."""

    number: int
    fixed: tuple[str, ...]
    pictures: tuple[Packed, ...]
    lines: Mapping[int, tuple[Strip, ...]]
    places: tuple[tuple[_Place, ...], ...]
    pages: Pages
    told: tuple[str, ...]
    alike: Alike

    def placed(self, paragraph: int, lines: _Lines | None) -> list[Text] | None:
        """The texts of a paragraph where they stand in these letters; None where it is of another height."""
        assert lines is not None
        if self.number not in lines.placed:
            found = None
            if (
                _alike(self.lines[paragraph], lines.strips)
                if lines.like is None
                else self.placed(paragraph, lines.like) is not None
            ):
                texts = list(map(_texts, lines.strips))
                found = [_moved(texts[place.line][place.number], place) for place in self.places[paragraph]]
            lines.placed[self.number] = found
        return lines.placed[self.number]


class LetterShape:
    """What is known of the letters of one shape."""

    def __init__(self, filled: FilledTexts, letter: Letter) -> None:
        """Raises AccessError for damaged parts."""
        self._paragraphs: list[_Paragraph] = []
        self._ways: list[_Way] = []
        self._context: Context | None = None
        self._usable = True
        beside = letter.package.relations(letter.part)
        unseen = {one.target for one in beside if one.kind in _UNSEEN}
        unseen |= {one.target for one in letter.package.relations() if one.target != letter.part}
        told = {one.target for one in beside if one.kind in ("header", "footer")} | {letter.part}
        elsewhere: set[int] = set()
        for part, content in filled.marked(_token).items():
            if part not in unseen:
                found = {int(number) for number in re.findall(rf"{_TOKEN}(\d{{{_DIGITS}}})", content.decode())}
                elsewhere |= found.difference(self._read(part, content) if part in told else ())
        self._fixed = tuple(sorted(elsewhere))

    def _read(self, part: str, content: bytes) -> Iterator[int]:
        """The numbers of texts in the paragraphs of a part whose lines depend on nothing else."""
        root = parse_xml(content)
        for place, paragraph in enumerate(root.iter("{*}p")):
            markup = etree.tostring(paragraph, with_tail=False)
            numbers = tuple(int(number) for number in re.findall(rf"{_TOKEN}(\d{{{_DIGITS}}})".encode(), markup))
            if not numbers or Paragraphs.key(markup, None, 0.0) is None:
                continue
            said = "".join(
                text.text or "" for run in paragraph if kind_of(run) == "r" for text in run if kind_of(text) == "t"
            )
            if len(re.findall(rf"{_TOKEN}\d{{{_DIGITS}}}", said)) == len(numbers):
                self._paragraphs.append(_Paragraph(part, place, deepcopy(paragraph), numbers))
                yield from numbers

    # -- the first of a way ----------------------------------------------------------------------------

    def watched(self) -> Watched | None:
        """What is watched while another letter is laid out; None when enough are known."""
        if not self._usable or len(self._ways) >= _MOST_WAYS:
            return None
        places: dict[str, dict[int, int]] = {}
        for number, one in enumerate(self._paragraphs):
            places.setdefault(one.part, {})[one.place] = number
        return Watched(places)

    def learn(
        self, filled: FilledTexts, context: Context, pages: Pages, spots: Sequence[_Place], told: Sequence[str]
    ) -> None:
        """Note how a letter came out, whose pages are these; they know then that others are like them."""
        watched = context.watched
        if watched is None:
            return
        # Paragraphs that are on no page, such as those of headers for other pages, have no lines.
        lines = {number: laid.strips for number, laid in watched.laid.items()}
        if any(_lacks(item) for strips in lines.values() for strip in strips for item in strip.items):
            return
        self._context = self._context or context
        if watched.unclear or not self._agrees(filled.flat(), watched.laid, spots, pages):
            self._usable = False
            return
        places = tuple(
            tuple(spot for spot in spots if spot.paragraph == number) for number in range(len(self._paragraphs))
        )
        alike = Alike(tuple((spot.page, spot.item) for own in places for spot in own))
        pages.like = alike
        flat, pictures = filled.flat(), tuple(filled.pictures)
        fixed = tuple(flat[number] for number in self._fixed)
        number = len(self._ways)
        self._ways.append(_Way(number, fixed, pictures, lines, places, pages, tuple(told), alike))

    def _agrees(self, texts: Sequence[str], found: Mapping[int, Laid], spots: Sequence[_Place], pages: Pages) -> bool:
        """Whether the paragraphs of a letter are worked out here as they were laid out, and stand where it was noted:
        before anything is made by it."""
        assert self._context is not None
        blocks = Blocks(self._context, "")
        for number, laid in found.items():
            one = self._paragraphs[number]
            if one.laid is None:
                one.laid = laid
                if not self._compile(one, self._context):
                    return False
            if (one.laid.look, one.laid.base, one.laid.width) != (laid.look, laid.base, laid.width):
                return False
            fresh = one.lines(texts, blocks).strips
            if not _alike(laid.strips, fresh):
                return False
            if any(mine.items != other.items for mine, other in zip(laid.strips, fresh, strict=True)):
                return False
        return all(
            _moved(_texts(found[spot.paragraph].strips[spot.line])[spot.number], spot)
            == pages.pages[spot.page].items[spot.item]
            for spot in spots
        )

    def _compile(self, paragraph: _Paragraph, context: Context) -> bool:
        """Note the runs of a paragraph, whose texts alone change; False for one that holds something else."""
        assert paragraph.laid is not None
        look, base = context.looks.paragraph(paragraph.element, paragraph.laid.base)
        if look != paragraph.laid.look or look.numbering is not None:
            return False
        runs = _runs(paragraph.element, context, base)
        if runs is None:
            return False
        paragraph.runs = runs
        mark = child(child(paragraph.element, "pPr"), "rPr")
        paragraph.ends = context.letters(context.looks.run_over(base, mark))
        return True

    # -- the others ------------------------------------------------------------------------------------

    def pages(self, filled: FilledTexts, title: str) -> tuple[Pages, Sequence[str]] | None:
        """The pages of a letter, and what is told of it; None where it is to be laid out the plain way."""
        if not self._ways or not self._usable or self._context is None:
            return None
        flat = filled.flat()
        fixed = tuple([flat[number] for number in self._fixed])
        blocks = Blocks(self._context, "")
        lines = [None if one.laid is None else one.lines(flat, blocks) for one in self._paragraphs]
        if any(one is not None and one.lacks for one in lines):
            return None
        for way in self._ways:
            if way.fixed == fixed and _same_pictures(way.pictures, filled.pictures):
                placed = [way.placed(number, one) for number, one in enumerate(lines) if number in way.lines]
                if None not in placed:
                    return _with_texts(way, chain.from_iterable(filter(None, placed)), title), way.told
        return None


def _only_letters(tokens: Sequence[Token]) -> Letters | None:
    """The letters that all tokens are words of, with nothing under, through or behind them."""
    found = {id(token.letters): token.letters for token in tokens if isinstance(token, Word)}
    plain = all(isinstance(one, Word) and one.ground is None and one.target is None for one in tokens)
    if not plain or len(found) != 1:
        return None
    letters = next(iter(found.values()))
    return None if letters.underline or letters.strike else letters


def _token(number: int) -> str:
    return f"{_TOKEN}{number:0{_DIGITS}}"


def _runs(element: etree._Element, context: Context, base: RunLook) -> list[Token | _Words] | None:
    """What stands in a paragraph of plain runs, in its order; None for one with anything else."""
    found: list[Token | _Words] = []
    for run in element:
        kind = kind_of(run)
        if kind in ("pPr", "proofErr"):
            continue
        if kind != "r":
            return None
        look = context.looks.run(base, run)
        for one in run:
            kind = kind_of(one)
            if kind == "rPr" or look.hidden:
                continue
            if kind == "t":
                pieces = re.split(rf"{_TOKEN}(\d{{{_DIGITS}}})", one.text or "")
                texts = tuple(int(piece) if place % 2 else piece for place, piece in enumerate(pieces))
                text = _Words(texts, context.letters(look), look.ground, look.caps or look.small_caps)
                found += [text] if len(texts) > 1 else text.tokens(())
            elif kind == "tab":
                found.append(Jump(context.letters(look)))
            elif kind in ("br", "cr"):
                found.append(Break(value(one, "type") == "page"))
            else:
                return None
    return found


def without_spots(pages: Sequence[Page]) -> list[_Place]:
    """Take the spots out of pages, and say where the texts between them stand."""
    places: list[_Place] = []
    for number, page in enumerate(pages):
        items: list[Item] = []
        spot: Spot | None = None
        count = 0
        for item in page.items:
            if isinstance(item, Spot):
                spot, count = (None if item.ends else item), 0
                continue
            if spot is not None and isinstance(item, Text):
                places.append(_Place(spot.paragraph, spot.line, count, number, len(items), spot.moves))
                count += 1
            items.append(item)
        page.items = items
    return places


def _texts(strip: Strip) -> list[Text]:
    return [item for item in strip.items if isinstance(item, Text)]


def _lacks(item: Item) -> bool:
    """Whether an item is a text with letters that no font has, which is told of each letter."""
    return isinstance(item, Text) and bool(item.face.lacking(item.text))


def _alike(strips: Sequence[Strip], others: Sequence[Strip]) -> bool:
    """Whether lines differ in their texts alone."""
    return len(strips) == len(others) and all(map(_alike_lines, strips, others))


def _alike_lines(strip: Strip, other: Strip) -> bool:
    mine = (strip.height, strip.gap, strip.keeps, strip.begins, strip.mark, len(strip.items))
    if mine != (other.height, other.gap, other.keeps, other.begins, other.mark, len(other.items)):
        return False
    for item, another in zip(strip.items, other.items, strict=True):
        if isinstance(item, Text) and isinstance(another, Text):
            if item.face is not another.face or item[4:6] != another[4:6] or item[7:] != another[7:]:
                return False
        elif item != another:
            return False
    return not (strip.notes or other.notes or strip.floats or other.floats or strip.anchors or other.anchors)


def _same_pictures(pictures: Sequence[Packed], others: Sequence[Packed]) -> bool:
    return len(pictures) == len(others) and all(
        one is other or one == other for one, other in zip(pictures, others, strict=True)
    )


def _moved(text: Text, place: _Place) -> Text:
    """A text where it stands, moved in the same steps: the sum of others is not the same to the last bit."""
    x, y = text.x, text.y
    for across, down in place.moves:
        x, y = x + across, y + down
    return Text(x, y, *text[2:])


def _with_texts(way: _Way, texts: Iterable[Text], title: str) -> Pages:
    """The pages of a way with other texts."""
    pages = [Page(page.width, page.height, list(page.items)) for page in way.pages.pages]
    for (page, item), text in zip(way.alike.places, texts, strict=True):
        pages[page].items[item] = text
    return Pages(pages, title, language=way.pages.language, like=way.alike)
