"""Letters from a template that is read once: the bytes between its slots are the same in every letter.

The plain way fills a tree for each letter. Here that is done once, with tokens in the place of values and one row for
each repeat; the parts are cut at the tokens, and a letter is these pieces with its own texts between them. What would
come out otherwise (a condition with another outcome, a repeat without rows, a text with line breaks) is filled the
plain way, so a form gives the plain way's bytes or nothing.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from itertools import chain, pairwise, zip_longest
from typing import Protocol
from urllib.parse import quote

from lxml import etree

from tinquire.base.faults import TinQuireError
from tinquire.document.filling import Filled, Scope, fill_letter
from tinquire.document.laid_tables import LaidTable
from tinquire.document.letter import Letter
from tinquire.document.pictures import LetterPicture, Source, fill_letter_pictures
from tinquire.packages.deflate import Packed, pack_whole
from tinquire.slots.slots import FilledSlot, Slot, UnfilledSlot, fill_or_refuse, slot_text
from tinquire.workbook.grid.frames import PictureFile
from tinquire.workbook.transform.fill_pictures import picture_size

__all__ = ["FormScope", "Forms", "SlotGroup"]

#: So many forms of one template are kept; a template that has more is filled the plain way.
_MOST = 16
_DIGITS = 6
#: Texts that are no plain letters: ends of lines and tabs become elements, and control characters are refused.
_UNUSUAL = re.compile("[\x00-\x1f\ud800-\udfff\ufffe\uffff]")
#: Texts without any of these are spelled as they are, but for links.
_SPELLED = re.compile(r"[^ \w.,-]|[^\x00-\x7f]")
#: What has numbers that no two copies may share.
_NUMBERED = re.compile(r"docPr|bookmark(?:Start|End)")


class FormScope(Scope, Protocol):
    """What fills slots, and can do so for many at once."""

    def texts(self, group: SlotGroup) -> Sequence[str | None]:
        """The texts of slots; None for those that are to be resolved."""

    def columns(self, group: SlotGroup, table: str) -> Sequence[Sequence[str] | None]:
        """The texts of slots in all rows of a table; None for those that each row is to be asked for."""


@dataclass(slots=True)
class SlotGroup:
    """Slots that are asked of scope after scope, and what the last one found out about them."""

    slots: tuple[Slot, ...]
    known: object = None


class _OtherForm(Exception):  # noqa: N818  # it is no error: the next form is tried
    """A letter is of another form, or of none."""


class _NoForm(Exception):  # noqa: N818
    """A letter is to be filled the plain way."""


@dataclass(frozen=True, slots=True)
class _Pieces:
    """What stands between the tokens, with a `%s` for each; and what takes their places, in order. `usual` is the
    pattern for texts that are spelled as they are and none of which is empty; '' where they never are."""

    pattern: str
    inserts: tuple[_Value | _Repeat, ...]
    usual: str
    in_bytes: bytes
    #: The slots of the values among the inserts.
    numbers: tuple[int, ...]
    group: SlotGroup

    @classmethod
    def of(cls, literals: Sequence[str], inserts: Sequence[_Value | _Repeat], slots: Sequence[Slot]) -> _Pieces:
        """Pieces of what stands before each insert and after the last."""
        marks = [f">%s{one.closing}" if isinstance(one, _Value) and one.closing else "%s" for one in inserts]
        values = [one for one in inserts if isinstance(one, _Value)]
        plain = not any(one.code is _in_link for one in values)
        usual = "".join(chain.from_iterable(zip_longest(literals, marks, fillvalue=""))) if plain else ""
        numbers = tuple(one.number for one in values)
        group = SlotGroup(tuple(slots[number] for number in numbers))
        return cls("%s".join(literals), tuple(inserts), usual, usual.encode(), numbers, group)


@dataclass(frozen=True, slots=True)
class _Value:
    """The place of a slot's text, or of a picture's alternative text."""

    number: int
    #: How the place spells texts, for those that it does not spell as they are.
    code: Callable[[str], str]

    #: The end tag of an element that holds nothing else: without a text the element closes itself.
    closing: str = ""
    #: Whether another text stands right beside it: a form does not tell then whether an element is empty.
    beside: bool = False

    def spelled(self, text: str) -> str:
        if not text and self.beside:
            raise _NoForm
        if text and (self.code is _in_link or _SPELLED.search(text)):
            text = self.code(text)
        if not self.closing:
            return text
        return f">{text}{self.closing}" if text else "/>"


@dataclass(frozen=True, slots=True)
class _Repeat:
    """The place of what is repeated for each row of a table."""

    table: str
    asked: _Asked
    inside: _Pieces


@dataclass(slots=True)
class _Asked:
    """What a template asks of a scope on its way: conditions and whether tables have rows, with the answers."""

    conditions: dict[str, bool] = field(default_factory=dict)
    filled: dict[str, bool] = field(default_factory=dict)

    def alike(self, scope: Scope) -> bool:
        for table, any_ in self.filled.items():
            if bool(scope.rows(table)) != any_:
                return False
        return all(scope.holds(condition) is outcome for condition, outcome in self.conditions.items())


def _in_text(text: str) -> str:
    if _UNUSUAL.search(text):
        raise _NoForm
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _in_attribute(text: str) -> str:
    return _in_text(text).replace('"', "&quot;")


def _in_link(text: str) -> str:
    return _in_attribute(quote(text, safe="@"))


class Forms:
    """A template whose letters are made one after the other."""

    def __init__(self, template: Letter, named: Collection[str] = ()) -> None:
        """`named` are the names of pictures that are replaced, beside those whose alternative text is a slot."""
        self._letter, self._named = template, named
        self._forms: list[_Form] = []
        self._more = True
        parts = template.package
        number = int.from_bytes(hashlib.sha256(parts.read(template.part)).digest()[:10])
        self._token = f"{number:025}"
        if any(self._token.encode() in parts.read(part) for part in parts.names() if part.endswith((".xml", ".rels"))):
            self._more = False

    def fill(self, scope: FormScope, source: Source, stopped: str) -> tuple[Letter, Filled]:
        """A letter filled, with its pictures replaced: what `fill_letter` and `fill_letter_pictures` give, which raise
        what this raises."""
        given: dict[LetterPicture, tuple[PictureFile, str] | None] = {}

        def once(found: LetterPicture) -> tuple[PictureFile, str] | None:
            if found not in given:
                given[found] = source(found)
            return given[found]

        try:
            for form in self._forms:
                with suppress(_OtherForm):
                    return form.letter(scope, once)
            if self._more:
                form = _form(self._letter.copy(), scope, once, stopped, self._token, self._named)
                self._forms.append(form)
                self._more = len(self._forms) < _MOST
                return form.letter(scope, once)
        except _OtherForm:
            self._more = False  # the template has something that forms do not
        except (_NoForm, TinQuireError):
            pass  # the plain way says what is wrong, if anything is
        letter = self._letter.copy()
        done = fill_letter(letter, scope, stopped)
        fill_letter_pictures(letter, once, self._named)
        return letter, done


class _Form:
    """One way in which a template's conditions and repeats turn out."""

    def __init__(
        self, letter: Letter, asked: _Asked, slots: Sequence[Slot], pictures: Sequence[_Picture], notes: list[str],
        parts: dict[str, _Pieces],
    ) -> None:  # fmt: skip
        self._letter, self._asked, self._slots, self._notes, self._parts = letter, asked, slots, notes, parts
        self._pictures = pictures
        inside = {number for pieces in parts.values() for number in _numbers_repeated(pieces)}
        alts = {picture.number for picture in pictures}
        self._own = [number for number in range(len(slots)) if number not in inside and number not in alts]
        self._group = SlotGroup(tuple(slots[number] for number in self._own))

    def letter(self, scope: FormScope, source: Source) -> tuple[Letter, Filled]:
        """Raises _OtherForm for a letter that does not come out in this form."""
        if not self._asked.alike(scope):
            raise _OtherForm
        texts = [""] * len(self._slots)
        for number, slot, text in zip(self._own, self._group.slots, scope.texts(self._group), strict=True):
            texts[number] = _text_of(slot, scope) if text is None else text
        done = Filled(list(self._notes), len(self._own))
        rows = {
            id(insert): self._repeated(insert, scope, texts, done)
            for pieces in self._parts.values()
            for insert in pieces.inserts
            if isinstance(insert, _Repeat)
        }  # before any picture is drawn, which another form would have to draw again
        packed = [self._picture(picture, source, texts) for picture in self._pictures]
        parts = [(part, _content(pieces, texts, rows)) for part, pieces in self._parts.items()]
        letter = self._letter.copy()
        for part, content in parts:
            letter.package.put(part, content)
        for picture, ready in zip(self._pictures, packed, strict=True):
            if picture.part:
                letter.package.put_packed(picture.part, ready)
        return letter, done

    def _repeated(self, repeat: _Repeat, scope: FormScope, texts: Sequence[str], done: Filled) -> str:
        rows, inside = scope.rows(repeat.table), repeat.inside
        if not rows:
            raise _OtherForm
        numbers, inserts = inside.numbers, inside.inserts
        done.slots += len(numbers) * len(rows)
        if len(numbers) == len(inserts) and not repeat.asked.conditions and not repeat.asked.filled:
            columns = [
                [_text_of(slot, row) for row in rows] if column is None else column
                for slot, column in zip(inside.group.slots, scope.columns(inside.group, repeat.table), strict=True)
            ]
            pattern = inside.usual
            if not pattern or not _as_it_is(list(chain.from_iterable(columns))):
                spellers = [insert.spelled for insert in inserts if isinstance(insert, _Value)]
                columns = [list(map(spelled, column)) for spelled, column in zip(spellers, columns, strict=True)]
                pattern = inside.pattern
            return "".join([pattern % row for row in zip(*columns, strict=True)] if columns else [pattern] * len(rows))
        fresh = []
        for row in rows:
            if not repeat.asked.alike(row):
                raise _OtherForm
            own = list(texts)
            for number in numbers:
                own[number] = _text_of(self._slots[number], row)
            within = {
                id(insert): self._repeated(insert, row, own, done)  # type: ignore[arg-type]  # as the table's own scope
                for insert in inserts
                if isinstance(insert, _Repeat)
            }
            fresh.append(_joined(repeat.inside, own, within))
        return "".join(fresh)

    @staticmethod
    def _picture(picture: _Picture, source: Source, texts: list[str]) -> Packed:
        given = source(picture.found)
        if given is None:
            if picture.part:
                raise _OtherForm
            return _NOTHING
        content, alt = given
        if not picture.part or (content.form, picture_size(content.content)) != picture.like:
            raise _OtherForm
        texts[picture.number] = alt
        if picture.last is None or picture.last[0] != content.content:
            picture.last = (content.content, pack_whole(content.content))
        return picture.last[1]


