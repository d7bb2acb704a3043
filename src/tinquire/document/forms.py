"""Letters from a template that is read once: the bytes between its slots are the same in every letter.

The plain way fills a tree for each letter. Here that is done once, with tokens in the place of values and one row for
each repeat; the parts are cut at the tokens, and a letter is these pieces with its own texts between them. What would
come out otherwise (a condition with another outcome, a repeat without rows, a text with line breaks) is filled the
plain way, so a form gives the plain way's bytes or nothing.
"""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Sequence
from contextlib import suppress
from dataclasses import dataclass
from itertools import chain
from typing import Protocol

from lxml import etree

from tinquire.base.faults import TinQuireError
from tinquire.document.filled_texts import FilledTexts, RepeatTexts
from tinquire.document.filling import Filled, Scope, fill_letter
from tinquire.document.form_pieces import (
    ALT,
    Asked,
    NoForm,
    OtherForm,
    Pieces,
    Recording,
    Repeat,
    SlotGroup,
    Value,
    as_it_is,
    content_of,
    cut,
    joined,
    numbers_repeated,
)
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


class FormScope(Scope, Protocol):
    """What fills slots, and can do so for many at once."""

    def texts(self, group: SlotGroup) -> Sequence[str | None]:
        """The texts of slots; None for those that are to be resolved."""

    def columns(self, group: SlotGroup, table: str) -> Sequence[Sequence[str] | None]:
        """The texts of slots in all rows of a table; None for those that each row is to be asked for."""


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
                with suppress(OtherForm):
                    return form.letter(scope, once)
            if self._more:
                form = _form(self._letter.copy(), scope, once, stopped, self._token, self._named)
                self._forms.append(form)
                self._more = len(self._forms) < _MOST
                return form.letter(scope, once)
        except OtherForm:
            self._more = False  # the template has something that forms do not
        except (NoForm, TinQuireError):
            pass  # the plain way says what is wrong, if anything is
        letter = self._letter.copy()
        done = fill_letter(letter, scope, stopped)
        fill_letter_pictures(letter, once, self._named)
        return letter, done


