"""Slots: markers in texts and templates that a run fills, `[:name:]`, `[:name as FORMAT:]`, `[:formula:]`.

A slot's inside is a name (spaces and underscores are the same in names), optionally cut with `after 'x'` or
`before 'x'`, or a formula. `as` gives a number format, a column type whose house format is meant (`as money`), or
one of the words `title`, `upper`, `lower`. An inside
that begins with `=` is a living formula: in a workbook's cell it stays a formula instead of becoming its value.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple, TypeAlias

from tinquire.cells.display import texts_in
from tinquire.cells.languages import ENGLISH, Language
from tinquire.cells.values import CellError, Value

__all__ = [
    "FilledSlot",
    "Instruction",
    "Resolver",
    "Slot",
    "SlotText",
    "UnfilledSlot",
    "cut_text",
    "fill_or_refuse",
    "fill_text",
    "instruction",
    "only_slot",
    "slot_name",
    "slot_text",
    "split_slots",
]  # fmt: skip

_OPENED, _CLOSED = "[:", ":]"
_AS = re.compile(r"(.*\S)\s+as\s+(\S.*)\Z", re.DOTALL)
_CUT = re.compile(r"(.*\S)\s+(after|before)\s+'([^']*)'\Z", re.DOTALL)
_WORDS: dict[str, Callable[[str], str]] = {"title": str.title, "upper": str.upper, "lower": str.lower}


@dataclass(frozen=True, slots=True)
class Slot:
    """One marker: the whole text as written, its inside, and the format after `as`, if any."""

    written: str
    inside: str
    format: str | None = None
    #: `after` or `before` and the text to cut at, outermost last.
    cuts: tuple[tuple[str, str], ...] = ()
    #: Begun and not closed.
    unclosed: bool = False

    @property
    def word(self) -> str | None:
        """`title`, `upper` or `lower`, when that is what stands after `as`."""
        return self.format.casefold() if self.format and self.format.casefold() in _WORDS else None

    @property
    def living(self) -> str | None:
        """The formula that is to stay a formula, without its `=`; None for other slots."""
        return self.inside[1:].strip() if self.inside.startswith("=") else None


@dataclass(frozen=True, slots=True)
class UnfilledSlot:
    """A slot that nothing fills, why, and what to do where it is more than mending its name."""

    slot: Slot
    why: str
    do: str = ""


#: A text cut at its slots.
SlotText: TypeAlias = tuple["str | Slot", ...]


class FilledSlot(NamedTuple):
    """What a slot gets: a value, the number format under which texts show it unless the slot names one, and in which
    language."""

    value: Value
    format: str = "General"
    language: Language = ENGLISH


#: What gives a slot its value. The formats that a slot may name by a word of their own come with it.
Resolver: TypeAlias = Callable[[Slot], "FilledSlot | UnfilledSlot"]


@lru_cache(maxsize=4096)
def split_slots(text: str) -> SlotText:
    """The plain pieces and the slots of a text, in order; empty pieces are left out."""
    pieces: list[str | Slot] = []
    end = 0
    while end < len(text):
        start = text.find(_OPENED, end)
        if start < 0:
            pieces.append(text[end:])
            break
        if start > end:
            pieces.append(text[end:start])
        inside = start + len(_OPENED)
        close = text.find(_CLOSED, inside)
        if close < 0:  # a slot that is not closed: it must not go out as it stands
            pieces.append(Slot(text[start:], "", unclosed=True))
            break
        end = close + len(_CLOSED)
        pieces.append(_slot(text[start:end], text[inside:close].strip()))
    return tuple(pieces)


def _slot(written: str, inside: str) -> Slot:
    form = None
    if match := _AS.match(inside):
        inside, form = match[1].strip(), match[2].strip()
    cuts: list[tuple[str, str]] = []
    while match := _CUT.match(inside):
        inside = match[1].strip()
        cuts.insert(0, (match[2], match[3]))
    return Slot(written, inside, form, tuple(cuts))


class Instruction(NamedTuple):
    """A marker at the beginning of a text that says what to do: what it says it of, and where the text after it is."""

    of: str
    end: int


def instruction(text: str, *words: str, alone: bool = False) -> Instruction | None:
    """The marker with which a text begins (outer spaces apart) when it says these words: `[:only if CONDITION:]`;
    `alone` when nothing may come after it."""
    start = len(text) - len(text.lstrip())
    close = text.find(_CLOSED, start + len(_OPENED)) if text.startswith(_OPENED, start) else -1
    if close < 0:
        return None
    said = text[start + len(_OPENED) : close].split(None, len(words))
    rest = text[close + len(_CLOSED) :]
    if said[: len(words)] != list(words) or (alone and rest.strip()):
        return None
    return Instruction("".join(said[len(words) :]).strip(), len(text) - len(rest.lstrip()))


def only_slot(text: str) -> Slot | None:
    """The slot, when the text is one slot and nothing else (outer spaces apart)."""
    pieces = split_slots(text.strip())
    return pieces[0] if len(pieces) == 1 and isinstance(pieces[0], Slot) else None


@lru_cache(maxsize=4096)
def slot_name(inside: str) -> str:
    """The form under which names are looked up: without regard to case, spaces as underscores."""
    return re.sub(r"[\s_]+", "_", inside.strip()).casefold()


def fill_text(text: str, resolve: Resolver) -> tuple[str, tuple[UnfilledSlot, ...]]:
    """The text with every slot filled as text, and the slots that nothing fills."""
    pieces: list[str] = []
    unfilled: list[UnfilledSlot] = []
    for piece in split_slots(text):
        if isinstance(piece, str):
            pieces.append(piece)
            continue
        found = fill_or_refuse(piece, resolve)
        if isinstance(found, UnfilledSlot):
            unfilled.append(found)
        else:
            pieces.append(slot_text(found, piece))
    return "".join(pieces), tuple(unfilled)


def fill_or_refuse(slot: Slot, resolve: Resolver) -> FilledSlot | UnfilledSlot:
    """What a slot gets; an error value fills nothing."""
    if slot.unclosed:
        return UnfilledSlot(slot, "it is not closed: ':]' is missing")
    found = resolve(slot)
    if isinstance(found, FilledSlot) and isinstance(found.value, CellError):
        return UnfilledSlot(slot, f"it gives the error value {found.value}")
    return found


def slot_text(found: FilledSlot, slot: Slot) -> str:
    """A value as the text that a slot asks for."""
    text = texts_in(found.language)(found.value, found.format)
    return _WORDS[slot.word](text) if slot.word else text


def cut_text(text: str, slot: Slot) -> str | None:
    """The part of a text that a slot's `after` and `before` leave.

    `before` a mark that the text lacks is the whole text; `after` one it lacks is nothing at all, so None.
    """
    for word, mark in slot.cuts:
        before, found, after = text.partition(mark)
        if not found and word == "after":
            return None
        text = after if word == "after" else before
    return text