_NOTHING = pack_whole(b"")


def _as_it_is(texts: Sequence[str]) -> bool:
    """Whether texts are spelled as they are, and none is empty."""
    return all(texts) and not _SPELLED.search("".join(texts))


def _joined(pieces: _Pieces, texts: Sequence[str], repeated: Mapping[int, str]) -> str:
    """Pieces with their inserts; what is repeated is known by its identity."""
    inserts = [
        insert.spelled(texts[insert.number]) if isinstance(insert, _Value) else repeated[id(insert)]
        for insert in pieces.inserts
    ]
    return pieces.pattern % tuple(inserts)


def _content(pieces: _Pieces, texts: Sequence[str], repeated: Mapping[int, str]) -> bytes:
    """A whole part; that with usual texts is put together as bytes."""
    if not pieces.usual or not _as_it_is([texts[number] for number in pieces.numbers]):
        return _joined(pieces, texts, repeated).encode()
    inserts = [
        (texts[insert.number] if isinstance(insert, _Value) else repeated[id(insert)]).encode()
        for insert in pieces.inserts
    ]
    return pieces.in_bytes % tuple(inserts)


def _numbers_repeated(pieces: _Pieces) -> list[int]:
    """The slots inside of repeats."""
    found: list[int] = []
    for insert in pieces.inserts:
        if isinstance(insert, _Repeat):
            found += [one.number for one in insert.inside.inserts if isinstance(one, _Value)]
            found += _numbers_repeated(insert.inside)
    return found