class _Form:
    """One way in which a template's conditions and repeats turn out."""

    def __init__(
        self, letter: Letter, asked: Asked, slots: Sequence[Slot], pictures: Sequence[_Picture], notes: list[str],
        parts: dict[str, Pieces],
    ) -> None:  # fmt: skip
        self._letter, self._asked, self._slots, self._notes, self._parts = letter, asked, slots, notes, parts
        self._pictures = pictures
        inside = {number for pieces in parts.values() for number in numbers_repeated(pieces)}
        alts = {picture.number for picture in pictures}
        self._repeats = [one for pieces in parts.values() for one in pieces.inserts if isinstance(one, Repeat)]
        self._own = [number for number in range(len(slots)) if number not in inside and number not in alts]
        self._group = SlotGroup(tuple(slots[number] for number in self._own))

    def letter(self, scope: FormScope, source: Source) -> tuple[Letter, Filled]:
        """Raises OtherForm for a letter that does not come out in this form."""
        if not self._asked.alike(scope):
            raise OtherForm
        texts = [""] * len(self._slots)
        for number, slot, text in zip(self._own, self._group.slots, scope.texts(self._group), strict=True):
            texts[number] = _text_of(slot, scope) if text is None else text
        done = Filled(list(self._notes), len(self._own))
        told: list[RepeatTexts] = []
        rows = {
            id(insert): self._repeated(insert, scope, texts, done, told) for insert in self._repeats
        }  # before any picture is drawn, which another form would have to draw again
        packed = [self._picture(picture, source, texts) for picture in self._pictures]
        parts = [(part, content_of(pieces, texts, rows)) for part, pieces in self._parts.items()]
        letter = self._letter.copy()
        for part, content in parts:
            letter.package.put(part, content)
        for picture, ready in zip(self._pictures, packed, strict=True):
            if picture.part:
                letter.package.put_packed(picture.part, ready)
        if len(told) == len(self._repeats):
            letter.filled = FilledTexts(self, self._parts, texts, told, packed)
        return letter, done

    def _repeated(
        self, repeat: Repeat, scope: FormScope, texts: Sequence[str], done: Filled, told: list[RepeatTexts]
    ) -> str:
        """A repeat with all its rows; `told` gets the texts of one with values alone."""
        rows, inside = scope.rows(repeat.table), repeat.inside
        if not rows:
            raise OtherForm
        numbers, inserts = inside.numbers, inside.inserts
        done.slots += len(numbers) * len(rows)
        if len(numbers) == len(inserts) and not repeat.asked.conditions and not repeat.asked.filled:
            columns = [
                [_text_of(slot, row) for row in rows] if column is None else column
                for slot, column in zip(inside.group.slots, scope.columns(inside.group, repeat.table), strict=True)
            ]
            told.append(RepeatTexts(repeat, columns, len(rows)))
            pattern = inside.usual
            if not pattern or not as_it_is(list(chain.from_iterable(columns))):
                spellers = [insert.spelled for insert in inserts if isinstance(insert, Value)]
                columns = [list(map(spelled, column)) for spelled, column in zip(spellers, columns, strict=True)]
                pattern = inside.pattern
            return "".join([pattern % row for row in zip(*columns, strict=True)] if columns else [pattern] * len(rows))
        fresh = []
        for row in rows:
            if not repeat.asked.alike(row):
                raise OtherForm
            own = list(texts)
            for number in numbers:
                own[number] = _text_of(self._slots[number], row)
            within = {
                id(insert): self._repeated(insert, row, own, done, [])  # type: ignore[arg-type]  # as the table's own scope
                for insert in inserts
                if isinstance(insert, Repeat)
            }
            fresh.append(joined(repeat.inside, own, within))
        return "".join(fresh)

    @staticmethod
    def _picture(picture: _Picture, source: Source, texts: list[str]) -> Packed:
        given = source(picture.found)
        if given is None:
            if picture.part:
                raise OtherForm
            return _NOTHING
        content, alt = given
        if not picture.part or (content.form, picture_size(content.content)) != picture.like:
            raise OtherForm
        texts[picture.number] = alt
        if picture.last is None or picture.last[0] != content.content:
            picture.last = (content.content, pack_whole(content.content))
        return picture.last[1]


_NOTHING = pack_whole(b"")


def _text_of(slot: Slot, scope: Scope) -> str:
    found = fill_or_refuse(slot, scope.resolve)
    if isinstance(found, UnfilledSlot):
        raise NoForm
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


class _Recorder:
    """A scope that answers with tokens, and with one row of each table that has any."""

    def __init__(self, real: Scope, recording: Recording, asked: Asked, number: int = -1) -> None:
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
        asked, repeats = Asked(), self._recording.repeats
        repeats.append((table, asked))
        return (_Recorder(rows[0], self._recording, asked, len(repeats) - 1),)

    def laid_table(self, name: str) -> LaidTable | str | None:
        raise OtherForm  # it is laid out anew for each letter

    def holds(self, condition: str) -> bool | str:
        found = self._real.holds(condition)
        if isinstance(found, bool):
            self.asked.conditions[condition] = found
        return found


def _form(letter: Letter, scope: Scope, source: Source, stopped: str, token: str, named: Collection[str]) -> _Form:
    """The form in which a letter comes out. Raises OtherForm where there is none, and what filling raises."""
    recording, asked = Recording(token), Asked()

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
        return content, recording.given(found.slot, ALT)

    kept: list[bytes] = []
    fill_letter_pictures(letter, pictured, named)
    parts: dict[str, Pieces] = {}
    for part, content in letter.package.changed().items():
        if isinstance(content, Packed):
            raise OtherForm
        if (picture := fresh.get(id(content))) is not None:
            picture.part = part
        elif token.encode() in content:
            parts[part] = cut(content.decode(), recording, part.endswith(".rels"))
        else:
            letter.package.put_packed(part, pack_whole(content))
    if any(picture.number >= 0 and not picture.part for picture in pictures):
        raise OtherForm  # an element that shows no picture
    return _Form(letter, asked, recording.slots, pictures, done.notes, parts)