def _text_of(slot: Slot, scope: Scope) -> str:
    found = fill_or_refuse(slot, scope.resolve)
    if isinstance(found, UnfilledSlot):
        raise _NoForm
    return slot_text(found, slot)


# -- the first letter of a form --------------------------------------------------------------------------


@dataclass(slots=True)
class _Picture:
    """A picture of the template that is replaced: the part with its content, and what contents are alike."""

    found: LetterPicture
    #: The token of its alternative text.
    number: int
    part: str
    like: tuple[str, tuple[int, int]]
    last: tuple[bytes, Packed] | None = None


@dataclass(slots=True)
class _Recording:
    """Tokens given out, with whose slots they are; and repeats, with what their rows were asked."""

    token: str
    slots: list[Slot] = field(default_factory=list)
    owners: list[int] = field(default_factory=list)
    repeats: list[tuple[str, _Asked]] = field(default_factory=list)

    def given(self, slot: Slot, owner: int) -> str:
        self.slots.append(slot)
        self.owners.append(owner)
        return f"{self.token}{len(self.slots) - 1:0{_DIGITS}}"


class _Recorder:
    """A scope that answers with tokens, and with one row of each table that has any."""

    def __init__(self, real: Scope, recording: _Recording, asked: _Asked, number: int = -1) -> None:
        self._real, self._recording, self.asked, self.number = real, recording, asked, number

    def resolve(self, slot: Slot) -> FilledSlot | UnfilledSlot:
        found = fill_or_refuse(slot, self._real.resolve)
        if isinstance(found, UnfilledSlot):
            return found
        return FilledSlot(self._recording.given(slot, self.number))

    def rows(self, table: str) -> Sequence[Scope] | None:
        rows = self._real.rows(table)
        if rows is None:
            return None
        self.asked.filled[table] = bool(rows)
        if not rows:
            return ()
        asked, repeats = _Asked(), self._recording.repeats
        repeats.append((table, asked))
        return (_Recorder(rows[0], self._recording, asked, len(repeats) - 1),)

    def laid_table(self, name: str) -> LaidTable | str | None:
        raise _OtherForm  # it is laid out anew for each letter

    def holds(self, condition: str) -> bool | str:
        found = self._real.holds(condition)
        if isinstance(found, bool):
            self.asked.conditions[condition] = found
        return found


def _form(letter: Letter, scope: Scope, source: Source, stopped: str, token: str, named: Collection[str]) -> _Form:
    """The form in which a letter comes out. Raises _OtherForm where there is none, and what filling raises."""
    recording, asked = _Recording(token), _Asked()

    def enclosed(row: Scope, elements: list[etree._Element]) -> list[etree._Element]:
        assert isinstance(row, _Recorder)
        begin, end = (etree.ProcessingInstruction(f"t{token}", f"{edge} {row.number}") for edge in ("begin", "end"))
        return [begin, *elements, end]

    done = fill_letter(letter, _Recorder(scope, recording, asked), stopped, enclosed)
    pictures: list[_Picture] = []
    fresh: dict[int, _Picture] = {}

    def pictured(found: LetterPicture) -> tuple[PictureFile, str] | None:
        given = source(found)
        number = len(recording.slots)
        if given is None:
            pictures.append(_Picture(found, -1, "", ("", (0, 0))))
            return None
        content = PictureFile(bytes(bytearray(given[0].content)), given[0].form)  # known by its identity
        picture = _Picture(found, number, "", (content.form, picture_size(content.content)))
        fresh[id(content.content)] = picture
        kept.append(content.content)
        pictures.append(picture)
        return content, recording.given(found.slot, _ALT)

    kept: list[bytes] = []
    fill_letter_pictures(letter, pictured, named)
    parts: dict[str, _Pieces] = {}
    for part, content in letter.package.changed().items():
        if isinstance(content, Packed):
            raise _OtherForm
        if (picture := fresh.get(id(content))) is not None:
            picture.part = part
        elif token.encode() in content:
            parts[part] = _cut(content.decode(), recording, part.endswith(".rels"))
        else:
            letter.package.put_packed(part, pack_whole(content))
    if any(picture.number >= 0 and not picture.part for picture in pictures):
        raise _OtherForm  # an element that shows no picture
    return _Form(letter, asked, recording.slots, pictures, done.notes, parts)


_ALT = -2


def _cut(text: str, recording: _Recording, links: bool) -> _Pieces:
    """A part cut at its tokens. Raises _OtherForm for what a form cannot repeat."""
    marks = re.compile(
        rf"<\?t{recording.token} (?P<edge>begin|end) (?P<repeat>\d+)\?>|{recording.token}(?P<value>\d{{{_DIGITS}}})"
    )
    found = list(marks.finditer(text))
    if len(found) != text.count(recording.token):
        raise _OtherForm
    pieces, rest = _between(text, found, 0, 0, len(text), -1, recording, links)
    if rest != len(found):
        raise _OtherForm
    return pieces


def _between(
    text: str, found: Sequence[re.Match[str]], at: int, start: int, stop: int, owner: int, recording: _Recording,
    links: bool,
) -> tuple[_Pieces, int]:  # fmt: skip
    """The pieces of a stretch from a mark on, up to the end of the repeat that owns it; and which mark comes then."""
    literals: list[str] = []
    inserts: list[_Value | _Repeat] = []
    while at < len(found):
        mark = found[at]
        if mark["edge"] == "end":
            stop = mark.start()
            if int(mark["repeat"]) != owner:
                raise _OtherForm
            break
        closing = _closing(text, mark) if mark["value"] else ""
        # What closes the start tag belongs to the insert then.
        literals.append(_literal(text[start : mark.start() - bool(closing)], repeated=owner >= 0))
        if mark["edge"] == "begin":
            number = int(mark["repeat"])
            inside, end = _between(text, found, at + 1, mark.end(), stop, number, recording, links)
            if end >= len(found):
                raise _OtherForm
            inserts.append(_Repeat(*recording.repeats[number], inside))
            at, start = end + 1, found[end].end()
            continue
        number = int(mark["value"])
        whose = recording.owners[number]
        if whose != owner and not (whose == _ALT and owner == -1):
            raise _OtherForm  # it would have to be asked for elsewhere
        code = _in_link if links else _in_attribute if whose == _ALT else _in_text
        inserts.append(_Value(number, code, closing, _beside(found, at)))
        at, start = at + 1, mark.end() + len(closing)
    literals.append(_literal(text[start:stop], repeated=owner >= 0))
    return _Pieces.of(literals, inserts, recording.slots), at


def _closing(text: str, mark: re.Match[str]) -> str:
    """The end tag of an element in which a mark is all there is; nothing for others."""
    start, stop = mark.span()
    if text[start - 1] != ">" or not text.startswith("</", stop):
        return ""
    closing = text[stop : text.index(">", stop) + 1]
    opening = text[text.rfind("<", 0, start) : start]
    return closing if re.fullmatch(rf"<{re.escape(closing[2:-1])}(?:\s[^<]*)?(?<!/)>", opening) else ""


def _beside(found: Sequence[re.Match[str]], at: int) -> bool:
    """Whether another value stands right before or after one."""
    around = [found[place] for place in (at - 1, at, at + 1) if 0 <= place < len(found)]
    return any(one["value"] and other["value"] and one.end() == other.start() for one, other in pairwise(around))


def _literal(text: str, *, repeated: bool) -> str:
    if repeated and _NUMBERED.search(text):
        raise _OtherForm
    return text.replace("%", "%%")
